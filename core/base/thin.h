// Leaving out what lies between.
#pragma once

#include <utility>
#include <vector>

namespace nutatio {

/// Places, in order, of a row of `n` that must be kept so that none strays from the line between its kept neighbours by more than
/// `most`: the first, the last, and the worst between two, again and again. `stray(a, b, k)`: how far place k is from the line
/// between a and b. Source: Ramer (1972), Douglas and Peucker (1973).
template <class Stray>
std::vector<int> thinned(int n, double most, const Stray& stray) {
    std::vector<int> kept{0};
    if (n < 2) return kept;
    std::vector<std::pair<int, int>> waiting{{0, n - 1}};
    while (!waiting.empty()) {
        const auto [a, b] = waiting.back();
        waiting.pop_back();
        int worst = -1;
        double far = most;
        for (int k = a + 1; k < b; ++k)
            if (const double d = stray(a, b, k); d > far) {
                far = d;
                worst = k;
            }
        if (worst < 0) {
            kept.push_back(b);
            continue;
        }
        waiting.emplace_back(worst, b);
        waiting.emplace_back(a, worst);
    }
    return kept;
}

}  // namespace nutatio
