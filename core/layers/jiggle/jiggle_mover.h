// One joint on springs.
#pragma once

#include "layers/mover.h"

namespace nutatio::layers::jiggle {

/// `along`: its place among the layer's joints, from 0 to 1.
std::unique_ptr<Mover> jiggleMover(const LayerContext& context, const PoseView& rest, int joint, double along);

}  // namespace nutatio::layers::jiggle
