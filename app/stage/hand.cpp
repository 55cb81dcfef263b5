#include "app/stage/hand.h"

#include <algorithm>

#include "layers/joint_worlds.h"
#include "rig/reach.h"

namespace nutatio::app {

namespace {
constexpr double kBackSwing = 2.2, kBackZeta = 0.45;  // how what was pulled springs back
}

Hand::Hand() : m_back(2 * kPi * kBackSwing, kBackZeta, 1 / kRate) {}

void Hand::readPose(const Ask& ask) {
    m_frame = ask.frame;
    m_pose = m_actor->restPose();
    if (!ask.poses.empty())
        m_pose = ask.poses.front();
    else if (ask.body && ask.body->joints() == m_actor->skeleton.size())
        ask.body->pose(std::min(ask.frame, ask.body->frames() - 1), m_pose);
    std::vector<Affine> worlds;
    rig::worldTransforms(m_actor->skeleton, m_pose, worlds);
    m_place = worlds[static_cast<std::size_t>(ask.joint)].t;
}

void Hand::begin(const Ask& ask, pipeline::Evaluator& evaluator) {
    m_actor = std::as_const(*ask.anew).actor(ask.actor)->actor;
    m_live = std::make_unique<pipeline::Live>(*ask.anew, ask.actor, evaluator);
    readPose(ask);
    m_mirror.reset();
    put(ask);
    m_steps = 0;
    m_live->start(1 / kRate, [this](int step) -> std::optional<pipeline::Live::Moment> {
        if (step > m_steps) return std::nullopt;  // nobody knows where a hand goes next
        return pipeline::Live::Moment{m_body, m_frame, m_frame / kRate + step / kRate};
    });
}

void Hand::put(const Ask& ask) {
    m_body = m_pose;
    if (!ask.poses.empty()) return;
    const rig::Skeleton& skeleton = m_actor->skeleton;
    if (!ask.turns && !ask.mirrored && ask.still.empty()) {
        rig::reach(skeleton, m_body, ask.joint, m_place + m_offset);
        return;
    }
    const auto worldsOf = [&] { rig::worldTransforms(skeleton, m_body, m_worlds); };
    worldsOf();
    const std::vector<Affine> was = m_worlds;
    const auto turnTo = [&](int joint, const Quat& by) {
        const int up = skeleton.joint(joint).parent;
        const Affine above = up == rig::kNoJoint ? Affine() : m_worlds[static_cast<std::size_t>(up)];
        Xform& x = m_body[static_cast<std::size_t>(joint)];
        x = layers::turnedInWorld(x, above, by);
    };
    if (ask.turns) {
        const Vec3 from = was[static_cast<std::size_t>(ask.joint)].apply(rig::endOf(skeleton, ask.joint)) - m_place;
        // An end that lies in the joint itself gives no lever: half a hand's breadth does.
        const Vec3 lever = from.norm() > 1e-6 * m_actor->height ? from : Vec3(0, 0.05 * m_actor->height, 0);
        const Vec3 to = lever + m_offset;
        if (to.norm() > 1e-9) turnTo(ask.joint, arc(lever.normalized(), to.normalized()));
    } else {
        rig::reach(skeleton, m_body, ask.joint, m_place + m_offset);
    }
    if (ask.mirrored) {
        if (!m_mirror) m_mirror.emplace(*m_actor);
        const std::vector<Xform> pulled = m_body;
        for (std::size_t j = 0; j < pulled.size(); ++j) {
            const int fellow = m_mirror->sides().fellow[j];
            if (fellow == rig::kNoJoint || fellow == static_cast<int>(j) || pulled[j] == m_pose[j]) continue;
            // What was done to the joint, as a mirror shows it, on top of what its fellow does.
            const Xform before = m_mirror->seen(fellow, m_pose[j]), after = m_mirror->seen(fellow, pulled[j]);
            Xform& x = m_body[static_cast<std::size_t>(fellow)];
            x.r = (x.r * before.r.conjugate() * after.r).normalized();
            x.t += after.t - before.t;
        }
    }
    for (int joint : ask.still) {
        if (joint < 0 || joint >= skeleton.size() || joint == ask.joint) continue;
        worldsOf();
        if (!(was[static_cast<std::size_t>(joint)].t - m_worlds[static_cast<std::size_t>(joint)].t).isZero(1e-9))
            rig::reach(skeleton, m_body, joint, was[static_cast<std::size_t>(joint)].t);
        worldsOf();
        turnTo(joint, rotationOf(was[static_cast<std::size_t>(joint)].m) *
                          rotationOf(m_worlds[static_cast<std::size_t>(joint)].m).conjugate());
    }
}

void Hand::step(const Ask& ask) {
    if (ask.holds && ask.target) {
        // The hand is followed over a few steps: a mouse moves in jerks.
        const Vec3 before = m_offset;
        m_offset += 0.4 * (*ask.target - m_place - m_offset);
        m_speed = (m_offset - before) * kRate;
    } else if (!ask.holds) {
        for (int k = 0; k < 3; ++k) m_back.step(m_offset[k], m_speed[k], 0, 0);
    }
    put(ask);
    // A performed joint moves the body below all layers.
    const bool pulls = ask.holds && ask.target && !ask.turns && !ask.mirrored && ask.still.empty();
    m_live->pull(ask.joint, pulls ? std::optional<Vec3>(m_place + m_offset) : std::nullopt);
    ++m_steps;
    m_live->step();
    const bool calm =
        !ask.holds && ask.poses.empty() && m_offset.norm() < 1e-4 * m_actor->height && m_speed.norm() < 1e-3 * m_actor->height;
    m_calm = calm ? m_calm + 1 : 0;
}

Hand::Made Hand::move(const Ask& ask, pipeline::Evaluator& evaluator) {
    if (ask.anew)
        begin(ask, evaluator);
    else
        readPose(ask);
    Made made;
    for (int k = 0; k < ask.steps; ++k) {
        if (static_cast<std::size_t>(k) < ask.poses.size()) m_pose = ask.poses[static_cast<std::size_t>(k)];
        step(ask);
        made.bodies.push_back(m_body);
    }
    made.body = m_body;
    made.result = m_live->result();
    made.surface = m_live->surface();
    made.calm = m_calm;
    return made;
}

}  // namespace nutatio::app
