// Moving a joint to a place by turning the bones above it: what a hand does to a puppet.
#pragma once

#include "rig/skeleton.h"

namespace nutatio::rig {

/// Turns up to `bones` joints above `joint` so that it comes as near to `target` (world) as it can; a root is moved instead.
/// Source: cyclic coordinate descent (Wang and Chen, IEEE Trans. Robotics and Automation 7, 1991).
void reach(const Skeleton& skeleton, std::vector<Xform>& locals, int joint, const Vec3& target, int bones = 2);

}  // namespace nutatio::rig
