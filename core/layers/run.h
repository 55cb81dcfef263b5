// Running a layer over a whole shot.
#pragma once

#include "base/error.h"
#include "layers/layer_kind.h"

namespace nutatio::layers {

struct Ran {
    rig::Track track;
    std::vector<std::string> remarks;  // what a person should know, a sentence each
};

/// The most transforms that one layer may ask for.
inline constexpr std::size_t kMostTransforms = std::size_t{1} << 25;

/// The track with the layer's parts simulated over every frame, at full mix. Same bits for any number of threads.
/// `progress` hears the share that is done, from any thread, one call at a time. Throws Cancelled when asked to stop, and Failure
/// when the motion is not finite or would take more room than kMostTransforms.
Ran run(const LayerKind& kind, const LayerContext& context, const rig::Track& below, const Cancel& cancel,
        const Progress& progress = {});

/// Whether the layer is used whole in every frame.
bool mixesWhole(const scene::Layer& layer);

/// One joint's transform mixed.
Xform mixed(const Xform& below, const Xform& above, double mix);
/// `above` mixed over `below` by the layer's mix at every frame: 0 gives below, 1 gives above.
rig::Track mixed(const rig::Track& below, const rig::Track& above, const scene::Layer& layer);

}  // namespace nutatio::layers
