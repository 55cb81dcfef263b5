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
    for (const scene::Layer& l : m_scene.layers) {
        const layers::LayerKind* kind = layers::findKind(l.kind);
        if (l.actor != actorId || !kind || !m_scene.acts(l) || kind->problem(*entry.actor, l)) continue;
        layers::LayerContext context = contextOf(m_scene, entry, l);
        context.others = others;
        m_layers.push_back({&l, kind->parts(context, layers::PoseView(rest))});
    }
}

void Live::start(double dt, const std::vector<Xform>& locals, int frame) {
    m_time = frame * dt;
    run(dt, locals, frame, true);
}

void Live::step(double dt, const std::vector<Xform>& locals, int frame) {
    m_time += dt;
    run(dt, locals, frame, false);
}

void Live::run(double dt, const std::vector<Xform>& locals, int frame, bool first) {
    m_result = locals;
    for (Running& r : m_layers) {
        const std::vector<Xform> below = m_result;
        const layers::PoseView pose(below, frame, m_time);
        const double mix = r.layer->numberAt("mix", frame);
        for (const auto& part : r.parts) {
            if (first)
                part->start(dt, pose, pose);
            else
                part->step(dt, pose, pose);
            m_scratch.resize(part->joints().size());
            part->write(pose, m_scratch);
            for (std::size_t k = 0; k < m_scratch.size(); ++k)
                m_result[static_cast<std::size_t>(part->joints()[k])] =
                    layers::mixed(below[static_cast<std::size_t>(part->joints()[k])], m_scratch[k], mix);
        }
    }
}

}  // namespace nutatio::pipeline
