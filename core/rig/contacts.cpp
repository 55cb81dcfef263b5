#include "rig/contacts.h"

#include <algorithm>
#include <cmath>

#include "rig/capsule.h"

namespace nutatio::rig {

double fineRate(double fps) {
    constexpr double kFine = 120;
    return fps * std::max(1.0, std::ceil(kFine / fps - 1e-6));
}

std::vector<Vec3> finely(std::vector<Vec3> places, double fps) {
    const int times = static_cast<int>(std::lround(fineRate(fps) / fps)), n = static_cast<int>(places.size());
    if (times < 2 || n < 2) return places;
    // Through the frames by cubics whose slopes are those of the frames beside (Catmull and Rom, 1974): what stops at once does
    // not ring for frames.
    const auto at = [&](int f) -> const Vec3& { return places[static_cast<std::size_t>(within(f, 0, n - 1))]; };
    std::vector<Vec3> out;
    for (int k = 0; k <= (n - 1) * times; ++k) {
        const int f = std::min(k / times, n - 2);
        const Hermite h(static_cast<double>(k) / times - f);
        out.push_back(h.p0 * at(f) + h.p1 * at(f + 1) + 0.5 * h.m0 * (at(f + 1) - at(f - 1)) + 0.5 * h.m1 * (at(f + 2) - at(f)));
    }
    return out;
}

StandingRule StandingRule::over(double running) const {
    constexpr double kRough = 0.3, kFast = 1.0, kShortest = 0.05;  // of its speed, [lengths/s], [s]
    constexpr double kRolls = 1.4;                                 // times as far off the floor: a foot rolls off, heel up
    StandingRule out = *this;
    out.still = std::max(still, kRough * running);
    out.quick = out.still * quick / still;
    if (running <= kFast) return out;
    out.least = std::min(least, kShortest);
    out.near *= kRolls;
    out.far *= kRolls;
    return out;
}

std::vector<Standing> standingOf(const std::vector<Vec3>& frames, double rate, double length, const StandingRule& rule,
                                 const double* given) {
    std::vector<Standing> out;
    if (frames.size() < 3 || !(length > 0)) return out;
    const double fps = fineRate(rate);
    const std::vector<Vec3> places = finely(frames, rate);
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
    // Of the shot's own frames those that lie within.
    const int times = static_cast<int>(std::lround(fps / rate));
    for (Standing& s : out) s = {(s.from + times - 1) / times, s.to / times};
    std::erase_if(out, [](const Standing& s) { return s.to < s.from; });
    return out;
}

}  // namespace nutatio::rig
