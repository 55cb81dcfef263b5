// What a layer of Hold is made of: limbs, and the joint that carries the body.
#pragma once

#include <vector>

#include "rig/actor.h"
#include "scene/scene.h"

namespace nutatio::layers::hold {

/// A limb and the points at its end that are held.
struct HeldLimb {
    int upper = rig::kNoJoint, lower = rig::kNoJoint, end = rig::kNoJoint;
    bool foot = false;
    std::vector<int> points;                        // heel side first
    Vec3 heel = Vec3::Zero(), ball = Vec3::Zero();  // of a foot that stands on both, in its end's axes
    bool onSole = false;
};

/// What a layer turns: limbs, each once, and the joint that carries the body.
struct Build {
    std::vector<HeldLimb> limbs;
    int root = rig::kNoJoint;
    std::vector<int> joints;  // that it gives, the root first
};

Build buildOf(const rig::Actor& actor, const scene::Layer& layer);

}  // namespace nutatio::layers::hold
