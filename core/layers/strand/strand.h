// Strand: coupled spring dynamics on a chain or a tree of joints. See README.md.
#pragma once

#include "layers/feels.h"

namespace nutatio::layers::strand {

extern const LayerKind kKind;
std::vector<Feel> strandFeels();

}  // namespace nutatio::layers::strand
