#pragma once

#include "layers/registry.h"

namespace nutatio::test {

/// A tiny simulated kind that moves vertices and no joint: the region that its row names hangs on springs from a joint. It shows a
/// ring, and a handle that sets how far it goes. The proof that a kind of vertices needs no line outside its own folder.
extern const layers::LayerKind kWobble;

}  // namespace nutatio::test
