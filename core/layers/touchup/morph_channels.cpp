#include "layers/touchup/morph_channels.h"

#include <algorithm>
#include <map>

#include "rig/morph_targets.h"

namespace nutatio::layers::touchup {

std::vector<rig::MorphPtr> touchedMorphs(const LayerContext& context, const rig::Track& below,
                                         std::vector<std::string>& remarks) {
    const scene::Resolved& s = *context.settings;
    std::vector<std::string> names = s.channels("weight");
    for (std::string& more : s.channels("more_weight"))
        if (std::find(names.begin(), names.end(), more) == names.end()) names.push_back(std::move(more));
    std::map<int, rig::Morph> made;
    for (const std::string& name : names) {
        const auto target = rig::findMorphTarget(context.actor, name);
        if (!target) {
            remarks.push_back("there is no morph target \"" + name + "\"");
            continue;
        }
        rig::Morph& m = made[target->instance];
        if (m.weights.empty()) m = rig::morphOf(context.actor, below, target->instance);
        const auto at = static_cast<std::size_t>(target->target);
        const float rest = rig::restWeight(context.actor, *target);
        for (int f = 0; f < below.frames(); ++f) {
            float& w = m.weights[static_cast<std::size_t>(f) * static_cast<std::size_t>(m.targets) + at];
            w = rest + static_cast<float>(1 + s.at(scene::channelId("more_weight", name), f)) * (w - rest) +
                static_cast<float>(s.at(scene::channelId("weight", name), f));
        }
    }
    std::vector<rig::MorphPtr> out;
    for (auto& [instance, m] : made) out.push_back(std::make_shared<const rig::Morph>(std::move(m)));
    return out;
}

}  // namespace nutatio::layers::touchup
