// The Act kind: what a simulated body aims at for a while. It moves nothing by itself.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::act {

extern const LayerKind kKind;

}  // namespace nutatio::layers::act
