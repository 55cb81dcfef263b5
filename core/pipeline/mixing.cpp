#include "pipeline/mixing.h"

#include <algorithm>

#include "rig/morph_targets.h"

namespace nutatio::pipeline {

Changed mixedOver(const rig::Track& below, const Changed& made, const rig::Actor& actor, const layers::Shares& shares,
                  const std::vector<layers::Moved>& moves, const scene::Seal* sealed) {
    const int frames = below.frames();
    Changed out;
    for (const auto& [joint, column] : made.joints) {
        const auto moved =
            std::find_if(moves.begin(), moves.end(), [&, joint = joint](const layers::Moved& m) { return m.joint == joint; });
        const double along = moved == moves.end() ? 0 : moved->along;
        rig::Column c(static_cast<std::size_t>(frames));
        for (int f = 0; f < frames; ++f) {
            const Xform& above = column->size() == 1 ? column->front() : (*column)[static_cast<std::size_t>(f)];
            c[static_cast<std::size_t>(f)] =
                sealed && sealed->holds(f) ? above : layers::mixed(below.at(joint, f), above, shares.at(f, along));
        }
        out.joints.emplace_back(joint, std::make_shared<const rig::Column>(std::move(c)));
    }
    for (const auto& patch : made.patches) {
        rig::Patch p = *patch;
        for (int f = 0; f < frames; ++f) {
            if (sealed && sealed->holds(f)) continue;
            const auto share = static_cast<float>(shares.at(f, 0));
            for (std::size_t v = 0; v < p.vertices.size(); ++v)
                p.offsets[static_cast<std::size_t>(f) * p.vertices.size() + v] *= share;
        }
        out.patches.push_back(std::make_shared<const rig::Patch>(std::move(p)));
    }
    for (const auto& morph : made.morphs) {
        rig::MorphColumn m = *morph;
        const rig::Morph was = rig::morphOf(actor, below, m.of.instance);
        for (int f = 0; f < frames; ++f) {
            float& v = m.weights[static_cast<std::size_t>(f)];
            const float from = was.frame(f)[m.of.target];
            v = from + static_cast<float>(shares.at(f, 0)) * (v - from);
        }
        out.morphs.push_back(std::make_shared<const rig::MorphColumn>(std::move(m)));
    }
    return out;
}

}  // namespace nutatio::pipeline
