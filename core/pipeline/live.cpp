#include "pipeline/live.h"

#include "layers/registry.h"
#include "layers/run.h"

namespace nutatio::pipeline {

Live::Live(const scene::Scene& scene, const std::string& actorId, Evaluator& evaluator) : m_scene(scene) {
    const scene::ActorEntry& entry = *m_scene.actor(actorId);
    std::vector<layers::LayerContext::Other> others;
    for (const scene::ActorEntry& a : m_scene.actors) {
        if (a.id == actorId) continue;
        m_others.push_back(evaluator.bodyOf(m_scene, a));
        others.push_back({a.id, a.actor.get(), m_others.back().get()});
    }
    const std::vector<Xform> rest = entry.actor->restPose();
    const std::vector<const scene::Collider*> colliders = collidersMet(m_scene);
    const TrackPtr body = evaluator.bodyOf(m_scene, entry);
    const double period = body->closes(*entry.actor) ? (body->frames() - 1) / body->grid().fps : 0;
    for (const scene::Layer& l : m_scene.layers) {
        const layers::LayerKind* kind = layers::findKind(l.kind);
        if (l.actor != actorId || !kind || !m_scene.acts(l) || kind->problem(*entry.actor, l)) continue;
        layers::LayerContext context = contextOf(m_scene, entry, l, colliders);
        context.others = others;
        context.period = period;
        m_layers.push_back({&l, kind->parts(context, layers::PoseView(rest))});
    }
}

void Live::start(double dt, const std::vector<Xform>& locals, int frame, const std::vector<Xform>* next) {
    m_frame = frame;
    m_elapsed = 0;
    run(dt, locals, frame, next, true);
}

void Live::step(double dt, const std::vector<Xform>& locals, int frame, const std::vector<Xform>* next) {
    ++m_elapsed;
    run(dt, locals, frame, next, false);
}

void Live::run(double dt, const std::vector<Xform>& locals, int frame, const std::vector<Xform>* next, bool first) {
    m_result = locals;
    for (Running& r : m_layers) {
        const std::vector<Xform> below = m_result;
        const bool lowest = &r == &m_layers.front();
        const layers::PoseView pose(below, frame, (m_frame + m_elapsed) * dt),
            after = next && lowest ? layers::PoseView(*next, frame + 1, (m_frame + m_elapsed + 1) * dt) : pose;
        const double mix = r.layer->numberAt("mix", frame);
        for (const auto& part : r.parts) {
            if (first)
                part->start(dt, pose, after);
            else
                part->step(dt, pose, after);
            m_scratch.resize(part->joints().size());
            part->write(pose, m_scratch);
            for (std::size_t k = 0; k < m_scratch.size(); ++k)
                m_result[static_cast<std::size_t>(part->joints()[k])] =
                    layers::mixed(below[static_cast<std::size_t>(part->joints()[k])], m_scratch[k], mix);
        }
    }
}

}  // namespace nutatio::pipeline
