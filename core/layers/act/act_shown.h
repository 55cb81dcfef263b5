// What an act shows: its aim.
#pragma once

#include "layers/showing.h"

namespace nutatio::layers::act {

extern const Showing kShowing;

}  // namespace nutatio::layers::act
