#include "pipeline/plan.h"

#include <algorithm>

#include "layers/meeting.h"
#include "layers/registry.h"

namespace nutatio::pipeline {

void Plan::resolve(const scene::FedCurves* fed) {
    shares.reset();
    settings = std::make_shared<const scene::Resolved>(*layer, kind->settings, shot->keysOf({scene::List::Layers, layer->id}),
                                                       shot->fps, frames, fed, shot->period(frames));
    shares.emplace(*kind, settings, shot->windowOf(layer->id, frames));
    morphs = kind->morphs ? kind->morphs(*actor, *settings) : std::vector<rig::MorphId>();
    Hasher h;
    h.text(layer->kind);
    settings->hash(h, shares->mix(), shares->amount());
    const auto reachOf = kind->meets ? kind->meets->reach : nullptr;
    reach = reachOf ? reachOf(*actor, *layer, *settings) : 0;
    const auto apart = layers::apartOf(*layer, settings);
    for (const auto& [joint, own] : apart) {
        h.text(joint);
        own->hash(h, shares->mix(), shares->amount());
        if (reachOf) reach = std::max(reach, reachOf(*actor, *layer, *own));
    }
    key = h.done();
}

const Plan& Plans::of(const std::shared_ptr<const scene::Layer>& layer, const std::shared_ptr<const scene::Shot>& shot,
                      const scene::ActorEntry& entry, int frames) {
    Plan& p = m_plans[layer->id];
    const bool known = p.layer == layer && p.actor == entry.actor;
    if (known && p.shot == shot && p.frames == frames) return p;
    if (!known) {
        p = {};
        p.layer = layer;
        p.actor = entry.actor;
        p.kind = layers::findKind(layer->kind);
        if (!p.kind)
            p.problem = "this version has no layer kind \"" + layer->kind + "\"";
        else if (const auto problem = p.kind->problem(*entry.actor, *layer))
            p.problem = *problem;
    }
    p.shot = shot;
    p.frames = frames;
    if (!p.problem.empty()) return p;
    p.resolve(nullptr);
    if (known) return p;
    const rig::Skeleton& s = entry.actor->skeleton;
    p.moves = p.kind->moves(*entry.actor, *layer);
    // It may look at all that hangs on what it moves, and at what that hangs on.
    std::vector<char> below(static_cast<std::size_t>(s.size()), false), above = below;
    for (const layers::Moved& m : p.moves) {
        below[static_cast<std::size_t>(m.joint)] = true;
        for (int j = m.joint; j != rig::kNoJoint && !above[static_cast<std::size_t>(j)]; j = s.joint(j).parent)
            above[static_cast<std::size_t>(j)] = true;
    }
    // And at other joints that its settings name.
    for (const scene::SettingSpec& row : p.kind->settings)
        if (row.type == scene::SettingType::Mount)
            if (auto named = scene::mountIn(s, layer->actor, layer->text(row.id));
                named && (named->actor != layer->actor || named->spot))
                p.elsewhere.push_back(std::move(*named));
    for (const scene::SettingSpec& row : p.kind->settings)
        if (row.type == scene::SettingType::Joint || row.type == scene::SettingType::Mount)
            for (int j = s.find(layer->text(row.id)); j != rig::kNoJoint && !above[static_cast<std::size_t>(j)];
                 j = s.joint(j).parent)
                above[static_cast<std::size_t>(j)] = true;
    if (p.kind->reads)
        for (int read : p.kind->reads(*entry.actor, *layer))
            for (int j = read; j != rig::kNoJoint && !above[static_cast<std::size_t>(j)]; j = s.joint(j).parent)
                above[static_cast<std::size_t>(j)] = true;
    for (int j : s.order())
        if (const int up = s.joint(j).parent; up != rig::kNoJoint && below[static_cast<std::size_t>(up)])
            below[static_cast<std::size_t>(j)] = true;
    for (const layers::Moved& m : p.moves)
        if (const int up = s.joint(m.joint).parent; up == rig::kNoJoint || !below[static_cast<std::size_t>(up)])
            p.roots.push_back(m.joint);
    for (int j = 0; j < s.size(); ++j) {
        if (below[static_cast<std::size_t>(j)]) p.writes.push_back(j);
        if (below[static_cast<std::size_t>(j)] || above[static_cast<std::size_t>(j)]) p.reads.push_back(j);
    }
    return p;
}

}  // namespace nutatio::pipeline
