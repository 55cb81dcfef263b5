// Stretches of simulated layers that are kept as they are.
#pragma once

#include "base/cancel.h"
#include "base/error.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// Keeps what a simulated layer makes of frames `from` to `to` of the shot on show, from 0, both included, whatever is changed
/// from now on; what follows goes on from there. A seal that the layer has grows by them. Errors: no such layer, one that is not
/// simulated or does nothing, no such frames or sealed already, a loop that is closed. Throws Cancelled.
Result<Done> seal(scene::Scene& scene, const std::string& layer, int from, int to, const Cancel& cancel = {});

/// Lets the stretch be simulated again. Error: the layer has no seal in the shot on show.
Result<Done> breakSeal(scene::Scene& scene, const std::string& layer);

/// How far the layer's joints would be elsewhere without its seal, in a sentence. Error: it has none. Throws Cancelled.
Result<std::string> whatBreaking(const scene::Scene& scene, const std::string& layer, const Cancel& cancel = {});

}  // namespace nutatio::edit
