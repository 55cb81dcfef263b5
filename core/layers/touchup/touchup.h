// Touch-up: joints, morph targets and drawings set by hand, over what is below. See README.md.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers {

extern const LayerKind kTouchupKind;

}  // namespace nutatio::layers
