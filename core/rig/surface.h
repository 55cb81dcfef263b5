// What is drawn of an actor as one surface: vertices that lie on one another are one, whatever their mesh, material or seam.
#pragma once

#include <array>
#include <span>

#include "rig/actor.h"

namespace nutatio::rig {

struct Surface {
    /// How much of a point follows a joint.
    struct Pull {
        int joint;
        float weight;
    };
    std::vector<Vec3f> places;  // in the rest pose, in the actor's world [units]
    std::vector<std::array<std::uint32_t, 3>> triangles;
    std::vector<std::array<std::uint32_t, 2>> edges;  // each once, the lower point first
    std::vector<int> shell;                           // by point: points that hang together by triangles share one
    int shells = 0;
    /// Of one point; weights sum to 1. What is not skinned follows its joint alone.
    std::span<const Pull> pulls(std::uint32_t point) const {
        return {m_pulls.data() + m_first[point], m_first[point + 1] - m_first[point]};
    }
    /// The joint that a point follows most.
    int mainJoint(std::uint32_t point) const;
    /// The point of a vertex: of the place of its instance in the actor's list, of its primitive, of its number there.
    std::uint32_t pointOf(std::size_t instance, std::size_t primitive, std::size_t vertex) const {
        return m_points[instance][primitive][vertex];
    }

    static Surface of(const Actor& actor);

  private:
    std::vector<Pull> m_pulls;
    std::vector<std::size_t> m_first;
    std::vector<std::vector<std::vector<std::uint32_t>>> m_points;
};

/// How far `p` is from what a joint carries between itself and its children: the segments to them, or its own place without any.
double distanceToBone(const Skeleton& skeleton, const std::vector<Affine>& worlds, int joint, const Vec3& p);

}  // namespace nutatio::rig
