#include "app/compare/trails_face.h"

#include <QCheckBox>
#include <QComboBox>
#include <QSpinBox>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "rig/parts.h"

namespace nutatio::app {

TrailsFace::TrailsFace(Document& document, Session& session, QWidget* parent) : Face(document, session, parent) {
    connect(&session, &Session::viewChanged, this, [this] {
        // A field in which somebody counts up stays where it is.
        if (!m_counts) refresh();
    });
}

void TrailsFace::change(const std::function<void(Trails&)>& what) {
    Trails t = m_session.trails();
    what(t);
    m_session.setTrails(t);
}

void TrailsFace::lay() {
    const Trails& t = m_session.trails();
    const scene::Scene& s = m_document.scene();
    Q_EMIT titleChanged(t.of.empty() ? tr("Trails") : tr("Trails: %1").arg(t.of.size()));
    addCommands(rows(), {{QStringLiteral("trail"), tr("Of the joint (R)")}, {QStringLiteral("trails-none"), tr("None")}}, 2);
    const look::Theme& theme = look::theme();
    const QColor turn[] = {theme.persimmon, theme.lagoon, theme.plum, theme.ochre};
    for (std::size_t k = 0; k < t.of.size(); ++k) {
        const scene::ActorEntry* a = s.actor(t.of[k].actor);
        const int j = a ? a->actor->skeleton.find(t.of[k].joint) : rig::kNoJoint;
        const QString name =
            j == rig::kNoJoint ? qs(t.of[k].joint) : QString::fromStdString(rig::plainName(a->actor->skeleton, j));
        ListRow* row = addRow(name, t.of[k].spot ? tr("spot of the mesh") : QString());
        row->setObjectName(QStringLiteral("trail-row"));
        row->setSwatch(turn[k % 4]);
        row->addButton(QStringLiteral("trail-remove"), QStringLiteral("\u00d7"), tr("Takes it away"), [this, k] {
            change([k](Trails& each) { each.of.erase(each.of.begin() + static_cast<std::ptrdiff_t>(k)); });
        });
    }
    if (t.of.empty())
        addText(
            tr("A trail is the way of a joint through the shot, a dot a frame. Shift+R over a mesh draws that of the spot under "
               "the mouse."));
    addHeading(tr("Seen from"));
    auto* from = new QComboBox;
    from->setObjectName(QStringLiteral("trail-from"));
    from->setAccessibleName(tr("What trails are seen from"));
    from->addItem(tr("the world"));
    from->addItem(tr("the actor, as it travels"));
    const scene::ActorEntry* a = s.actor(m_session.lastActor());
    const bool joint = a && m_session.lastJoint() >= 0 && m_session.lastJoint() < a->actor->skeleton.size();
    const std::string last = joint ? a->actor->skeleton.reference(m_session.lastJoint()) : std::string();
    const std::string held = t.from == Trails::From::Joint ? t.joint : last;
    if (!held.empty()) from->addItem(tr("the joint %1").arg(qs(held)));
    from->setCurrentIndex(std::min(static_cast<int>(t.from), from->count() - 1));
    connect(from, &QComboBox::activated, this, [this, held](int at) {
        change([&](Trails& each) {
            each.from = static_cast<Trails::From>(at);
            each.joint = each.from == Trails::From::Joint ? held : std::string();
        });
    });
    rows()->addWidget(from);
    auto* ticks = new QCheckBox(tr("A dot a frame, a large one every five"));
    ticks->setObjectName(QStringLiteral("trail-ticks"));
    ticks->setChecked(t.ticks);
    connect(ticks, &QCheckBox::clicked, this, [this](bool on) { change([on](Trails& each) { each.ticks = on; }); });
    rows()->addWidget(ticks);
    addHeading(tr("Ghosts before and after"));
    auto* line = new QHBoxLayout;
    line->addWidget(new QLabel(tr("every")));
    auto* every = new QSpinBox;
    every->setObjectName(QStringLiteral("ghost-every"));
    every->setAccessibleName(tr("Frames from one ghost to the next"));
    every->setRange(0, 100);
    every->setSpecialValueText(tr("none"));
    every->setValue(t.ghostEvery);
    every->setKeyboardTracking(false);
    connect(every, &QSpinBox::valueChanged, this, [this](int n) {
        m_counts = true;
        change([n](Trails& each) { each.ghostEvery = n; });
        m_counts = false;
    });
    line->addWidget(every);
    line->addWidget(new QLabel(tr("frames")));
    line->addStretch(1);
    rows()->addLayout(line);
    addText(tr("Two before in grey, two after in blue-green."));
}

}  // namespace nutatio::app
