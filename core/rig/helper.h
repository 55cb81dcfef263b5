// A joint that a rig lacks, with the piece of the surface that follows it.
#pragma once

#include "rig/surface.h"

namespace nutatio::rig {

/// How much of each point of the surface would follow a joint at `place` [units, rest pose, actor's world] that hangs on
/// `parent`: all of it next to the place, fading to nothing at `reach` [units] from it. Distances are taken along the surface,
/// over its edges (Dijkstra, 1959), so that nothing is reached across a gap: not the arm that hangs beside the belly. Shells that
/// lie on one another there, as a coat does on a body, are all reached, where what moves them is kin to `parent`.
std::vector<float> shareOf(const Actor& actor, const Surface& surface, int parent, const Vec3& place, double reach);

/// The joint that moves the surface next to a place most; kNoJoint without a surface.
int carrierAt(const Surface& surface, const Vec3& place);

}  // namespace nutatio::rig
