#include "layers/ragdoll/hanging.h"

#include <algorithm>
#include <cmath>

#include "layers/joint_worlds.h"
#include "rig/outer.h"

namespace nutatio::layers::ragdoll {

namespace {

constexpr double kBeyond = 0.015;  // [heights] that what hangs reaches farther than its segment does
constexpr int kTurns = 12;         // in which it is turned up
constexpr double kMostTurn = 0.5;  // [rad] of one of them

}  // namespace

std::vector<int> hangingFrom(const rig::Actor& actor, const rig::Figure& figure) {
    std::vector<Affine> rest;
    rig::worldTransforms(actor.skeleton, actor.restPose(), rest);
    const double slack = kBeyond * figure.height;
    std::vector<char> reaches(static_cast<std::size_t>(actor.skeleton.size()), false);
    const auto outer = rig::outerPointsOf(actor);
    for (const rig::OuterPoint& o : *outer) {
        const auto joint = static_cast<std::size_t>(o.joint);
        const int on = figure.segmentOf[joint];
        if (on < 0 || reaches[joint]) continue;
        const rig::FigureSegment& g = figure.segments[static_cast<std::size_t>(on)];
        if (g.joint == o.joint) continue;
        // A corner that lies beyond the point, seen from the middle of the segment, stands for it on the floor.
        const Vec3 way = rest[joint].apply(o.at) - g.centre;
        double far = g.radius;
        if (way.norm() > 0)
            for (const Vec3& c : g.corners) far = std::max(far, (c - g.centre).dot(way.normalized()));
        reaches[joint] = way.norm() > far + slack;
    }
    std::vector<int> out;
    for (int j : actor.skeleton.order())
        if (reaches[static_cast<std::size_t>(j)]) out.push_back(j);
    // What a segment hangs on would take the segment along.
    std::erase_if(out, [&](int j) {
        return std::any_of(figure.segments.begin(), figure.segments.end(),
                           [&](const rig::FigureSegment& g) { return actor.skeleton.isBelow(g.joint, j); });
    });
    return out;
}

Hanging::Hanging(const rig::Actor& actor, const rig::Figure& figure, const scene::Placement& placement, std::vector<int> joints)
    : m_skeleton(actor.skeleton), m_placement(placement), m_joints(std::move(joints)) {
    for (int j : m_joints) {
        Item item;
        item.joint = j;
        int up = m_skeleton.joint(j).parent;
        for (; up != rig::kNoJoint; up = m_skeleton.joint(up).parent) {
            const auto found = std::find(m_joints.begin(), m_joints.end(), up);
            if (found != m_joints.end()) item.above = static_cast<int>(found - m_joints.begin());
            if (item.above >= 0 || (item.segment = figure.find(up)) >= 0) break;
            item.between.push_back(up);
        }
        std::reverse(item.between.begin(), item.between.end());
        m_items.push_back(std::move(item));
    }
    const auto outer = rig::outerPointsOf(actor);
    for (const rig::OuterPoint& o : *outer)
        for (Item& item : m_items)
            if (item.joint == o.joint) item.points.push_back(o.at);
}

void Hanging::lay(const PoseView& goal, std::span<const Affine> segments, double floor, std::span<Xform> out) const {
    const Vec3 up = m_placement.turn.conjugate() * Vec3(Vec3::UnitY());
    const double ground = (floor - m_placement.place.y()) / m_placement.metres;  // along `up`, in the actor's own units
    std::vector<Affine> worlds(m_items.size());
    for (std::size_t i = 0; i < m_items.size(); ++i) {
        const Item& item = m_items[i];
        Affine above = item.above >= 0 ? worlds[static_cast<std::size_t>(item.above)] : segments[static_cast<std::size_t>(item.segment)];
        for (int j : item.between) above = above * goal.local(j).affine();
        Xform local = goal.local(item.joint);
        const Affine posed = above * local.affine();
        const auto lowest = [&](const Affine& world) {
            double low = 1e300;
            for (const Vec3& p : item.points) low = std::min(low, world.apply(p).dot(up));
            return low;
        };
        worlds[i] = posed;
        out[i] = local;
        if (lowest(posed) >= ground) continue;
        // As deep as the animation has it, it may be.
        Affine animated = goal.local(item.joint).affine();
        for (int j = m_skeleton.joint(item.joint).parent; j != rig::kNoJoint; j = m_skeleton.joint(j).parent)
            animated = goal.local(j).affine() * animated;
        const double least = std::min(ground, lowest(animated));
        Quat turn = Quat::Identity();
        for (int k = 0; k < kTurns; ++k) {
            Vec3 by = Vec3::Zero();
            double all = 0;
            for (const Vec3& p : item.points) {
                const Vec3 arm = turn * (posed.apply(p) - posed.t);
                const double deep = least - (posed.t + arm).dot(up);
                if (deep <= 0) continue;
                // About arm x up, by deep over the square of what is level of the arm, it rises by `deep`. What is deeper counts
                // for more, so that a vertex which comes to count adds nothing at first.
                const Vec3 axis = arm.cross(up);
                by += deep * deep * axis / (axis.squaredNorm() + 0.01 * arm.squaredNorm());
                all += deep;
            }
            if (all <= 0) break;
            by /= all;
            if (by.norm() > kMostTurn) by *= kMostTurn / by.norm();
            turn = (fromRotationVector(by) * turn).normalized();
        }
        out[i] = turnedInWorld(local, above, turn);
        worlds[i] = above * out[i].affine();
    }
}

}  // namespace nutatio::layers::ragdoll
