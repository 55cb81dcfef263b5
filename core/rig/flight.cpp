#include "rig/flight.h"

#include <Eigen/Cholesky>

namespace nutatio::rig {

double pullOf(const PlacePath& centre, int from, int to, double fps) {
    if (to - from < 2) return 0;
    Mat3 a = Mat3::Zero();
    Vec3 b = Vec3::Zero();
    const double middle = 0.5 * (from + to);
    for (int f = from; f <= to; ++f) {
        const double t = (f - middle) / fps;
        const Vec3 row(1, t, t * t);
        a += row * row.transpose();
        b += row * centre.frame(f).y();
    }
    return -2 * Vec3(a.ldlt().solve(b)).z();
}

double pullOf(const PlacePath& centre, const Flight& flight, double fps) {
    const int beside = flight.to - flight.from < 4 ? 1 : 0;
    return pullOf(centre, flight.from - beside, flight.to + beside, fps);
}

std::vector<Flight> flightsOf(const PlacePath& centre, const std::vector<double>& lowest, const std::vector<char>& gripped,
                              double fps, double scale) {
    constexpr double kOpens = 0.6, kCloses = 0.25, kOff = 0.03, kHigh = 0.1, kCalm = 0.03, kLeast = 0.08;  // [g, m, s]
    const int n = centre.frames();
    std::vector<char> may(static_cast<std::size_t>(n)), sure = may;
    for (int f = 0; f < n; ++f) {
        const auto at = static_cast<std::size_t>(f);
        const double falls = -centre.fit(f, std::max(0.7, kCalm * fps), fps).acceleration.y() / kEarthGravity;
        may[at] = !gripped[at] && falls > kCloses && lowest[at] > 0.5 * kOff * scale;
        sure[at] = may[at] && ((falls > kOpens && lowest[at] > kOff * scale) || lowest[at] > kHigh * scale);
    }
    const auto off = [&](int f) {
        const auto at = static_cast<std::size_t>(f);
        return !gripped[at] && lowest[at] > 2 * kOff * scale;
    };
    std::vector<Flight> out;
    for (int f = 0; f < n;) {
        int to = f;
        bool flies = false;
        while (to < n && may[static_cast<std::size_t>(to)]) flies = sure[static_cast<std::size_t>(to++)] || flies;
        // What has no foot near the ground beside it is in the air too, whatever was drawn there.
        int from = f;
        const int before = out.empty() ? 0 : out.back().to + 1;
        while (flies && from > before && off(from - 1)) --from;
        while (flies && to < n && off(to)) ++to;
        if (flies && !out.empty() && from == before)
            out.back().to = to - 1;  // no frame on the ground lies between
        else if (flies)
            out.push_back({from, to - 1, 0});
        f = std::max(to, f + 1);
    }
    // A flight has a frame on the ground at either end.
    std::erase_if(out, [&](const Flight& x) {
        return (x.to - x.from + 1) / fps < kLeast - 1e-9 || x.from < 1 || x.to + 1 >= centre.frames();
    });
    for (Flight& x : out) x.pull = pullOf(centre, x, fps);
    return out;
}

}  // namespace nutatio::rig
