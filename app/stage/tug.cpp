#include "app/stage/tug.h"

#include <algorithm>

#include "edit/edit.h"
#include "edit/ground.h"
#include "rig/record.h"

namespace nutatio::app {

namespace {
constexpr int kLinger = 150;  // steps the layers may swing on after the body is back
}

Tug::Tug(Document& document, Session& session, QObject* parent) : QObject(parent), m_document(document), m_session(session) {
    m_clock.setTimerType(Qt::PreciseTimer);
    m_clock.setInterval(static_cast<int>(1000 / Hand::kRate));
    connect(&m_clock, &QTimer::timeout, this, &Tug::tick);
    connect(&document, &Document::sceneChanged, this, &Tug::sceneChanged);
    connect(&document, &Document::replaced, this, [this] {
        m_samples.clear();
        m_pass = {};
        stop();
    });
    connect(&m_worker, &NewestWins::failed, this, [this](const QString& sentence) {
        stop();
        Q_EMIT failed(sentence);
    });
}

const scene::ActorEntry* Tug::held() const {
    const scene::ActorEntry* a = m_document.scene().actor(m_actor);
    return a && a->actor->skeleton.size() == m_joints ? a : nullptr;
}

void Tug::sceneChanged() {
    if (!m_hand) return;
    // A setting changed under the hand: the stack is made anew and goes on from where the body is.
    if (held())
        m_anew = true;
    else
        stop();
}

pipeline::TrackPtr Tug::bodyTrack() const {
    if (m_base) return m_base;
    const ResultsPtr& r = m_document.results();
    const pipeline::ActorResult* result = r ? r->evaluation.actor(m_actor) : nullptr;
    if (!result) return nullptr;
    // What is performed goes on top of the passes that are there.
    return m_session.performing().on ? result->below(edit::passesOf(m_document.scene(), m_actor)) : result->body;
}

scene::Scene Tug::sceneUnder() const {
    scene::Scene s = m_document.scene();
    const auto still = [&](std::size_t i) {
        s.layers.edit(i).muted = true;
        s.layers.edit(i).solo = false;
    };
    for (std::size_t i = 0, passes = edit::passesOf(s, m_actor); i < s.layers.size(); ++i) {
        if (s.layers[i].actor != m_actor) continue;
        if (m_session.performing().on && passes > 0) {
            still(i);
            --passes;
        }
        // A walk goes over the ground by itself.
        if (m_walk && s.layers[i].kind == edit::groundKind().id) still(i);
    }
    return s;
}

Vec3 Tug::place() const {
    const scene::ActorEntry& a = *m_document.scene().actor(m_actor);
    std::vector<Xform> pose = a.actor->restPose();
    if (const pipeline::TrackPtr body = bodyTrack(); body && body->joints() == a.actor->skeleton.size())
        body->pose(std::min(m_session.frame(), body->frames() - 1), pose);
    std::vector<Affine> worlds;
    rig::worldTransforms(a.actor->skeleton, pose, worlds);
    return worlds[static_cast<std::size_t>(m_joint)].t;
}

void Tug::begin() {
    m_worker.stop();
    m_hand = std::make_shared<Hand>();
    m_made = {};
    m_anew = true;
    m_asked = false;
}

void Tug::grab(const std::string& actor, int joint, bool whole) {
    const scene::ActorEntry* a = m_document.scene().actor(actor);
    if (!a || a->isPiece() || joint < 0 || joint >= a->actor->skeleton.size()) return;
    if (whole)
        while (a->actor->skeleton.joint(joint).parent != rig::kNoJoint) joint = a->actor->skeleton.joint(joint).parent;
    if (m_walk) return;
    const bool same = m_hand && m_actor == actor && m_joint == joint && !m_session.performing().on;
    if (m_recording && !m_samples.empty() && m_sampled != actor) {
        keepRecord();
        m_recording = true;
        a = m_document.scene().actor(actor);
        if (!a) return;
    }
    m_actor = actor;
    m_joint = joint;
    m_joints = a->actor->skeleton.size();
    m_holding = true;
    m_target.reset();
    m_pass = {};
    m_base.reset();
    if (m_session.performing().on) m_base = bodyTrack();
    if (!same) begin();
    if (!m_clock.isActive()) {
        m_since.start();
        m_ticks = 0;
        m_clock.start();
    }
}

void Tug::pull(const Vec3& to) {
    if (m_holding && to.allFinite()) m_target = to;
}

void Tug::letGo() {
    const bool performed = performs();
    m_holding = false;
    m_target.reset();
    if (!performed) return;
    keepPass();
    stop();
}

void Tug::stop() {
    m_clock.stop();
    m_worker.stop();
    m_hand.reset();
    m_made = {};
    m_asked = m_holding = false;
    m_base.reset();
    if (m_walk) {
        m_walk.reset();
        Q_EMIT walkChanged({});
    }
    if (m_recording) keepRecord();
    Q_EMIT moved();
}

void Tug::tick() {
    if (!held() || !m_hand) {
        stop();
        return;
    }
    if (m_asked) return;  // what is due meanwhile is made at once when these steps are
    // By the clock: where steps or drawing are slow several are made at once, so that a tug lasts as long as the hand took for
    // it.
    constexpr int kMostAtOnce = 30;
    const int due = static_cast<int>(static_cast<double>(m_since.nsecsElapsed()) * 1e-9 * Hand::kRate);
    const int steps = std::min(due - m_ticks, kMostAtOnce);
    // After a long halt the hand has stood still.
    m_late += due - m_ticks - steps;
    m_ticks = due;
    if (steps > 0 || m_anew) ask(steps);
}

void Tug::ask(int steps) {
    Hand::Ask asked;
    if (m_anew) asked.anew = sceneUnder();
    asked.actor = m_actor;
    asked.joint = m_joint;
    asked.body = bodyTrack();
    asked.frame = m_session.frame();
    asked.holds = m_holding;
    asked.target = m_target;
    asked.steps = steps;
    m_askedFrame = asked.frame;
    if (m_session.performing().on) {
        const Performing& how = m_session.performing();
        const rig::Skeleton& skeleton = held()->actor->skeleton;
        asked.turns = how.turns;
        asked.mirrored = how.mirrored == Performing::Mirrored::AtOnce;
        for (const std::string& joint : how.still) asked.still.push_back(skeleton.find(joint));
    }
    if (m_walk) {
        asked.holds = false;
        for (int k = 0; k < std::max(1, steps); ++k) {
            if (k < steps) m_walk->step(1 / Hand::kRate);
            m_walk->pose(asked.poses.emplace_back());
        }
    }
    m_anew = false;
    m_asked = true;
    m_worker.ask([this, hand = m_hand, asked = std::move(asked),
                  evaluator = &m_document.evaluator()](const Cancel&) -> NewestWins::Deliver {
        auto made = std::make_shared<Hand::Made>(hand->move(asked, *evaluator));
        return [this, hand, made] {
            if (hand == m_hand) take(std::move(*made));
        };
    });
}

void Tug::take(Hand::Made made) {
    m_asked = false;
    m_made = std::move(made);
    if (m_recording) {
        if (!m_samples.empty()) m_samples.resize(m_samples.size() + static_cast<std::size_t>(m_late), m_samples.back());
        m_sampled = m_actor;
        for (std::vector<Xform>& body : m_made.bodies)
            if (std::all_of(body.begin(), body.end(), [](const Xform& x) { return x.isFinite(); }))
                m_samples.push_back(std::move(body));
    }
    m_late = 0;
    if (performs()) perform();
    m_made.bodies.clear();
    if (m_made.calm > kLinger) {
        stop();
        return;
    }
    Q_EMIT moved();
}

void Tug::perform() {
    // When the shot starts again the recorded pass ends, and the next pass begins.
    if (!m_pass.poses.empty() && m_askedFrame < m_pass.poses.rbegin()->first) keepPass();
    if (m_session.isPlaying() && m_target &&
        std::all_of(m_made.body.begin(), m_made.body.end(), [](const Xform& x) { return x.isFinite(); }))
        m_pass.poses[m_askedFrame] = m_made.body;
}

void Tug::keepPass() {
    edit::Pass pass = std::exchange(m_pass, {});
    if (pass.poses.empty() || !m_base) {
        if (!m_session.isPlaying()) Q_EMIT said(tr("Nothing was performed: the shot stands still. Space plays it."));
        return;
    }
    pass.halfLater = m_session.performing().mirrored == Performing::Mirrored::HalfLater;
    scene::Scene next = m_document.scene();
    const auto made = edit::keepPass(next, m_actor, *m_base, pass);
    if (!made) {
        Q_EMIT said(QString::fromStdString(made.error().text()));
        return;
    }
    const QString name = QString::fromStdString(std::as_const(next).layer(made.value())->name);
    m_document.edit(tr("Perform %1").arg(name), [&](scene::Scene& s) { s = std::move(next); });
    Q_EMIT performed(name);
}

bool Tug::walk(const std::string& actor, double blend) {
    const scene::ActorEntry* a = m_document.scene().actor(actor);
    if (!a || a->isPiece()) return false;
    stop();
    std::vector<rig::Gait> gaits = rig::gaitsOf(*a->actor, scene::levelOf(scene::placementOf(*a)));
    if (gaits.empty()) {
        Q_EMIT failed(tr("%1 has no clip to go about with: one in place that ends as it begins, whose feet tell a speed.")
                          .arg(QString::fromStdString(a->name)));
        return false;
    }
    m_session.setPlaying(false);
    m_actor = actor;
    m_joint = a->actor->skeleton.roots().front();
    m_joints = a->actor->skeleton.size();
    m_walk = std::make_unique<rig::Walk>(a->actor, std::move(gaits), blend, scene::levelOf(scene::placementOf(*a)));
    begin();
    m_since.start();
    m_ticks = 0;
    m_clock.start();
    Q_EMIT walkChanged({});
    return true;
}

void Tug::goFaster(int by) {
    if (m_walk) m_walk->change(by);
}

void Tug::turn(int way) {
    if (m_walk) m_walk->turn(way);
}

void Tug::endWalk(bool keep) {
    if (!m_walk) return;
    scene::Scene next = m_document.scene();
    Result<std::string> shot = keep ? edit::keepWalk(next, m_actor, *m_walk) : Result<std::string>(std::string());
    m_walk.reset();
    stop();
    if (!shot) Q_EMIT said(QString::fromStdString(shot.error().text()));
    const QString name = shot ? QString::fromStdString(shot.value()) : QString();
    if (!name.isEmpty()) {
        m_document.edit(tr("Walk about"), [&](scene::Scene& s) { s = std::move(next); });
        m_session.setFrame(0);
    }
    Q_EMIT walkChanged(name);
}

void Tug::setRecording(bool on) {
    if (on == m_recording) return;
    if (!on) {
        // What the hand did until now is lived through before it is kept.
        if (m_hand && m_clock.isActive()) {
            m_worker.finish();
            if (m_hand) tick();
            m_worker.finish();
        }
        if (m_recording) keepRecord();
        return;
    }
    m_samples.clear();
    m_recording = true;
}

void Tug::keepRecord() {
    m_recording = false;
    const std::vector<std::vector<Xform>> samples = std::move(m_samples);
    m_samples.clear();
    const scene::ActorEntry* a = m_document.scene().actor(m_sampled);
    const auto joints = a ? static_cast<std::size_t>(a->actor->skeleton.size()) : 0;
    if (samples.size() < 12 || samples.front().size() != joints) {
        Q_EMIT recorded({}, 0);
        return;
    }
    std::string name;
    for (int n = 1; name.empty() || a->actor->findClip(name) >= 0; ++n) name = "Tug " + std::to_string(n);
    rig::Clip clip = rig::clipOfSamples(*a->actor, samples, Hand::kRate, m_document.scene().shot().fps, name);
    const double seconds = clip.seconds();
    rig::Trial none;
    m_document.tryOut(m_sampled, none);
    m_document.edit(tr("Record %1").arg(QString::fromStdString(name)),
                    [&](scene::Scene& s) { edit::addClip(s, m_sampled, std::move(clip)); });
    Q_EMIT recorded(QString::fromStdString(name), seconds);
}

}  // namespace nutatio::app
