// The demo world that ships: sound files, an even body, motion without kinks.
#include <catch2/catch.hpp>
#include <map>

#include "files/gltf_writer.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
namespace fs = std::filesystem;

namespace {

const fs::path kAssets = fs::path(NUTATIO_SOURCE_DIR) / "demo/assets";

std::vector<Affine> restWorlds(const rig::Actor& a) {
    std::vector<Affine> w;
    rig::worldTransforms(a.skeleton, a.restPose(), w);
    return w;
}

}  // namespace

TEST_CASE("what ships validates, and what is baked from it") {
    for (const char* name : {"otter.glb", "jetty.glb"}) test::checkValid(kAssets / name);
    auto opened = pipeline::open(fs::path(NUTATIO_SOURCE_DIR) / "demo/lake-landing.nutatio");
    REQUIRE(opened.ok());
    CHECK(opened.value().warnings.empty());
    test::TempFolder f;
    pipeline::Evaluator e;
    for (const char* out : {"out.glb", "out.gltf"}) {
        const auto baked = pipeline::bake(opened.value().scene, {}, f / out, e, {});
        REQUIRE(baked.ok());
        test::checkValid(f / out);
    }
}

TEST_CASE("a vertex of the otter names each joint once, and its weights add up to 1") {
    const auto otter = test::read(kAssets / "otter.glb");
    for (const rig::Mesh& m : otter->meshes)
        for (const rig::Primitive& p : m.primitives)
            for (const rig::Influence& w : p.influences) {
                std::map<int, int> seen;
                float sum = 0;
                for (std::size_t k = 0; k < 8 && w.weight[k] > 0; ++k) {
                    REQUIRE(++seen[w.joint[k]] == 1);
                    sum += w.weight[k];
                }
                REQUIRE(std::abs(sum - 1) < 1e-6f);
            }
}

TEST_CASE("the otter's sides are alike: bones of the left are as long as those of the right") {
    const auto otter = test::read(kAssets / "otter.glb");
    const std::vector<Affine> w = restWorlds(*otter);
    const rig::Skeleton& s = otter->skeleton;
    int pairs = 0;
    for (int j = 0; j < s.size(); ++j) {
        const std::string& name = s.joint(j).name;
        if (name.size() < 3 || name.substr(name.size() - 2) != "_L" || s.joint(j).parent < 0) continue;
        const int other = s.find(name.substr(0, name.size() - 2) + "_R");
        REQUIRE(other >= 0);
        const auto length = [&](int k) {
            return (w[static_cast<std::size_t>(k)].t - w[static_cast<std::size_t>(s.joint(k).parent)].t).norm();
        };
        INFO(name);
        CHECK(length(j) == Approx(length(other)).epsilon(0.01));
        ++pairs;
    }
    CHECK(pairs > 15);
}

TEST_CASE("no joint of the otter kinks in any clip: its turning changes gently from frame to frame") {
    const auto otter = test::read(kAssets / "otter.glb");
    for (std::size_t c = 0; c < otter->clips.size(); ++c) {
        const rig::Track t = rig::bodyTrack(*otter, static_cast<int>(c), rig::FrameGrid::covering(otter->clips[c], 24));
        for (int j = 0; j < t.joints(); ++j)
            for (int f = 1; f + 1 < t.frames(); ++f) {
                const Vec3 before = rotationVector(t.at(j, f).r * t.at(j, f - 1).r.conjugate()),
                           after = rotationVector(t.at(j, f + 1).r * t.at(j, f).r.conjugate());
                INFO(otter->clips[c].name << ", " << otter->skeleton.label(j) << ", frame " << f + 1);
                REQUIRE(degrees((after - before).norm()) < 18);
            }
    }
}

TEST_CASE("the normals of the otter's meshes agree with their faces") {
    const auto otter = test::read(kAssets / "otter.glb");
    for (const rig::Mesh& m : otter->meshes) {
        std::size_t against = 0, corners = 0;
        for (const rig::Primitive& p : m.primitives)
            for (std::size_t t = 0; t + 2 < p.triangles.size(); t += 3) {
                const Vec3f &a = p.positions[p.triangles[t]], &b = p.positions[p.triangles[t + 1]],
                            &c = p.positions[p.triangles[t + 2]];
                const Vec3f n = (b - a).cross(c - a);
                for (std::size_t k = 0; k < 3; ++k) against += n.dot(p.normals[p.triangles[t + k]]) < -0.05f * n.norm();
                corners += 3;
            }
        INFO(m.name << ": " << against << " of " << corners);
        CHECK(static_cast<double>(against) < 0.005 * static_cast<double>(corners));
    }
}

TEST_CASE("the lantern's chain hangs from the pole's hook: no joint is linked to one far off") {
    const auto otter = test::read(kAssets / "otter.glb");
    const std::vector<Affine> w = restWorlds(*otter);
    const int chain = otter->skeleton.find("chain_01");
    REQUIRE(chain >= 0);
    const int above = otter->skeleton.joint(chain).parent;
    CHECK(otter->skeleton.label(above) == "pole_hook");
    CHECK((w[static_cast<std::size_t>(chain)].t - w[static_cast<std::size_t>(above)].t).norm() < 0.02);
}
