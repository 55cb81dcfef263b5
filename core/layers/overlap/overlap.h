// Overlap: joints that come late after themselves or after what they hang on. See README.md.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::overlap {

extern const LayerKind kKind;

}  // namespace nutatio::layers::overlap
