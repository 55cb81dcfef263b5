// A stretch of a simulated layer that is kept as it is.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "base/hash.h"
#include "rig/track.h"

namespace nutatio::scene {

/// What a simulated layer made of some frames of a shot, both included, and all that it carried beyond the last of them: what
/// follows goes on from there, to the same bits.
struct Seal {
    /// One piece of the layer that moves by itself.
    struct Part {
        std::vector<std::string> joints;   // by reference
        std::vector<rig::Column> columns;  // of those, a transform a frame, as the layer showed them
        std::vector<double> state;         // the mover's, at the last frame
        std::vector<rig::Patch> surfaces;  // of its vertices, their offsets in those frames
    };
    int from = 0, to = 0;
    double fps = 24;                    // of the frames
    std::vector<Part> parts;            // none: it is yet to be made
    std::shared_ptr<const Seal> after;  // of one that is yet to be made: the one that holds meanwhile, if any

    /// The seal that holds now; null: none does, and the layer is simulated all through.
    const Seal* kept() const { return parts.empty() ? after.get() : this; }
    bool holds(int frame) const { return frame >= from && frame <= to; }
    Key key() const;
};

}  // namespace nutatio::scene
