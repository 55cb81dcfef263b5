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

/// What is weighed: a body by its mesh, without what it wears and holds (besideBody); all that there is of its mesh; or by the
/// roles of its joints.
enum class WeighedBy { Body, WholeMesh, Roles };

/// From the mesh in the rest pose: every triangle of skin is the base of a wedge that reaches to the bones of the joints that
/// carry it, so that an open or a hollow mesh weighs something too. By the roles of the joints, as in people (de
/// Leva, Adjustments to Zatsiorsky-Seluyanov's segment inertia parameters, J. Biomechanics 29, 1996; a tail weighs 2 % besides),
/// and evenly where there are none; so without a mesh, too.
Masses massesOf(const Actor& actor, WeighedBy by = WeighedBy::Body);

/// The centre of mass [units, the actor's world] for world transforms of its joints.
Vec3 centreOfMass(const Masses& masses, const std::vector<Affine>& worlds);

}  // namespace nutatio::rig
