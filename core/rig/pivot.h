// Joints put elsewhere without moving what is drawn of them.
#pragma once

#include "rig/actor.h"

namespace nutatio::rig {

/// Puts a joint at `place` in the axes of the one it hangs on [units]. In the rest pose nothing that is drawn moves, nor do the
/// joints below it. `keeps`: in clips nothing moves otherwise either, the joint's place is keyed along instead; else the joint
/// turns about its new place. A mesh that hangs on it without a skin is given a joint of its own below it.
void movePivot(Actor& actor, int joint, const Vec3& place, bool keeps);

/// Hangs a joint that no clip moves on another one, where it stands in the rest pose. Throws Failure where that one hangs on it.
void hangOn(Actor& actor, int joint, int parent);

}  // namespace nutatio::rig
