// Balance: where a body's weight lies, and what that asks of it.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::balance {

extern const LayerKind kKind;

}  // namespace nutatio::layers::balance
