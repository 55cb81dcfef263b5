// What a body wears and holds: joints whose skin is none of its flesh.
#pragma once

#include <vector>

#include "rig/actor.h"

namespace nutatio::rig {

/// By joint: capes, skirts, hair and straps (see suggestedParts), what hangs on a limb on one side alone (a sword, a bag), and,
/// of an actor with a skin, joints that carry nothing but meshes without one (a lantern in the hand); with all that hangs on
/// them. A tail and an ear are flesh. All false where nothing else would be left.
std::vector<char> besideBody(const Actor& actor);

}  // namespace nutatio::rig
