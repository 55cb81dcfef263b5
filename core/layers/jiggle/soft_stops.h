// Shares and stops of an offset by axis: where a spring may go, and how softly it comes to an end.
#pragma once

#include <cmath>
#include <string>

#include "scene/tuned.h"

namespace nutatio::layers::jiggle {

/// Past two radians an offset is eased towards a half turn: violent bodies cannot wind a joint up.
inline Vec3 eased(const Vec3& theta) {
    constexpr double kKnee = 2.0, kMost = 3.0;
    const double a = theta.norm();
    if (a <= kKnee) return theta;
    return theta * ((kKnee + (kMost - kKnee) * std::tanh((a - kKnee) / (kMost - kKnee))) / a);
}

/// A value that nears its stop slows down before it and never passes it: straight to six tenths of the way, then a tanh. `hard`:
/// straight up to the stop.
inline double stopped(double v, double low, double high, bool hard = false) {
    constexpr double kKnee = 0.6;
    const double most = v < 0 ? low : high, a = std::abs(v);
    if (a <= (hard ? 1 : kKnee) * most) return v;
    if (most <= 0) return 0;
    if (hard) return std::copysign(most, v);
    return std::copysign(most * (kKnee + (1 - kKnee) * std::tanh((a / most - kKnee) / (1 - kKnee))), v);
}

inline constexpr double kOpen = 1e30;        // no stop is set
inline constexpr double kFarthestShift = 4;  // actor heights: no soft spring under gravity shifts farther

/// Per axis of the chosen frame: whether it is free, its share, and its stops.
struct Axes {
    double share[3] = {}, low[3] = {}, high[3] = {};
    bool hard = false;
    Mat3 side = Mat3::Identity();  // from the axes that stops and shares are told in to those of the frame

    Axes() = default;
    Axes(const scene::Resolved& settings, const char* which, int frame, double unit, double none) {
        const std::string& free = settings.text(which);
        hard = settings.text("stops") == "hard";
        for (int k = 0; k < 3; ++k) {
            const std::string axis(1, "xyz"[k]), id = std::string(which) + "_";
            share[k] = free.find(axis) == std::string::npos ? 0 : settings.at("share_" + axis, frame);
            const double min = settings.at(id + "min_" + axis, frame), max = settings.at(id + "max_" + axis, frame);
            low[k] = min >= none ? kOpen : unit * min;
            high[k] = max >= none ? kOpen : unit * max;
        }
    }
    Vec3 applied(const Quat& frame, const Vec3& v) const {
        Vec3 own = side.transpose() * (frame.conjugate() * v);
        for (int k = 0; k < 3; ++k) own[k] = stopped(share[k] * own[k], low[k], high[k], hard);
        return frame * (side * own);
    }
    bool any() const { return share[0] != 0 || share[1] != 0 || share[2] != 0; }
};

}  // namespace nutatio::layers::jiggle
