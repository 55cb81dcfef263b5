// How vertices are tinted, from what is known of the points of a surface.
#pragma once

#include "app/stage/renderer.h"
#include "rig/surface.h"

namespace nutatio::app {

/// `share` gives 0 to 1 for a point.
template <class Share>
std::shared_ptr<const Tint> tintBy(const rig::Actor& actor, const rig::Surface& surface, const Share& share) {
    auto tint = std::make_shared<Tint>();
    for (std::size_t i = 0; i < actor.instances.size(); ++i) {
        const auto& primitives = actor.meshes[static_cast<std::size_t>(actor.instances[i].mesh)].primitives;
        for (std::size_t n = 0; n < primitives.size(); ++n) {
            std::vector<float>& piece = tint->emplace_back(primitives[n].positions.size());
            for (std::size_t v = 0; v < piece.size(); ++v) piece[v] = std::min(1.0f, share(surface.pointOf(i, n, v)));
        }
    }
    return tint;
}

}  // namespace nutatio::app
