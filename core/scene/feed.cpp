#include "scene/feed.h"

#include <algorithm>
#include <cmath>

#include "base/maths.h"

namespace nutatio::scene {

namespace {

/// Between frames on a monotone cubic: no reading is made that lies beyond its neighbours.
double between(const Curve& curve, double frame, bool round) {
    const auto n = static_cast<int>(curve.size());
    const int around = n - 1;
    const auto at = [&](int f) {
        return curve[static_cast<std::size_t>(round && around > 0 ? ((f % around) + around) % around : within(f, 0, n - 1))];
    };
    const int f = static_cast<int>(std::floor(frame));
    const double u = frame - f;
    if (u == 0) return at(f);
    const double a = at(f) - at(f - 1), b = at(f + 1) - at(f), c = at(f + 2) - at(f + 1);
    const auto slope = [](double p, double q) { return p * q > 0 ? 2 * p * q / (p + q) : 0.0; };
    const Hermite h(u);
    return h.p0 * at(f) + h.m0 * slope(a, b) + h.p1 * at(f + 1) + h.m1 * slope(b, c);
}

/// y' = (x - y) / tau, tau by whether x lies above or below; exact for a reading that holds over a frame.
void follow(Curve& readings, double attack, double release, double fps, bool round) {
    constexpr double kTo95 = 3;  // e^-3 = 0.05
    const auto share = [&](double seconds) { return seconds > 0 ? 1 - std::exp(-kTo95 / (seconds * fps)) : 1.0; };
    const double up = share(attack), down = share(release);
    double y = readings.front();
    const auto lap = [&](Curve* into) {
        for (std::size_t f = 0; f < readings.size(); ++f) {
            if (f > 0 || round) y += (readings[f] > y ? up : down) * (readings[f] - y);
            if (into) (*into)[f] = y;
        }
    };
    // Round and round until it meets itself; each lap forgets a share of where it began. The last frame is the first again.
    constexpr int kMostLaps = 200;
    if (round && readings.size() > 2) {
        const double last = readings.back();
        readings.pop_back();
        for (int k = 0; k < kMostLaps; ++k) {
            const double was = y;
            lap(nullptr);
            if (std::abs(y - was) <= 1e-12 * (1 + std::abs(y))) break;
        }
        Curve out(readings.size());
        lap(&out);
        readings = std::move(out);
        readings.push_back(last);
        readings.back() = readings.front();
        return;
    }
    round = false;
    Curve out(readings.size());
    lap(&out);
    readings = std::move(out);
}

}  // namespace

double responseTo(const Feed& feed, double reading) {
    const Keys& r = feed.response;
    if (r.empty()) return 0;
    const double x = feed.times * reading;
    double value = keyedAt(r, x);
    if (feed.straight && r.size() > 1) {
        // On from the chord at that end: a smooth curve ends level, which would be no way on.
        const auto chord = [&](std::size_t k) { return (r[k + 1].value - r[k].value) / (r[k + 1].at - r[k].at); };
        if (x < r.front().at) value += chord(0) * (x - r.front().at);
        if (x > r.back().at) value += chord(r.size() - 2) * (x - r.back().at);
    }
    return within(value, std::min(feed.low, feed.high), feed.high);
}

Curve fed(const Feed& feed, const Curve& readings, double fps, bool round) {
    Curve out = readings;
    if (out.empty()) return out;
    if (feed.lag != 0)
        for (std::size_t f = 0; f < out.size(); ++f) out[f] = between(readings, static_cast<double>(f) - feed.lag * fps, round);
    if (feed.attack > 0 || feed.release > 0) follow(out, feed.attack, feed.release, fps, round);
    for (double& v : out) v = responseTo(feed, v);
    return out;
}

double intervalShare(const Interval& i, double time) {
    constexpr double kSame = 1e-6;  // [s]
    if (time < i.from - kSame || time > i.to + kSame) return 0;
    const auto share = [](double way, double over) { return over > 0 ? eased(way / over) : 1.0; };
    return share(time - i.from, i.easeIn) * share(i.to - time, i.easeOut);
}

}  // namespace nutatio::scene
