// What is done to an actor before anything moves it, from the edit to the file that is handed off.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
using test::TempFolder;

namespace {

const std::string kOtter = std::string(NUTATIO_SOURCE_DIR) + "/demo/assets/otter.glb";

const rig::Skeleton& skeleton(const scene::Scene& s) {
    return s.actors[0].actor->skeleton;
}

}  // namespace

TEST_CASE("an end joint swings, is saved, opened and handed off, and the file validates") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtter));
    const std::string actor = s.actors[0].id;
    const int before = skeleton(s).size();
    const int tail = skeleton(s).find("tail_10");
    REQUIRE(edit::prepare(s, actor, {rig::Preparation::What::AddEnd, "tail_10", "tail_end", Vec3(0, 0.05, 0)}).ok());
    REQUIRE(skeleton(s).size() == before + 1);
    const int end = skeleton(s).find("tail_end");
    CHECK(end == before);
    CHECK(skeleton(s).joint(end).parent == tail);
    // With an end of its own the last joint swings though nothing reaches beyond the end.
    const std::string id = edit::addLayer(s, "strand", actor, {"tail_01"});
    s.layer(id)->set("end", 0.0);
    const auto seen = test::evaluate(s);
    CHECK_FALSE(seen.actors[0].result->column(tail) == seen.actors[0].body->column(tail));
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().warnings.empty());
    CHECK(again.value().scene.actors[0].preparations == s.actors[0].preparations);
    const auto replayed = test::evaluate(again.value().scene);
    for (int k = 0; k < seen.actors[0].result->frames(); k += 5)
        CHECK(seen.actors[0].result->at(tail, k) == replayed.actors[0].result->at(tail, k));
    pipeline::Evaluator e;
    for (const char* name : {"o.glb", "o.gltf"}) {
        REQUIRE(pipeline::bake(s, {}, f / name, e, {}).ok());
        const auto out = test::read(f / name);
        const int there = out->skeleton.find("tail_end");
        REQUIRE(there != rig::kNoJoint);
        CHECK(out->skeleton.joint(there).parent == out->skeleton.find("tail_10"));
        CHECK((out->skeleton.joint(there).rest.t - Vec3(0, 0.05, 0)).norm() < 1e-6);
        test::checkValid(f / name);
    }
    // The source is as it was.
    CHECK(test::read(kOtter)->skeleton.size() == before);
}

TEST_CASE("a renamed joint keeps all that refers to it, and leaves under its new name") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtter));
    const std::string actor = s.actors[0].id;
    edit::addLayer(s, "strand", actor, {"tail_01"});
    edit::addLayer(s, "jiggle", actor, {"ear_L", "ear_R"});
    edit::addCollider(s, actor, "ear_L", scene::Shape::Sphere);
    const auto before = test::evaluate(s);
    REQUIRE(edit::prepare(s, actor, {rig::Preparation::What::Rename, "tail_01", "rudder", Vec3::Zero()}).ok());
    REQUIRE(edit::prepare(s, actor, {rig::Preparation::What::Rename, "ear_L", "left ear", Vec3::Zero()}).ok());
    CHECK(s.layers[0].list("root") == std::vector<std::string>{"rudder"});
    CHECK(s.layers[1].list("joint") == std::vector<std::string>{"left ear", "ear_R"});
    CHECK(s.colliders[0].joint == "left ear");
    const auto after = test::evaluate(s);
    for (int j = 0; j < skeleton(s).size(); ++j)
        for (int k = 0; k < 29; k += 7) REQUIRE(before.actors[0].result->at(j, k) == after.actors[0].result->at(j, k));
    pipeline::Evaluator e;
    REQUIRE(pipeline::bake(s, {}, f / "o.glb", e, {}).ok());
    const auto out = test::read(f / "o.glb");
    CHECK(out->skeleton.find("rudder") != rig::kNoJoint);
    CHECK(out->skeleton.find("tail_01") == rig::kNoJoint);
    test::checkValid(f / "o.glb");
    // What cannot be done says why and changes nothing.
    const scene::Scene was = s;
    for (const rig::Preparation& bad : {rig::Preparation{rig::Preparation::What::Rename, "nobody", "x", Vec3::Zero()},
                                        {rig::Preparation::What::Rename, "rudder", "hips", Vec3::Zero()},
                                        {rig::Preparation::What::Rename, "rudder", "", Vec3::Zero()},
                                        {rig::Preparation::What::AddEnd, "rudder", "hips", Vec3::Zero()}}) {
        const auto done = edit::prepare(s, actor, bad);
        REQUIRE_FALSE(done.ok());
        CHECK_FALSE(done.error().sentence.empty());
        CHECK(s.actors[0].actor == was.actors[0].actor);
    }
}

TEST_CASE("joints that were dropped from a selection are left out of the strand, with all that hangs on them") {
    scene::Scene s = test::sceneWith(test::beastActor({}));
    const rig::Skeleton& k = skeleton(s);
    // A tree: the whole cape but one joint in the middle of it.
    std::vector<std::string> chosen;
    for (int j : k.subtree(k.find("cape_1")))
        if (!(j == k.find("cape_4") || k.isBelow(j, k.find("cape_4")))) chosen.push_back(k.reference(j));
    const std::string id = edit::addLayer(s, "strand", s.actors[0].id, chosen);
    const auto moved = layers::findKind("strand")->moves(*s.actors[0].actor, *std::as_const(s).layer(id));
    CHECK(moved.size() == 3);
    // The same by hand, of a chain that runs on.
    s.layers.clear();
    test::addLayer(s, "strand", {"trunk_1"}, {{"without", std::vector<std::string>{"trunk_4"}}});
    const auto e = test::evaluate(s);
    CHECK_FALSE(e.actors[0].result->column(k.find("trunk_2")) == e.actors[0].body->column(k.find("trunk_2")));
    CHECK(e.actors[0].result->column(k.find("trunk_4")) == e.actors[0].body->column(k.find("trunk_4")));
    CHECK(e.actors[0].result->column(k.find("trunk_5")) == e.actors[0].body->column(k.find("trunk_5")));
}

TEST_CASE("a BVH says that it cannot take joints that were added") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(std::string(NUTATIO_SOURCE_DIR) + "/demo/assets/deckhand.bvh"));
    const std::string joint = skeleton(s).label(skeleton(s).size() - 1);
    REQUIRE(edit::prepare(s, s.actors[0].id, {rig::Preparation::What::AddEnd, joint, "more", Vec3(0, 5, 0)}).ok());
    test::addLayer(s, "jiggle", {joint});
    pipeline::Evaluator e;
    const auto refused = pipeline::bake(s, {}, f / "o.bvh", e, {});
    REQUIRE_FALSE(refused.ok());
    CHECK_THAT(refused.error().text(), Catch::Contains("joints that were added"));
    REQUIRE(pipeline::bake(s, {}, f / "o.glb", e, {}).ok());
    CHECK(test::read(f / "o.glb")->skeleton.find("more") != rig::kNoJoint);
}
