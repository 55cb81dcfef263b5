// Strand: coupled spring dynamics on a chain or a tree of joints. See README.md.
#pragma once

#include "layers/feels.h"

namespace nutatio::layers {

extern const LayerKind kStrandKind;
std::vector<Feel> strandFeels();

}  // namespace nutatio::layers
