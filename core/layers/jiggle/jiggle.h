// Jiggle: joints on springs, moving and turning about their animated place. See README.md.
#pragma once

#include "layers/feels.h"

namespace nutatio::layers {

extern const LayerKind kJiggleKind;
std::vector<Feel> jiggleFeels();

}  // namespace nutatio::layers
