// How far the joints of a figure turn.
#pragma once

#include "rig/figure.h"
#include "rig/roles.h"
#include "rig/sides.h"

namespace nutatio::rig {

/// Fills middle, side and half ranges of all segments, whose axes are known. `worlds`: of the rest pose.
void findLimits(const Actor& actor, const Roles& roles, const Sides& sides, const std::vector<Affine>& worlds, Figure& figure);

/// The turn of a figure's segment away from rest, for the world of its joint and that in the rest pose.
inline Quat turnFromRest(const Affine& world, const Affine& rest) {
    return (rotationOf(world.m) * rotationOf(rest.m).conjugate()).normalized();
}

/// Swing and twist of a turn: turn = swing twist, the twist about `axis` in -pi..pi.
void splitTurn(const Quat& turn, const Vec3& axis, Quat& swing, double& twist);

}  // namespace nutatio::rig
