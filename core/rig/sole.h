// What a body's feet stand on.
#pragma once

#include <array>
#include <vector>

#include "rig/roles.h"

namespace nutatio::rig {

/// The underside of a foot, in the axes of its joint [units]: heel and ball, each from side to side.
struct Sole {
    int joint = kNoJoint;
    std::array<Vec3, 2> heel{}, ball{};
    bool byMesh = false;

    Vec3 middleOfHeel() const { return 0.5 * (heel[0] + heel[1]); }
    Vec3 middleOfBall() const { return 0.5 * (ball[0] + ball[1]); }
};

/// One for each foot of the roles, of four legs all four: of the vertices of the rest pose that its joints hold by more than 0.6,
/// the lowest quarter, its rear and its front fifth. Without such vertices it reaches from below the joint to the toes. `level`
/// turns the actor's own axes so that y is up.
std::vector<Sole> solesOf(const Actor& actor, const Roles& roles, const Quat& level = Quat::Identity());

}  // namespace nutatio::rig
