// The stack stepped by hand, one moment at a time: what Tug runs. The same movers as baking, through the same two calls.
#pragma once

#include <deque>
#include <functional>

#include "layers/mover.h"
#include "pipeline/context.h"
#include "pipeline/evaluate.h"

namespace nutatio::pipeline {

/// One actor under its acting layers, live. Owns copies of all it needs of the scene but the actors.
class Live {
  public:
    /// A moment of the body: locals of all joints, the frame of the shot whose settings and other actors hold, and the time [s].
    struct Moment {
        std::vector<Xform> locals;
        int frame = 0;
        double time = 0;
    };
    /// The body so many steps after the start; nothing when that is not known yet, as a hand's way is not.
    using Body = std::function<std::optional<Moment>(int step)>;

    Live(const scene::Scene& scene, const std::string& actor, Evaluator& evaluator);
    /// Lays everything along the body's first moment, which must be known. Steps are `dt` [s] apart.
    void start(double dt, Body body);
    /// Moves on by one step. Where the body is known as many steps ahead as there are layers, the motion is bit for bit what is
    /// baked; where it is not, a layer takes it that the body holds still from there on.
    void step();
    /// A hand has hold of a joint and pulls it there [units of the actor] from the next step on; nothing: it has let go.
    void pull(int joint, std::optional<Vec3> to) {
        m_pulled = joint;
        m_pullTo = to;
    }
    /// What the stack makes of the moment stepped to.
    const std::vector<Xform>& result() const { return m_result; }
    /// And of the surface: what its layers add to places of vertices, as a motion of one frame. Null: nothing.
    TrackPtr surface() const;

  private:
    struct Level {
        const scene::Layer* layer;
        const layers::LayerKind* kind;
        std::unique_ptr<layers::LayerContext> context;
        layers::Movers movers;
        std::vector<layers::Moved> moves;
        std::optional<layers::Shares> shares;
        std::deque<Moment> made;                       // from step `first` on
        double remembers = 0;                          // [s] of what is below that a filter runs over
        std::deque<Moment> past;                       // that much of it, the newest last
        std::deque<std::vector<rig::PatchPtr>> moved;  // of vertices, beside each of `made`
        int first = 0;
        bool onSurface = false;  // something that it meets or follows stands on a spot of its own actor
        rig::Track surface;      // then: how that bends below the level at the step that is made, as a motion of one frame
    };
    const Moment* at(std::size_t level, int step);
    void make(Level& level, std::size_t above, int step);
    /// Gives a level the surface below it.
    void bend(Level& level, std::size_t below, const Moment& now, int step);
    /// A filter over what it remembers, at the shot's rate; its newest frame goes into `locals`.
    void recall(Level& level, const Moment& now, std::vector<Xform>& locals) const;

    scene::Scene m_scene;
    std::shared_ptr<const scene::Shot> m_shot;
    ItemsOfShot m_items;
    std::vector<TrackPtr> m_others;
    TrackPtr m_clip;  // the actor's own body, whose morphs bend it
    std::vector<Level> m_levels;
    std::deque<Moment> m_body;  // from step m_first on
    Body m_source;
    std::vector<Xform> m_result, m_scratch;
    int m_pulled = rig::kNoJoint;
    std::optional<Vec3> m_pullTo;
    double m_dt = 0;
    int m_step = 0, m_first = 0;
};

}  // namespace nutatio::pipeline
