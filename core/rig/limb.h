// Bringing a limb's end to a place, by its two bones.
#pragma once

#include "base/maths.h"

namespace nutatio::rig {

/// How a limb is to turn.
struct LimbTurn {
    Quat upper = Quat::Identity(), lower = Quat::Identity();  // in the world, upon what the bones are turned now
    double beyond = 0;                                        // how far the place is out of reach
};

/// A limb from a by b to c whose end is to be at `target`: it opens or closes about its hinge by the law of cosines, then turns
/// as a whole by the shortest way. It never quite stretches: beyond 1 - `soft` of its length, or as far as it is stretched
/// already, it slows down exponentially, and keeps half of the bend that it has, up to 6 degrees, so that a knee does not snap
/// straight. `hinge`: unit, the axis about which the end turns
/// towards the upper bone; used where the limb is so straight that it shows none itself.
LimbTurn reachWithLimb(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& target, const Vec3& hinge, double soft = 0.03);

/// The hinge that a limb shows, times the square of the sine of its bend: nothing of a straight one.
Vec3 hingeOf(const Vec3& a, const Vec3& b, const Vec3& c);

}  // namespace nutatio::rig
