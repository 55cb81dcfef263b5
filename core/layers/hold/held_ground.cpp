#include "layers/hold/held_ground.h"

#include "layers/anchors.h"
#include "rig/stride.h"

namespace nutatio::layers::hold {

HeldGround::HeldGround(const LayerContext& context, const rig::Track& below, int root, const Quat& level) : m_c(context) {
    const std::string& slides = context.settings->text("slides");
    for (Eigen::Index k = 0; k < 3; ++k)
        m_free[static_cast<std::size_t>(k)] = slides == "over the ground" ? k != 1 : slides == std::string("along ") + "xyz"[k];
    m_ground.assign(static_cast<std::size_t>(below.frames()), Affine{level.conjugate().toRotationMatrix(), Vec3::Zero()});
    if (readSurface(below)) return;
    if (const auto on = scene::mountIn(context.actor.skeleton, context.layer.actor, context.settings->text("on")))
        readJoint(below, *on);
    else
        readRunning(below, root, level);
}

void HeldGround::readRunning(const rig::Track& below, int root, const Quat& level) {
    const Vec3 runs = rig::runningGround(m_c.actor, below, root, level);
    const double fps = below.grid().fps;
    m_runs = runs.norm();
    for (int f = 0; f < below.frames(); ++f) m_ground[static_cast<std::size_t>(f)].t = f / fps * runs;
    m_lapWay = level * (-(below.frames() - 1) / fps * runs);
}

void HeldGround::readJoint(const rig::Track& below, const scene::Mount& on) {
    Anchors anchors(m_c);
    const int number = anchors.add(on);
    anchors.close();
    m_carried = number >= 0;
    for (int f = 0; f < below.frames() && m_carried; ++f) {
        anchors.update(PoseView(below, f));
        const Affine& w = anchors.world(number);
        m_ground[static_cast<std::size_t>(f)] = {rotationOf(w.m).toRotationMatrix(), w.t};
    }
}

bool HeldGround::readSurface(const rig::Track& below) {
    const auto& onto = m_c.settings->list("onto");
    for (const LayerContext::Body& b : m_c.colliders) {
        if (onto.empty() || b.collider->id != onto.front()) continue;
        Anchors anchors(m_c);
        const int anchor = anchors.add(b.collider->mount);
        if (anchor < 0) return false;
        anchors.close();
        const scene::Placement& p = m_c.placement;
        for (int f = 0; f < below.frames(); ++f) {
            anchors.update(PoseView(below, f));
            const StandingBody stands = standingBody(*b.settings, f, anchors, anchor, p);
            m_surface.push_back(bodyOf(stands.numbers, stands.place));
            m_ground[static_cast<std::size_t>(f)] = {(p.turn.conjugate() * stands.place.turn).toRotationMatrix(),
                                                     p.toOwn(stands.place.centre)};
        }
        return true;
    }
    return false;
}

Vec3 HeldGround::toSurface(int f, const Vec3& on) const {
    const scene::Placement& p = m_c.placement;
    const Affine& ground = at(f);
    const physics::Contact c =
        physics::nearest(m_surface[static_cast<std::size_t>(f)], p.toWorld(ground.apply(on)), Vec3::Zero());
    if (!c.normal.allFinite()) return Vec3::Zero();
    return ground.m.transpose() * (p.turn.conjugate() * (-c.distance / p.metres * c.normal));
}

Vec3 HeldGround::off(int f, const Vec3& on, const Vec3& middle) const {
    if (isSurface() && m_free[0] && m_free[2] && !m_free[1]) return toSurface(f, on);
    Vec3 way = middle - on;
    for (Eigen::Index k = 0; k < 3; ++k)
        if (m_free[static_cast<std::size_t>(k)]) way[k] = 0;
    return way;
}

}  // namespace nutatio::layers::hold
