// Bodies that are animated in place, over the ground: by the first kind of layer that has a speed there.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "rig/walk.h"
#include "scene/scene.h"

namespace nutatio::layers {
struct LayerKind;
}

namespace nutatio::edit {

/// The kind; null where there is none.
const layers::LayerKind& groundKind();
/// The row of such a layer that says how fast it goes [m/s].
std::string groundSpeedRow();
/// The layer of that kind that acts on an actor in the shot on show; empty: none.
std::string groundLayerOf(const scene::Scene& scene, const std::string& actor);

/// Lets an actor go over the ground in the shot on show, below all its other layers but passes: at `speed` [m/s] or, without one,
/// as fast as its feet tell. A layer that does so already takes the speed, its keys gone. Returns its id. Errors: no such actor,
/// no foot that tells.
Result<std::string> goOverGround(scene::Scene& scene, const std::string& actor, std::optional<double> speed);

/// How far a path reached.
struct Path {
    double length = 0;   // [m] of what was drawn
    double travels = 0;  // [m] of the way that the shot travels
};
/// Lets it go along a path, as far as its speed takes it: `points` [m, in the world], from where it stands on; their heights do
/// not count. The heading is keyed. Errors: none that goes over the ground, a path without length.
Result<Path> followPath(scene::Scene& scene, const std::string& actor, const std::vector<Vec3>& points);

/// A walk as a shot of its own, which is shown: what played as its line, speed and heading as keys of a layer in it. Returns the
/// shot's name. Errors: no such actor, a walk of no length.
Result<std::string> keepWalk(scene::Scene& scene, const std::string& actor, const rig::Walk& walk);

}  // namespace nutatio::edit
