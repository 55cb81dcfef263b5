// What one-sided settings of a layer mean on the right side of a body, where they are told for the left.
#pragma once

#include "rig/sides.h"

namespace nutatio::layers {

/// The right side of an actor as its left is seen in a mirror.
class Sided {
  public:
    explicit Sided(const rig::Actor& actor);

    /// Whether a joint is on the right and has a fellow on the left.
    bool right(int joint) const;
    /// A joint's fellow; itself where it has none.
    int fellow(int joint) const;
    /// From ways in the axes of `theirs`, in the pose in which the two sides are alike, to what is seen of them in the mirror, in
    /// the axes of `mine`. A turn is seen as the negative of that. kNoJoint: the actor's own axes.
    Mat3 seen(int mine, int theirs) const;
    /// That, of a way in the actor's own axes.
    Mat3 seen() const { return seen(rig::kNoJoint, rig::kNoJoint); }

  private:
    rig::Sides m_sides;
    Vec3 m_left;
};

}  // namespace nutatio::layers
