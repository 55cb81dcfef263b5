// The Fall kind: a rigid carrier that drops, is thrown, bounces, slides and rolls, and takes the whole actor along.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::fall {

extern const LayerKind kKind;

}  // namespace nutatio::layers::fall
