// Actors posed where they stand, ready to be drawn.
#pragma once

#include "app/stage/renderer.h"
#include "pipeline/evaluate.h"
#include "scene/scene.h"

namespace nutatio::app {

/// Worlds of an actor's joints [m, in the scene] for local transforms of all of them.
void worldsInScene(const scene::ActorEntry& actor, const std::vector<Xform>& locals, std::vector<Affine>& worlds);

/// An actor in a frame of its motion; in its rest pose where there is none, or where it is of another skeleton.
Posed posedAt(const scene::ActorEntry& actor, const pipeline::TrackPtr& motion, int frame);

}  // namespace nutatio::app
