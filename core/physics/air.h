// Moving air: a steady stream that comes and goes in gusts and swirls, the same for the same seed on every machine.
#pragma once

#include <cstdint>

#include "base/maths.h"

namespace nutatio::physics {

/// One wind. Lengths and speeds in the strand's units.
struct WindDef {
    Vec3 place = Vec3::Zero();
    Vec3 direction = Vec3::UnitX();  // unit
    double speed = 0;
    double gustRate = 0.5;  // [1/s]
    double gustShare = 0;   // of the speed that comes and goes: 1 swings between calm and twice the speed
    double swirlSize = 1;   // of an eddy
    double swirlShare = 0;  // speed of the eddies against the stream's
    double reach = 0;       // from `place`; 0: everywhere
    double falloff = 0.5;   // share of the reach over which it dies away
    std::uint64_t seed = 1;
};

/// Velocity of the air at `p` and time `t` [s]. With `period` > 0 everything repeats after as many seconds, so that loops close.
Vec3 windAt(const WindDef& wind, const Vec3& p, double t, double period);

/// Drag [1/s] that air of speed `v` [m/s] adds to a thing that catches `times` as much of it as hair does: drag grows with the
/// speed, as it does for anything larger than dust (quadratic drag, linearised about the wind).
inline double windDrag(double v, double times) {
    constexpr double kHair = 0.3;  // [1/m]
    return kHair * times * v;
}

}  // namespace nutatio::physics
