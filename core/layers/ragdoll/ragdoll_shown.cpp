#include "layers/ragdoll/ragdoll_shown.h"

#include <algorithm>

#include "layers/ragdoll/ragdoll.h"
#include "rig/figure.h"
#include "rig/figure_limits.h"

namespace nutatio::layers::ragdoll {

namespace {

/// A segment where it stands, its lengths in metres.
struct Placed {
    int joint = rig::kNoJoint;
    Quat turn;
    Vec3 a, b;
    double radius = 0;
    std::vector<Vec3> corners;
};

std::vector<Placed> placed(const OnShow& now) {
    std::vector<Placed> out;
    const double unit = now.placement.metres;
    for (const Volume& v : kKind.body->volumes(now.actor, now.layer)) {
        const Affine& world = now.worlds[static_cast<std::size_t>(v.joint)];
        const Quat turn = rotationOf(world.m);
        const auto at = [&](const Vec3& p) -> Vec3 { return world.t + turn * (unit * p); };
        Placed& p = out.emplace_back(Placed{v.joint, turn, at(v.a), at(v.b), unit * v.radius, {}});
        for (const Vec3& corner : v.corners) p.corners.push_back(at(corner));
    }
    return out;
}

std::optional<Placed> chosen(const OnShow& now) {
    for (const Placed& p : placed(now))
        if (p.joint == now.chosen && p.corners.empty()) return p;
    return std::nullopt;
}

/// How far the joint of the chosen segment lets its end go, from where what it hangs on is turned: its range of swings, as clips
/// and a living body have it.
void addRange(const OnShow& now, std::vector<Mark>& out) {
    if (now.settings.text("limits") != "kept") return;
    const auto figure = rig::figureOf(now.actor);
    const int i = now.chosen == rig::kNoJoint ? -1 : figure->find(now.chosen);
    if (i < 0 || figure->segments[static_cast<std::size_t>(i)].parent < 0) return;
    const rig::FigureSegment& g = figure->segments[static_cast<std::size_t>(i)];
    std::vector<Affine> rest;
    rig::worldTransforms(now.actor.skeleton, now.actor.restPose(), rest);
    const auto on = static_cast<std::size_t>(figure->segments[static_cast<std::size_t>(g.parent)].joint);
    const Quat parent = rig::turnFromRest(now.worlds[on], rest[on]);
    const double more = radians(now.settings.at(scene::channelId("freer", now.actor.skeleton.reference(g.joint)), now.frame));
    const Vec3 joint = now.worlds[static_cast<std::size_t>(g.joint)].t, z = g.axis.cross(g.side);
    const Vec3 bone = now.placement.metres * (g.endB - g.at);
    constexpr int kPoints = 48;
    std::vector<Vec3> edge;
    for (int k = 0; k <= kPoints; ++k) {
        const double a = 2 * kPi * k / kPoints;
        const Vec3 swing =
            std::max(0.0, g.swingA + more) * std::cos(a) * g.side + std::max(0.0, g.swingB + more) * std::sin(a) * z;
        edge.push_back(joint + parent * (g.middle * (fromRotationVector(swing) * bone)));
    }
    for (int k = 0; k < kPoints; k += kPoints / 8)
        out.push_back(lineMark({joint, edge[static_cast<std::size_t>(k)]}, Mark::Tone::Moved, 1, 0.5));
    out.push_back(lineMark(std::move(edge), Mark::Tone::Moved, 1.6));
}

std::vector<Mark> marks(const OnShow& now) {
    std::vector<Mark> out;
    addRange(now, out);
    for (const Placed& p : placed(now)) {
        const bool is = p.joint == now.chosen;
        const Mark::Tone tone = is ? Mark::Tone::Standing : Mark::Tone::Quiet;
        const double strength = is ? 1.0 : 0.4;
        for (const Vec3& corner : p.corners) out.push_back(dotMark(corner, tone, 6, strength));
        if (!p.corners.empty()) continue;
        const Vec3 way = p.b - p.a;
        const Quat along = way.norm() > 1e-9 ? arc(Vec3::UnitY(), way.normalized()) : p.turn;
        std::vector<Mark> capsule = capsuleMarks(p.a, p.b, p.radius, p.radius, along, tone, is ? 2.0 : 1.0, strength);
        std::move(capsule.begin(), capsule.end(), std::back_inserter(out));
    }
    for (Mark& m : out) m.ofJoints = true;
    return out;
}

std::vector<Handle> handles(const OnShow& now) {
    const auto part = chosen(now);
    if (!part) return {};
    // On the side that is seen best.
    const Vec3 middle = 0.5 * (part->a + part->b), eye = now.eye - middle;
    Vec3 across = (part->b - part->a).cross(eye);
    if (across.norm() < 1e-9) across = anySquareTo(eye);
    return {{"thickness", middle + part->radius * across.normalized(), false, true}};
}

Changes drag(const OnShow& now, const Handle&, const Vec3& to) {
    const auto part = chosen(now);
    if (!part) return {};
    const Vec3 way = part->b - part->a, d = to - part->a;
    const double u = way.squaredNorm() > 0 ? std::clamp(d.dot(way) / way.squaredNorm(), 0.0, 1.0) : 0;
    const std::string id = scene::channelId("thicker", now.actor.skeleton.reference(part->joint));
    const double found = part->radius / (1 + now.layer.number(id));
    return {{id, (d - u * way).norm() / found - 1}};
}

}  // namespace

const Showing kShowing{marks, handles, drag};

}  // namespace nutatio::layers::ragdoll
