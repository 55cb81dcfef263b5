// What held points stand on: the ground, a surface, or a joint that carries them.
#pragma once

#include <array>

#include "layers/layer_context.h"
#include "physics/colliders.h"

namespace nutatio::layers::hold {

class HeldGround {
  public:
    /// `root`: the joint that carries the body. `level`: turns the actor's axes so that y is up. What is given must outlive it.
    HeldGround(const LayerContext& context, const rig::Track& below, int root, const Quat& level);

    /// From its axes to the actor's, at a frame.
    const Affine& at(int f) const { return m_ground[static_cast<std::size_t>(f)]; }
    /// A joint carries it, or a surface is what points are held on.
    bool carried() const { return m_carried; }
    bool isSurface() const { return !m_surface.empty(); }
    /// How fast the ground runs below a clip that walks in place [units/s].
    double runs() const { return m_runs; }
    /// Of a clip that walks in place, how far the ground runs in a lap, in its axes.
    const Vec3& lapWay() const { return m_lapWay; }
    /// From a point, in the axes of the surface, to the nearest of that; nothing where it has no way out.
    Vec3 toSurface(int f, const Vec3& on) const;
    /// What of the way from a point to the middle of its contact is to be made good, in the axes of what it stands on.
    Vec3 off(int f, const Vec3& on, const Vec3& middle) const;

  private:
    bool readSurface(const rig::Track& below);
    /// A clip in place walks on ground that runs.
    void readRunning(const rig::Track& below, int root, const Quat& level);
    void readJoint(const rig::Track& below, const scene::Mount& on);

    const LayerContext& m_c;
    std::vector<Affine> m_ground;          // by frame
    std::vector<physics::Body> m_surface;  // by frame, in the world [m]; none: they stand on the ground or on a joint
    bool m_carried = false;
    Vec3 m_lapWay = Vec3::Zero();
    double m_runs = 0;
    std::array<bool, 3> m_free{};  // axes of the ground along which points may slide
};

}  // namespace nutatio::layers::hold
