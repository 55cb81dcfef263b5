// Whether clips are loops, and how the layers of shots close.
#pragma once

#include <ostream>

#include "base/cancel.h"
#include "scene/scene.h"

namespace nutatio::cli {

/// Tells of every clip of every actor whether its ends meet, and closes every shot whose clips do: how many laps what is
/// simulated takes, and the seam before and after. As lines, or as one JSON document.
void tellLoops(scene::Scene scene, bool json, std::ostream& out, const Cancel& cancel);

}  // namespace nutatio::cli
