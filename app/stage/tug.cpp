#include "app/stage/tug.h"

#include <algorithm>

#include "edit/edit.h"
#include "rig/reach.h"
#include "rig/record.h"

namespace nutatio::app {

namespace {
constexpr double kBackSwing = 2.2, kBackZeta = 0.45;  // how what was pulled springs back
constexpr int kLinger = 150;                          // ticks the layers may swing on after the body is back
}  // namespace

Tug::Tug(Document& document, Session& session, QObject* parent)
    : QObject(parent), m_document(document), m_session(session), m_back(2 * kPi * kBackSwing, kBackZeta, 1 / kRate) {
    m_clock.setTimerType(Qt::PreciseTimer);
    m_clock.setInterval(static_cast<int>(1000 / kRate));
    connect(&m_clock, &QTimer::timeout, this, &Tug::tick);
    connect(&document, &Document::sceneChanged, this, &Tug::sceneChanged);
    connect(&document, &Document::replaced, this, [this] {
        m_samples.clear();
        stop();
    });
}

const scene::ActorEntry* Tug::held() const {
    const scene::ActorEntry* a = m_document.scene().actor(m_actor);
    return a && a->actor->skeleton.size() == m_joints ? a : nullptr;
}

void Tug::sceneChanged() {
    if (!m_live) return;
    // A setting changed under the hand: the stack is made anew and goes on from where the body is.
    if (held())
        begin();
    else
        stop();
}

std::vector<Xform> Tug::clipPose() const {
    const scene::ActorEntry& a = *m_document.scene().actor(m_actor);
    std::vector<Xform> pose = a.actor->restPose();
    const ResultsPtr& r = m_document.results();
    const pipeline::ActorResult* result = r ? r->evaluation.actor(m_actor) : nullptr;
    if (result && result->body && result->body->joints() == a.actor->skeleton.size())
        result->body->pose(std::min(m_session.frame(), result->body->frames() - 1), pose);
    return pose;
}

Vec3 Tug::place() const {
    const scene::ActorEntry& a = *m_document.scene().actor(m_actor);
    std::vector<Affine> worlds;
    rig::worldTransforms(a.actor->skeleton, clipPose(), worlds);
    return worlds[static_cast<std::size_t>(m_joint)].t;
}

void Tug::begin() {
    m_live = std::make_unique<pipeline::Live>(m_document.scene(), m_actor, m_document.evaluator());
    m_body = clipPose();
    rig::reach(m_document.scene().actor(m_actor)->actor->skeleton, m_body, m_joint, place() + m_offset);
    m_steps = 0;
    m_live->start(1 / kRate, [this](int step) -> std::optional<pipeline::Live::Moment> {
        if (step > m_steps) return std::nullopt;  // nobody knows where a hand goes next
        return pipeline::Live::Moment{m_body, m_session.frame(), m_session.frame() / kRate + step / kRate};
    });
}

void Tug::grab(const std::string& actor, int joint, bool whole) {
    const scene::ActorEntry* a = m_document.scene().actor(actor);
    if (!a || a->isPiece() || joint < 0 || joint >= a->actor->skeleton.size()) return;
    if (whole)
        while (a->actor->skeleton.joint(joint).parent != rig::kNoJoint) joint = a->actor->skeleton.joint(joint).parent;
    const bool same = m_live && m_actor == actor && m_joint == joint;
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
    m_calm = 0;
    if (!same) {
        m_offset = m_speed = Vec3::Zero();
        begin();
    }
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
    m_live.reset();
    m_holding = false;
    m_offset = m_speed = Vec3::Zero();
    if (m_recording) keepRecord();
    Q_EMIT moved();
}

void Tug::tick() {
    const scene::ActorEntry* a = held();
    if (!a || !m_live) {
        stop();
        return;
    }
    // By the clock: where drawing is slow several steps are made at once, so that a tug lasts as long as the hand took for it.
    constexpr int kMostAtOnce = 30;
    const int due = static_cast<int>(static_cast<double>(m_since.nsecsElapsed()) * 1e-9 * kRate);
    int steps = due - m_ticks;
    if (steps > kMostAtOnce) {
        // After a long halt the hand has stood still.
        if (m_recording && !m_samples.empty())
            m_samples.resize(m_samples.size() + static_cast<std::size_t>(steps - kMostAtOnce), m_samples.back());
        steps = kMostAtOnce;
    }
    m_ticks = due;
    for (int k = 0; k < steps; ++k) stepOnce(*a);
    if (m_calm > kLinger) {
        stop();
        return;
    }
    if (steps > 0) Q_EMIT moved();
}

void Tug::stepOnce(const scene::ActorEntry& a) {
    if (m_holding && m_target) {
        // The hand is followed over a few ticks: a mouse moves in jerks.
        const Vec3 before = m_offset;
        m_offset += 0.4 * (*m_target - place() - m_offset);
        m_speed = (m_offset - before) * kRate;
    } else if (!m_holding) {
        for (int k = 0; k < 3; ++k) m_back.step(m_offset[k], m_speed[k], 0, 0);
    }
    m_body = clipPose();
    rig::reach(a.actor->skeleton, m_body, m_joint, place() + m_offset);
    ++m_steps;
    m_live->step();
    if (m_recording && std::all_of(m_body.begin(), m_body.end(), [](const Xform& x) { return x.isFinite(); })) {
        m_sampled = m_actor;
        m_samples.push_back(m_body);
    }
    const bool calm = !m_holding && m_offset.norm() < 1e-4 * a.actor->height && m_speed.norm() < 1e-3 * a.actor->height;
    m_calm = calm ? m_calm + 1 : 0;
}

void Tug::setRecording(bool on) {
    if (on == m_recording) return;
    if (!on) {
        keepRecord();
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
    rig::Clip clip = rig::clipOfSamples(*a->actor, samples, kRate, m_document.scene().shot().fps, name);
    const double seconds = clip.seconds();
    rig::Trial none;
    m_document.tryOut(m_sampled, none);
    m_document.edit(tr("Record %1").arg(QString::fromStdString(name)),
                    [&](scene::Scene& s) { edit::addClip(s, m_sampled, std::move(clip)); });
    Q_EMIT recorded(QString::fromStdString(name), seconds);
}

}  // namespace nutatio::app
