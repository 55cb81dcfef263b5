// Where the motion begins anew, so that what hangs on the body is carried across and not thrown.
#pragma once

#include <algorithm>

#include "layers/layer_kind.h"

namespace nutatio::layers {

/// Told by the frames that a person marked, and by jumps that stand out from the frames on both sides: no body moves so for one
/// frame only.
class Cuts {
  public:
    explicit Cuts(const LayerContext& context)
        : m_frames(context.cuts),
          m_height(context.actor.height),
          m_finds(context.settings->text("cuts") == "found"),
          m_minds(context.settings->text("cuts") != "none") {}

    bool marked(int frame) const { return m_minds && std::binary_search(m_frames.begin(), m_frames.end(), frame); }

    /// How far a thing goes from one frame to the next.
    struct Step {
        double travel = 1e30;  // [units]
        double turn = 1e30;    // [rad]
    };
    bool found(const Step& before, const Step& now, const Step& after, double dt) const {
        return m_finds && (farther(now, before, dt) && farther(now, after, dt));
    }
    /// Whether the step after this one looks like a jump; what comes after that is not known yet.
    bool looms(const Step& now, const Step& ahead, double dt) const { return m_finds && farther(ahead, now, dt); }
    static Step between(const Vec3& placeA, const Quat& turnA, const Vec3& placeB, const Quat& turnB) {
        return {(placeB - placeA).norm(), 2 * std::acos(std::min(1.0, std::abs(turnA.dot(turnB))))};
    }

  private:
    bool farther(const Step& step, const Step& beside, double dt) const {
        constexpr double kHeightsPerSecond = 12, kLeast = 0.3, kStandsOut = 8;
        const bool jumped =
            step.travel > std::max(kHeightsPerSecond * dt, kLeast) * m_height && step.travel > kStandsOut * beside.travel;
        const bool spun = step.turn > radians(70) && step.turn > kStandsOut * beside.turn;
        return jumped || spun;
    }
    std::vector<int> m_frames;
    double m_height;
    bool m_finds, m_minds;
};

}  // namespace nutatio::layers
