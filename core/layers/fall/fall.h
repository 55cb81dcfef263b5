// The Fall kind: a rigid carrier that drops, is thrown, bounces, slides and rolls, and takes the whole actor along.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers {

extern const LayerKind kFallKind;

}  // namespace nutatio::layers
