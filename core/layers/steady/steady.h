// Steady: joints that keep what is slow of their motion in the world and lose a share of what is fast. See README.md.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::steady {

extern const LayerKind kKind;

}  // namespace nutatio::layers::steady
