// What was brought in and is not put on yet: it stays while one looks at other pages.
#pragma once

#include <memory>
#include <optional>

#include "edit/kit.h"
#include "rig/mapping.h"

namespace nutatio::app {

struct Sheets {
    struct Motion {
        std::shared_ptr<const rig::Actor> source;
        std::string actor;  // whom it is for
        Key of;             // as that was when the mapping was suggested
        rig::MotionMap map;
        int clip = 0;
    };
    struct Kit {
        scene::Kit kit;
        std::string actor;
        Key of;
        std::vector<edit::Fitted> fitted;
        std::vector<std::string> without;  // names of layers that are left out
        std::vector<std::string> left;     // what did not fit, when it was put on last
    };
    std::optional<Motion> motion;
    std::optional<Kit> kit;
};

}  // namespace nutatio::app
