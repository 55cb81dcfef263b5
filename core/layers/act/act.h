// The Act kind: what a simulated body aims at for a while. It moves nothing by itself.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers {

extern const LayerKind kActKind;

}  // namespace nutatio::layers
