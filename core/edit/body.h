// Whole bodies: what sets them up in one action.
#pragma once

#include "base/error.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// Puts light follow-through on a whole posed body: every joint on springs of its own, the root with its clip, weight carried,
/// nothing met; legs, where it has any, chase their pose so closely that feet stay. Gives the id of the layer. Error: there is no
/// such actor.
Result<std::string> loosen(scene::Scene& scene, const std::string& actor);

/// Holds both feet of an actor, all four where it goes on four, where they stand: gives the id of the layer. Errors: there is no such
/// actor, or no feet are told by names or shape.
Result<std::string> holdFeet(scene::Scene& scene, const std::string& actor);

}  // namespace nutatio::edit
