// Carry: for a while a joint goes along with another one, of any actor, or stays in the world.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::carry {

extern const LayerKind kKind;

}  // namespace nutatio::layers::carry
