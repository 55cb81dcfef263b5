// Skin weights by brush: strokes on the surface of the rest pose.
#pragma once

#include <string_view>

#include "rig/surface.h"

namespace nutatio::rig {

enum class Brush { Add, Take, Smooth, Set, Sharpen };
inline constexpr Brush kBrushes[] = {Brush::Add, Brush::Take, Brush::Smooth, Brush::Set, Brush::Sharpen};
/// "add", "take" ...
std::string_view brushName(Brush brush);
/// False when it is no brush's name.
bool brushFromName(std::string_view name, Brush& brush);

/// One stroke: a row of dabs of one size. Places, not vertices, so that it survives another export of the mesh.
struct Stroke {
    Brush brush = Brush::Add;
    double radius = 0.05;    // [heights]
    double strength = 0.3;   // of a dab at its middle; with Set the weight that it goes to
    bool mirrored = false;   // on the other side too, for the joint's fellow
    std::vector<Vec3> dabs;  // on the surface of the rest pose [units, the actor's world]
    bool operator==(const Stroke&) const = default;
};

/// The weights of an actor's whole surface while they are painted. What a joint gains is taken from the others in their shares,
/// what it loses goes back to them, so that weights sum to 1; a point keeps at most as many joints as its mesh has, four at
/// least.
class Painter {
  public:
    explicit Painter(const Actor& actor);

    const Surface& surface() const { return m_surface; }
    /// The share of a point that follows a joint.
    float share(std::uint32_t point, int joint) const;
    /// One dab for a joint: on the points that hang together with the nearest one within the radius, so that no gap is crossed;
    /// fading to nothing at the radius.
    void dab(int joint, Brush brush, const Vec3& place, double radius, double strength);
    /// All dabs of a stroke, on the other side too where it says so and the joint has a fellow.
    void stroke(int joint, const Stroke& stroke);
    /// The actor with these weights: joints that a skin lacked are added to it, so that nothing moves in the rest pose.
    std::shared_ptr<const Actor> painted() const;

  private:
    using Pulls = std::vector<Surface::Pull>;
    void put(Pulls& pulls, int joint, float weight, std::uint32_t point);

    const Actor& m_actor;
    Surface m_surface;
    std::vector<Affine> m_worlds;
    std::vector<Pulls> m_pulls;
    std::vector<std::uint8_t> m_most;  // influences, by point
    std::vector<char> m_touched;
    std::vector<std::size_t> m_first;  // of each point's neighbours
    std::vector<std::uint32_t> m_neighbours;
    std::vector<std::uint32_t> m_mark;  // by point: the dab that met it
    std::uint32_t m_dabs = 0;
};

}  // namespace nutatio::rig
