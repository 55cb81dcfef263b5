// What stands below all layers: keys of bodies' motion, and how much of it a file may ask for.
#pragma once

#include "base/hash.h"
#include "scene/scene.h"

namespace nutatio::pipeline {

/// Of an actor's motion below all layers. `piece`: what a set piece is set to; null for a character.
Key bodyKey(const scene::Scene& scene, const scene::Shot& shot, const scene::ActorEntry& entry, const rig::FrameGrid& grid,
            const scene::Resolved* piece);
/// How many transforms the motion of an actor may hold: see Evaluator::kBaseTransforms.
std::size_t allowedTransforms(const rig::Actor& actor);

}  // namespace nutatio::pipeline
