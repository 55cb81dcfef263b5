// The stack stepped by hand, one moment at a time: what Tug runs. The same parts as baking, through the same two calls.
#pragma once

#include "layers/layer_kind.h"
#include "pipeline/evaluate.h"

namespace nutatio::pipeline {

/// The colliders that strands meet: switched on, with a joint to ride on, and not fitted to a joint that a layer makes swing.
std::vector<const scene::Collider*> collidersMet(const scene::Scene& scene);

/// The context of a layer as evaluation gives it, with the scene's collidersMet; `others` and their tracks must outlive what is
/// made from it.
layers::LayerContext contextOf(const scene::Scene& scene, const scene::ActorEntry& entry, const scene::Layer& layer,
                               std::vector<const scene::Collider*> colliders);

/// One actor under its acting layers, live. Owns copies of all it needs of the scene but the actors.
class Live {
  public:
    Live(const scene::Scene& scene, const std::string& actor, Evaluator& evaluator);
    /// Lays everything along body pose `locals`. `next`: the body's pose one `dt` later, where it is known; a hand's is not.
    void start(double dt, const std::vector<Xform>& locals, int frame, const std::vector<Xform>* next = nullptr);
    /// Moves on by `dt` [s] to body pose `locals`; `frame` of the shot says which keys and other actors hold. With `next` given
    /// the lowest layer of the stack moves bit for bit as it is baked.
    void step(double dt, const std::vector<Xform>& locals, int frame, const std::vector<Xform>* next = nullptr);
    /// What the stack makes of it.
    const std::vector<Xform>& result() const { return m_result; }

  private:
    void run(double dt, const std::vector<Xform>& locals, int frame, const std::vector<Xform>* next, bool first);
    struct Running {
        const scene::Layer* layer;
        layers::Parts parts;
    };
    scene::Scene m_scene;
    std::vector<TrackPtr> m_others;
    std::vector<Running> m_layers;
    std::vector<Xform> m_result, m_scratch;
    int m_frame = 0, m_elapsed = 0;  // where it began, and steps since
};

}  // namespace nutatio::pipeline
