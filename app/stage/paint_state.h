// What the stage keeps while skin weights are painted.
#pragma once

#include "app/stage/stage.h"

namespace nutatio::app {

struct Stage::Paint {
    std::shared_ptr<const rig::Actor> actor;  // which the painter speaks of
    std::unique_ptr<rig::Painter> painter;
    std::string id;
    int joint = rig::kNoJoint;
    rig::Stroke stroke;
};

}  // namespace nutatio::app
