// How a body's mass is shared out over its joints.
#pragma once

#include <vector>

#include "rig/actor.h"

namespace nutatio::rig {

/// Shares of the whole, by joint, each with its centre in the joint's own axes [units].
struct Masses {
    std::vector<double> share;  // sums to 1
    std::vector<Vec3> centre;
};

/// From the mesh in the rest pose: every triangle of skin is the base of a wedge that reaches to the bones of the joints that
/// carry it, so that an open or a hollow mesh weighs something too. Without a mesh by the roles of the joints, as in people (de
/// Leva, Adjustments to Zatsiorsky-Seluyanov's segment inertia parameters, J. Biomechanics 29, 1996; a tail weighs 2 % besides),
/// and evenly where there are none, and so with one where `byNames` says so.
Masses massesOf(const Actor& actor, bool byNames = false);

/// The centre of mass [units, the actor's world] for world transforms of its joints.
Vec3 centreOfMass(const Masses& masses, const std::vector<Affine>& worlds);

}  // namespace nutatio::rig
