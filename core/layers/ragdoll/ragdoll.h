// The Ragdoll kind: a whole body as rigid segments that chase the animated pose, or let go.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers {

extern const LayerKind kRagdollKind;

}  // namespace nutatio::layers
