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
    double radius = 0.05;             // [heights]
    double strength = 0.3;            // of a dab at its middle; with Set the weight that it goes to
    bool mirrored = false;            // on the other side too, for the joint's fellow
    std::vector<Vec3> dabs;           // on the surface of the rest pose [units, the actor's world]
    std::vector<std::string> locked;  // joints (references) whose weights it leaves as they are
    bool operator==(const Stroke&) const = default;
};

/// Which points dabs meet.
class Dabs {
  public:
    explicit Dabs(const Surface& surface);
    struct Met {
        std::uint32_t point;
        float fall;  // 1 at the dab's middle, 0 at its radius
    };
    /// The points that hang together with the nearest one within the radius [units], so that no gap is crossed.
    const std::vector<Met>& meet(const Vec3& place, double radius);
    /// What a number at a point becomes where a dab of some strength meets it; `mean` is that of the points around it.
    static float dabbed(Brush brush, float was, float mean, float fall, float strength);
    const Neighbours& around() const { return m_around; }

  private:
    const Surface& m_surface;
    Neighbours m_around;
    std::vector<std::uint32_t> m_mark;  // by point: the dab that met it
    std::uint32_t m_dabs = 0;
    std::vector<Met> m_met;
};

/// The weights of an actor's whole surface while they are painted or given to new joints. What a joint gains is taken from the
/// others in their shares, what it loses goes back to them, so that weights sum to 1; a point keeps at most as many joints as its
/// mesh has, four at least.
class Painter {
  public:
    explicit Painter(const Actor& actor);

    const Surface& surface() const { return m_surface; }
    /// The share of a point that follows a joint.
    float share(std::uint32_t point, int joint) const;
    /// Joints whose weights stay as they are: what others gain and lose goes past them.
    void lock(const std::vector<std::string>& joints);
    /// One dab for a joint: see Dabs.
    /// Whether it met the surface.
    bool dab(int joint, Brush brush, const Vec3& place, double radius, double strength);
    /// All dabs of a stroke, on the other side too where it says so and the joint has a fellow. Whether any met the surface.
    bool stroke(int joint, const Stroke& stroke);
    /// Gives a point so much to a joint.
    void give(std::uint32_t point, int joint, float weight);
    /// Whether a skin moves any of the points whose weights were changed.
    bool touchedSkin() const;
    /// The actor with these weights: joints that a skin lacked are added to it, so that nothing moves in the rest pose.
    std::shared_ptr<const Actor> painted() const;

  private:
    using Pulls = std::vector<Surface::Pull>;

    const Actor& m_actor;
    Surface m_surface;
    Dabs m_dabs;
    std::vector<Affine> m_worlds;
    std::vector<Pulls> m_pulls;
    std::vector<std::uint8_t> m_most;  // influences, by point; 0: no skin moves it
    std::vector<char> m_touched;
    std::vector<char> m_locked;  // by joint
};

}  // namespace nutatio::rig
