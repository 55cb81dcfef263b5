// Holding the points of one layer through a shot.
#pragma once

#include "layers/filter.h"

namespace nutatio::layers::hold {

Filtered held(const LayerContext& context, const rig::Track& below, const Cancel& cancel);

}  // namespace nutatio::layers::hold
