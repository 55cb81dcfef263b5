// The Ragdoll kind: a whole body as rigid segments that chase the animated pose, or let go.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::ragdoll {

extern const LayerKind kKind;

}  // namespace nutatio::layers::ragdoll
