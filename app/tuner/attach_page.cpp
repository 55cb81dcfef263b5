#include "app/tuner/attach_page.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "layers/registry.h"
#include "rig/parts.h"
#include "scene/set_piece.h"

namespace nutatio::app {

QString AttachPage::title(const Document& document, const Session& session) {
    const Selection& s = session.selection();
    if (document.scene().actors.empty()) return tr("Nothing open yet");
    const scene::ActorEntry* a = document.scene().actor(s.actor);
    if (!a || s.joints.empty()) return tr("No joint selected");
    return QString::fromStdString(rig::plainName(a->actor->skeleton, s.joints.front())) +
           (s.joints.size() > 1 ? tr("  and %n more", nullptr, static_cast<int>(s.joints.size()) - 1) : QString());
}

AttachPage::AttachPage(const Document& document, const Session& session, QWidget* parent)
    : QWidget(parent), m_rows(new QVBoxLayout(this)) {
    m_rows->setContentsMargins(0, 0, 8, 0);
    m_rows->setSpacing(2);
    const Selection& s = session.selection();
    if (document.scene().actors.empty()) {
        buildEmpty();
    } else {
        const bool can = document.scene().actor(s.actor) && !s.joints.empty();
        const scene::ActorEntry* a = document.scene().actor(s.actor);
        for (const scene::ActorEntry& each : document.scene().actors)
            if (!a && !each.isPiece()) a = &each;
        if (a && !a->isPiece() && !can) buildOffers(document, *a);
        addText(
            can ? tr("Put a layer on the selection:")
                : tr("Click a joint on the stage, or choose one in the roster; C adds the chain below it. Then put a layer on "
                     "it:"));
        buildKinds(can);
        addText(tr("Or at once, on the whole body:"));
        addButtons({{QStringLiteral("loosen"), tr("Loosen it")}, {QStringLiteral("hold-feet"), tr("Hold its feet")}});
        buildColliders(can);
        buildPieces();
        m_rows->addSpacing(12);
        addText(tr("Hold the joint where it is, or let the air move:"));
        addButtons({{QStringLiteral("add-pin"), tr("Pin")}}, can);
        addButtons({{QStringLiteral("add-wind"), tr("Wind")}});
    }
    m_rows->addStretch(1);
}

void AttachPage::buildOffers(const Document& document, const scene::ActorEntry& actor) {
    for (const layers::LayerKind* k : layers::kinds()) {
        const std::vector<edit::Suited> parts = edit::suitedTo(document.scene(), k->id, actor.id);
        if (parts.empty()) continue;
        QStringList names;
        for (const edit::Suited& p : parts) names << QString::fromStdString(p.part);
        auto* b =
            new QPushButton(look::glyph(k->glyph, look::theme().ink),
                            parts.size() == 1 ? tr("%1 on %2").arg(qs(k->label), names.front())
                                              : tr("One %1 on all %2 parts that suit it").arg(qs(k->label)).arg(parts.size()));
        b->setObjectName(QStringLiteral("offer-") + qs(k->id));
        b->setIconSize(QSize(20, 20));
        b->setStyleSheet(QStringLiteral("text-align: left; padding: 7px 10px;"));
        b->setToolTip(names.join(QStringLiteral(", ")));
        m_rows->addSpacing(4);
        m_rows->addWidget(b);
        addText(names.size() > 8 ? tr("%1 and %2 more").arg(names.mid(0, 8).join(QStringLiteral(", "))).arg(names.size() - 8)
                                 : names.join(QStringLiteral(", ")));
        connect(b, &QPushButton::clicked, this, [this, id = std::string(k->id), parts] { Q_EMIT layerOnPartsWanted(id, parts); });
    }
    m_rows->addSpacing(8);
}

QLabel* AttachPage::addText(const QString& text) {
    auto* label = new QLabel(text);
    label->setWordWrap(true);
    label->setObjectName(QStringLiteral("soft"));
    label->setContentsMargins(0, 2, 0, 4);
    m_rows->addWidget(label);
    return label;
}

void AttachPage::addButtons(std::initializer_list<std::pair<QString, QString>> commands, bool can) {
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    for (const auto& [id, text] : commands) {
        auto* b = new QPushButton(text);
        b->setObjectName(QStringLiteral("do-") + id);
        b->setEnabled(can);
        b->setStyleSheet(QStringLiteral("padding: 5px 6px;"));
        row->addWidget(b);
        connect(b, &QPushButton::clicked, this, [this, id = id] { Q_EMIT commandWanted(id); });
    }
    m_rows->addLayout(row);
}

void AttachPage::buildEmpty() {
    addText(tr("Open a character with its clips: glTF (.glb, .gltf) or BVH. Or look about on the night ferry's landing first."));
    addButtons({{QStringLiteral("open"), tr("Open a character or a scene")}});
    addButtons({{QStringLiteral("open-demo"), tr("Open the demo scene")}});
    addButtons({{QStringLiteral("open-recent"), tr("Open a recent file")}});
}

void AttachPage::buildKinds(bool can) {
    auto* kinds = new QGridLayout;
    kinds->setSpacing(4);
    int cell = 0;
    for (const layers::LayerKind* k : layers::kinds()) {
        auto* b = new QPushButton(look::glyph(k->glyph, look::theme().ink), qs(k->label));
        b->setObjectName(QStringLiteral("add-") + qs(k->id));
        b->setAccessibleName(tr("Add %1").arg(qs(k->label)));
        b->setToolTip(qs(k->help));
        // A whole body needs no joint to be chosen.
        b->setEnabled(can || k->takes == layers::Takes::Body);
        b->setIconSize(QSize(20, 20));
        b->setStyleSheet(QStringLiteral("text-align: left; padding: 7px 10px;"));
        b->setProperty("help", qs(k->help));
        b->installEventFilter(this);
        kinds->addWidget(b, cell / 2, cell % 2);
        ++cell;
        connect(b, &QPushButton::clicked, this, [this, id = std::string(k->id)] { Q_EMIT layerWanted(id); });
    }
    m_rows->addSpacing(4);
    m_rows->addLayout(kinds);
    m_help = addText(tr("Point at one to read what it does."));
    m_help->setMinimumHeight(3 * m_help->fontMetrics().lineSpacing() + 6);
    m_help->setAlignment(Qt::AlignTop | Qt::AlignLeft);
}

bool AttachPage::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Enter) m_help->setText(watched->property("help").toString());
    return QWidget::eventFilter(watched, event);
}

void AttachPage::buildPieces() {
    m_rows->addSpacing(12);
    addText(tr("Or a set piece, to stand on, run into or hang over:"));
    auto* pieces = new QGridLayout;
    pieces->setSpacing(4);
    int cell = 0;
    for (const std::string_view form : scene::pieceForms()) {
        QString name = qs(form);
        name[0] = name[0].toUpper();
        auto* b = new QPushButton(look::pieceIcon(form), name);
        b->setObjectName(QStringLiteral("do-piece-") + qs(form));
        b->setStyleSheet(QStringLiteral("padding: 5px 6px;"));
        pieces->addWidget(b, cell / 3, cell % 3);
        ++cell;
        connect(b, &QPushButton::clicked, this, [this, id = QStringLiteral("piece-") + qs(form)] { Q_EMIT commandWanted(id); });
    }
    m_rows->addLayout(pieces);
}

void AttachPage::buildColliders(bool can) {
    m_rows->addSpacing(12);
    addText(tr("Or a collider on the joint, for strands to keep clear of:"));
    auto* shapes = new QGridLayout;
    int cell = 0;
    shapes->setSpacing(4);
    const std::pair<scene::Shape, const char*> kinds[] = {{scene::Shape::Sphere, "circle"},
                                                          {scene::Shape::Capsule, "cylinder"},
                                                          {scene::Shape::Box, "box"},
                                                          {scene::Shape::Plane, "square"}};
    for (const auto& [shape, icon] : kinds) {
        QString name = qs(scene::shapeName(shape));
        name[0] = name[0].toUpper();
        auto* b = new QPushButton(look::icon(QLatin1String(icon)), name);
        b->setStyleSheet(QStringLiteral("padding: 5px 6px;"));
        b->setEnabled(can);
        shapes->addWidget(b, cell / 2, cell % 2);
        ++cell;
        connect(b, &QPushButton::clicked, this, [this, shape = shape] { Q_EMIT colliderWanted(shape); });
    }
    m_rows->addLayout(shapes);
    m_rows->addSpacing(4);
    addButtons({{QStringLiteral("fit"), tr("Fit colliders to the mesh")}});
}

}  // namespace nutatio::app
