// A person of 19 capsules, 1.75 m and 73 kg, to measure bodies by: shares of mass by de Leva, J. Biomechanics 29 (1996), neck and
// collar bones split off.
#pragma once

#include <cmath>
#include <string>
#include <vector>

#include "physics/articulated.h"

namespace nutatio::test {

inline physics::ArticulatedDef person(double scale = 1, double kg = 73) {
    physics::ArticulatedDef def;
    def.size = 1.75 * scale;
    const auto add = [&](int parent, const Vec3& joint, const Vec3& a, const Vec3& b, double radius, double share,
                         double swingA = 1, double swingB = 1, double twist = 0.6, double middle = 0) {
        physics::SegmentDef s;
        s.parent = parent;
        s.joint = scale * joint;
        s.endA = scale * a;
        s.endB = scale * b;
        s.centre = 0.5 * (s.endA + s.endB);
        s.radius = scale * radius;
        s.mass = kg * share / 100;
        s.inertia = physics::capsuleInertia(s.mass, s.endA, s.endB, s.radius);
        s.limited = parent >= 0;
        s.swingA = swingA;
        s.swingB = swingB;
        s.twist = twist;
        s.middle = fromRotationVector(Vec3(middle, 0, 0));
        const Vec3 bone = s.centre - s.joint;
        s.axis = bone.norm() > 1e-9 ? Vec3(bone.normalized()) : Vec3(-Vec3::UnitY());
        s.side = std::abs(s.axis.x()) < 0.9 ? Vec3((Vec3::UnitX() - s.axis.x() * s.axis).normalized()) : anySquareTo(s.axis);
        def.segments.push_back(s);
        return static_cast<int>(def.segments.size()) - 1;
    };
    const int pelvis = add(-1, {0, .95, 0}, {-.08, .95, 0}, {.08, .95, 0}, .11, 11.17);
    const int belly = add(pelvis, {0, 1.05, 0}, {-.05, 1.13, 0}, {.05, 1.13, 0}, .12, 16.33, .45, .35, .35);
    const int chest = add(belly, {0, 1.22, 0}, {-.08, 1.34, 0}, {.08, 1.34, 0}, .12, 12.96, .45, .35, .35);
    const int neck = add(chest, {0, 1.47, 0}, {0, 1.49, 0}, {0, 1.53, 0}, .055, 1.4, .5, .4, .5);
    add(neck, {0, 1.56, .01}, {0, 1.63, .01}, {0, 1.67, .02}, .095, 5.54, .5, .4, .5);
    for (double s : {1.0, -1.0}) {
        const int collar = add(chest, {.03 * s, 1.43, 0}, {.06 * s, 1.43, 0}, {.15 * s, 1.43, 0}, .05, 1.5, .3, .3, .2);
        const int upper = add(collar, {.19 * s, 1.42, 0}, {.19 * s, 1.42, 0}, {.22 * s, 1.14, 0}, .045, 2.71, 1.5, 1.5, .9);
        const int fore = add(upper, {.22 * s, 1.14, 0}, {.22 * s, 1.14, 0}, {.24 * s, .88, .03}, .037, 1.62, 1.2, .12, .6, -1.1);
        add(fore, {.24 * s, .88, .03}, {.24 * s, .86, .034}, {.245 * s, .78, .05}, .035, .61, .9, .5, .3);
        const int thigh = add(pelvis, {.09 * s, .91, 0}, {.09 * s, .91, 0}, {.10 * s, .50, .01}, .075, 14.16, 1.1, .7, .6, -.7);
        const int shin = add(thigh, {.10 * s, .50, .01}, {.10 * s, .50, .01}, {.10 * s, .09, -.01}, .05, 4.33, 1.15, .1, .2, 1.1);
        add(shin, {.10 * s, .09, -.01}, {.10 * s, .04, -.05}, {.11 * s, .035, .14}, .035, 1.37, .6, .4, .3);
    }
    def.meets = physics::mayTouch(def.segments);
    return def;
}

/// Turns of all segments from those of their joints, the root's being the first.
inline std::vector<Quat> turnsOf(const physics::ArticulatedDef& def, const std::vector<Quat>& locals) {
    std::vector<Quat> out;
    for (std::size_t i = 0; i < locals.size(); ++i) {
        const int p = def.segments[i].parent;
        out.push_back(p < 0 ? locals[i] : (out[static_cast<std::size_t>(p)] * locals[i]).normalized());
    }
    return out;
}

/// The joint's segment and all below it on a held root, its parent: what asks a joint's springs most plainly. `rigid`: as one
/// piece.
inline physics::ArticulatedDef branchOf(const physics::ArticulatedDef& body, int joint, bool rigid) {
    physics::ArticulatedDef out;
    out.size = body.size;
    std::vector<int> at(body.segments.size(), -1);
    physics::SegmentDef root = body.segments[static_cast<std::size_t>(body.segments[static_cast<std::size_t>(joint)].parent)];
    root.parent = -1;
    root.joint = root.centre;
    root.limited = false;
    out.segments.push_back(root);
    std::vector<physics::SegmentDef> below;
    for (std::size_t i = static_cast<std::size_t>(joint); i < body.segments.size(); ++i) {
        physics::SegmentDef s = body.segments[i];
        const bool first = static_cast<int>(i) == joint;
        if (!first && (s.parent < 0 || at[static_cast<std::size_t>(s.parent)] < 0)) continue;
        s.parent = first ? 0 : at[static_cast<std::size_t>(s.parent)];
        s.limited = false;
        at[i] = 1 + static_cast<int>(below.size());
        below.push_back(s);
    }
    if (!rigid) {
        out.segments.insert(out.segments.end(), below.begin(), below.end());
        return out;
    }
    physics::SegmentDef one = below.front();
    one.mass = 0;
    one.centre.setZero();
    for (const auto& s : below) one.mass += s.mass, one.centre += s.mass * s.centre;
    one.centre /= one.mass;
    one.inertia.setZero();
    for (const auto& s : below) {
        const Vec3 r = s.centre - one.centre;
        one.inertia += s.inertia + s.mass * (r.squaredNorm() * Mat3::Identity() - r * r.transpose());
    }
    out.segments.push_back(one);
    return out;
}

}  // namespace nutatio::test
