#include "app/stage/hand.h"

#include <algorithm>

#include "rig/reach.h"

namespace nutatio::app {

namespace {
constexpr double kBackSwing = 2.2, kBackZeta = 0.45;  // how what was pulled springs back
}

Hand::Hand() : m_back(2 * kPi * kBackSwing, kBackZeta, 1 / kRate) {}

void Hand::readPose(const Ask& ask) {
    m_frame = ask.frame;
    m_pose = m_actor->restPose();
    if (ask.body && ask.body->joints() == m_actor->skeleton.size())
        ask.body->pose(std::min(ask.frame, ask.body->frames() - 1), m_pose);
    std::vector<Affine> worlds;
    rig::worldTransforms(m_actor->skeleton, m_pose, worlds);
    m_place = worlds[static_cast<std::size_t>(ask.joint)].t;
}

void Hand::begin(const Ask& ask, pipeline::Evaluator& evaluator) {
    m_actor = std::as_const(*ask.anew).actor(ask.actor)->actor;
    m_live = std::make_unique<pipeline::Live>(*ask.anew, ask.actor, evaluator);
    readPose(ask);
    m_body = m_pose;
    rig::reach(m_actor->skeleton, m_body, ask.joint, m_place + m_offset);
    m_steps = 0;
    m_live->start(1 / kRate, [this](int step) -> std::optional<pipeline::Live::Moment> {
        if (step > m_steps) return std::nullopt;  // nobody knows where a hand goes next
        return pipeline::Live::Moment{m_body, m_frame, m_frame / kRate + step / kRate};
    });
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
    m_body = m_pose;
    rig::reach(m_actor->skeleton, m_body, ask.joint, m_place + m_offset);
    ++m_steps;
    m_live->step();
    const bool calm = !ask.holds && m_offset.norm() < 1e-4 * m_actor->height && m_speed.norm() < 1e-3 * m_actor->height;
    m_calm = calm ? m_calm + 1 : 0;
}

Hand::Made Hand::move(const Ask& ask, pipeline::Evaluator& evaluator) {
    if (ask.anew)
        begin(ask, evaluator);
    else
        readPose(ask);
    Made made;
    for (int k = 0; k < ask.steps; ++k) {
        step(ask);
        made.bodies.push_back(m_body);
    }
    made.body = m_body;
    made.result = m_live->result();
    made.calm = m_calm;
    return made;
}

}  // namespace nutatio::app
