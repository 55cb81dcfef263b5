// A feed: a setting follows a gauge through a response curve.
#pragma once

#include <limits>
#include <map>
#include <string>
#include <vector>

#include "scene/setting.h"

namespace nutatio::scene {

/// A value for every frame of a shot.
using Curve = std::vector<double>;

/// How a setting follows what a gauge reads, in this order: the reading comes late by `lag`, is evened out by `attack` and
/// `release`, multiplied by `times`, goes through the response, and is kept between `low` and `high`.
struct Feed {
    std::string gauge;      // id
    Keys response;          // from a reading [in the gauge's unit] to a value of the setting; one point at least
    bool straight = false;  // beyond its first and last point the response goes on straight; else it is held
    double times = 1;       // a reading of a smaller or larger character
    double low = -std::numeric_limits<double>::infinity(), high = std::numeric_limits<double>::infinity();
    double lag = 0;                  // [s]
    double attack = 0, release = 0;  // [s] until a reading that jumps up, or down, is followed to 95 of 100
    bool operator==(const Feed&) const = default;
};
using Feeds = std::map<std::string, Feed, std::less<>>;  // by setting

/// What the response makes of one reading.
double responseTo(const Feed& feed, double reading);
/// The setting's values over a shot from the gauge's. `round`: the last frame is the first one again.
Curve fed(const Feed& feed, const Curve& readings, double fps, bool round);

/// A stretch of a shot in which a layer acts, eased in after its beginning and out before its end (see intervalShare). [s]
struct Interval {
    double from = 0, to = 0;
    double easeIn = 0, easeOut = 0;
    bool operator==(const Interval&) const = default;
};
/// How much of it a layer acts at a time [s], 0 to 1, by a quintic without a jump in speed or acceleration.
double intervalShare(const Interval& interval, double time);

}  // namespace nutatio::scene
