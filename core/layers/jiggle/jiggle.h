// Jiggle: joints on springs, moving and turning about their animated place. See README.md.
#pragma once

#include "layers/feels.h"

namespace nutatio::layers::jiggle {

extern const LayerKind kKind;
std::vector<Feel> jiggleFeels();

}  // namespace nutatio::layers::jiggle
