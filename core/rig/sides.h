// Which joint stands for which on the other side of a body.
#pragma once

#include <string>

#include "rig/actor.h"

namespace nutatio::rig {

/// A name with its side exchanged: "arm_L" and "arm_R", "LeftEar" and "RightEar", "l_hand.02" and "r_hand.02". The name itself
/// where it speaks of no side.
std::string otherSideOf(const std::string& name);

/// The plane about which the actor is even, in the pose that is the more even one of its rest pose and the pose its skins are
/// bound in, and each joint's fellow across it: itself in the middle, kNoJoint where there is none.
struct Sides {
    std::vector<Affine> worlds;                         // that pose
    Vec3 point = Vec3::Zero(), normal = Vec3::UnitX();  // of the plane, there
    std::vector<int> fellow;

    Vec3 mirrored(const Vec3& way) const { return way - 2 * normal.dot(way) * normal; }
    Vec3 mirroredPlace(const Vec3& place) const { return point + mirrored(place - point); }
};
/// Where a place of the rest pose [units, the actor's world] that `joint` carries is on the other side: as the joint and its
/// fellow stand to one another in the pose that is even. `rest`: worlds of the rest pose. The joint must have a fellow.
Vec3 mirroredInRest(const Sides& sides, const std::vector<Affine>& rest, int joint, const Vec3& place);

/// The way from right to left across an actor, by joints whose names say so; +x, as glTF has it, where none do.
Vec3 leftOf(const Skeleton& skeleton, const std::vector<Affine>& worlds, const Sides& sides);

/// Joints are matched by names first, then by places within a fiftieth of the actor's height, then by what they hang on.
Sides sidesOf(const Actor& actor);

/// Poses as they are seen in a mirror that stands in the actor's plane.
class Mirror {
  public:
    explicit Mirror(const Actor& actor);
    const Sides& sides() const { return m_sides; }
    /// What a joint does when its fellow is at `fellow` (its local transform): from the even pose it turns and shifts by the
    /// picture of what its fellow does from there. Expects a joint that has one.
    Xform seen(int joint, const Xform& fellow) const;
    /// The whole pose; joints without a fellow stay as they are.
    void pose(const std::vector<Xform>& locals, std::vector<Xform>& out) const;

  private:
    Sides m_sides;
    std::vector<Xform> m_even;             // locals of the even pose
    std::vector<Quat> m_turns, m_parents;  // turns in the world there, of each joint and of what it hangs on
};

}  // namespace nutatio::rig
