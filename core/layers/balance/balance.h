// Balance: where a body's weight lies, and what that asks of it.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers {

extern const LayerKind kBalanceKind;

}  // namespace nutatio::layers
