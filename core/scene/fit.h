// Colliders made from the skinned mesh.
#pragma once

#include "scene/scene.h"

namespace nutatio::scene {

/// A capsule (a ball where it is as thick as long) for each joint that carries enough of the skin: along the joint's bone, as
/// thick at either end as most of the vertices there that belong to the joint. Joints that mirror one another across the body get
/// mirrored capsules. Joints that `swung` names, joints whose capsule would be thinner than `least` of the actor's height, and
/// joints that have a collider already get none. Rest pose; works on what stands in the world, so that scale in the rig does not
/// matter.
std::vector<Collider> fitColliders(const Scene& scene, const ActorEntry& actor, const std::vector<bool>& swung, double least);

}  // namespace nutatio::scene
