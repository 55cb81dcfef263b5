// Morph weights that are set by hand.
#pragma once

#include <string>
#include <vector>

#include "layers/layer_kind.h"

namespace nutatio::layers::touchup {

/// What the weight channels of a layer make of the weights below; a channel's target that the actor has not gets a remark.
std::vector<rig::MorphColumnPtr> touchedMorphs(const LayerContext& context, const rig::Track& below,
                                               std::vector<std::string>& remarks);

/// Those that it changes.
std::vector<rig::MorphId> morphsOf(const rig::Actor& actor, const scene::Resolved& settings);

}  // namespace nutatio::layers::touchup
