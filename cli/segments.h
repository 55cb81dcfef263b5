// What a body is made of when it is simulated as a whole.
#pragma once

#include <ostream>

#include "scene/scene.h"

namespace nutatio::cli {

/// Tells of every actor its segments: weight, thickness, length, how far they turn, and what had to be guessed. As lines, or as
/// one JSON document.
void tellSegments(const scene::Scene& scene, bool json, std::ostream& out);

}  // namespace nutatio::cli
