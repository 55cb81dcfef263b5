#include "layers/ragdoll/ragdoll_mover.h"

#include <algorithm>
#include <cmath>

namespace nutatio::layers::ragdoll {

namespace {

constexpr double kRate = 120;  // [1/s] of substeps; twice as many where something goes farther than it is thick in one, and again

}  // namespace

RagdollMover::RagdollMover(const LayerContext& context) {
    std::vector<const LayerContext*> contexts;
    for (const LayerContext::Fellow& f : context.fellows) {
        if (!f.below && contexts.size() == m_own) contexts.push_back(&context);
        if (f.below) ++m_own;
        contexts.push_back(f.context.get());
    }
    if (contexts.size() == m_own) contexts.push_back(&context);
    std::vector<physics::ArticulatedDef> defs;
    std::size_t segments = 0;
    for (const LayerContext* c : contexts) {
        std::vector<const LayerContext*> fellows;
        for (const LayerContext* other : contexts)
            if (other != c) fellows.push_back(other);
        auto body = std::make_unique<RagdollBody>(*c, fellows);
        defs.push_back(body->define());
        segments += defs.back().segments.size();
        One one{std::move(body)};
        for (const LayerContext::Fellow& f : context.fellows)
            if (f.context.get() == c) one.track = f.track.get();
        m_bodies.push_back(std::move(one));
    }
    if (segments > physics::Articulated::kMostSegments) {
        // Who comes last in the stack goes alone; so does, for the same reason, each of the others.
        m_remarks.push_back("there are more bodies to meet than are moved together at once: it meets none of them");
        One alone = std::move(m_bodies[m_own]);
        physics::ArticulatedDef def = std::move(defs[m_own]);
        m_bodies.clear();
        defs.clear();
        m_bodies.push_back(std::move(alone));
        defs.push_back(std::move(def));
        m_own = 0;
    }
    m_all.emplace(std::move(defs));
    std::vector<int> parts;
    for (std::size_t b = 0; b < m_bodies.size(); ++b) {
        const int first = static_cast<int>(parts.size());
        for (int part : m_bodies[b].body->parts()) parts.push_back(first + part);
        m_bodies[b].body->join(*m_all, b);
    }
    // In the rest pose, so that it is the same wherever the motion begins.
    m_all->coupleParts(parts);
}

/// A pose of its own actor's, at the same moment.
PoseView RagdollMover::seenBy(const One& one, const PoseView& pose) {
    return one.track ? PoseView(*one.track, pose.frame(), pose.time()) : pose;
}

int RagdollMover::quickened() const {
    const double quick = m_all->quickness();
    return quick > 2 * kRate ? 4 : quick > kRate ? 2 : 1;
}

double RagdollMover::substepOf(double dt) const {
    return dt / std::max(1, static_cast<int>(std::ceil(dt * kRate - 1e-6))) / quickened();
}

void RagdollMover::placeSurfaces(double u, double dt) {
    m_all->surfaces().clear();
    for (const One& one : m_bodies) one.body->addSurfaces(u, dt, m_all->surfaces());
}

void RagdollMover::standAt(double u, std::vector<Vec3>& places, std::vector<Quat>& turns) const {
    places.clear();
    turns.clear();
    for (const One& one : m_bodies) one.body->addStand(u, places, turns);
}

void RagdollMover::allowPoses(bool begins, double dt) {
    // Between frames feet go deeper than in any, and a foot that comes down in the next one is on its way.
    constexpr double kMoments[] = {0, 0.125, 0.25, 0.375, 0.5, 0.625, 0.75, 0.875, 1, 2};
    placeSurfaces(begins ? 1 : 0, dt);
    m_all->beginPoses();
    for (double u : kMoments) {
        if (begins && u < 1) continue;
        placeSurfaces(std::min(u, 1.0), dt);
        standAt(u, m_places, m_turns);
        m_all->poseIs(m_places, m_turns);
    }
    placeSurfaces(begins ? 1 : 0, dt);
    standAt(1, m_places, m_turns);
    if (!begins) standAt(0, m_placesWere, m_turnsWere);
    const physics::Articulated::Pose was{m_placesWere, m_turnsWere};
    m_all->endPoses(begins ? nullptr : &was, {m_places, m_turns});
}

void RagdollMover::start(double dt, const PoseView& pose, const PoseView& next) {
    for (One& one : m_bodies) one.body->start(dt, seenBy(one, pose), seenBy(one, next), substepOf(dt));
    m_all->refit();
    allowPoses(true, dt);
}

void RagdollMover::step(double dt, const PoseView& goal, const PoseView& next) {
    bool solved = false;
    for (One& one : m_bodies) {
        one.way = one.body->begin(dt, seenBy(one, goal), seenBy(one, next));
        solved = solved || one.way == RagdollBody::Way::Solved;
    }
    // How quick things are is asked by the clock, so that it is the same at any frame rate.
    const int parts = solved ? std::max(1, static_cast<int>(std::ceil(dt * kRate - 1e-6))) : 0;
    if (solved) allowPoses(false, dt);
    for (int part = 0; part < parts; ++part) {
        const int steps = quickened();
        const double h = dt / parts / steps;
        const auto at = [&](double step) { return (part + step / steps) / parts; };
        for (int k = 0; k < steps; ++k) {
            placeSurfaces(at(k), dt);
            m_all->grips().clear();
            m_all->thrusts().clear();
            for (One& one : m_bodies) {
                one.body->aimAt(at(k - 0.5), at(k + 0.5), at(k + 1), h);
                one.body->drive(at(k), h, dt, m_all->grips(), m_all->thrusts());
            }
            if (part == 0 && k == 0) m_all->refit();
            m_all->step(h);
        }
    }
    for (One& one : m_bodies) one.body->finish(one.way, dt, goal.frame(), substepOf(dt));
    if (std::any_of(m_bodies.begin(), m_bodies.end(), [](const One& o) { return o.way == RagdollBody::Way::Laid; }))
        m_all->refit();
}

State RagdollMover::state() const {
    State out;
    m_all->appendState(out);
    for (const One& one : m_bodies) one.body->appendState(out);
    return out;
}

void RagdollMover::setState(const State& state) {
    const double* at = m_all->takeState(state).data();
    for (One& one : m_bodies) at = one.body->takeState(at);
}

std::vector<std::string> RagdollMover::remarks() const {
    std::vector<std::string> out = m_remarks;
    for (std::string& r : own().remarks()) out.push_back(std::move(r));
    return out;
}

}  // namespace nutatio::layers::ragdoll
