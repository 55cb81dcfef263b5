// The Hold kind: hands and feet stay where they stand while they are in contact.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::hold {

extern const LayerKind kKind;

}  // namespace nutatio::layers::hold
