// What a body wears and carries beyond its segments: a cape, a sword, long hair. They are no segments, so that nothing weighs on
// them, and are laid on the floor where the body would carry them through it.
#pragma once

#include "layers/mover.h"
#include "rig/figure.h"
#include "scene/scene.h"

namespace nutatio::layers::ragdoll {

/// Joints that ride on a segment and carry vertices that reach beyond its corners by 1.5 % of the height, or belong to what is
/// longer than 6 % of the height and stands off its first joint; parents first.
std::vector<int> hangingFrom(const rig::Actor& actor, const rig::Figure& figure);

class Hanging {
  public:
    /// `joints`: as hangingFrom gives them.
    Hanging(const rig::Actor& actor, const rig::Figure& figure, const scene::Placement& placement, std::vector<int> joints);

    const std::vector<int>& joints() const { return m_joints; }
    /// Local transforms of joints() on segments that stand at `segments` in the actor's world: those of `goal`, turned up about
    /// their joints until their outermost vertices are no deeper below `floor` [m] than they are in `goal`. A joint that is
    /// itself below the floor goes as far as a turn brings it. The turn goes on evenly as the body sinks.
    void lay(const PoseView& goal, std::span<const Affine> segments, double floor, std::span<Xform> out) const;

  private:
    struct Item {
        int joint = rig::kNoJoint;
        int segment = -1, above = -1;  // the segment that it rides on; the item between, if there is one
        Vec3 centre = Vec3::Zero();    // of the segment, in its joint's axes
        std::vector<int> between;      // joints from there down to its parent
        std::vector<Vec3> points;      // in its own axes
    };

    const rig::Skeleton& m_skeleton;
    scene::Placement m_placement;
    std::vector<int> m_joints;
    std::vector<Item> m_items;
};

}  // namespace nutatio::layers::ragdoll
