// How fast an animation in place goes over the ground, by its feet.
#pragma once

#include "rig/track.h"

namespace nutatio::rig {

struct Stride {
    double speed = 0;          // [units/s] of the body over the ground; 0: no foot tells one
    Vec3 way = Vec3::UnitZ();  // along which it goes, level and unit, in levelled axes
    double slides = 0;         // [units/s] that standing feet are off that speed, root mean square
    int frames = 0;            // of standing feet that were read
};

/// Reads the feet of rolesOf or, where a body has none, the lowest points of its mesh. `level` turns the actor's own axes so that
/// y is up: a file with z up lies on its back else. A foot stands while it is lower than 12 % of the way it lifts; of what such
/// feet do along the direction they agree on, what is slower than half is left out (landing, leaving), and the median of the
/// rest, turned round, is the speed.
Stride strideOf(const Actor& actor, const Track& body, const Quat& level = Quat::Identity());

/// How the ground runs [units/s, in the actor's own axes] below a clip that walks in place: as its feet tell; nothing where they
/// tell of less than 0.3 of the height a second, or where `carrier`, the joint that carries the body, goes along itself.
Vec3 runningGround(const Actor& actor, const Track& body, int carrier, const Quat& level = Quat::Identity());

/// The place on the ground that the rest pose stands on, in the actor's own axes: under its hips, or in the middle of it.
Vec3 standOf(const Actor& actor, const Quat& level = Quat::Identity());

}  // namespace nutatio::rig
