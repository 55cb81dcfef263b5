// What the stage keeps while skin weights are painted.
#pragma once

#include "app/stage/stage.h"
#include "rig/map.h"

namespace nutatio::app {

struct Stage::Paint {
    std::shared_ptr<const rig::Actor> actor;  // which the painter speaks of
    std::unique_ptr<rig::Painter> painter;    // of weights
    std::unique_ptr<rig::Surface> surface;    // of a map
    std::unique_ptr<rig::MapPainter> mapPainter;
    std::string map;
    std::string id;
    int joint = rig::kNoJoint;
    rig::Stroke stroke;

    const rig::Surface& where() const { return painter ? painter->surface() : *surface; }
};

}  // namespace nutatio::app
