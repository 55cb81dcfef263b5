// A spread: variations of one or two settings, each a scene.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// A setting that goes from one value to another in equal steps.
struct SpreadAxis {
    scene::Owner owner;
    std::string setting;
    double from = 0, to = 1;
    bool operator==(const SpreadAxis&) const = default;
    double at(int step, int steps) const { return steps < 2 ? from : from + (to - from) * step / (steps - 1); }
};

struct Spread {
    SpreadAxis across;
    std::optional<SpreadAxis> down;
    int columns = 5, rows = 1;  // rows count where there is a setting to go down by
    bool operator==(const Spread&) const = default;
    int cells() const { return columns * (down ? rows : 1); }
};

/// From half to twice what the setting is at a frame, or over its slider where it is 0. Errors: a setting that is no number.
Result<SpreadAxis> newAxis(const scene::Scene& scene, const scene::Owner& owner, const std::string& setting, int frame);

/// Sets what a cell (row by row, from 0) has: held all through the shot on show, in place of keys and feeds. Errors: a thing or
/// setting that is not there, a cell that is none.
Result<Done> setCell(scene::Scene& scene, const Spread& spread, int cell);
/// "swing rate 1.5 /s, bounces 3".
std::string cellWords(const scene::Scene& scene, const Spread& spread, int cell);

}  // namespace nutatio::edit
