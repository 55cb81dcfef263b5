#include "layers/ragdoll/hanging.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "layers/joint_worlds.h"
#include "rig/outer.h"

namespace nutatio::layers::ragdoll {

namespace {

constexpr double kBeyond = 0.015;  // [heights] that what hangs reaches farther than its segment does
constexpr double kLong = 0.06;     // [heights] from its first joint to its end, which fingers are not
constexpr double kAside = 0.3;     // of that, from its first joint to its middle
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
    // A jaw and a trunk lie within the corners at rest, and are animated out of them.
    const auto firstOf = [&](int j) {
        for (int up = j; up != rig::kNoJoint && figure.find(up) < 0; up = actor.skeleton.joint(up).parent) j = up;
        return j;
    };
    std::map<int, std::vector<Vec3>> arms;  // by first joint: from there to the outer points of all that hangs on it
    std::map<int, int> firsts;              // by joint that carries something
    for (const rig::OuterPoint& o : *outer) {
        const auto joint = static_cast<std::size_t>(o.joint);
        if (figure.segmentOf[joint] < 0 || figure.find(o.joint) >= 0) continue;
        const int first = firsts.emplace(o.joint, firstOf(o.joint)).first->second;
        arms[first].push_back(rest[joint].apply(o.at) - rest[static_cast<std::size_t>(first)].t);
    }
    for (const auto& [joint, first] : firsts) {
        Vec3 mean = Vec3::Zero();
        double far = 0;
        for (const Vec3& arm : arms[first]) {
            mean += arm / static_cast<double>(arms[first].size());
            far = std::max(far, arm.norm());
        }
        // A belly lies about its joint: no turn lifts it.
        if (far > kLong * figure.height && mean.norm() > kAside * far) reaches[static_cast<std::size_t>(joint)] = true;
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
    std::vector<Affine> rest;
    rig::worldTransforms(m_skeleton, actor.restPose(), rest);
    for (int j : m_joints) {
        Item item;
        item.joint = j;
        int up = m_skeleton.joint(j).parent;
        for (; up != rig::kNoJoint; up = m_skeleton.joint(up).parent) {
            const auto found = std::find(m_joints.begin(), m_joints.end(), up);
            if (found != m_joints.end()) item.above = static_cast<int>(found - m_joints.begin());
            if (item.above >= 0 || figure.find(up) >= 0) break;
            item.between.push_back(up);
        }
        item.segment = figure.segmentOf[static_cast<std::size_t>(j)];
        const rig::FigureSegment& g = figure.segments[static_cast<std::size_t>(item.segment)];
        item.centre = rest[static_cast<std::size_t>(g.joint)].inverse().apply(g.centre);
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
        Affine above =
            item.above >= 0 ? worlds[static_cast<std::size_t>(item.above)] : segments[static_cast<std::size_t>(item.segment)];
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
        Vec3 away = posed.t - segments[static_cast<std::size_t>(item.segment)].apply(item.centre);
        away -= away.dot(up) * up;
        if (away.norm() > 0) away.normalize();
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
                Vec3 axis = arm.cross(up);
                // What hangs straight down could go any way: away from the segment it is.
                const double level = axis.squaredNorm() / arm.squaredNorm();
                axis += std::pow(1 - level, 4) * arm.norm() * away.cross(up);
                by += deep * deep * axis / (axis.squaredNorm() + 0.01 * arm.squaredNorm());
                all += deep;
            }
            if (all <= 0) break;
            by /= all;
            if (by.norm() > kMostTurn) by *= kMostTurn / by.norm();
            turn = (fromRotationVector(by) * turn).normalized();
        }
        // What lies under its joint on all sides, as a belly, is not lifted by turning, and stays as it is.
        const auto turned = [&](const Quat& by) { return above * turnedInWorld(local, above, by).affine(); };
        const double was = lowest(posed), gained = (lowest(turned(turn)) - was) / std::max(1e-12, least - was);
        turn = Quat::Identity().slerp(eased(within(5 * gained, 0.0, 1.0)), turn);
        out[i] = turnedInWorld(local, above, turn);
        worlds[i] = above * out[i].affine();
    }
}

}  // namespace nutatio::layers::ragdoll
