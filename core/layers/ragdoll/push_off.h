// A leap by the legs: crouching first, then legs that extend against what they stand on.
#pragma once

#include "physics/one_body.h"
#include "rig/figure.h"

namespace nutatio::layers::ragdoll {

/// Where the animation has a segment: its joint's place [m] and its turn away from rest, in the world.
struct SegmentStand {
    Vec3 joint = Vec3::Zero();
    Quat turn = Quat::Identity();
    Vec3 offset = Vec3::Zero();  // from its parent's centre, in the parent's axes
};
using BodyPose = std::vector<SegmentStand>;
/// To the left of where a root so turned faces, level. `forward`: as the rest pose faces, in the world.
Vec3 leftOf(const Quat& root, const Vec3& forward);

/// What a body is to do by its legs.
struct LegsAsked {
    double crouch = 0.3;    // share of the legs' length by which it goes down first
    double seconds = 0.25;  // that it takes for that
    double effort = 3;      // the most that its legs push with together [times its weight]
    double strength = 1;    // share of the speed that it is after
    bool toPlace = false;
    Vec3 place = Vec3::Zero();  // where its centre of mass is to be, `until` from the frame before
    double until = 1;           // [s]
    double height = 0.5;        // else: how high it is to rise [m]
};

/// The forces are those between a foot and the trunk, along the line from the foot to the centre of mass, on both at one point:
/// nothing of it lifts or turns the body by itself, all comes from what the feet stand on, and no more than that can hold.
class PushOff {
  public:
    /// `feet`: segments that push; none: those on the sides of the body that stand lowest when it begins.
    PushOff(const rig::Figure& figure, std::vector<std::size_t> feet);

    void reset() { m_phase = Phase::Idle; }
    void begin(const physics::OneBody& body, const LegsAsked& asked);
    /// To a frame, `past` [s] since it began.
    void advance(double past, const physics::OneBody& body, const LegsAsked& asked);
    /// Its time is over: legs that are still bent straighten over the next frames.
    void release(double dt);
    bool hasLegs() const { return !m_legs.empty(); }
    /// The root is its own, and legs are no longer held to their pose.
    bool drives() const { return m_phase == Phase::Drives; }
    bool isOff() const { return m_phase == Phase::Off; }
    bool isLeg(std::size_t segment) const;
    /// Bends a pose of the animation to the crouch: the feet stay.
    void bend(BodyPose& pose, const Vec3& left) const;
    /// Sits a pose down by a share of its legs' length, on the limbs that stand lowest in it: their feet stay.
    void sit(BodyPose& pose, double share, const Vec3& left) const;
    /// Its forces in a substep of `h`, `past` [s] after the frame before; true when it takes off.
    bool drive(double past, double h, const physics::OneBody& body, std::vector<physics::Thrust>& out);

    /// What came of it, when that is less than was asked; empty before. `brief`: in two or three words.
    std::string shortfall(double size, bool brief = false) const;
    void appendState(std::vector<double>& to) const;
    const double* takeState(const double* from);

  private:
    enum class Phase { Idle, Crouches, Drives, Off };
    struct Leg {
        std::vector<std::size_t> chain;  // from the trunk to the foot
        std::size_t trunk = 0;           // on which it hangs
        std::size_t mid = 1;             // place in the chain of the joint over which its length is measured, nearest to half way
    };
    /// At take-off, where the centre of mass will be then, `ahead` [s] after the frame before.
    Vec3 wantedSpeed(const Vec3& centre, const Vec3& gravity, double ahead) const;
    double lengthOf(const Leg& leg, const physics::OneBody& body) const;
    static void bendBy(BodyPose& pose, const std::vector<Leg>& legs, const Vec3& by, const Vec3& left);
    double extension(const Leg& leg, const physics::OneBody& body) const;
    double extension(const physics::OneBody& body) const;
    std::vector<double> shares(const physics::OneBody& body, const std::vector<Vec3>& along) const;

    std::vector<Leg> m_all, m_legs;  // that it has, and that push
    std::vector<std::size_t> m_named;
    Phase m_phase = Phase::Idle;
    LegsAsked m_asked;
    Vec3 m_crouch = Vec3::Zero();        // of the trunk at its deepest [m]
    double m_share = 0;                  // of the crouch, at the frame
    double m_room = 0;                   // that its legs have to extend when they begin to [m]
    double m_from = 0;                   // height of the centre of mass as it begins [m]
    double m_speed = 0, m_gain = 0;      // of the last substep: what it had, what was to be gained [m/s, m/s^2]
    double m_held = 0;                   // what its joints hold back of that [m/s^2]
    double m_lost = 0;                   // for how long no foot has touched anything [s]
    double m_offAt = 0, m_offShare = 0;  // when it took off, and how much of the crouch was left
    double m_driven = 0;                 // for how long its legs have extended [s]
    double m_falls = 0;                  // the least that the crouch takes [s]
    double m_slip = 0;                   // how far its feet slid meanwhile [m]
    double m_miss = 0;                   // how far off it will come [m]
    bool m_capped = false;
};

}  // namespace nutatio::layers::ragdoll
