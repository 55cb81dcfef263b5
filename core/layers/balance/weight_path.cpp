#include "layers/balance/weight_path.h"

#include <algorithm>
#include <cmath>

namespace nutatio::layers::balance {

double bump(double t, double a, double b, double c) {
    if (t <= a || t >= c) return 0;
    return t < b ? eased((t - a) / (b - a)) : t > b ? eased((c - t) / (c - b)) : 1.0;
}

namespace {

/// Speed [1/s] of the parabola through the frames on one side of a frame, that one included.
Vec3 speedAside(const rig::PlacePath& centre, int frame, int way, int reach, int most, double fps) {
    constexpr double kLook = 0.05;  // [s]
    const int n = std::min(std::max(2, static_cast<int>(std::lround(kLook * fps))), reach);
    if (n < 1) return Vec3::Zero();
    Mat3 a = Mat3::Zero(), b = Mat3::Zero();
    for (int k = 0; k <= n; ++k) {
        const double t = way * k / fps;
        const Vec3 row(1, t, n < 2 ? 0 : t * t);
        a += row * row.transpose();
        b += row * centre.frame(within(frame + way * k, 0, most)).transpose();
    }
    if (n < 2) a(2, 2) = 1;
    return (a.inverse() * b).row(1).transpose();
}

}  // namespace

std::vector<Vec3> fallingOffsets(const rig::PlacePath& centre, const std::vector<rig::Flight>& flights, double gravity,
                                 double fps, double work) {
    const int n = centre.frames();
    std::vector<Vec3> out(static_cast<std::size_t>(n), Vec3::Zero());
    const Vec3 g(0, -gravity, 0);
    const auto p = [](double u) { return u * u * u * (-4 + u * (7 - 3 * u)); };
    for (std::size_t k = 0; k < flights.size(); ++k) {
        const int b = flights[k].from - 1, e = flights[k].to + 1;
        const double last = (e - b) / fps;
        const Vec3 v0 = (centre.frame(e) - centre.frame(b)) / last - 0.5 * last * g;
        for (int f = b + 1; f < e; ++f) {
            const auto at = static_cast<std::size_t>(f);
            const double t = (f - b) / fps;
            out[at] = (centre.frame(b) + t * v0 + 0.5 * t * t * g - centre.frame(f));
        }
        // The frames on the ground between two flights are shared.
        const int before = k > 0 ? (b - flights[k - 1].to - 1) / 2 : b,
                  after = k + 1 < flights.size() ? (flights[k + 1].from - 1 - e) / 2 : n - 1 - e;
        const auto workOff = [&](int edge, int way, int room, const Vec3& dv) {
            const int frames = std::min(room, static_cast<int>(std::lround(work * fps)));
            for (int j = 1; j < frames; ++j) {
                const auto at = static_cast<std::size_t>(edge + way * j);
                out[at] -= way * frames / fps * p(1 - static_cast<double>(j) / frames) * dv;
            }
        };
        workOff(b, -1, before, v0 - speedAside(centre, b, -1, before, n - 1, fps));
        workOff(e, 1, after, v0 + last * g - speedAside(centre, e, 1, after, n - 1, fps));
    }
    return out;
}

std::vector<Turning> turningsOf(const std::vector<double>& heading, double fps, double least) {
    constexpr double kCalm = 1.0 / 24, kRate = radians(15), kCore = 0.2;
    const int n = static_cast<int>(heading.size());
    std::vector<Vec3> places;
    for (double h : heading) places.emplace_back(h, 0, 0);
    std::vector<double> rate;
    const rig::PlacePath path(std::move(places), rig::Ends::Held);
    for (int f = 0; f < n; ++f) rate.push_back(path.fit(f, std::max(0.7, kCalm * fps), fps).speed.x());
    std::vector<Turning> out;
    for (int f = 0; f < n;) {
        const double sign = rate[static_cast<std::size_t>(f)] > 0 ? 1 : -1;
        if (std::abs(rate[static_cast<std::size_t>(f)]) <= kRate) {
            ++f;
            continue;
        }
        int to = f;
        double peak = 0;
        while (to < n && sign * rate[static_cast<std::size_t>(to)] > kRate) {
            peak = std::max(peak, sign * rate[static_cast<std::size_t>(to)]);
            ++to;
        }
        int a = f, b = to - 1;
        while (a < b && sign * rate[static_cast<std::size_t>(a)] < kCore * peak) ++a;
        while (b > a && sign * rate[static_cast<std::size_t>(b)] < kCore * peak) --b;
        // The turn is all of it, its core the quick part.
        const double start = heading[static_cast<std::size_t>(std::max(0, f - 1))],
                     end = heading[static_cast<std::size_t>(std::min(to, n - 1))];
        f = to;
        Turning t{a, b, 0.5 * (a + b), end - start};
        if (std::abs(t.angle) < least || b <= a) continue;
        const double half = start + 0.5 * t.angle;
        for (int m = a; m < b; ++m) {
            const double x = heading[static_cast<std::size_t>(m)], y = heading[static_cast<std::size_t>(m) + 1];
            if ((x - half) * (y - half) <= 0 && x != y) {
                t.middle = m + (half - x) / (y - x);
                break;
            }
        }
        out.push_back(t);
    }
    return out;
}

double counterTurn(const Turning& turn, double frame, double windUp, double before, double carry, double after) {
    return turn.angle * (carry * bump(frame, turn.middle, turn.to, turn.to + std::max(1e-9, after)) -
                         windUp * bump(frame, turn.from - std::max(1e-9, before), turn.from, turn.middle));
}

std::vector<double> offsetForPressure(const std::vector<double>& asked, const std::vector<double>& height, double gravity,
                                      double fps, bool heldBefore, bool heldAfter) {
    const std::size_t n = asked.size();
    std::vector<double> out(n, 0.0);
    if (n < 2) return heldBefore || heldAfter ? out : asked;
    // Thomas' elimination: the matrix is dominated by its diagonal.
    std::vector<double> up(n, 0.0), right(n, 0.0);
    for (std::size_t i = 0; i < n; ++i) {
        const double k = std::max(0.0, height[i]) / gravity * fps * fps;
        double below = i > 0 ? -k : 0, above = i + 1 < n ? -k : 0, middle = 1 + 2 * k, r = asked[i];
        if (i == 0) above = -2 * k;
        if (i + 1 == n) below = -2 * k;
        if ((i == 0 && heldBefore) || (i + 1 == n && heldAfter)) {
            below = above = r = 0;
            middle = 1;
        }
        const double pivot = middle - (i > 0 ? below * up[i - 1] : 0);
        up[i] = above / pivot;
        right[i] = (r - (i > 0 ? below * right[i - 1] : 0)) / pivot;
    }
    for (std::size_t i = n; i-- > 0;) out[i] = right[i] - (i + 1 < n ? up[i] * out[i + 1] : 0);
    return out;
}

std::vector<Eigen::Vector2d> hullOf(std::vector<Eigen::Vector2d> p) {
    // Andrew's monotone chain.
    std::sort(p.begin(), p.end(), [](const auto& a, const auto& b) { return a.x() != b.x() ? a.x() < b.x() : a.y() < b.y(); });
    if (p.size() < 3) return p;
    std::vector<Eigen::Vector2d> out;
    const auto turns = [&](const Eigen::Vector2d& next) {
        const auto &a = out[out.size() - 2], &b = out.back();
        return (b - a).x() * (next - a).y() - (b - a).y() * (next - a).x() > 0;
    };
    for (int side = 0; side < 2; ++side) {
        const std::size_t first = out.size();
        for (const auto& each : p) {
            while (out.size() >= first + 2 && !turns(each)) out.pop_back();
            out.push_back(each);
        }
        out.pop_back();
        std::reverse(p.begin(), p.end());
    }
    return out;
}

Eigen::Vector2d nearestIn(const std::vector<Eigen::Vector2d>& whole, const Eigen::Vector2d& p, double margin) {
    if (whole.empty()) return p;
    Eigen::Vector2d middle = Eigen::Vector2d::Zero();
    for (const auto& v : whole) middle += v / static_cast<double>(whole.size());
    std::vector<Eigen::Vector2d> hull;
    for (const auto& v : whole) hull.push_back(middle + (1 + margin) * (v - middle));
    bool inside = hull.size() > 2;
    Eigen::Vector2d best = hull.front();
    double least = 1e300;
    for (std::size_t i = 0; i < hull.size(); ++i) {
        const Eigen::Vector2d &a = hull[i], &b = hull[(i + 1) % hull.size()], way = b - a;
        inside = inside && way.x() * (p - a).y() - way.y() * (p - a).x() >= 0;
        const double u = way.squaredNorm() > 0 ? std::clamp((p - a).dot(way) / way.squaredNorm(), 0.0, 1.0) : 0;
        const Eigen::Vector2d on = a + u * way;
        if ((on - p).squaredNorm() < least) {
            least = (on - p).squaredNorm();
            best = on;
        }
    }
    return inside ? p : best;
}

}  // namespace nutatio::layers::balance
