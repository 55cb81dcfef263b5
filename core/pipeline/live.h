// The stack stepped by hand, one moment at a time: what Tug runs. The same parts as baking, through the same two calls.
#pragma once

#include "layers/layer_kind.h"
#include "pipeline/evaluate.h"

namespace nutatio::pipeline {

/// The context of a layer as evaluation gives it; `others` and their tracks must outlive what is made from it.
layers::LayerContext contextOf(const scene::Scene& scene, const scene::ActorEntry& entry, const scene::Layer& layer);

/// One actor under its acting layers, live. Owns copies of all it needs of the scene but the actors.
class Live {
  public:
    Live(const scene::Scene& scene, const std::string& actor, Evaluator& evaluator);
    /// Lays everything along body pose `locals`.
    void start(double dt, const std::vector<Xform>& locals, int frame);
    /// Moves on by `dt` [s] to body pose `locals`; `frame` of the shot says which keys and other actors hold.
    void step(double dt, const std::vector<Xform>& locals, int frame);
    /// What the stack makes of it.
    const std::vector<Xform>& result() const { return m_result; }

  private:
    void run(double dt, const std::vector<Xform>& locals, int frame, bool first);
    struct Running {
        const scene::Layer* layer;
        layers::Parts parts;
    };
    scene::Scene m_scene;
    std::vector<TrackPtr> m_others;
    std::vector<Running> m_layers;
    std::vector<Xform> m_result, m_scratch;
    double m_time = 0;
};

}  // namespace nutatio::pipeline
