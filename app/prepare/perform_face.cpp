#include "app/prepare/perform_face.h"

#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>

#include "app/look/text.h"
#include "edit/edit.h"
#include "edit/ground.h"
#include "edit/pass.h"
#include "layers/layer_kind.h"
#include "rig/parts.h"

namespace nutatio::app {

PerformFace::PerformFace(Document& document, Session& session, QWidget* parent) : Face(document, session, parent) {
    connect(&session, &Session::performingChanged, this, &PerformFace::refresh);
}

void PerformFace::layGround(const scene::ActorEntry& a) {
    const scene::Scene& scene = m_document.scene();
    addHeading(tr("Over the ground"));
    const std::string id = edit::groundLayerOf(scene, a.id);
    if (id.empty()) {
        addText(tr("A clip in place is carried as fast as its feet tell, so that soft parts feel it start, stop and turn."));
        addCommands(rows(),
                    {{QStringLiteral("ground"), tr("As its feet tell")}, {QStringLiteral("path"), tr("Draw the way ...")}}, 2);
        return;
    }
    const std::string speed = edit::groundSpeedRow();
    const scene::Owner owner{scene::List::Layers, id};
    ListRow* row =
        addRow(qs(scene.layer(id)->name), tr("%1 m/s here").arg(scene.numberAt(owner, speed, m_session.frame()), 0, 'f', 2));
    row->setObjectName(QStringLiteral("ground-row"));
    connect(row, &ListRow::chosen, this, [this, id] { m_session.selectLayer(id); });
    auto* options = new QHBoxLayout;
    auto* box = new QDoubleSpinBox;
    box->setObjectName(QStringLiteral("ground-speed"));
    box->setRange(-50, 50);
    box->setSingleStep(0.1);
    box->setValue(scene.numberAt(owner, speed, m_session.frame()));
    box->setSuffix(tr(" m/s"));
    box->setAccessibleName(tr("Speed over the ground, all through the shot"));
    box->setKeyboardTracking(false);
    connect(box, &QDoubleSpinBox::valueChanged, this, [this, actor = a.id](double v) {
        attempt(tr("Speed over the ground"), [&](scene::Scene& s) -> Result<Done> {
            const auto made = edit::goOverGround(s, actor, v);
            return made ? Result<Done>(Done{}) : made.error();
        });
    });
    options->addWidget(new QLabel(tr("All through")));
    options->addWidget(box, 1);
    rows()->addLayout(options);
    addCommands(rows(), {{QStringLiteral("ground"), tr("As its feet tell")}, {QStringLiteral("path"), tr("Draw the way ...")}},
                2);
}

void PerformFace::layPasses(const scene::ActorEntry& a) {
    const scene::Scene& scene = m_document.scene();
    const Performing now = m_session.performing();
    addHeading(tr("By hand, while it plays"));
    addText(now.on ? tr("Drag a joint on the stage. Where the shot begins again a new pass begins.")
                   : tr("Each pass over the frames that play becomes a layer of its own."));
    addCommands(rows(), {{QStringLiteral("perform"), now.on ? tr("Enough") : tr("Perform")}}, 1);
    const auto choices = [this](const QString& name, const QList<std::pair<QString, bool>>& all,
                                const std::function<void(int)>& pick) {
        auto* line = new QHBoxLayout;
        line->setSpacing(2);
        for (int k = 0; k < all.size(); ++k) {
            auto* b = new QPushButton(all[k].first);
            b->setObjectName(QStringLiteral("%1-%2").arg(name).arg(k));
            b->setCheckable(true);
            b->setProperty("face", true);
            b->setChecked(all[k].second);
            line->addWidget(b);
            connect(b, &QPushButton::clicked, this, [b, pick, k] {
                b->setChecked(true);  // what is chosen already stays so
                pick(k);
            });
        }
        rows()->addLayout(line);
    };
    choices(QStringLiteral("perform-how"), {{tr("Turns the joint"), now.turns}, {tr("Pulls it"), !now.turns}}, [this](int k) {
        Performing p = m_session.performing();
        p.turns = k == 0;
        m_session.setPerforming(p);
    });
    using M = Performing::Mirrored;
    addText(tr("The other side, as in a mirror:"));
    choices(QStringLiteral("perform-mirror"),
            {{tr("No"), now.mirrored == M::No},
             {tr("At once"), now.mirrored == M::AtOnce},
             {tr("Half a cycle later"), now.mirrored == M::HalfLater}},
            [this](int k) {
                Performing p = m_session.performing();
                p.mirrored = k == 0 ? M::No : k == 1 ? M::AtOnce : M::HalfLater;
                m_session.setPerforming(p);
            });
    const std::vector<std::string> chosen = selectedJoints();
    addButtons(rows(),
               {{QStringLiteral("perform-still"),
                 chosen.empty() ? tr("Hold selected joints still") : tr("Hold still: %1").arg(qs(chosen.front())),
                 tr("They stay where they are and as they are turned, whatever is pulled"),
                 [this, chosen] {
                     Performing p = m_session.performing();
                     for (const std::string& j : chosen)
                         if (std::find(p.still.begin(), p.still.end(), j) == p.still.end()) p.still.push_back(j);
                     m_session.setPerforming(p);
                 },
                 !chosen.empty()}},
               1);
    for (const std::string& j : now.still) {
        ListRow* row = addRow(qs(j), tr("held still"));
        row->addButton(QStringLiteral("perform-free"), QStringLiteral("\u00d7"), tr("Lets it go along again"), [this, j] {
            Performing p = m_session.performing();
            std::erase(p.still, j);
            m_session.setPerforming(p);
        });
    }
    for (const scene::Layer& l : scene.layers) {
        if (l.actor != a.id || l.group != edit::kPasses) continue;
        ListRow* row = addRow(
            qs(l.name), l.shot.empty() || l.shot == scene.shot().id ? (l.muted ? tr("muted") : QString()) : tr("another shot"));
        row->setObjectName(QStringLiteral("pass"));
        connect(row, &ListRow::chosen, this, [this, id = l.id] { m_session.selectLayer(id); });
        row->addButton(QStringLiteral("pass-remove"), QStringLiteral("\u00d7"), tr("Takes this pass away"), [this, id = l.id] {
            m_document.edit(tr("Take a pass away"), [&](scene::Scene& s) { edit::remove(s, {scene::List::Layers, id}); });
        });
    }
}

void PerformFace::layWalk(const scene::ActorEntry& a) {
    addHeading(tr("Walk-about"));
    const Quat level = scene::levelOf(scene::placementOf(a));
    if (!(m_gaitsOf == a.actor->content) || m_gaitsLevel.coeffs() != level.coeffs()) {
        m_gaits = rig::gaitsOf(*a.actor, level);
        m_gaitsOf = a.actor->content;
        m_gaitsLevel = level;
    }
    if (m_gaits.empty()) {
        addText(tr("It wants a clip in place that ends as it begins and whose feet tell a speed. None of %1's does.")
                    .arg(qs(a.name)));
        return;
    }
    const double metres = scene::placementOf(a).metres;
    for (const rig::Gait& g : m_gaits) {
        ListRow* row = addRow(qs(g.clip), g.speed > 0 ? tr("%1 m/s").arg(g.speed * metres, 0, 'f', 2) : tr("stands"));
        row->setObjectName(QStringLiteral("gait"));
    }
    addText(
        tr("Up and Down change the speed, Left and Right turn, Enter keeps it as a shot, Esc does not. Clips come in over a "
           "quarter of a second."));
    addCommands(rows(), {{QStringLiteral("walk-about"), tr("Walk about")}}, 1);
}

void PerformFace::lay() {
    const scene::ActorEntry* a = actor();
    Q_EMIT titleChanged(a ? tr("Performing %1").arg(qs(a->name)) : tr("Nothing is open"));
    if (!a) return;
    layGround(*a);
    layPasses(*a);
    layWalk(*a);
}

}  // namespace nutatio::app
