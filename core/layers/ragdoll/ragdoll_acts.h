// What a Ragdoll does of the acts on its body.
#pragma once

#include <algorithm>
#include <optional>

#include "layers/anchors.h"
#include "layers/mover.h"
#include "layers/ragdoll/push_off.h"

namespace nutatio::layers::ragdoll {

/// The acts of one body through its shot. Which of them are under way, since when and from where is part of the body's state.
class BodyActs {
  public:
    BodyActs(const LayerContext& context, const rig::Figure& figure, Anchors& anchors);

    bool none() const { return m_acts.empty() && !m_limpWhenItLands; }
    /// Nothing is under way.
    void reset();
    /// To a frame: begins what is due, after the anchors were updated. `bodies`: where the colliders stand by id.
    void advance(int frame, double dt, const Anchors& anchors, physics::OneBody& body,
                 const std::vector<std::pair<std::string, physics::Body>>& bodies);
    /// Where the animation turns the segments, which a look sets out from.
    void headings(const std::vector<Quat>& turns, const physics::OneBody& body);
    /// It crouches for a leap, or pushes itself off: it stands on the ground itself, however deep its pose stands in it.
    bool pushesOff() const {
        return std::any_of(m_acts.begin(), m_acts.end(), [](const Act& a) { return a.active && a.legs && a.legs->hasLegs(); });
    }
    /// How much of a segment's strength is taken away, and of the root's guidance, at `u` of the way to the frame.
    double limp(std::size_t segment, double u) const;
    double freed(double u) const;
    /// What is gripped and pushed off at `u` of the way to the frame, in a substep of `h` [s].
    void drive(double u, double h, double dt, physics::OneBody& body, std::vector<physics::Grip>& grips,
               std::vector<physics::Thrust>& thrusts);
    /// Bends a pose of the animation to what the body crouches.
    void bend(BodyPose& pose) const;
    /// The frame's share of the way back to the animation, when it is recovering: 0 begins now, 1 is there.
    std::optional<double> recovering() const { return m_recovering; }
    double recoverSeconds() const { return m_recoverSeconds; }

    void appendState(State& out) const;
    const double* takeState(const double* from);
    std::vector<std::string> remarks() const;
    std::vector<Came> came() const;

  private:
    /// What came of an act, one of the times that it was under way.
    struct Time {
        double begun = 0;   // [s]
        double off = 0;     // how far from where it should be at most, once it is in [m]; of a look [rad]
        bool far = false;   // a hand's place was farther than its arm is long
        std::string leapt;  // what a leap fell short by
        std::string briefly;
    };
    struct Act {
        std::string name, layer;  // as it is called, and its id
        ResolvedPtr settings;     // that it asks by
        Doing asks;
        std::vector<scene::Interval> spans;
        scene::Curve share;
        std::vector<std::size_t> segments;  // that do it
        std::vector<char> below;            // by segment: it hangs on one of them
        std::vector<std::size_t> arm;       // hands that reach or hold, heads that look, and what is between them and the trunk
        std::optional<PushOff> legs;        // of a leap by them
        int anchor = -1;
        // Under way:
        double begun = -1;  // [s]; below 0: not yet
        bool over = false;
        Vec3 from = Vec3::Zero(), own = Vec3::Zero();  // of the hand, and in what it holds
        // In this frame:
        bool active = false;
        double weight = 0, force = 0;
        double past = 0, length = 0;  // [s] since it began, and until it ends
        double mixWas = 0, mix = 0, full = 1,
               letsGoIn = 1;  // of what goes limp, at the frame before, now and at most; in how many seconds
        Vec3 target = Vec3::Zero(), targetBefore = Vec3::Zero();
        Quat turn = Quat::Identity(), turnBefore = Quat::Identity();
        std::vector<Time> times;
        bool neverDue() const { return asks.starts != Doing::Starts::OnTime && times.empty(); }
    };
    /// How limp what goes limp is at `u` of the way to the frame.
    double letGo(const Act& act, double u) const;
    double letGoLanded(double u) const;
    /// The record of the time that an act is under way now.
    static Time& timeOf(Act& act);
    /// How far an act is off what it asks, at the frame before [m; of a look rad].
    void judge(Act& act, double ease, double dt, const physics::OneBody& body) const;
    std::pair<std::string, bool> toldOf(const Act& act, const Time& time) const;
    void place(Act& act, int frame, const Anchors& anchors, const physics::OneBody& body,
               const std::vector<std::pair<std::string, physics::Body>>& bodies) const;
    bool due(const Act& act, std::size_t number, const physics::OneBody& body) const;
    void begin(Act& act, int frame, double dt, physics::OneBody& body);
    void land(double time, double dt, const physics::OneBody& body);
    LegsAsked askedOf(const Act& act, int frame, double dt) const;
    /// What a leap makes of the body's turning.
    Vec3 turnBy(const Act& act, const physics::OneBody& body) const;
    Vec3 handOf(const physics::OneBody& body, std::size_t segment) const;

    const rig::Figure& m_figure;
    scene::Placement m_placement;
    double m_fps;
    std::vector<Act> m_acts;
    std::vector<double> m_limp, m_limpWas;  // by segment, at the frame and at the one before, beside what goes limp
    double m_dt = 1 / 24.0;                 // [s]
    bool m_thrown = false;                  // it is thrown or pushes itself off: what lets go of it does so at once
    bool m_limpWhenItLands;
    double m_sinceLanded = -1;          // [s] at the frame
    double m_aloft = 0, m_landed = -1;  // [s] without a touch; when it landed, below 0: it did not yet, or is up again
    std::optional<double> m_recovering;
    double m_recoverSeconds = 0;
    double m_size = 1, m_weight = 1;     // [m], [N]
    std::vector<Vec3> m_hands, m_heads;  // by segment: its far end, from its centre; where it is now
    std::vector<Quat> m_heading;         // by segment: as the animation has it
};

}  // namespace nutatio::layers::ragdoll
