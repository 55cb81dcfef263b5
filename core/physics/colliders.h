// Bodies that strands keep clear of: where they are at one instant, and how they move.
#pragma once

#include "base/maths.h"

namespace nutatio::physics {

/// A capsule whose radius runs from radiusA at a to radiusB at b (a sphere when they agree), a box about a, or the half-space
/// below a plane through a. Lengths [units], speeds [units/s].
struct Body {
    enum class Kind { Round, Box, Plane };
    Kind kind = Kind::Round;
    double radiusA = 0, radiusB = 0;
    Vec3 a = Vec3::Zero(), b = Vec3::Zero();
    Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();  // as a rigid thing, at a
    Quat turn = Quat::Identity();                       // of a box; a plane faces its own +y
    Vec3 half = Vec3::Ones();                           // of a box
    double friction = 0;                                // Coulomb's coefficient
};

/// Where a bone comes nearest to a body.
struct Contact {
    double lever = 0;     // 0..1 along the bone
    double distance = 0;  // from the body's surface; below 0 inside
    Vec3 normal;          // from the body to the bone
    Vec3 velocity;        // of the body's surface there
};

/// The nearest pair of points between the bone p -> p + v and the body, by the arithmetic that the strands use.
Contact nearest(const Body& body, const Vec3& p, const Vec3& v);

}  // namespace nutatio::physics
