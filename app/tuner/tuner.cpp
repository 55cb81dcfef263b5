#include "app/tuner/tuner.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QPushButton>

#include "app/look/theme.h"
#include "layers/registry.h"

namespace nutatio::app {

namespace {

using scene::SettingSpec;
using scene::Unit;

QString qs(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}

/// A collider's settings, as rows like a layer's. Slider ends follow the actor's size.
std::vector<SettingSpec> colliderTable(const scene::Collider& c, double height) {
    const scene::Range size{0, 1e6}, place{-1e6, 1e6}, softSize{0, 0.4 * height}, softPlace{-0.4 * height, 0.4 * height},
        turn{-360, 360}, softTurn{-180, 180};
    std::vector<SettingSpec> t;
    if (c.shape != scene::Shape::Plane)
        t.push_back({.id = "radius",
                     .label = "Radius",
                     .range = size,
                     .soft = softSize,
                     .help = "How thick it is.",
                     .more = "More: keeps strands farther off. Less: lets them closer."});
    if (c.shape == scene::Shape::Capsule)
        t.push_back({.id = "length",
                     .label = "Length",
                     .range = size,
                     .soft = softSize,
                     .help = "Between the middles of its two round ends.",
                     .more = "More: longer. Less: rounder."});
    static constexpr std::string_view kPlace[] = {"offset_x", "offset_y", "offset_z"}, kTurn[] = {"turn_x", "turn_y", "turn_z"};
    static constexpr std::string_view kPlaceLabel[] = {"Offset x", "Offset y", "Offset z"},
                                      kTurnLabel[] = {"Turn x", "Turn y", "Turn z"};
    for (int k = 0; k < 3; ++k)
        t.push_back({.id = kPlace[k],
                     .label = kPlaceLabel[k],
                     .range = place,
                     .soft = softPlace,
                     .help = "Where its middle sits, along the joint's axis."});
    if (c.shape != scene::Shape::Sphere)
        for (int k = 0; k < 3; ++k)
            t.push_back({.id = kTurn[k],
                         .label = kTurnLabel[k],
                         .unit = Unit::Degrees,
                         .range = turn,
                         .soft = softTurn,
                         .help = "How it is turned against the joint."});
    return t;
}

double& colliderNumber(scene::Collider& c, std::string_view id) {
    if (id == "radius") return c.radius;
    if (id == "length") return c.length;
    const int axis = id.back() - 'x';
    return id.front() == 'o' ? c.offset[axis] : c.turnDeg[axis];
}

}  // namespace

Tuner::Tuner(Document& document, Session& session, QWidget* handoff, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_handoff(handoff),
      m_heading(new QLabel),
      m_title(new QLabel),
      m_help(new QLabel),
      m_scope(new Scope(document, session)),
      m_scroll(new QScrollArea) {
    setObjectName(QStringLiteral("sheet"));
    setAttribute(Qt::WA_StyledBackground);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 8, 6, 8);
    layout->setSpacing(4);
    m_heading->setObjectName(QStringLiteral("heading"));
    m_title->setFont(look::textFont(12, QFont::Bold));
    m_help->setObjectName(QStringLiteral("soft"));
    m_help->setWordWrap(true);
    m_help->setMinimumHeight(48);
    m_help->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    m_scroll->setObjectName(QStringLiteral("sheet"));
    m_scroll->setFrameShape(QFrame::NoFrame);
    m_scroll->setWidgetResizable(true);
    m_scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    layout->addWidget(m_heading);
    layout->addWidget(m_title);
    layout->addWidget(m_scope);
    layout->addWidget(m_handoff);
    layout->addWidget(m_scroll, 1);
    layout->addWidget(m_help);
    connect(&session, &Session::selectionChanged, this, &Tuner::rebuild);
    connect(&session, &Session::stepChanged, this, &Tuner::rebuild);
    connect(&document, &Document::sceneChanged, this, &Tuner::rebuild);
    rebuild();
}

QString Tuner::page() const {
    const Selection& s = m_session.selection();
    if (m_session.step() == StepId::HandOff) return QStringLiteral("handoff");
    if (m_session.step() == StepId::Attach) {
        QString joints;
        for (int j : s.joints) joints += QString::number(j) + u',';
        return QStringLiteral("attach:") + QString::fromStdString(s.actor) + joints;
    }
    if (const scene::Layer* l = m_document.scene().layer(s.layer))
        return QStringLiteral("layer:") + QString::fromStdString(l->id + ":" + l->name);
    if (const scene::Collider* c = m_document.scene().collider(s.collider))
        return QStringLiteral("collider:%1:%2").arg(QString::fromStdString(c->id), qs(scene::shapeName(c->shape)));
    return QStringLiteral("none:%1").arg(m_document.scene().layers.size());
}

void Tuner::rebuild() {
    const Selection& sel = m_session.selection();
    if (const scene::ActorEntry* a = m_document.scene().actor(sel.actor); a && !sel.joints.empty()) {
        m_lastJoints.clear();
        for (int j : sel.joints) m_lastJoints.push_back(a->actor->skeleton.reference(j));
    }
    const QString now = page();
    if (now != m_page) {
        m_page = now;
        m_byId.clear();
        auto* body = new QWidget;
        m_rows = new QVBoxLayout(body);
        m_rows->setContentsMargins(0, 0, 8, 0);
        m_rows->setSpacing(2);
        const scene::Layer* layer = m_document.scene().layer(m_session.selection().layer);
        const scene::Collider* collider = m_document.scene().collider(m_session.selection().collider);
        const bool tunes = m_session.step() == StepId::Tune;
        m_scope->setVisible(tunes && layer);
        m_handoff->setVisible(m_session.step() == StepId::HandOff);
        m_scroll->setVisible(m_session.step() != StepId::HandOff);
        m_help->clear();
        if (m_session.step() == StepId::HandOff) {
            m_heading->setText(tr("HAND OFF"));
            m_title->setText(tr("Bake keys and write a file"));
        } else if (!tunes) {
            buildAttach();
        } else if (layer) {
            buildLayer(*layer);
        } else if (collider) {
            buildCollider(*collider);
        } else {
            buildNothing();
        }
        m_rows->addStretch(1);
        m_scroll->setWidget(body);
    }
    refresh();
}

void Tuner::refresh() {
    if (const scene::Layer* l = m_document.scene().layer(m_session.selection().layer)) {
        for (const auto& [id, row] : m_byId)
            if (const auto at = l->values.find(id); at != l->values.end()) row->show(at->second);
    } else if (const scene::Collider* c = m_document.scene().collider(m_session.selection().collider)) {
        scene::Collider copy = *c;
        for (const auto& [id, row] : m_byId) row->show(colliderNumber(copy, id));
    }
}

SettingRow* Tuner::row(const std::string& setting) const {
    const auto at = m_byId.find(setting);
    return at == m_byId.end() ? nullptr : at->second;
}

SettingRow* Tuner::addRow(const SettingSpec& spec) {
    auto* row = new SettingRow(spec);
    m_rows->addWidget(row);
    m_byId[std::string(spec.id)] = row;
    connect(row, &SettingRow::hovered, m_help, &QLabel::setText);
    return row;
}

void Tuner::addText(const QString& text, bool soft) {
    auto* l = new QLabel(text);
    l->setWordWrap(true);
    if (soft) l->setObjectName(QStringLiteral("soft"));
    m_rows->addWidget(l);
}

void Tuner::buildAttach() {
    const Selection& s = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(s.actor);
    m_heading->setText(tr("ATTACH"));
    if (!a || s.joints.empty()) {
        m_title->setText(m_document.scene().actors.empty() ? tr("Nothing open") : tr("No joint selected"));
        addText(m_document.scene().actors.empty()
                    ? tr("Open a character first.")
                    : tr("Click a joint on the stage or in the roster. L adds the chain below it."));
    } else {
        m_title->setText(QString::fromStdString(a->actor->skeleton.label(s.joints.front())) +
                         (s.joints.size() > 1 ? tr("  and %n more", nullptr, static_cast<int>(s.joints.size()) - 1) : QString()));
        addText(tr("Put a layer on the selection:"));
    }
    const bool can = a && !s.joints.empty();
    for (const layers::LayerKind* k : layers::kinds()) {
        auto* b = new QPushButton(look::kindGlyph(qs(k->id), look::theme().ink), tr("Add %1").arg(qs(k->label)));
        b->setObjectName(QStringLiteral("add-") + qs(k->id));
        b->setEnabled(can);
        b->setIconSize(QSize(20, 20));
        b->setStyleSheet(QStringLiteral("text-align: left; padding: 7px 10px;"));
        m_rows->addSpacing(4);
        m_rows->addWidget(b);
        addText(qs(k->help));
        connect(b, &QPushButton::clicked, this, [this, id = std::string(k->id)] { Q_EMIT layerWanted(id); });
    }
    m_rows->addSpacing(12);
    addText(tr("Or a collider on the joint, for strands to keep clear of:"));
    auto* shapes = new QHBoxLayout;
    shapes->setSpacing(4);
    const std::pair<scene::Shape, const char*> kinds[] = {
        {scene::Shape::Sphere, "circle"}, {scene::Shape::Capsule, "cylinder"}, {scene::Shape::Plane, "square"}};
    for (const auto& [shape, icon] : kinds) {
        QString name = qs(scene::shapeName(shape));
        name[0] = name[0].toUpper();
        auto* b = new QPushButton(look::icon(QLatin1String(icon)), name);
        b->setStyleSheet(QStringLiteral("padding: 5px 6px;"));
        b->setEnabled(can);
        shapes->addWidget(b);
        connect(b, &QPushButton::clicked, this, [this, shape = shape] { Q_EMIT colliderWanted(shape); });
    }
    m_rows->addLayout(shapes);
}

void Tuner::buildLayer(const scene::Layer& layer) {
    const layers::LayerKind* kind = layers::findKind(layer.kind);
    m_heading->setText(tr("TUNER"));
    m_title->setText(QString::fromStdString(layer.name) + QStringLiteral("  ·  ") +
                     (kind ? qs(kind->label) : QString::fromStdString(layer.kind)));
    if (!kind) {
        addText(tr("This version has no such layer kind. The layer is kept as it is and does nothing."));
        return;
    }
    for (const SettingSpec& spec : kind->settings) {
        SettingRow* row = addRow(spec);
        const auto set = [this, id = layer.id, spec](const scene::Value& v, const QString& gesture) {
            m_document.edit(
                qs(spec.label),
                [&](scene::Scene& s) {
                    if (scene::Layer* l = s.layer(id)) l->values[std::string(spec.id)] = v;
                },
                gesture);
        };
        connect(row, &SettingRow::changed, this, set);
        connect(row, &SettingRow::selectionWanted, this, [this, set, spec] {
            if (m_lastJoints.empty()) {
                m_help->setText(tr("Select joints on the stage first, then come back to the layer."));
                return;
            }
            if (spec.type == scene::SettingType::Joint)
                set(m_lastJoints.front(), {});
            else
                set(m_lastJoints, {});
        });
    }
}

void Tuner::buildCollider(const scene::Collider& c) {
    const scene::ActorEntry* a = m_document.scene().actor(c.actor);
    m_heading->setText(tr("TUNER"));
    m_title->setText(QString::fromStdString(c.name) + QStringLiteral("  ·  ") + qs(scene::shapeName(c.shape)));
    addText(tr("rides on %1").arg(QString::fromStdString(c.joint)));
    for (const SettingSpec& spec : colliderTable(c, a ? a->actor->height : 1)) {
        SettingRow* row = addRow(spec);
        connect(row, &SettingRow::changed, this, [this, id = c.id, spec](const scene::Value& v, const QString& gesture) {
            m_document.edit(
                tr("Collider %1").arg(qs(spec.label).toLower()),
                [&](scene::Scene& s) {
                    if (scene::Collider* hit = s.collider(id)) colliderNumber(*hit, spec.id) = std::get<double>(v);
                },
                gesture);
        });
    }
}

void Tuner::buildNothing() {
    m_heading->setText(tr("TUNER"));
    m_title->setText(tr("No layer selected"));
    addText(m_document.scene().layers.empty() ? tr("There is no layer yet. Select a joint and add one under Attach.")
                                              : tr("Select a layer in the stack below, or a collider in the roster."));
}

}  // namespace nutatio::app
