// The few points of a skin by which it meets flat ground.
#pragma once

#include <cstddef>
#include <memory>
#include <vector>

#include "rig/actor.h"

namespace nutatio::rig {

/// Places in a list of points that together reach as far as all of them, whichever way, to within `slack`; `most` at the most,
/// the farthest first. The way in which those that were chosen fall short by most gives the next one, over 96 ways.
std::vector<std::size_t> outermost(const std::vector<Vec3>& points, std::size_t most, double slack);

/// A point of the surface, in the axes of the joint that carries it most [units].
struct OuterPoint {
    int joint;
    Vec3 at;
};
/// Of each joint its own outermost vertices, twelve at most, to within 0.4 % of the height. None without a mesh. Kept for the
/// last few actors that were asked for; any thread.
std::shared_ptr<const std::vector<OuterPoint>> outerPointsOf(const Actor& actor);

}  // namespace nutatio::rig
