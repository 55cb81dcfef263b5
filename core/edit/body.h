// Whole bodies: what sets them up in one action.
#pragma once

#include "base/error.h"
#include "edit/edit.h"
#include "layers/told.h"

namespace nutatio::edit {

/// Puts light follow-through on a whole posed body: every joint on springs of its own, the root with its clip, weight carried,
/// nothing met; legs, where it has any, chase their pose so closely that feet stay. Gives the id of the layer. Error: there is no
/// such actor.
Result<std::string> loosen(scene::Scene& scene, const std::string& actor);

/// Holds both feet of an actor, all four where it goes on four, where they stand: gives the id of the layer. Errors: there is no
/// such actor, or no feet are told by names or shape.
Result<std::string> holdFeet(scene::Scene& scene, const std::string& actor);

/// Whether a layer holds feet, hands or points anywhere in the shot that it was run for.
bool holdsSomething(const scene::Layer& layer, const layers::Told& told);

/// Gives the joint on the other side all that a layer has for a joint alone - values and their keys in the shot on show. Errors:
/// there is no such layer or joint, or it has no other side.
Result<Done> sameOnOtherSide(scene::Scene& scene, const std::string& layer, const std::string& joint);

}  // namespace nutatio::edit
