#include "base/calm.h"

#include <algorithm>

#include "base/maths.h"

namespace nutatio {

std::vector<double> calmLow(const std::vector<double>& values, int about, bool round) {
    const int n = static_cast<int>(values.size()), lap = n - 1;
    const auto index = [&](int f) {
        return static_cast<std::size_t>(round && lap > 0 ? (f % lap + lap) % lap : within(f, 0, n - 1));
    };
    std::vector<double> low, out;
    for (int f = 0; f < n; ++f) {
        double least = values[index(f)];
        for (int k = -about; k <= about; ++k) least = std::min(least, values[index(f + k)]);
        low.push_back(least);
    }
    for (int f = 0; f < n; ++f) {
        double sum = 0;
        for (int k = -about; k <= about; ++k) sum += low[index(f + k)];
        out.push_back(sum / (2 * about + 1));
    }
    return out;
}

}  // namespace nutatio
