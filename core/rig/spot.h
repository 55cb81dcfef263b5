// A spot of an actor's surface, and where it is as the surface moves.
#pragma once

#include <array>
#include <optional>
#include <span>
#include <vector>

#include "rig/actor.h"
#include "rig/track.h"

namespace nutatio::rig {

/// A place on a triangle of a mesh instance.
struct SurfaceSpot {
    int instance = 0, primitive = 0;
    std::array<std::uint32_t, 3> corners{};  // vertices of the primitive
    std::array<float, 3> shares{};           // that sum to 1
    bool operator==(const SurfaceSpot&) const = default;
};

/// The spot of the rest pose's surface nearest to a place [units, in the actor's world]; where several triangles lie at one
/// place, as the two sides of a sheet do, one that `joint` carries most. Nothing without triangles.
std::optional<SurfaceSpot> spotNear(const Actor& actor, const Vec3& place, int joint = kNoJoint);
/// The joint that carries most of a spot.
int mainJointOf(const Actor& actor, const SurfaceSpot& spot);

/// Follows a spot from pose to pose. It keeps all that it needs of its actor.
class SpotRider {
  public:
    SpotRider(const Actor& actor, const SurfaceSpot& spot);
    /// Whose transforms place the spot, each once.
    const std::vector<int>& joints() const { return m_joints; }
    /// Place, and the turn of its triangle since the rest pose [units, in the actor's world]. `worlds`: of joints(), in their
    /// order. `bent`: the motion whose morph weights and moved vertices count, at a frame of it; null: the rest weights.
    Affine at(std::span<const Affine> worlds, const Track* bent, int frame) const;
    /// Whether a patch moves any of its corners.
    bool isMovedBy(const Patch& patch) const;
    /// Whether morph targets do.
    bool isMorphed() const;
    int instance() const { return m_spot.instance; }

  private:
    /// Of a triangle: one edge along x, its normal along y.
    Affine frameOf(std::span<const Affine> worlds, const Track* bent, int frame) const;

    SurfaceSpot m_spot;
    std::array<Vec3f, 3> m_corners;               // in bind space
    std::vector<std::array<Vec3f, 3>> m_morphed;  // what each morph target adds to them
    std::vector<float> m_resting;                 // weights of those in the rest pose
    std::vector<int> m_joints;
    /// How much of a corner follows one of joints(), and that one's bind transform.
    struct Pull {
        std::size_t joint;
        float weight;
        Affine bind;
    };
    std::array<std::vector<Pull>, 3> m_pulls;
    Mat3 m_rest = Mat3::Identity();
};

}  // namespace nutatio::rig
