// Joints that a rig lacks, with the piece of the surface that follows them.
#pragma once

#include "rig/surface.h"

namespace nutatio::rig {

/// How much of each point of the surface would follow a joint at `place` [units, rest pose, actor's world] that hangs on
/// `parent`: all of it next to the place, fading to nothing at `reach` [units] from it. Distances are taken along the surface,
/// over its edges, so that nothing is reached across a gap: not the arm that hangs beside the belly. Shells that lie on one
/// another there, as a coat does on a body, are all reached, where what moves them is kin to `parent`.
std::vector<float> shareOf(const Actor& actor, const Surface& surface, int parent, const Vec3& place, double reach);

/// How much of each point would follow each joint of a chain, whose joints stand at all places of `row` [units, rest pose,
/// actor's world] but the last one, its end: one list a joint. What follows the chain does so as shareOf has it of the places
/// between; a `reach` of 0 takes the whole piece that the chain's middle lies on. A point halfway between two joints follows the
/// first of them alone, and is shared by neighbours in between; beside the chain's beginning half of it stays with what carried
/// it.
std::vector<std::vector<float>> chainShares(const Actor& actor, const Surface& surface, int parent, const std::vector<Vec3>& row,
                                            double reach);

/// A row of joints and its end through the piece of the surface that a point belongs to, evenly along it: from the end of the
/// piece that is nearer to the point, along the surface, to the other one. `joints` + 1 places; none of a piece without length.
std::vector<Vec3> rowThrough(const Surface& surface, std::uint32_t point, int joints);

/// A row of joints and its end along a line drawn on the surface [units, rest pose], evenly: `joints` + 1 places, each in the
/// middle of what lies there within `reach` [units] of the line. None of a line without length.
std::vector<Vec3> rowAlong(const Surface& surface, const std::vector<Vec3>& drawn, int joints, double reach);

/// The joint that moves the surface next to a place most; kNoJoint without a surface.
int carrierAt(const Surface& surface, const Vec3& place);

}  // namespace nutatio::rig
