// What Travel shows: the way that a body goes over the ground.
#pragma once

#include "layers/showing.h"

namespace nutatio::layers::travel {

extern const Showing kShowing;

}  // namespace nutatio::layers::travel
