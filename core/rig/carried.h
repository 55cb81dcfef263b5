// How much of the mesh follows each joint.
#pragma once

#include <memory>
#include <vector>

#include "rig/actor.h"

namespace nutatio::rig {

/// By joint: how many vertices follow it, by their weights; vertices of an unskinned mesh follow the joint that it stands on. Kept
/// for the last few actors that were asked for; any thread.
std::shared_ptr<const std::vector<double>> carriedBy(const Actor& actor);

/// That, with all that hangs on the joint.
double carriedBelow(const Actor& actor, const std::vector<double>& carried, int joint);

}  // namespace nutatio::rig
