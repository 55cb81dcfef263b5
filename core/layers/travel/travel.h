// Travel: a body that is animated in place goes over the ground. See README.md.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::travel {

extern const LayerKind kKind;

// Rows that are set where a body is sent over the ground.
inline constexpr std::string_view kSpeedRow = "speed";      // [m/s]
inline constexpr std::string_view kHeadingRow = "heading";  // the way that it goes [deg], against the way that it faces at first
inline constexpr std::string_view kForwardRow = "forward";  // and that one, in the actor's own axes [deg]

}  // namespace nutatio::layers::travel
