// What of a scene's actors does not move against what it hangs on: what a next layer may be for.
#pragma once

#include "base/cancel.h"
#include "scene/scene.h"

namespace nutatio::measure {

/// A part (see rig::suggestedParts and the entry's own) or a joint of no part, none of whose joints turns or travels against its
/// parent in any clip or by any layer that acts.
struct Stiff {
    std::string actor;
    std::string name;
    std::vector<int> joints;
    double size = 0;  // across the skin it carries [heights]
};
/// The largest first.
std::vector<Stiff> stillStiff(const scene::Scene& scene, const Cancel& cancel = {});

}  // namespace nutatio::measure
