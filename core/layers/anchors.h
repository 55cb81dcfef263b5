// Places that a layer follows: mounts on its own actor, on others, and in the world.
#pragma once

#include "layers/joint_worlds.h"
#include "physics/air.h"

namespace nutatio::layers {

/// World transforms of chosen mounts on any actor, frame by frame.
class Anchors {
  public:
    explicit Anchors(const LayerContext& context);

    /// Returns its number, or -1 where there is no such joint, or no surface for a spot. Axes: see scene::MountOn.
    int add(const scene::Mount& mount);
    /// Call once after the last `add`.
    void close();
    /// Places are in the own actor's units and axes, wherever the actors stand.
    void update(const PoseView& pose);
    /// How long a unit of the anchor's actor is in units of the own one; a metre's for the world.
    double unit(int anchor) const { return m_units[static_cast<std::size_t>(anchor)]; }
    const Affine& world(int anchor) const { return m_worlds[static_cast<std::size_t>(anchor)]; }
    /// The joint of the layer's own actor that the anchor is, or that carries most of its spot, or kNoJoint.
    int ownJoint(int anchor) const {
        const Anchor& a = m_anchors[static_cast<std::size_t>(anchor)];
        return a.actor == kOwn ? a.on.joint : rig::kNoJoint;
    }

  private:
    static constexpr int kWorld = -2, kOwn = -1;
    struct Anchor {
        int actor;  // index into others, or one of the above
        scene::MountOn on;
    };
    const rig::Actor& m_own;
    std::string m_ownId;
    const rig::Track* m_surface;  // how the own actor's surface bends
    std::vector<LayerContext::Other> m_others;
    std::vector<Anchor> m_anchors;
    std::vector<JointWorlds> m_places;  // own first, then the others
    std::vector<Affine> m_worlds;
    scene::Placement m_placement;
    std::vector<double> m_units;
};

/// A collider where it stands in the world [m], on an anchor that was updated.
struct StandingBody {
    scene::ColliderNumbers numbers;
    ColliderPlace place;
};
StandingBody standingBody(const scene::Resolved& settings, int frame, const Anchors& anchors, int anchor,
                          const scene::Placement& placement);

/// The joint whose motion a layer feels in place of its own base's, as its `felt_from` names it.
class FeltSource {
  public:
    explicit FeltSource(const LayerContext& context);
    /// Where nobody is named, or nobody is there, the layer feels its own base.
    explicit operator bool() const { return m_number >= 0; }
    /// Place and turn in the own actor's units and axes.
    struct Stand {
        Vec3 place = Vec3::Zero();
        Quat turn = Quat::Identity();
    };
    Stand at(const PoseView& pose);
    /// One that is named and not there.
    std::vector<std::string> remarks() const;

  private:
    Anchors m_anchors;
    std::string m_text;
    int m_number = -1;
};

/// The air as a layer feels it: its winds blow in the world, the layer asks in its actor's units and axes.
class Air {
  public:
    explicit Air(const LayerContext& context);
    bool still() const { return m_winds.empty(); }
    /// Reads what is keyed of the winds.
    void setFrame(int frame);
    /// Velocity [units/s] at a place [units] and time [s].
    Vec3 at(const Vec3& p, double time) const;

  private:
    std::vector<ResolvedPtr> m_winds;
    std::vector<physics::WindDef> m_now;
    scene::Placement m_placement;
    double m_period;
};

/// Which way a pull goes that leans away from straight down, in the actor's own axes: heading 0 along +z of the world, 90 along
/// +x.
Vec3 pullWay(const scene::Placement& placement, double tiltDeg, double headingDeg);

}  // namespace nutatio::layers
