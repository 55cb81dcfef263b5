// Places that a layer follows: joints of its own actor, joints of others, and the world.
#pragma once

#include "layers/joint_worlds.h"
#include "physics/air.h"

namespace nutatio::layers {

/// World transforms of chosen joints of any actor, frame by frame.
class Anchors {
  public:
    explicit Anchors(const LayerContext& context);

    /// A joint by its actor's id and its reference; an empty id means the world. Returns its number, or -1 when there is no such
    /// joint.
    int add(std::string_view actorId, std::string_view joint);
    /// Call once after the last `add`.
    void close();
    void update(const PoseView& pose);
    const Affine& world(int anchor) const { return m_worlds[static_cast<std::size_t>(anchor)]; }
    /// The joint of the layer's own actor that the anchor is, or kNoJoint.
    int ownJoint(int anchor) const {
        const Anchor& a = m_anchors[static_cast<std::size_t>(anchor)];
        return a.actor == kOwn ? a.joint : rig::kNoJoint;
    }

  private:
    static constexpr int kWorld = -2, kOwn = -1;
    struct Anchor {
        int actor;  // index into others, or one of the above
        int joint;
    };
    const rig::Skeleton& m_own;
    std::string m_ownId;
    std::vector<LayerContext::Other> m_others;
    std::vector<Anchor> m_anchors;
    std::vector<JointWorlds> m_places;  // own first, then the others
    std::vector<Affine> m_worlds;
};

/// The winds of a context in the actor's units.
std::vector<physics::WindDef> windsOf(const LayerContext& context);

}  // namespace nutatio::layers
