#include "rig/path.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace nutatio::rig {

namespace {

constexpr int kTaps = 8;
constexpr double kBeta = 6;

/// The modified Bessel function of the first kind and order 0, by its series.
double bessel0(double x) {
    double sum = 1, term = 1;
    for (int k = 1; k < 40 && term > 1e-17 * sum; ++k) {
        term *= (0.5 * x / k) * (0.5 * x / k);
        sum += term;
    }
    return sum;
}

/// Weights of the frames from three before to four after the one below, at a share of the way to the next; their sum is 1.
std::array<double, kTaps> taps(double share) {
    std::array<double, kTaps> w;
    double sum = 0;
    for (int k = 0; k < kTaps; ++k) {
        const double x = k - 3 - share, inside = 1 - (x / 4) * (x / 4);
        const double sinc = std::abs(x) < 1e-12 ? 1 : std::sin(kPi * x) / (kPi * x);
        w[static_cast<std::size_t>(k)] = inside <= 0 ? 0 : sinc * bessel0(kBeta * std::sqrt(inside));
        sum += w[static_cast<std::size_t>(k)];
    }
    for (double& v : w) v /= sum;
    return w;
}

/// A frame that there is, and how many laps lie between.
std::pair<int, int> found(int f, int frames, Ends ends) {
    if (ends == Ends::Held || frames < 2) return {within(f, 0, frames - 1), 0};
    const int lap = frames - 1;  // the last frame is the first again
    const int laps = f >= 0 ? f / lap : -((lap - 1 - f) / lap);
    return {f - laps * lap, laps};
}

/// Frames about one that a window reaches, told from it.
std::pair<int, int> window(int f, int frames, Ends ends, double sigma) {
    const int reach = std::max(1, static_cast<int>(std::floor(3 * sigma)));
    if (ends == Ends::Round) return {-reach, reach};
    return {std::max(-reach, -f), std::min(reach, frames - 1 - f)};
}

/// Weighted sums of powers of k, for a parabola or a line through values at whole k.
struct Sums {
    double s[5] = {0, 0, 0, 0, 0};
    Vec3 x[3] = {Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
    int points = 0;

    void add(int k, double weight, const Vec3& value) {
        double p = weight;
        for (int i = 0; i < 5; ++i, p *= k) {
            s[i] += p;
            if (i < 3) x[i] += p * value;
        }
        ++points;
    }
    Vec3 line() const {
        const double d = s[0] * s[2] - s[1] * s[1];
        return std::abs(d) < 1e-12 * s[0] * s[0] ? Vec3(x[0] / s[0]) : Vec3((s[2] * x[0] - s[1] * x[1]) / d);
    }
    /// Value, slope and curvature of c0 + c1 k + c2 k^2.
    std::array<Vec3, 3> parabola() const {
        if (points < 3) {
            const double d = s[0] * s[2] - s[1] * s[1];
            if (points < 2 || std::abs(d) < 1e-12) return {Vec3(x[0] / s[0]), Vec3::Zero(), Vec3::Zero()};
            return {line(), Vec3((s[0] * x[1] - s[1] * x[0]) / d), Vec3::Zero()};
        }
        Mat3 a;
        a << s[0], s[1], s[2], s[1], s[2], s[3], s[2], s[3], s[4];
        const Mat3 inverse = a.inverse();
        std::array<Vec3, 3> c;
        for (Eigen::Index i = 0; i < 3; ++i)
            c[static_cast<std::size_t>(i)] = inverse(i, 0) * x[0] + inverse(i, 1) * x[1] + inverse(i, 2) * x[2];
        return c;
    }
};

template <class ValueAt>
Sums sumsAbout(int f, int frames, Ends ends, double sigma, const ValueAt& valueAt) {
    const auto [from, to] = window(f, frames, ends, sigma);
    Sums sums;
    for (int k = from; k <= to; ++k) sums.add(k, std::exp(-0.5 * (k / sigma) * (k / sigma)), valueAt(k));
    return sums;
}

constexpr double kLeastSigma = 0.05;  // frames: all the weight is on the frame itself

}  // namespace

TurnPath::TurnPath(std::vector<Quat> turns, Ends ends) : m_turns(std::move(turns)), m_ends(ends) {
    for (std::size_t f = 1; f < m_turns.size(); ++f) m_turns[f] = sameSide(m_turns[f], m_turns[f - 1]);
    m_flips = ends == Ends::Round && m_turns.size() > 1 && m_turns.back().dot(m_turns.front()) < 0;
}

Quat TurnPath::frame(int f) const {
    const auto [at, laps] = found(f, frames(), m_ends);
    const Quat& q = m_turns[static_cast<std::size_t>(at)];
    return m_flips && laps % 2 != 0 ? Quat(-q.coeffs()) : q;
}

Quat TurnPath::at(double frameNumber) const {
    const int below = static_cast<int>(std::floor(frameNumber));
    const double share = frameNumber - below;
    if (share < 1e-9) return frame(below);
    const auto w = taps(share);
    Vec4 sum = Vec4::Zero();
    for (int k = 0; k < kTaps; ++k) sum += w[static_cast<std::size_t>(k)] * frame(below + k - 3).coeffs();
    return Quat(sum).normalized();
}

Quat TurnPath::mean() const {
    Vec4 sum = Vec4::Zero();
    for (const Quat& q : m_turns) sum += q.coeffs();
    return sum.norm() > 1e-9 ? Quat(sum.normalized()) : m_turns.front();
}

Quat TurnPath::smooth(int f, double sigma) const {
    const Quat here = frame(f);
    const Sums sums = sumsAbout(f, frames(), m_ends, std::max(sigma, kLeastSigma),
                                [&](int k) { return rotationVector(here.conjugate() * frame(f + k)); });
    return (here * fromRotationVector(sums.line())).normalized();
}

Vec3 TurnPath::rate(int f, double sigma, double fps) const {
    const Quat here = frame(f);
    const Sums sums = sumsAbout(f, frames(), m_ends, std::max(sigma, kLeastSigma),
                                [&](int k) { return rotationVector(frame(f + k) * here.conjugate()); });
    return fps * sums.parabola()[1];
}

Vec3 PlacePath::frame(int f) const {
    return m_places[static_cast<std::size_t>(found(f, frames(), m_ends).first)];
}

Vec3 PlacePath::at(double frameNumber) const {
    const int below = static_cast<int>(std::floor(frameNumber));
    const double share = frameNumber - below;
    if (share < 1e-9) return frame(below);
    const auto w = taps(share);
    Vec3 sum = Vec3::Zero();
    for (int k = 0; k < kTaps; ++k) sum += w[static_cast<std::size_t>(k)] * frame(below + k - 3);
    return sum;
}

Vec3 PlacePath::smooth(int f, double sigma) const {
    return sumsAbout(f, frames(), m_ends, std::max(sigma, kLeastSigma), [&](int k) { return frame(f + k); }).line();
}

PlacePath::Fit PlacePath::fit(int f, double sigma, double fps) const {
    const auto c = sumsAbout(f, frames(), m_ends, std::max(sigma, kLeastSigma), [&](int k) { return frame(f + k); }).parabola();
    return {c[0], fps * c[1], 2 * fps * fps * c[2]};
}

double lagBetween(const std::vector<Vec3>& early, const std::vector<Vec3>& late, int most, Ends ends) {
    const int n = static_cast<int>(std::min(early.size(), late.size()));
    if (n < 3) return 0;
    const int lap = n - 1;
    const auto mean = [&](const std::vector<Vec3>& v) {
        Vec3 sum = Vec3::Zero();
        for (int f = 0; f < n; ++f) sum += v[static_cast<std::size_t>(f)];
        return Vec3(sum / n);
    };
    const Vec3 a = mean(early), b = mean(late);
    std::vector<Vec3> values;
    for (int f = 0; f < n; ++f) values.push_back(early[static_cast<std::size_t>(f)] - a);
    const PlacePath path(std::move(values), ends);
    const auto score = [&](double lag) {
        double sum = 0, one = 0, two = 0;
        for (int f = ends == Ends::Round ? 0 : static_cast<int>(std::ceil(lag)); f < n; ++f) {
            const Vec3 x = path.at(f - lag), y = late[static_cast<std::size_t>(f)] - b;
            sum += x.dot(y);
            one += x.squaredNorm();
            two += y.squaredNorm();
        }
        return one > 0 && two > 0 ? sum / std::sqrt(one * two) : -1.0;
    };
    most = std::min(most, ends == Ends::Round ? lap - 1 : n - 3);
    int best = 0;
    double highest = -2;
    for (int lag = 0; lag <= most; ++lag)
        if (const double s = score(lag); s > highest) {
            highest = s;
            best = lag;
        }
    if (highest <= 0) return 0;
    // Between whole frames there is one hill: thirds of what is left are dropped from its sides.
    double from = std::max(0, best - 1), to = best + 1;
    for (int k = 0; k < 24; ++k) {
        const double third = (to - from) / 3;
        if (score(from + third) < score(to - third))
            from += third;
        else
            to -= third;
    }
    return 0.5 * (from + to);
}

double lagBetween(const std::vector<double>& early, const std::vector<double>& late, int most, Ends ends) {
    const auto along = [](const std::vector<double>& v) {
        std::vector<Vec3> out;
        for (double x : v) out.emplace_back(x, 0, 0);
        return out;
    };
    return lagBetween(along(early), along(late), most, ends);
}

}  // namespace nutatio::rig
