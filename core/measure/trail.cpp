#include "measure/trail.h"

#include "rig/mesh.h"
#include "rig/morph_targets.h"

namespace nutatio::measure {

namespace {

/// The vertex in bind space, morphed and moved as the frame has it.
Vec3f bentAt(const rig::Primitive& p, const rig::Track& track, const SurfaceSpot& spot, const rig::Morph& weights,
             std::uint32_t vertex, int frame) {
    Vec3f out = p.positions[vertex];
    for (int t = 0; t < weights.targets && t < static_cast<int>(p.morphs.size()); ++t)
        if (const auto& offsets = p.morphs[static_cast<std::size_t>(t)].positions; !offsets.empty())
            out += weights.frame(frame)[t] * offsets[vertex];
    if (const auto at = track.patches().find({spot.instance, spot.primitive}); at != track.patches().end())
        for (std::size_t k = 0; k < at->second->vertices.size(); ++k)
            if (at->second->vertices[k] == vertex) out += at->second->frame(frame)[k];
    return out;
}

}  // namespace

std::vector<Vec3> wayOf(const rig::Actor& actor, const rig::Track& track, int joint, const std::optional<SurfaceSpot>& spot) {
    std::vector<Vec3> out;
    std::vector<Xform> locals;
    std::vector<Affine> worlds;
    const rig::Morph weights = spot ? rig::morphOf(actor, track, spot->instance) : rig::Morph{};
    for (int f = 0; f < track.frames(); ++f) {
        track.pose(f, locals);
        rig::worldTransforms(actor.skeleton, locals, worlds);
        if (!spot) {
            out.push_back(worlds[static_cast<std::size_t>(joint)].t);
            continue;
        }
        const rig::MeshInstance& in = actor.instances[static_cast<std::size_t>(spot->instance)];
        const rig::Primitive& p =
            actor.meshes[static_cast<std::size_t>(in.mesh)].primitives[static_cast<std::size_t>(spot->primitive)];
        const std::vector<rig::Bone> bones = rig::bonesOf(actor, in, worlds);
        Vec3f place = Vec3f::Zero();
        for (std::size_t c = 0; c < 3; ++c) {
            const Vec3f at = bentAt(p, track, *spot, weights, spot->corners[c], f);
            Vec3f posed = Vec3f::Zero();
            if (in.skin < 0 || p.influences.empty()) {
                posed = bones.back().m * at + bones.back().t;
            } else {
                const rig::Influence& by = p.influences[spot->corners[c]];
                for (std::size_t k = 0; k < by.joint.size(); ++k)
                    if (by.weight[k] > 0) posed += by.weight[k] * (bones[by.joint[k]].m * at + bones[by.joint[k]].t);
            }
            place += spot->shares[c] * posed;
        }
        out.push_back(place.cast<double>());
    }
    return out;
}

std::vector<Affine> seenFrom(const rig::Actor& actor, const rig::Track& track, int joint, bool overGroundAlone) {
    std::vector<Affine> out;
    for (int f = 0; f < track.frames(); ++f) {
        Affine world{Mat3::Identity(), Vec3::Zero()};
        for (int j = joint; j != rig::kNoJoint; j = actor.skeleton.joint(j).parent) world = track.at(j, f).affine() * world;
        if (overGroundAlone)
            world = {Mat3::Identity(), Vec3(world.t.x(), 0, world.t.z())};
        else
            world.m = rotationOf(world.m).toRotationMatrix();
        out.push_back(world);
    }
    return out;
}

}  // namespace nutatio::measure
