#include "layers/touchup/morph_channels.h"

#include <algorithm>

#include "rig/morph_targets.h"

namespace nutatio::layers::touchup {

namespace {

std::vector<std::string> namesIn(const scene::Resolved& s) {
    std::vector<std::string> names = s.channels("weight");
    for (std::string& more : s.channels("more_weight"))
        if (std::find(names.begin(), names.end(), more) == names.end()) names.push_back(std::move(more));
    return names;
}

}  // namespace

std::vector<rig::MorphId> morphsOf(const rig::Actor& actor, const scene::Resolved& settings) {
    std::vector<rig::MorphId> out;
    for (const std::string& name : namesIn(settings))
        if (const auto target = rig::findMorphTarget(actor, name)) out.push_back({target->instance, target->target});
    return out;
}

std::vector<rig::MorphColumnPtr> touchedMorphs(const LayerContext& context, const rig::Track& below,
                                               std::vector<std::string>& remarks) {
    const scene::Resolved& s = *context.settings;
    std::vector<rig::MorphColumnPtr> out;
    for (const std::string& name : namesIn(s)) {
        const auto target = rig::findMorphTarget(context.actor, name);
        if (!target) {
            remarks.push_back("there is no morph target \"" + name + "\"");
            continue;
        }
        const auto known = below.morphs().find(target->instance);
        const float rest = rig::restWeight(context.actor, *target);
        auto column = std::make_shared<rig::MorphColumn>();
        column->of = {target->instance, target->target};
        for (int f = 0; f < below.frames(); ++f) {
            const float was = known == below.morphs().end() ? rest : known->second->frame(f)[target->target];
            column->weights.push_back(rest +
                                      static_cast<float>(1 + s.at(scene::channelId("more_weight", name), f)) * (was - rest) +
                                      static_cast<float>(s.at(scene::channelId("weight", name), f)));
        }
        out.push_back(std::move(column));
    }
    return out;
}

}  // namespace nutatio::layers::touchup
