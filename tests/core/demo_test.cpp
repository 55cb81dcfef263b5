// The demo world that ships: sound files, an even body, motion without kinks.
#include <catch2/catch.hpp>
#include <map>

#include "files/gltf_writer.h"
#include "files/scene_file.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
namespace fs = std::filesystem;

namespace {

const fs::path kAssets = fs::path(test::sourceFolder()) / "demo/assets";

std::vector<Affine> restWorlds(const rig::Actor& a) {
    std::vector<Affine> w;
    rig::worldTransforms(a.skeleton, a.restPose(), w);
    return w;
}

}  // namespace

TEST_CASE("what ships validates, and what is baked from it") {
    for (const char* name : {"otter.glb", "jetty.glb"}) test::checkValid(kAssets / name);
    auto opened = pipeline::open(fs::path(test::sourceFolder()) / "demo/lake-landing.nutatio");
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

TEST_CASE(
    "the lantern walk: all that is tuned over time in it acts, comes back from its file to the bit, and is baked as it is seen") {
    auto opened = pipeline::open(fs::path(test::sourceFolder()) / "demo/lantern-walk.nutatio");
    REQUIRE(opened.ok());
    CHECK(opened.value().warnings.empty());
    scene::Scene s = opened.value().scene;
    const pipeline::Evaluation seen = test::evaluate(s);
    for (const pipeline::LayerResult& l : seen.actors.front().layers) {
        INFO(l.id << ": " << l.problem << l.idle);
        CHECK_FALSE(l.changed.empty());
    }
    for (const auto& g : seen.gauges) CHECK(g->problem.empty());
    // The rattle follows the speed over the jetty, the pose the thigh; the wind is weak at first and strong in the middle.
    const auto fed = [&](const char* layer, const char* setting) { return seen.layer(layer)->settings->span(setting); };
    CHECK(fed("lantern-sway", "size").second > 1.05 * fed("lantern-sway", "size").first);
    CHECK(fed("upper_arm_L-touchup", "pose").first < -0.8);
    CHECK(fed("upper_arm_L-touchup", "pose").second > 0.8);
    CHECK(s.numberAt({scene::List::Winds, "wind"}, "speed", 14) > 5 * s.numberAt({scene::List::Winds, "wind"}, "speed", 0));
    // An arm that opposes its leg: hand and foot go to and fro against one another.
    const rig::Skeleton& k = s.actors.front().actor->skeleton;
    const auto hand = test::worldPlaces(*s.actors.front().actor, *seen.actors.front().result, k.find("hand_L")),
               foot = test::worldPlaces(*s.actors.front().actor, *seen.actors.front().result, k.find("foot_L"));
    double together = 0, handMean = 0, footMean = 0;
    for (std::size_t f = 0; f < hand.size(); ++f) {
        handMean += hand[f].z() / static_cast<double>(hand.size());
        footMean += foot[f].z() / static_cast<double>(hand.size());
    }
    for (std::size_t f = 0; f < hand.size(); ++f) together += (hand[f].z() - handMean) * (foot[f].z() - footMean);
    CHECK(together < 0);

    test::TempFolder folder;
    REQUIRE(files::writeScene(s, (folder / "again.nutatio").string()));
    auto again = pipeline::open(folder / "again.nutatio");
    REQUIRE(again.ok());
    CHECK(test::sameBits(*seen.actors.front().result, *test::evaluate(again.value().scene).actors.front().result));

    for (const double fps : {12.0, 24.0, 60.0}) {
        INFO(fps << " frames a second");
        test::setRate(s, fps);
        const pipeline::Evaluation preview = test::evaluate(s);
        pipeline::Evaluator evaluator;
        pipeline::BakeOptions options;
        options.actor = "otter";
        options.clip = "Walk";
        options.tolerance = {0, 0};
        const auto baked = pipeline::bake(s, options, folder / "baked.glb", evaluator, {});
        REQUIRE(baked.ok());
        const auto back = test::read(folder / "baked.glb");
        const int clip = back->findClip("Walk");
        const rig::Track keys =
            rig::bodyTrack(*back, clip, rig::FrameGrid::covering(back->clips[static_cast<std::size_t>(clip)], fps));
        const rig::Track& motion = *preview.actors.front().result;
        REQUIRE(keys.frames() == motion.frames());
        double turn = 0, place = 0;
        for (int f = 0; f < keys.frames(); ++f)
            for (int j = 0; j < k.size(); ++j) {
                turn = std::max(turn, degrees(rotationVector(keys.at(j, f).r.conjugate() * motion.at(j, f).r).norm()));
                place = std::max(place, (keys.at(j, f).t - motion.at(j, f).t).norm());
            }
        // What a file's 32 bits let through.
        CHECK(turn < 1e-4);
        CHECK(place < 1e-6);
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

TEST_CASE("the slip: the otter walks, lies on the planks with its tail and scarf on top of that, and stands again") {
    auto opened = pipeline::open(fs::path(test::sourceFolder()) / "demo/slip.nutatio");
    REQUIRE(opened.ok());
    CHECK(opened.value().warnings.empty());
    const scene::Scene& s = opened.value().scene;
    const pipeline::Evaluation e = test::evaluate(s);
    const pipeline::ActorResult& otter = *e.actor("otter");
    for (const pipeline::LayerResult& l : otter.layers) {
        INFO(l.id << ": " << l.problem << l.idle);
        CHECK(l.problem.empty());
        CHECK(l.idle.empty());
    }
    const rig::Actor& actor = *s.actors.front().actor;
    const rig::Skeleton& k = actor.skeleton;
    const auto hips = test::worldPlaces(actor, *otter.result, k.find("hips")),
               head = test::worldPlaces(actor, *otter.result, k.find("head"));
    // It goes on its way, its head is down with its hips in the middle, and above them at the end.
    CHECK(hips[38].z() - hips[0].z() > 0.4);
    CHECK(head[70].y() < hips[0].y());
    CHECK(std::abs(head[70].y() - hips[70].y()) < 0.25);
    CHECK(head[130].y() > hips[130].y() + 0.3);
    // Wet planks: it slides on after it has fallen.
    CHECK(hips[56].z() - hips[46].z() > 0.05);
    for (const char* above : {"tail", "scarf", "ears"}) CHECK_FALSE(e.layer(above)->changed.empty());
}
