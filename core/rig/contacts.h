// When points stand still near the ground.
#pragma once

#include <vector>

#include "rig/track.h"

namespace nutatio::rig {

/// The rate at which feet are looked at [1/s], whatever rate a shot has: a whole multiple of that, 120 at least.
double fineRate(double fps);
/// Places by frame, and between frames, at that rate.
std::vector<Vec3> finely(std::vector<Vec3> places, double fps);

/// A stretch of frames, both included.
struct Standing {
    int from = 0, to = 0;
};

/// What counts as near and as still, against a length that things are measured by: lower than `near` over the floor and slower
/// than `still` a second, until higher than `far` or faster than `quick`; for `least` seconds at least, gaps of `gap` closed.
struct StandingRule {
    double near = 0.035, far = 0.06, still = 0.35, quick = 0.7, least = 0.1, gap = 0.05;

    /// For ground that runs below the feet at a speed, in lengths a second: the faster it is, the rougher is what stands on it,
    /// and the shorter it does.
    StandingRule over(double running) const;
};

/// The stretches over which a point stands. `places` by frame, `fps` of them a second, in axes in which y is up, or seen from
/// what it is to stand on; its floor is the height that 3 % of them lie below, or `floor` where that is given. `length`: what it
/// is measured by.
std::vector<Standing> standingOf(const std::vector<Vec3>& places, double fps, double length, const StandingRule& rule = {},
                                 const double* floor = nullptr);

}  // namespace nutatio::rig
