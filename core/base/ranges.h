// How far numbers of files, of typing and of edits may go: one set for all of them, so that what is made can be read again.
#pragma once

#include <cmath>
#include <optional>

namespace nutatio {

/// No length, place or factor of scale is beyond this; one that is has been spoiled. [units]
inline constexpr double kFarthest = 1e12;
/// The longest that a clip or a shot may last, and the latest time in one. [s]
inline constexpr double kLongest = 24 * 3600;

/// The latest frame that is counted, from 1: a frame at the highest rate in the longest shot.
inline constexpr int kLastFrame = 86'400'000;

/// A number as an integer of least .. most; nothing where it is not whole, not finite, or beyond them. The one way from typed or
/// read numbers to integers: a plain cast of what lies beyond an int is undefined.
inline std::optional<int> whole(double v, int least, int most) {
    return v >= least && v <= most && v == std::floor(v) ? std::optional(static_cast<int>(v)) : std::nullopt;
}

}  // namespace nutatio
