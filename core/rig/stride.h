// How fast an animation in place goes over the ground, by its feet.
#pragma once

#include "rig/track.h"

namespace nutatio::rig {

struct Stride {
    double speed = 0;          // [units/s] of the body over the ground; 0: no foot tells one
    Vec3 way = Vec3::UnitZ();  // along which it goes, level and unit
    double slides = 0;         // [units/s] that standing feet are off that speed, root mean square
    int frames = 0;            // of standing feet that were read
};

/// Reads the feet of rolesOf, by the motion of their joints in the actor's world. A foot stands while it is lower than a tenth of
/// the way it lifts, and no less than half of what the fastest low ones do goes the other way: what it does then is the ground's
/// speed, turned round. The speed is the median of those. Frames across the ends of a clip that closes count as well.
Stride strideOf(const Actor& actor, const Track& body);

/// The place on the ground that the rest pose stands on: under its hips, or in the middle of it.
Vec3 standOf(const Actor& actor);

}  // namespace nutatio::rig
