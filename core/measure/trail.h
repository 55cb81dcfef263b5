// The way that a joint or a spot of the surface goes through a shot.
#pragma once

#include <string>
#include <vector>

#include "rig/actor.h"
#include "rig/track.h"
#include "scene/mount.h"

namespace nutatio::measure {

/// Places of a mount at every frame [units, the actor's own world]. Morphs and moved vertices count.
std::vector<Vec3> wayOf(const rig::Actor& actor, const rig::Track& track, const scene::MountOn& on);

/// What a way is seen from, at every frame: a joint with its turns, or only where over the ground it is.
std::vector<Affine> seenFrom(const rig::Actor& actor, const rig::Track& track, int joint, bool overGroundAlone);

}  // namespace nutatio::measure
