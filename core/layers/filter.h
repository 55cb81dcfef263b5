// The facet of kinds that see the whole shot at once.
#pragma once

#include "base/cancel.h"
#include "layers/layer_context.h"
#include "layers/told.h"

namespace nutatio::layers {

/// What a layer made of a shot: the columns that it replaced, and what it tells of it.
struct Filtered : Told {
    std::vector<std::pair<int, rig::Column>> joints;
    std::vector<rig::PatchPtr> patches;  // what the layer alone moves, to be added to what others do
    std::vector<rig::MorphColumnPtr> morphs;
};

struct Filter {
    /// From the motion below.
    Filtered (*run)(const LayerContext&, const rig::Track& below, const Cancel&) = nullptr;
    /// While somebody pulls the actor about: changes `locals`, which are the pose below.
    void (*live)(const LayerContext&, const PoseView& pose, std::vector<Xform>& locals) = nullptr;
    /// Of one that needs the motion to it: how much of the past [s], over which it is run then, its newest frame shown. Null,
    /// where there is no `live` either: it stands aside.
    double (*remembers)(const scene::Resolved&, double fps) = nullptr;
};

}  // namespace nutatio::layers
