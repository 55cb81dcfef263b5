// Morph weights that are set by hand.
#pragma once

#include <string>
#include <vector>

#include "layers/layer_kind.h"

namespace nutatio::layers::touchup {

/// What the weight channels of a layer make of the weights below; a channel's target that the actor has not gets a remark.
std::vector<rig::MorphPtr> touchedMorphs(const LayerContext& context, const rig::Track& below, std::vector<std::string>& remarks);

}  // namespace nutatio::layers::touchup
