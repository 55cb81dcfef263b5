// Whether what an edit made can be read again.
#pragma once

#include <optional>
#include <string>

#include "scene/scene.h"

namespace nutatio::scene {

/// A sentence that names the first time or place of `after` beyond the ranges of base/ranges.h, or that no file may hold (an
/// interval that ends before it begins ...), in what `before` does not share; nothing where there is none. `before` may be an
/// empty scene: everything is looked at.
std::optional<std::string> outOfRange(const Scene& before, const Scene& after);

}  // namespace nutatio::scene
