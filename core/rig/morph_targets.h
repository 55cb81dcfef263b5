// Morph targets by name, and their weights over a shot.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "rig/track.h"

namespace nutatio::rig {

struct MorphTargetOf {
    int instance = 0;
    int target = 0;
};

/// What every morph target of an actor is called: the reference of the joint that its mesh hangs on, '/', and its name, or its
/// number from 1 where it has none or shares it.
std::vector<std::pair<std::string, MorphTargetOf>> morphTargets(const Actor& actor);
std::optional<MorphTargetOf> findMorphTarget(const Actor& actor, std::string_view name);

/// Its weight in the rest pose.
float restWeight(const Actor& actor, const MorphTargetOf& target);
/// An instance's weights over a shot: the track's, or the rest weights throughout. Empty where it has no targets.
Morph morphOf(const Actor& actor, const Track& track, int instance);

/// Gives one target of a track's motion other weights; the others stay.
void replace(Track& track, const Actor& actor, const MorphColumn& column);

}  // namespace nutatio::rig
