// A simulated loop that is simulated until it repeats.
#pragma once

#include "layers/recorded.h"
#include "layers/sequence.h"
#include "layers/told.h"

namespace nutatio::layers {

/// Runs a mover over a shot that loops until where it ends is where it begins, and gives what it made over that lap.
/// `quickness`: [rad/s] by which a break in speed is made a way. Where it does not come round, its first frames are blended from
/// a lap that goes on, and `out` says so.
Recorded closedLap(Mover& mover, const rig::Actor& actor, const Sequence& sequence, double quickness, const Cancel& cancel,
                   Closure& out);

/// What a person should know of how a layer's loop was closed, in a sentence; empty where it came round by itself.
std::string remarkOn(const Closure& closure);

}  // namespace nutatio::layers
