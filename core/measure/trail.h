// The way that a joint or a spot of the surface goes through a shot.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "rig/actor.h"
#include "rig/track.h"

namespace nutatio::measure {

/// A place on a triangle of a mesh instance.
struct SurfaceSpot {
    int instance = 0, primitive = 0;
    std::array<std::uint32_t, 3> corners{};  // vertices of the primitive
    std::array<float, 3> shares{};           // that sum to 1
    bool operator==(const SurfaceSpot&) const = default;
};

/// Places of a joint, or of a spot, at every frame [units, the actor's own world]. Morphs and moved vertices count.
std::vector<Vec3> wayOf(const rig::Actor& actor, const rig::Track& track, int joint, const std::optional<SurfaceSpot>& spot);

/// What a way is seen from, at every frame: a joint with its turns, or only where over the ground it is.
std::vector<Affine> seenFrom(const rig::Actor& actor, const rig::Track& track, int joint, bool overGroundAlone);

}  // namespace nutatio::measure
