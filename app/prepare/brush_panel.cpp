#include "app/prepare/brush_panel.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/look/theme.h"
#include "rig/parts.h"

namespace nutatio::app {

BrushPanel::BrushPanel(const Document& document, Session& session, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_joint(new QLabel),
      m_radiusText(new QLabel),
      m_strengthText(new QLabel),
      m_radius(new Slider),
      m_strength(new Slider),
      m_mirrored(new QCheckBox(tr("On the other side too"))) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 6, 0, 6);
    rows->setSpacing(6);
    m_joint->setWordWrap(true);
    rows->addWidget(m_joint);
    auto* brushes = new QHBoxLayout;
    brushes->setSpacing(4);
    const std::pair<rig::Brush, QString> names[] = {{rig::Brush::Add, tr("Add")},
                                                    {rig::Brush::Take, tr("Take")},
                                                    {rig::Brush::Smooth, tr("Smooth")},
                                                    {rig::Brush::Set, tr("Set")},
                                                    {rig::Brush::Sharpen, tr("Sharpen")}};
    for (const auto& [brush, words] : names) {
        auto* b = new QPushButton(words);
        b->setCheckable(true);
        b->setObjectName(QStringLiteral("brush-") +
                         QString::fromUtf8(rig::brushName(brush).data(), static_cast<qsizetype>(rig::brushName(brush).size())));
        b->setProperty("brush", static_cast<int>(brush));
        b->setStyleSheet(QStringLiteral("padding: 4px 3px;"));
        brushes->addWidget(b);
        m_brushes << b;
        connect(b, &QPushButton::clicked, this, [this, brush = brush] {
            Painting tool = m_session.painting();
            tool.brush = brush;
            m_session.setPainting(tool);
        });
    }
    rows->addLayout(brushes);
    const auto row = [&](const QString& words, Slider* slider, QLabel* text, const char* name, scene::Range soft,
                         double Painting::*what) {
        auto* head = new QHBoxLayout;
        head->addWidget(new QLabel(words), 1);
        text->setFont(look::figureFont());
        head->addWidget(text);
        rows->addLayout(head);
        slider->setRange(soft, true);
        slider->setObjectName(QLatin1String(name));
        slider->setAccessibleName(words);
        rows->addWidget(slider);
        connect(slider, &Slider::dragged, this, [this, what](double v, const QString&) {
            Painting tool = m_session.painting();
            tool.*what = v / 100;
            m_session.setPainting(tool);
        });
    };
    row(tr("Radius"), m_radius, m_radiusText, "brush-radius", {0.5, 50}, &Painting::radius);
    row(tr("Strength"), m_strength, m_strengthText, "brush-strength", {2, 100}, &Painting::strength);
    m_mirrored->setObjectName(QStringLiteral("brush-mirrored"));
    rows->addWidget(m_mirrored);
    connect(m_mirrored, &QCheckBox::clicked, this, [this](bool on) {
        Painting tool = m_session.painting();
        tool.mirrored = on;
        m_session.setPainting(tool);
    });
    rows->addStretch(1);
}

void BrushPanel::refresh() {
    const Painting& tool = m_session.painting();
    const Selection& sel = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(sel.actor);
    m_joint->setText(!tool.map.empty() ? tr("The map %1: light is 0, red 1.").arg(QString::fromStdString(tool.map))
                     : a && !sel.joints.empty()
                         ? tr("What follows %1: light not at all, red wholly.")
                               .arg(QString::fromStdString(rig::plainName(a->actor->skeleton, sel.joints.front())))
                         : tr("Choose a joint in the roster or on the stage: its weights are painted."));
    for (QPushButton* b : m_brushes) b->setChecked(b->property("brush").toInt() == static_cast<int>(tool.brush));
    m_radius->setValue(100 * tool.radius);
    m_strength->setValue(100 * tool.strength);
    m_radiusText->setText(tr("%1 % of the height").arg(100 * tool.radius, 0, 'g', 3));
    m_strengthText->setText(tr("%1 %").arg(100 * tool.strength, 0, 'g', 3));
    m_mirrored->setChecked(tool.mirrored);
}

}  // namespace nutatio::app
