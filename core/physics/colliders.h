// Bodies that strands keep clear of: where they are at one instant, and how they move.
#pragma once

#include <vector>

#include "base/maths.h"

namespace nutatio::physics {

/// A capsule from a to b (a sphere when they agree), or a half-space below a plane. Lengths [units], speeds [units/s].
struct Body {
    bool plane = false;
    double radius = 0;
    Vec3 a = Vec3::Zero(), b = Vec3::Zero();    // a plane goes through a
    Vec3 va = Vec3::Zero(), vb = Vec3::Zero();  // their velocities
    Vec3 normal{0, 1, 0};                       // of a plane
};

/// Where a bone comes nearest to a body.
struct Contact {
    double lever = 0;     // 0..1 along the bone
    double distance = 0;  // from the body's surface; below 0 inside
    Vec3 normal;          // from the body to the bone
    Vec3 centre;          // of the body's sphere that is nearest (a point of the plane)
    double radius = 0;
    Vec3 velocity;  // of the body there
};

/// The nearest pair of points between the bone p -> p + v and the body.
/// Source: Ericson, Real-Time Collision Detection (2005), 5.1.9, closest points of two segments.
Contact nearest(const Body& body, const Vec3& p, const Vec3& v);

}  // namespace nutatio::physics
