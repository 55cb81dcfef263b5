#include "layers/context_of.h"

#include "layers/registry.h"

namespace nutatio::layers {

LayerContext ContextOf::of(const scene::Layer& layer, ResolvedPtr settings) const {
    const LayerKind& kind = *findKind(layer.kind);
    LayerContext c{*m_actor.actor, layer, std::move(settings), scene::placementOf(m_actor)};
    c.apart = apartOf(layer, c.settings);
    if (const auto spans = m_shot.intervals.find(layer.id); kind.readsSpans && spans != m_shot.intervals.end())
        c.spans = spans->second;
    for (double cut : m_shot.cuts)
        if (const int f = m_shot.frameOf(cut); c.cuts.empty() || f > c.cuts.back()) c.cuts.push_back(f);
    for (const scene::SettingSpec& row : kind.settings)
        if (row.type == scene::SettingType::Region && m_regions)
            if (auto region = m_regions(layer.text(row.id))) c.regions.emplace(row.id, std::move(region));
    return c;
}

double ContextOf::periodOf(const rig::Track& body) const {
    return m_shot.loop != scene::Loop::Once ? body.lap(*m_actor.actor) / body.grid().fps : 0;
}

}  // namespace nutatio::layers
