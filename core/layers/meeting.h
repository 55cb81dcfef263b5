// The facet of kinds that meet bodies, wind and pins.
#pragma once

#include "layers/layer_context.h"

namespace nutatio::layers {

struct Meeting {
    bool bodies = false;  // and pins
    bool wind = false;
    /// The only bodies that a layer looks at, by id, where its kind is put onto some; null: it meets all that are in reach.
    std::vector<std::string> (*onto)(const scene::Resolved&) = nullptr;
    /// How far its joints may get from where they hang [units], 0: it meets nothing. Bodies farther away cannot matter. Null: who
    /// knows.
    double (*reach)(const rig::Actor&, const scene::Layer&, const scene::Resolved&) = nullptr;

    bool all() const { return bodies && !onto; }
};

}  // namespace nutatio::layers
