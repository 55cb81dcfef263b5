// Overlap: joints that come late after themselves or after what they hang on. See README.md.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers {

extern const LayerKind kOverlapKind;

}  // namespace nutatio::layers
