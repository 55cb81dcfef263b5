// A region of an actor's surface: how much every point of it belongs to a part or map.
#pragma once

#include <memory>
#include <vector>

#include "rig/map.h"
#include "rig/surface.h"

namespace nutatio::rig {

struct Region {
    Surface surface;
    std::vector<float> values;  // 0 to 1, by point
    Key key;                    // of the values
};
/// The region that steps of a map make, with the other maps that they name. Null where they cannot be carried out, or make
/// nothing.
std::shared_ptr<const Region> regionOf(const Actor& actor, const std::vector<MapStep>& steps, const std::vector<Map>& maps);

}  // namespace nutatio::rig
