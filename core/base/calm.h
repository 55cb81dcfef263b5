// Shares that are kept low about where they have to be.
#pragma once

#include <vector>

namespace nutatio {

/// Of each value the least of so many frames to either side, and from there evenly to the rest: never above what it was, and
/// without a step. `round`: they go round, and the last one is the first again.
std::vector<double> calmLow(const std::vector<double>& values, int about, bool round);

}  // namespace nutatio
