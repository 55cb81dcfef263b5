// The bench's commands on takes and loops.
#include <QBuffer>

#include "app/bench/bench.h"
#include "app/look/text.h"
#include "edit/takes.h"

namespace nutatio::app {

namespace {

constexpr QSize kPicture(192, 128);  // of what a take looked like

}  // namespace

void Bench::makeTakeCommands() {
    add("take", tr("Keep a take to compare with"), QKeySequence(Qt::Key_T), "bookmark", [this] { keepTake(); });
    add("compare", tr("Compare takes, in place of the stage"), QKeySequence(Qt::SHIFT | Qt::Key_T), "columns-2", [this] {
        compare(!m_session.comparing().on);
    })->setCheckable(true);
    add("spread", tr("Spread: the shot in several settings at once"), {}, "layout-grid", [this] {
        spread(!m_session.spreading().on);
    })->setCheckable(true);
    add("take-ghost", tr("The other take: the next one"), {}, {}, [this] {
        const auto& takes = m_document.scene().takes;
        if (takes.empty()) return say(tr("There is no take yet: T keeps one."));
        const std::size_t now = takes.find([this](const scene::Take& t) { return m_session.other() == &t; });
        const scene::Take& next = takes[(now + 1) % takes.size()];
        m_session.setOther(next.id);
        say(tr("The other take is %1: G shows it as a ghost, the Scope in plum.").arg(qs(next.name)));
    });
    add("trail", tr("Trail of the selected joints, or none any more"), QKeySequence(Qt::Key_R), {}, [this] { trailJoints(); });
    add("trail-spot", tr("Trail of the spot of the mesh under the mouse"), QKeySequence(Qt::SHIFT | Qt::Key_R), {}, [this] {
        const auto spot = stageInHand()->spotUnderMouse();
        if (!spot) return say(tr("Point at a mesh on the stage, and press the key there."));
        Trails t = m_session.trails();
        t.of.push_back(*spot);
        m_session.setTrails(t);
    });
    add("trails-none", tr("Take all trails away"), {}, {}, [this] {
        Trails t = m_session.trails();
        t.of.clear();
        m_session.setTrails(t);
    });
    const std::tuple<const char*, QString, scene::Loop> loops[] = {
        {"loop-found", tr("Loop: as the clips have it"), scene::Loop::Found},
        {"loop-closed", tr("Loop: closed, simulated until it repeats"), scene::Loop::Closed},
        {"loop-once", tr("Loop: none, it plays once"), scene::Loop::Once}};
    for (const auto& [id, text, loop] : loops)
        add(QLatin1String(id), text, {}, loop == scene::Loop::Closed ? "repeat" : "", [this, loop = loop] { markLoop(loop); });
}

void Bench::keepTake() {
    if (m_document.scene().actors.empty()) return;
    QByteArray png;
    QBuffer buffer(&png);
    buffer.open(QIODevice::WriteOnly);
    m_stage->picture().scaled(kPicture, Qt::KeepAspectRatioByExpanding, Qt::SmoothTransformation).save(&buffer, "PNG");
    auto picture = std::make_shared<const std::vector<std::uint8_t>>(png.begin(), png.end());
    std::string id;
    m_document.edit(tr("Keep a take"),
                    [&](scene::Scene& s) { id = edit::keepTake(s, {}, m_session.frame(), std::move(picture)); });
    m_session.setOther(id);
    const scene::Take* take = m_document.scene().take(id);
    say(tr("Kept %1: G shows it as a ghost, the Scope in plum, Check lists it.").arg(take ? qs(take->name) : QString()));
}

void Bench::compare(bool on) {
    Comparing c = m_session.comparing();
    c.on = on && !m_document.scene().actors.empty();
    if (c.on && c.with.size() < 2) {
        // The scene as it is now, beside the newest take, or beside the body where there is no take.
        const auto& takes = m_document.scene().takes;
        c.with = {std::string(), takes.empty() ? std::string(kBareBody) : takes.back().id};
    }
    m_session.setComparing(c);
    if (c.on) {
        m_session.setCheckFace(CheckFaceId::Takes);
        m_session.setStep(StepId::Check);
    }
}

void Bench::trailJoints() {
    const Selection& s = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(s.actor);
    if (!a || s.joints.empty()) return say(tr("Select the joints first whose ways are to be drawn."));
    Trails t = m_session.trails();
    std::vector<scene::Mount> wanted;
    for (int j : s.joints) wanted.push_back({a->id, a->actor->skeleton.reference(j), {}});
    const std::size_t before = t.of.size();
    std::erase_if(t.of, [&](const scene::Mount& each) { return std::find(wanted.begin(), wanted.end(), each) != wanted.end(); });
    // All of them were drawn already: then they are wanted no more.
    if (before - t.of.size() < wanted.size()) t.of.insert(t.of.end(), wanted.begin(), wanted.end());
    m_session.setTrails(t);
}

void Bench::spread(bool on) {
    Spreading s = m_session.spreading();
    if (on && !s.spread) {
        m_session.setCheckFace(CheckFaceId::Spread);
        m_session.setStep(StepId::Check);
        return say(tr("Say what goes across first, and what goes down."));
    }
    s.on = on;
    m_session.setSpreading(s);
    if (on) {
        m_session.setCheckFace(CheckFaceId::Spread);
        m_session.setStep(StepId::Check);
    }
}

void Bench::showView() {
    const bool compares = m_session.comparing().on, spreads = m_session.spreading().on;
    m_views->setCurrentIndex(spreads ? 2 : compares ? 1 : 0);
    m_actions["compare"]->setChecked(compares);
    m_actions["spread"]->setChecked(spreads);
}

void Bench::markLoop(scene::Loop loop) {
    if (m_document.scene().actors.empty()) return;
    m_document.edit(tr("Loop: %1").arg(qs(scene::loopName(loop))), [&](scene::Scene& s) { s.editShot().loop = loop; });
}

}  // namespace nutatio::app
