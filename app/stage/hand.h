// The steps of a tug: where the hand pulls the body to, and what the live stack makes of that. Knows no clock and no window.
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "physics/oscillator.h"
#include "pipeline/live.h"
#include "rig/sides.h"

namespace nutatio::app {

class Hand {
  public:
    static constexpr double kRate = 60;  // steps a second

    /// What holds while some steps are made.
    struct Ask {
        std::optional<scene::Scene> anew;  // the stack is made anew from this scene, and goes on from where the body is
        std::string actor;
        int joint = 0;
        pipeline::TrackPtr body;  // without the hand; null: the actor's rest pose
        int frame = 0;            // of the shot, in which all this happens
        bool holds = false;
        std::optional<Vec3> target;  // where the hand is [units of the actor]
        int steps = 0;
        bool turns = false;                     // the joint itself turns after the hand; else what it hangs on does
        bool mirrored = false;                  // what it does to joints their fellows do too
        std::vector<int> still;                 // joints that stay where they are, as they are turned
        std::vector<std::vector<Xform>> poses;  // one a step: the body goes by itself, without a hand
    };
    struct Made {
        std::vector<Xform> body, result;         // after the last step
        pipeline::TrackPtr surface;              // what layers do to the surface then; null: nothing
        std::vector<std::vector<Xform>> bodies;  // after each
        int calm = 0;                            // steps for which nothing has pulled and the body was back
    };

    Hand();
    /// Called for one Ask after the other, from whatever thread; the first one must bring a scene.
    Made move(const Ask& ask, pipeline::Evaluator& evaluator);

  private:
    void begin(const Ask& ask, pipeline::Evaluator& evaluator);
    void readPose(const Ask& ask);
    void step(const Ask& ask);
    /// The pose with the hand on it.
    void put(const Ask& ask);

    physics::Oscillator m_back;
    Vec3 m_offset = Vec3::Zero(), m_speed = Vec3::Zero();
    std::shared_ptr<const rig::Actor> m_actor;
    std::unique_ptr<pipeline::Live> m_live;
    std::optional<rig::Mirror> m_mirror;
    std::vector<Affine> m_worlds;
    std::vector<Xform> m_pose, m_body;  // without the hand, and with it
    Vec3 m_place = Vec3::Zero();        // of the joint without the hand
    int m_frame = 0, m_steps = 0, m_calm = 0;
};

}  // namespace nutatio::app
