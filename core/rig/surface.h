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

    /// The point nearest to a place; 0 on a surface without points.
    std::uint32_t nearest(const Vec3& place) const;

    static Surface of(const Actor& actor);

  private:
    std::vector<Pull> m_pulls;
    std::vector<std::size_t> m_first;
    std::vector<std::vector<std::vector<std::uint32_t>>> m_points;
};

/// The points next to each point of a surface, over its edges.
class Neighbours {
  public:
    explicit Neighbours(const Surface& surface);
    std::span<const std::uint32_t> of(std::uint32_t point) const {
        return {m_points.data() + m_first[point], m_first[point + 1] - m_first[point]};
    }

  private:
    std::vector<std::size_t> m_first;
    std::vector<std::uint32_t> m_points;
};

/// How far points of a surface are from others along its edges [units] (Dijkstra, 1959).
struct Start {
    std::uint32_t point;
    float away;
};
/// From the nearest of `starts`; what lies `far` or more away is given the greatest number.
std::vector<float> distancesAlong(const Surface& surface, const Neighbours& next, std::span<const Start> starts, float far);

/// How far `p` is from what a joint carries between itself and its children: the segments to them, or its own place without any.
double distanceToBone(const Skeleton& skeleton, const std::vector<Affine>& worlds, int joint, const Vec3& p);

}  // namespace nutatio::rig
