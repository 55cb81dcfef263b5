#include "app/stage/tug.h"

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
    // A setting changed under the hand: the stack is made anew and goes on from where the body is.
    connect(&document, &Document::sceneChanged, this, [this] {
        if (!m_live) return;
        if (m_document.scene().actor(m_actor))
            begin();
        else
            stop();
    });
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
    m_live->start(1 / kRate, m_body, m_session.frame());
}

void Tug::grab(const std::string& actor, int joint, bool whole) {
    const scene::ActorEntry* a = m_document.scene().actor(actor);
    if (!a || joint < 0) return;
    if (whole)
        while (a->actor->skeleton.joint(joint).parent != rig::kNoJoint) joint = a->actor->skeleton.joint(joint).parent;
    const bool same = m_live && m_actor == actor && m_joint == joint;
    m_actor = actor;
    m_joint = joint;
    m_holding = true;
    m_target.reset();
    m_calm = 0;
    if (!same) {
        m_offset = m_speed = Vec3::Zero();
        begin();
    }
    m_clock.start();
}

void Tug::pull(const Vec3& to) {
    if (m_holding) m_target = to;
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
    const scene::ActorEntry* a = m_document.scene().actor(m_actor);
    if (!a || !m_live) {
        stop();
        return;
    }
    if (m_holding && m_target) {
        // The hand is followed over a few ticks: a mouse moves in jerks.
        const Vec3 before = m_offset;
        m_offset += 0.4 * (*m_target - place() - m_offset);
        m_speed = (m_offset - before) * kRate;
    } else if (!m_holding) {
        for (int k = 0; k < 3; ++k) m_back.step(m_offset[k], m_speed[k], 0, 0);
    }
    m_body = clipPose();
    rig::reach(a->actor->skeleton, m_body, m_joint, place() + m_offset);
    m_live->step(1 / kRate, m_body, m_session.frame());
    if (m_recording) m_samples.push_back(m_body);
    const bool calm = !m_holding && m_offset.norm() < 1e-4 * a->actor->height && m_speed.norm() < 1e-3 * a->actor->height;
    m_calm = calm ? m_calm + 1 : 0;
    if (m_calm > kLinger) {
        stop();
        return;
    }
    Q_EMIT moved();
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
    if (m_samples.size() < 12) {
        m_samples.clear();
        Q_EMIT recorded({});
        return;
    }
    const scene::ActorEntry& a = *m_document.scene().actor(m_actor);
    std::string name;
    for (int n = 1; name.empty() || a.actor->findClip(name) >= 0; ++n) name = "Tug " + std::to_string(n);
    const auto actor = rig::withClip(*a.actor, rig::clipOfSamples(*a.actor, m_samples, kRate, m_document.scene().fps, name));
    m_samples.clear();
    m_document.edit(tr("Record %1").arg(QString::fromStdString(name)), [&](scene::Scene& s) {
        for (scene::ActorEntry& e : s.actors)
            if (e.id == m_actor) {
                e.actor = actor;
                e.clip = name;
                e.trial = {};
            }
    });
    Q_EMIT recorded(QString::fromStdString(name));
}

}  // namespace nutatio::app
