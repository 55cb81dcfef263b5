// How a body that was let go comes back to its animation.
#pragma once

#include "layers/ragdoll/push_off.h"

namespace nutatio::layers::ragdoll {

/// From where it is, with the speed that it has, to the animation, without a jump in place or speed. One that lies gathers itself
/// over its feet first and rises by its legs then; meanwhile what it touches the ground with stays on the ground.
class WayBack {
  public:
    explicit WayBack(const rig::Figure& figure) : m_figure(figure), m_legs(figure, {}) {}

    bool on() const { return m_on; }
    void stop() { m_on = false; }
    double seconds() const { return m_seconds; }
    /// The time that a body needs which is so far from its animation [m]: less than that throws its ends about.
    double needs(const physics::OneBody& body, const BodyPose& pose) const;
    /// `pose` and `rates` (turns and places a second, of roots): the animation now. `levers`: from joints to centres, at rest.
    struct Rate {
        Vec3 turn = Vec3::Zero(), place = Vec3::Zero();
    };
    void begin(const physics::OneBody& body, const BodyPose& pose, std::span<const Rate> rates, std::span<const Vec3> levers,
               std::span<const Vec3> bones, double seconds);
    /// From the parent's centre to a segment's joint, in the parent's axes, now that the animation has it at `posed`.
    Vec3 bone(std::size_t segment, const Vec3& posed) const { return boneAt(segment, posed, m_past); }
    /// Turns and centres of its segments, `past` seconds on its way, when the animation is in `pose`. `floor`: the height that it
    /// does not sink below; `left`: to the left of where it faces.
    void pose(double past, const BodyPose& pose, const physics::OneBody& body, std::span<const Vec3> levers, double floor,
              const Vec3& left, std::vector<Quat>& turns, std::vector<Vec3>& places) const;
    void advance(double dt);
    double past() const { return m_past; }

    void appendState(std::vector<double>& to) const;
    const double* takeState(const double* from);

  private:
    struct Off {
        Vec3 turn = Vec3::Zero(), turnRate = Vec3::Zero(), place = Vec3::Zero(), placeRate = Vec3::Zero(), bone = Vec3::Zero();
    };
    double lowestOf(const physics::OneBody& body, const std::vector<Quat>& turns, const std::vector<Vec3>& places) const;

    double gathers() const;
    Vec3 boneAt(std::size_t segment, const Vec3& posed, double past) const;

    const rig::Figure& m_figure;
    PushOff m_legs;
    std::vector<Off> m_off;
    bool m_on = false, m_rises = false;
    double m_past = 0, m_seconds = 1, m_low = 0;  // m_low: its lowest point as it began [m]
};

}  // namespace nutatio::layers::ragdoll
