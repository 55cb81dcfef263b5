#include "app/stage/tug.h"

#include <algorithm>

#include "edit/edit.h"
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
    const ResultsPtr& r = m_document.results();
    const pipeline::ActorResult* result = r ? r->evaluation.actor(m_actor) : nullptr;
    return result ? result->body : nullptr;
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
    const bool same = m_hand && m_actor == actor && m_joint == joint;
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
    m_holding = false;
    m_target.reset();
}

void Tug::stop() {
    m_clock.stop();
    m_worker.stop();
    m_hand.reset();
    m_made = {};
    m_asked = m_holding = false;
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
    if (m_anew) asked.anew = m_document.scene();
    asked.actor = m_actor;
    asked.joint = m_joint;
    asked.body = bodyTrack();
    asked.frame = m_session.frame();
    asked.holds = m_holding;
    asked.target = m_target;
    asked.steps = steps;
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
    m_made.bodies.clear();
    if (m_made.calm > kLinger) {
        stop();
        return;
    }
    Q_EMIT moved();
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
