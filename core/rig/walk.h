// Walking an actor about: clips in place, chosen by speed, blended as they change and carried over the ground.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "rig/line.h"

namespace nutatio::rig {

/// A clip to go about with.
struct Gait {
    std::string clip;  // reference
    double speed = 0;  // [units/s] over the ground, by its feet; 0: it stands
    Vec3 way = Vec3::UnitZ();
    double seconds = 0;  // of a round: a frame longer than the clip where its first pose comes a frame after its last one
};

/// Clips of an actor that go round (see Track::lap) and stay in place, by speed. The slowest stands: where none does, the first pose of
/// the slowest is held. Empty where nothing goes.
/// `level`: see strideOf.
std::vector<Gait> gaitsOf(const Actor& actor, const Quat& level = Quat::Identity());

/// One walk, from a stand; step by step. Owns what it needs but the actor.
class Walk {
  public:
    /// Needs two gaits at least. `blend` [s]: over which one comes in over another.
    Walk(std::shared_ptr<const Actor> actor, std::vector<Gait> gaits, double blend, const Quat& level = Quat::Identity());
    Walk(const Walk&) = delete;
    ~Walk();

    /// Wanted from now on: a gait faster (1) or slower (-1) than the one wanted last.
    void change(int by);
    /// To the left (1), to the right (-1), or straight on.
    void turn(int way) { m_turnWanted = way; }
    void step(double dt);

    const Gait& gait() const { return m_gaits[m_gait]; }
    double time() const { return m_time; }
    double speed() const;                         // [units/s] over the ground, now
    double heading() const { return m_heading; }  // [rad] to the left of where it faced at first
    /// Locals of all joints, where it has got to.
    void pose(std::vector<Xform>& out) const;

    /// What was walked so far: the clips, as long as it took, and speed [units/s] and heading [rad] at the times of `step`.
    Line line() const;
    struct Sample {
        double time = 0, speed = 0, heading = 0;
    };
    const std::vector<Sample>& samples() const { return m_samples; }
    /// The way that it faces at first, level and unit, in levelled axes.
    const Vec3& forward() const { return m_forward; }

    static constexpr double kTurnRate = 100;  // [deg/s] at most

  private:
    void goOn();

    std::shared_ptr<const Actor> m_actor;
    std::vector<Gait> m_gaits;
    double m_blend;
    Quat m_level;
    std::size_t m_gait = 0, m_wanted = 0;
    Line m_line;
    std::unique_ptr<LinePlayer> m_player;
    double m_time = 0, m_changed = -1e9, m_speedThen = 0;
    double m_heading = 0, m_turning = 0;
    int m_turnWanted = 0;
    Vec3 m_forward = Vec3::UnitZ(), m_place = Vec3::Zero(), m_start = Vec3::Zero();
    std::vector<Sample> m_samples;
};

}  // namespace nutatio::rig
