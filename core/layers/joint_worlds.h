// World transforms of the joints a layer looks at, and turning world motion back into local transforms.
#pragma once

#include <vector>

#include "layers/layer_kind.h"
#include "physics/colliders.h"
#include "scene/items.h"

namespace nutatio::layers {

/// World transforms of chosen joints and what stands above them; the rest of the skeleton is not computed.
class JointWorlds {
  public:
    JointWorlds(const rig::Skeleton& skeleton, const std::vector<int>& wanted);
    /// Joints that stand as they stood at the last update cost a comparison.
    void update(const PoseView& pose);
    /// Exchanges what is known of poses with another one of the same joints.
    void swapPoses(JointWorlds& other);

    const Affine& world(int joint) const { return m_worlds.data()[slot(joint)]; }
    /// The proper turn of a joint's axes in the world, whatever its scale. Worked out when first asked for, so that one object
    /// serves one thread.
    const Quat& turn(int joint) const;
    /// World of the joint's parent; identity above a root.
    const Affine& above(int joint) const;
    const Quat& turnAbove(int joint) const;

  private:
    std::size_t slot(int joint) const { return static_cast<std::size_t>(m_slot[static_cast<std::size_t>(joint)]); }
    const rig::Skeleton& m_skeleton;
    std::vector<int> m_order;
    std::vector<int> m_slot;
    std::vector<Affine> m_worlds;
    std::vector<Xform> m_locals;  // that the worlds were made of
    mutable std::vector<Quat> m_turns;
    mutable std::vector<char> m_turned;  // which of them are known
    std::vector<char> m_moved;           // by the update that runs
    bool m_fresh = true;                 // nothing is known yet
    Affine m_identity;
    Quat m_noTurn = Quat::Identity();
};

/// `local` turned so that the joint's world turn becomes `turnBy` times what it was, under a parent whose world is `above` (its
/// linear part may hold scale and mirroring; rotation vectors of a mirrored frame change sign).
Xform turnedInWorld(const Xform& local, const Affine& above, const Quat& turnBy);
/// The same where the turn of `above` is known: rotationOf(above.m).
Xform turnedInWorld(const Xform& local, const Affine& above, const Quat& turnAbove, const Quat& turnBy);

/// Where a collider's own axes stand in the world, for a joint at `world`.
struct ColliderPlace {
    Vec3 centre;
    Quat turn;
};
ColliderPlace placeCollider(const scene::ColliderNumbers& collider, const Affine& world);
/// The collider standing there, at rest.
physics::Body bodyOf(const scene::ColliderNumbers& collider, const ColliderPlace& place);

}  // namespace nutatio::layers
