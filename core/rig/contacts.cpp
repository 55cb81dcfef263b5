#include "rig/contacts.h"

#include <algorithm>

#include "rig/capsule.h"

namespace nutatio::rig {

std::vector<Standing> standingOf(const std::vector<Vec3>& places, double fps, double length, const StandingRule& rule,
                                 const double* given) {
    std::vector<Standing> out;
    if (places.size() < 3 || !(length > 0)) return out;
    std::vector<double> heights;
    for (const Vec3& p : places) heights.push_back(p.y());
    const double floor = given ? *given : quantile(heights, 0.03);
    bool in = false;
    for (std::size_t f = 0; f < places.size(); ++f) {
        const std::size_t a = f > 0 ? f - 1 : f, b = std::min(f + 1, places.size() - 1);
        const double v = (places[b] - places[a]).norm() / static_cast<double>(b - a) * fps / length,
                     d = (places[f].y() - floor) / length;
        const bool stands = in ? d < rule.far && v < rule.quick : d < rule.near && v < rule.still;
        const int now = static_cast<int>(f);
        if (stands && !in) {
            // A short gap is none.
            if (!out.empty() && now - out.back().to <= rule.gap * fps + 1e-9)
                out.back().to = now;
            else
                out.push_back({now, now});
        }
        if (stands) out.back().to = now;
        in = stands;
    }
    std::erase_if(out, [&](const Standing& s) { return s.to - s.from < rule.least * fps - 1e-9; });
    return out;
}

}  // namespace nutatio::rig
