// Kits: taken from one actor, put on another.
#pragma once

#include "base/error.h"
#include "scene/kit.h"

namespace nutatio::edit {

/// What is set up on an actor: its layers (all, or those of some ids), and with them its parts, maps, colliders, pins and the
/// winds that blow on it. Keys stay with their shots, painted steps of maps with their mesh.
scene::Kit kitOf(const scene::Scene& scene, const std::string& actor, const std::vector<std::string>& layers = {});

/// Where a joint of a kit goes on an actor.
struct Fitted {
    enum class By { Nothing, Name, Role, OtherSide };
    std::string joint;  // of the kit
    std::string to;     // reference on the actor; empty: nowhere
    By by = By::Nothing;
};
/// For every joint of the kit: one of that name, whatever its prefix, case and way of telling sides; else the one with its role;
/// else, where the actor has it on one side alone, that of the other side.
std::vector<Fitted> fitKit(const scene::Kit& kit, const rig::Actor& actor);

/// Adds the kit to what an actor has: layers (all, or those of some names), parts, maps, colliders, pins, winds. Lengths grow
/// with the actor, ways in a joint's axes turn with its rest pose. What has no joint to go to is left out; returns a sentence for
/// each such thing.
Result<std::vector<std::string>> applyKit(scene::Scene& scene, const std::string& actor, const scene::Kit& kit,
                                          const std::vector<Fitted>& fitted, const std::vector<std::string>& layers = {});

}  // namespace nutatio::edit
