// A motion as a row of pictures, without a window: what a person looks at after bars were kept.
#pragma once

#include <filesystem>

#include "pipeline/evaluate.h"

namespace nutatio {

/// Writes so many frames of the first actor, evenly spread over the shot, side by side as .ppm; lit from the front, the floor as a
/// line every half metre, as seen from `heading` [rad] about the upright.
void writeStrip(const std::filesystem::path& file, const scene::Scene& scene, const pipeline::Evaluation& evaluation, int frames,
                double heading);

}  // namespace nutatio
