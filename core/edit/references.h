// What in a scene names joints of an actor.
#pragma once

#include <functional>
#include <optional>

#include "scene/scene.h"

namespace nutatio::edit {

/// What a reference to a joint becomes; nothing: the joint is gone.
using Followed = std::function<std::optional<std::string>(const std::string& reference)>;

/// Carries every reference to joints of an actor along: of layers, colliders, pins, parts, maps and locks. A layer that is left
/// without a joint to act on, a collider or pin whose joint is gone, and a part or map step without joints go too.
void followJoints(scene::Scene& scene, const std::string& actor, const Followed& follow);

/// Layers of an actor that name a part or map as their region name it anew; one that is gone is named no more.
void followRegion(scene::Scene& scene, const std::string& actor, const std::string& was, const std::string& is);

}  // namespace nutatio::edit
