// A stretch of a simulated layer that is kept as it is.
#pragma once

#include <string>
#include <vector>

#include "rig/track.h"

namespace nutatio::scene {

/// What a layer made of some frames of a shot, both included, and all that it carried beyond the last of them: what follows goes
/// on from there, to the same bits.
struct Seal {
    /// One piece of the layer that moves by itself.
    struct Part {
        std::vector<std::string> joints;   // by reference
        std::vector<rig::Column> columns;  // of those, a transform a frame, before the layer is mixed
        std::vector<double> state;         // the mover's, at the last frame
        bool operator==(const Part&) const = default;
    };
    int from = 0, to = 0;
    double fps = 24;  // of the frames
    std::vector<Part> parts;
    bool operator==(const Seal&) const = default;

    bool holds(int frame) const { return frame >= from && frame <= to; }
};

}  // namespace nutatio::scene
