// What Ragdoll shows: its segments, with a handle for how thick the chosen one is.
#pragma once

#include "layers/showing.h"

namespace nutatio::layers::ragdoll {

extern const Showing kShowing;

}  // namespace nutatio::layers::ragdoll
