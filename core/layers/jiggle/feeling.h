// What a joint on springs feels: how that which it hangs on speeds up, goes and turns; or another joint in place of that.
#pragma once

#include <array>

#include "layers/anchors.h"
#include "layers/cuts.h"
#include "layers/mover.h"

namespace nutatio::layers::jiggle {

/// A goal followed on a Hermite cubic: gives the accelerations at both ends of a frame.
struct Followed {
    Vec3 at = Vec3::Zero(), slope = Vec3::Zero();

    void start(const Vec3& p, const Vec3& next) {
        at = p;
        slope = next - p;
    }
    /// Second differences at the start and the end of the step to p [units a step^2].
    void step(const Vec3& p, const Vec3& next, Vec3& a0, Vec3& a1) {
        const Vec3 d = p - at, m1 = 0.5 * (next - at);
        a0 = 6 * d - 4 * slope - 2 * m1;
        a1 = -6 * d + 2 * slope + 4 * m1;
        at = p;
        slope = m1;
    }
};

/// Where a joint is to be: its place, its turn, and the axes that its offset is measured in.
struct Goal {
    Vec3 place = Vec3::Zero();
    Quat turn = Quat::Identity(), frame = Quat::Identity();
};

/// From a joint along its bone, in its own axes.
struct Bone {
    double length = 1;  // [units]
    Vec3 direction = Vec3::UnitY();
    Vec3 tip(const Goal& g) const { return g.place + g.turn * (length * direction); }
};

class Feeling {
  public:
    explicit Feeling(const LayerContext& context) : m_source(context) {}

    /// A step's accelerations at its start and at its end [units or radians a step^2]: of the place, of the tip about it, and of
    /// the turn.
    struct Felt {
        Vec3 place[2] = {Vec3::Zero(), Vec3::Zero()}, tip[2] = {Vec3::Zero(), Vec3::Zero()},
             turn[2] = {Vec3::Zero(), Vec3::Zero()};
    };
    /// `pose` is that of `now`, `next` that of `then`.
    void start(const Bone& bone, const Goal& now, const Goal& then, const PoseView& pose, const PoseView& next);
    /// Goes on from where `now` is, as though nothing had been before.
    void begin(const Bone& bone, const Goal& now, const Goal& then, const PoseView& pose, const PoseView& next);
    Felt step(const Bone& bone, const Goal& before, const Goal& now, const Goal& then, const PoseView& pose, const PoseView& next,
              const Cuts& cuts, double dt);
    /// How far the tip of what is felt goes in a step [units].
    Vec3 wayOfTip() const { return m_place.slope + m_arm.slope; }
    std::vector<std::string> remarks() const { return m_source.remarks(); }

    /// What of the state tells of the motion felt: always, and of another joint alone.
    std::array<Vec3*, 4> moving() { return {&m_place.slope, &m_arm.at, &m_arm.slope, &m_spin}; }
    std::array<const Vec3*, 4> moving() const { return {&m_place.slope, &m_arm.at, &m_arm.slope, &m_spin}; }
    void appendElsewhere(State& out) const;
    void takeElsewhere(const double* from);

  private:
    /// Where the joint stands whose motion is felt.
    Goal at(const PoseView& pose);
    /// From the joint to its tip, as though it hung on what is felt.
    Vec3 arm(const Bone& bone, const Goal& own, const Goal& felt) const;

    FeltSource m_source;
    Followed m_place, m_arm;
    Vec3 m_spin = Vec3::Zero();
    // Of another joint in place of the own base:
    Goal m_felt;
    Vec3 m_lever = Vec3::Zero();  // to the tip, in its axes
    Cuts::Step m_went;
};

}  // namespace nutatio::layers::jiggle
