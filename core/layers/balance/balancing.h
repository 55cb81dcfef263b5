// The filter of a Balance layer.
#pragma once

#include "layers/filter.h"

namespace nutatio::layers::balance {

/// Joints that a layer without problem may change, parents first.
std::vector<int> balancedJoints(const rig::Actor& actor, const scene::Layer& layer);
/// Those of the spine, which share turns.
std::vector<int> turnedSpine(const rig::Actor& actor);

Filtered balance(const LayerContext& context, const rig::Track& below, const Cancel& cancel);

}  // namespace nutatio::layers::balance
