#include "rig/morph_targets.h"

#include <algorithm>

namespace nutatio::rig {

namespace {

int targetsOf(const Mesh& mesh) {
    std::size_t n = 0;
    for (const Primitive& p : mesh.primitives) n = std::max(n, p.morphs->size());
    return static_cast<int>(n);
}

const Mesh& meshOf(const Actor& actor, int instance) {
    return (*actor.meshes)[static_cast<std::size_t>((*actor.instances)[static_cast<std::size_t>(instance)].mesh)];
}

}  // namespace

std::vector<std::pair<std::string, MorphTargetOf>> morphTargets(const Actor& actor) {
    std::vector<std::pair<std::string, MorphTargetOf>> out;
    for (std::size_t i = 0; i < actor.instances->size(); ++i) {
        const MeshInstance& in = (*actor.instances)[i];
        const Mesh& mesh = meshOf(actor, static_cast<int>(i));
        for (int t = 0; t < targetsOf(mesh); ++t) {
            const auto at = static_cast<std::size_t>(t);
            const bool named = at < mesh.targets.size() && !mesh.targets[at].empty() &&
                               std::count(mesh.targets.begin(), mesh.targets.end(), mesh.targets[at]) == 1;
            out.emplace_back(actor.skeleton.reference(in.joint) + '/' + (named ? mesh.targets[at] : std::to_string(t + 1)),
                             MorphTargetOf{static_cast<int>(i), t});
        }
    }
    return out;
}

std::optional<MorphTargetOf> findMorphTarget(const Actor& actor, std::string_view name) {
    for (const auto& [called, target] : morphTargets(actor))
        if (called == name) return target;
    return std::nullopt;
}

float restWeight(const Actor& actor, const MorphTargetOf& target) {
    const std::vector<float>& weights = meshOf(actor, target.instance).weights;
    return static_cast<std::size_t>(target.target) < weights.size() ? weights[static_cast<std::size_t>(target.target)] : 0;
}

Morph morphOf(const Actor& actor, const Track& track, int instance) {
    if (const auto at = track.morphs().find(instance); at != track.morphs().end()) return *at->second;
    Morph m;
    m.instance = instance;
    m.targets = targetsOf(meshOf(actor, instance));
    for (int f = 0; f < track.frames(); ++f)
        for (int t = 0; t < m.targets; ++t) m.weights.push_back(restWeight(actor, {instance, t}));
    return m;
}

void replace(Track& track, const Actor& actor, const MorphColumn& column) {
    auto made = std::make_shared<Morph>(morphOf(actor, track, column.of.instance));
    for (std::size_t f = 0; f < column.weights.size(); ++f)
        made->weights[f * static_cast<std::size_t>(made->targets) + static_cast<std::size_t>(column.of.target)] =
            column.weights[f];
    track.replace(MorphPtr(std::move(made)));
}

}  // namespace nutatio::rig
