// Strand: coupled spring dynamics on a chain or a tree of joints. See README.md.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers {

extern const LayerKind kStrandKind;

}  // namespace nutatio::layers
