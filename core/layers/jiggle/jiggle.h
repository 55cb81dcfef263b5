// Jiggle: joints on springs, moving and turning about their animated place. See README.md.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers {

extern const LayerKind kJiggleKind;

}  // namespace nutatio::layers
