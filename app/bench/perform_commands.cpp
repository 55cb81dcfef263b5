// The bench's commands on body motion that is made here: over the ground, performed, walked.
#include <QKeyEvent>

#include "app/bench/bench.h"
#include "app/look/text.h"
#include "edit/edit.h"
#include "edit/ground.h"

namespace nutatio::app {

namespace {

constexpr double kWalkBlend = 0.25;  // [s] from one gait to the next

}  // namespace

void Bench::makePerformCommands() {
    add("lock", tr("Lock against accidents"), {}, "lock", [this] {
        const auto owner = m_session.selection().owner();
        const scene::Tuned* t = owner ? m_document.scene().tuned(*owner) : nullptr;
        if (!t) return;
        m_document.edit(t->lock ? tr("Unlock") : tr("Lock"), [&, on = !t->lock](scene::Scene& s) { edit::lock(s, *owner, on); });
    });
    add("hide", tr("Put out of sight"), {}, "eye", [this] {
        const auto owner = m_session.selection().owner();
        const scene::Tuned* t = owner ? m_document.scene().tuned(*owner) : nullptr;
        if (!t) return;
        m_document.edit(t->hidden ? tr("Show") : tr("Put out of sight"),
                        [&, hidden = !t->hidden](scene::Scene& s) { edit::hide(s, *owner, hidden); });
    });
    add("act-here", tr("Let the layer act in this shot alone"), {}, {}, [this] {
        const scene::Layer* l = m_document.scene().layer(m_session.selection().layer);
        if (!l) return;
        m_document.edit(l->shot.empty() ? tr("In this shot alone") : tr("In every shot"),
                        [id = l->id, alone = l->shot.empty()](scene::Scene& s) { edit::actHere(s, id, alone); });
    });
    add("follow", tr("The camera goes along with the actor"), QKeySequence(Qt::SHIFT | Qt::Key_F), {}, [this] {
        m_session.setFollows(!m_session.follows());
        say(m_session.follows() ? tr("The camera goes along.") : tr("The camera stays."));
    })->setCheckable(true);
    connect(&m_session, &Session::viewChanged, this, [this] { m_actions["follow"]->setChecked(m_session.follows()); });
    add("ground", tr("Over the ground: as fast as the feet tell"), {}, {}, [this] { goOverGround(); });
    add("path", tr("Over the ground: draw the way"), {}, "activity", [this] {
        useTool(m_actions["path"]->isChecked() ? Stage::Tool::Path : Stage::Tool::None);
    })->setCheckable(true);
    connect(m_stage, &Stage::pathWanted, this, [this](const std::vector<Vec3>& points) {
        const scene::ActorEntry* a = chosenActor();
        if (!a) return;
        edit::Path path;
        const bool done = attempt(tr("Draw the way"), [&](scene::Scene& s) -> Result<Done> {
            if (edit::groundLayerOf(s, a->id).empty())
                if (const auto made = edit::goOverGround(s, a->id, std::nullopt); !made) return made.error();
            const auto led = edit::followPath(s, a->id, points);
            if (!led) return led.error();
            path = led.value();
            return Done{};
        });
        if (!done) return;
        useTool(Stage::Tool::None);
        m_session.selectLayer(edit::groundLayerOf(m_document.scene(), a->id));
        say(path.travels < path.length ? tr("The way is %1 m long, of which the shot goes %2 m.")
                                             .arg(path.length, 0, 'f', 1)
                                             .arg(path.travels, 0, 'f', 1)
                                       : tr("The way is %1 m long; the shot goes on straight for %2 m.")
                                             .arg(path.length, 0, 'f', 1)
                                             .arg(path.travels - path.length, 0, 'f', 1));
    });
    add("perform", tr("Perform on the body while the shot plays"), {}, "hand", [this] {
        Performing p = m_session.performing();
        p.on = !p.on;
        m_session.setPerforming(p);
    })->setCheckable(true);
    connect(&m_session, &Session::performingChanged, this, [this] {
        const bool on = m_session.performing().on;
        if (m_actions["perform"]->isChecked() == on && m_stage->tugOn() == on) return;
        m_actions["perform"]->setChecked(on);
        m_actions["tug"]->setChecked(on);
        m_stage->setTugOn(on);
        if (on) m_session.setPlaying(true);
    });
    add("walk-about", tr("Walk the actor about with the keys"), {}, {}, [this] {
        const scene::ActorEntry* a = chosenActor();
        if (!a) return;
        if (m_stage->tug().isWalking()) return m_stage->tug().endWalk(true);
        m_session.setPerforming({});
        m_stage->tug().walk(a->id, kWalkBlend);
        m_stage->setFocus();
    })->setCheckable(true);
    connect(&m_stage->tug(), &Tug::said, this, &Bench::say);
    connect(&m_stage->tug(), &Tug::performed, this,
            [this](const QString& layer) { say(tr("%1 is a layer now; the next round makes another.").arg(layer)); });
    connect(&m_stage->tug(), &Tug::walkChanged, this, [this](const QString& shot) {
        m_actions["walk-about"]->setChecked(m_stage->tug().isWalking());
        m_stage->update();
        if (!shot.isEmpty()) {
            say(tr("%1 is a shot now; Space plays it.").arg(shot));
            m_session.setFollows(true);
        }
    });
}

bool Bench::steer(QEvent* e) {
    const bool press = e->type() == QEvent::KeyPress, release = e->type() == QEvent::KeyRelease;
    if (!press && !release && e->type() != QEvent::ShortcutOverride) return false;
    const auto* key = static_cast<QKeyEvent*>(e);
    Tug& tug = m_stage->tug();
    const int k = key->key();
    const bool turns = k == Qt::Key_Left || k == Qt::Key_Right;
    const bool known =
        turns || k == Qt::Key_Up || k == Qt::Key_Down || k == Qt::Key_Return || k == Qt::Key_Enter || k == Qt::Key_Escape;
    if (!known) return false;
    // Keys that steer the walk are no shortcuts meanwhile.
    if (e->type() == QEvent::ShortcutOverride) {
        e->accept();
        return true;
    }
    if (key->isAutoRepeat()) return true;
    if (turns)
        tug.turn(press ? (k == Qt::Key_Left ? 1 : -1) : 0);
    else if (press && (k == Qt::Key_Up || k == Qt::Key_Down))
        tug.goFaster(k == Qt::Key_Up ? 1 : -1);
    else if (press)
        tug.endWalk(k != Qt::Key_Escape);
    return true;
}

void Bench::goOverGround() {
    const scene::ActorEntry* a = chosenActor();
    if (!a) return;
    std::string id;
    const bool done = attempt(tr("Over the ground"), [&](scene::Scene& s) -> Result<Done> {
        const auto made = edit::goOverGround(s, a->id, std::nullopt);
        if (!made) return made.error();
        id = made.value();
        return Done{};
    });
    if (!done) return;
    m_session.selectLayer(id);
    m_session.setStep(StepId::Tune);
    m_stage->setFocus();
}

}  // namespace nutatio::app
