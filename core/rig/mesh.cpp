#include "rig/mesh.h"

#include "rig/actor.h"

namespace nutatio::rig {

namespace {

void applyMorphs(const Primitive& p, const std::vector<float>& weights, PosedVertices& out) {
    for (std::size_t m = 0; m < p.morphs.size() && m < weights.size(); ++m) {
        const float w = weights[m];
        if (w == 0) continue;
        for (std::size_t v = 0; v < p.morphs[m].positions.size(); ++v) out.positions[v] += w * p.morphs[m].positions[v];
        for (std::size_t v = 0; v < p.morphs[m].normals.size(); ++v) out.normals[v] += w * p.morphs[m].normals[v];
    }
}

struct BoneMatrix {
    Eigen::Matrix3f m;
    Vec3f t;
};

}  // namespace

void poseVertices(const Actor& actor, const MeshInstance& instance, const Primitive& primitive, const std::vector<Affine>& worlds,
                  const std::vector<float>& weights, PosedVertices& out, const MovedVertices& moved) {
    out.positions = primitive.positions;
    out.normals = primitive.normals;
    if (!primitive.morphs.empty())
        applyMorphs(primitive, weights.empty() ? actor.meshes[static_cast<std::size_t>(instance.mesh)].weights : weights, out);
    if (moved.vertices)
        for (std::size_t k = 0; k < moved.vertices->size(); ++k)
            if (const std::size_t v = (*moved.vertices)[k]; v < out.positions.size()) out.positions[v] += moved.offsets[k];
    const bool skinned = instance.skin >= 0 && !primitive.influences.empty();
    std::vector<BoneMatrix> bones;
    if (skinned) {
        // glTF 2.0, 3.7.3.3: a skinned mesh ignores its own node; joint world x inverse bind places it.
        const Skin& skin = actor.skins[static_cast<std::size_t>(instance.skin)];
        for (std::size_t k = 0; k < skin.joints.size(); ++k) {
            const Affine a = worlds[static_cast<std::size_t>(skin.joints[k])] * skin.inverseBind[k];
            bones.push_back({a.m.cast<float>(), a.t.cast<float>()});
        }
    } else {
        const Affine& a = worlds[static_cast<std::size_t>(instance.joint)];
        bones.push_back({a.m.cast<float>(), a.t.cast<float>()});
    }
    for (std::size_t v = 0; v < out.positions.size(); ++v) {
        BoneMatrix b = bones.front();
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
