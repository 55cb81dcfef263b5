// Layers that follow one another in a ring, so that none of them could be worked out.
#pragma once

#include <optional>
#include <string>

#include "scene/scene.h"

namespace nutatio::edit {

/// The first ring of layers that hold or carry, in a sentence that names its members; nothing where there is none. A layer
/// follows another one where the joint that it names is moved by that, or hangs on one that is, in frames of the shot on show in
/// which both act.
std::optional<std::string> followingRing(const scene::Scene& scene);

/// The ring that an edit closed: one where there was none before.
std::optional<std::string> madeRing(const scene::Scene& before, const scene::Scene& after);

}  // namespace nutatio::edit
