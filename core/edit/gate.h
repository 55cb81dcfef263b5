// What every edit passes, from the window or a script.
#pragma once

#include <optional>
#include <string>

#include "scene/scene.h"

namespace nutatio::edit {

/// Why a change may not be made, in a sentence without its full stop: it touches what is locked or sealed, closes a ring, or takes
/// a value beyond what a file may hold. Nothing when it may.
std::optional<std::string> whyNot(const scene::Scene& before, const scene::Scene& after);

}  // namespace nutatio::edit
