// Touch-up: joints, morph targets and drawings set by hand, over what is below. See README.md.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::touchup {

extern const LayerKind kKind;

}  // namespace nutatio::layers::touchup
