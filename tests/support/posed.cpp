#include "tests/support/posed.h"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "demo/gltf_builder.h"

namespace nutatio::test {

double vertexDifference(const rig::Actor& a, const std::vector<Xform>& poseA, const rig::Actor& b,
                        const std::vector<Xform>& poseB) {
    const auto posed = [&](const rig::Actor& actor, const std::vector<Xform>& locals) {
        std::vector<Affine> worlds;
        rig::worldTransforms(actor.skeleton, locals, worlds);
        std::vector<Vec3f> all;
        for (const rig::MeshInstance& in : actor.instances)
            for (const rig::Primitive& p : actor.meshes[static_cast<std::size_t>(in.mesh)].primitives) {
                rig::PosedVertices out;
                rig::poseVertices(actor, in, p, worlds, {}, out);
                all.insert(all.end(), out.positions.begin(), out.positions.end());
            }
        return all;
    };
    const std::vector<Vec3f> x = posed(a, poseA), y = posed(b, poseB);
    REQUIRE(x.size() == y.size());
    double most = 0;
    for (std::size_t v = 0; v < x.size(); ++v) most = std::max(most, static_cast<double>((x[v] - y[v]).norm()));
    return most;
}

std::filesystem::path boxFile(const std::filesystem::path& folder) {
    demo::GltfBuilder out;
    demo::Surface slab;
    for (const Vec3& corner : {Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(1, 0, 1), Vec3(0, 0, 1)})
        slab.vertices.push_back({corner, Vec3::UnitY(), Vec3::Ones(), {}});
    slab.triangles = {0, 2, 1, 0, 3, 2};
    const int box = out.mesh("box", slab), lid = out.mesh("lid", slab, false, box);
    out.json()["nodes"][static_cast<std::size_t>(box)]["name"] = "box";
    out.json()["nodes"][static_cast<std::size_t>(lid)]["name"] = "lid";
    std::vector<std::vector<Xform>> frames(13, std::vector<Xform>(2));
    for (std::size_t f = 0; f < frames.size(); ++f) {
        frames[f][static_cast<std::size_t>(lid)].t = Vec3(0, 1, 0);
        frames[f][static_cast<std::size_t>(lid)].r = fromRotationVector(Vec3(0, 0, 0.08 * static_cast<double>(f)));
    }
    out.clip("Open", 24, frames);
    const std::filesystem::path file = folder / "box.gltf";
    out.writeGltf(file);
    return file;
}

}  // namespace nutatio::test
