// Travel: a body that is animated in place goes over the ground. See README.md.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::travel {

extern const LayerKind kKind;

}  // namespace nutatio::layers::travel
