#include "physics/air.h"

#include <algorithm>

namespace nutatio::physics {

namespace {

/// -1..1 for a point of a lattice. splitmix64's mixing steps (Steele, Lea, Flood: Fast splittable pseudorandom generators, 2014).
double atLattice(std::uint64_t seed, std::int64_t x, std::int64_t y, std::int64_t z, std::int64_t t) {
    std::uint64_t v = seed;
    for (const std::int64_t k : {x, y, z, t}) {
        v = (v ^ static_cast<std::uint64_t>(k)) + 0x9E3779B97F4A7C15ull;
        v = (v ^ (v >> 30)) * 0xBF58476D1CE4E5B9ull;
        v = (v ^ (v >> 27)) * 0x94D049BB133111EBull;
        v ^= v >> 31;
    }
    return static_cast<double>(v >> 11) * (2.0 / 9007199254740992.0) - 1.0;
}

/// Value noise along time, which wraps after `wrap` cells when wrap > 0.
double noise1(std::uint64_t seed, double t, std::int64_t wrap) {
    const double f = std::floor(t);
    const auto i = static_cast<std::int64_t>(f);
    const auto wrapped = [&](std::int64_t k) { return wrap > 0 ? ((k % wrap) + wrap) % wrap : k; };
    const double u = eased(t - f);
    return (1 - u) * atLattice(seed, 0, 0, 0, wrapped(i)) + u * atLattice(seed, 0, 0, 0, wrapped(i + 1));
}

/// Value noise in space and time.
double noise4(std::uint64_t seed, const Vec3& p, double t, std::int64_t wrap) {
    std::int64_t c[4];
    double u[4];
    for (int k = 0; k < 4; ++k) {
        const double v = k < 3 ? p[k] : t, f = std::floor(v);
        c[k] = static_cast<std::int64_t>(f);
        u[k] = eased(v - f);
    }
    double sum = 0;
    for (int corner = 0; corner < 16; ++corner) {
        double weight = 1;
        std::int64_t at[4];
        for (int k = 0; k < 4; ++k) {
            const int step = (corner >> k) & 1;
            weight *= step ? u[k] : 1 - u[k];
            at[k] = c[k] + step;
        }
        if (wrap > 0) at[3] = ((at[3] % wrap) + wrap) % wrap;
        sum += weight * atLattice(seed, at[0], at[1], at[2], at[3]);
    }
    return sum;
}

/// Cells of time at `rate` [1/s]; a whole number of them in a period.
double cells(double t, double rate, double period, std::int64_t& wrap) {
    wrap = 0;
    if (!(period > 0)) return t * rate;
    wrap = std::max<std::int64_t>(1, std::llround(rate * period));
    return t * static_cast<double>(wrap) / period;
}

}  // namespace

Vec3 windAt(const WindDef& w, const Vec3& p, double t, double period) {
    double here = 1;
    if (w.reach > 0) {
        const double far = (p - w.place).norm() / w.reach, soft = within(w.falloff, 1e-6, 1.0);
        if (far >= 1) return Vec3::Zero();
        here = 1 - eased((far - (1 - soft)) / soft);
    }
    std::int64_t wrap = 0;
    double speed = w.speed;
    if (w.gustShare > 0) {
        const double at = cells(t, w.gustRate, period, wrap);
        speed *= std::max(0.0, 1 + w.gustShare * noise1(w.seed, at, wrap));
    }
    Vec3 v = speed * w.direction;
    if (w.swirlShare > 0 && w.swirlSize > 0) {
        // Eddies as large as a cell live about as long as the stream needs to carry them by.
        const double at = cells(t, w.speed / w.swirlSize, period, wrap);
        const Vec3 q = (p - w.place) / w.swirlSize;
        for (std::uint64_t k = 0; k < 3; ++k)
            v[static_cast<Eigen::Index>(k)] += w.swirlShare * w.speed * noise4(w.seed * 4 + k + 1, q, at, wrap);
    }
    return here * v;
}

}  // namespace nutatio::physics
