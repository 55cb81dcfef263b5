#include "rig/mesh.h"

#include <algorithm>

#include "rig/actor.h"

namespace nutatio::rig {

std::vector<Bone> bonesOf(const Actor& actor, const MeshInstance& instance, const std::vector<Affine>& worlds) {
    std::vector<Bone> bones;
    const auto add = [&](const Affine& a) { bones.push_back({a.m.cast<float>(), a.t.cast<float>()}); };
    if (instance.skin >= 0) {
        const Skin& skin = actor.skins[static_cast<std::size_t>(instance.skin)];
        bones.reserve(skin.joints.size() + 1);
        for (std::size_t k = 0; k < skin.joints.size(); ++k)
            add(worlds[static_cast<std::size_t>(skin.joints[k])] * skin.inverseBind[k]);
    }
    add(worlds[static_cast<std::size_t>(instance.joint)]);
    return bones;
}

bool bend(const Actor& actor, const MeshInstance& instance, const Primitive& p, const std::vector<float>& weights,
          const MovedVertices& moved, PosedVertices& out) {
    const std::vector<float>& shown = weights.empty() ? actor.meshes[static_cast<std::size_t>(instance.mesh)].weights : weights;
    const std::size_t morphs = std::min(p.morphs.size(), shown.size());
    const bool morphed =
        std::any_of(shown.begin(), shown.begin() + static_cast<std::ptrdiff_t>(morphs), [](float w) { return w != 0; });
    if (!morphed && !moved.vertices) return false;
    out.positions = p.positions;
    out.normals = p.normals;
    for (std::size_t m = 0; m < morphs; ++m) {
        if (shown[m] == 0) continue;
        for (std::size_t v = 0; v < p.morphs[m].positions.size(); ++v) out.positions[v] += shown[m] * p.morphs[m].positions[v];
        for (std::size_t v = 0; v < p.morphs[m].normals.size(); ++v) out.normals[v] += shown[m] * p.morphs[m].normals[v];
    }
    if (moved.vertices)
        for (std::size_t k = 0; k < moved.vertices->size(); ++k)
            if (const std::size_t v = (*moved.vertices)[k]; v < out.positions.size()) out.positions[v] += moved.offsets[k];
    return true;
}

void poseVertices(const Actor& actor, const MeshInstance& instance, const Primitive& primitive, const std::vector<Affine>& worlds,
                  const std::vector<float>& weights, PosedVertices& out, const MovedVertices& moved) {
    if (!bend(actor, instance, primitive, weights, moved, out)) {
        out.positions = primitive.positions;
        out.normals = primitive.normals;
    }
    const std::vector<Bone> bones = bonesOf(actor, instance, worlds);
    const bool skinned = instance.skin >= 0 && !primitive.influences.empty();
    for (std::size_t v = 0; v < out.positions.size(); ++v) {
        Bone b = bones.back();
        if (skinned) {
            const Influence& f = primitive.influences[v];
            b.m = bones[f.joint[0]].m * f.weight[0];
            b.t = bones[f.joint[0]].t * f.weight[0];
            for (std::size_t k = 1; k < 8 && f.weight[k] > 0; ++k) {
                b.m += bones[f.joint[k]].m * f.weight[k];
                b.t += bones[f.joint[k]].t * f.weight[k];
            }
        }
        out.positions[v] = b.m * out.positions[v] + b.t;
        out.normals[v] = (b.m * out.normals[v]).normalized();
    }
}

}  // namespace nutatio::rig
