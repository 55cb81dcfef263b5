// Borrow: joints that move as they do in another clip, or as their fellows on the other side do. See README.md.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::borrow {

extern const LayerKind kKind;

}  // namespace nutatio::layers::borrow
