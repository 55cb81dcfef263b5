// The other side of a body: names, places, and what is put there.
#include <catch2/catch.hpp>
#include <filesystem>

#include "edit/edit.h"
#include "edit/operations.h"
#include "files/scene_file.h"
#include "layers/joint_worlds.h"
#include "rig/sides.h"
#include "scene/items.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using scene::List;

namespace {

std::string fellowOf(const rig::Actor& a, const rig::Sides& sides, const std::string& joint) {
    const int o = sides.fellow[static_cast<std::size_t>(a.skeleton.find(joint))];
    return o == rig::kNoJoint ? std::string() : a.skeleton.reference(o);
}

/// The same actor with all its names gone.
std::shared_ptr<const rig::Actor> nameless(const rig::Actor& from) {
    auto a = std::make_shared<rig::Actor>(from);
    std::vector<rig::Joint> joints = from.skeleton.joints();
    for (rig::Joint& j : joints) {
        j.name.clear();
        j.children.clear();
    }
    a->skeleton = rig::Skeleton(std::move(joints));
    return a;
}

/// Where a collider is in the pose that is even.
scene::ColliderNumbers placed(const scene::Scene& s, const rig::Sides& sides, const std::string& id, Vec3& centre, Quat& turn) {
    const scene::Collider& c = *s.collider(id);
    const scene::ColliderNumbers n = scene::numbersOf(c);
    const layers::ColliderPlace at =
        layers::placeCollider(n, sides.worlds[static_cast<std::size_t>(s.actors[0].actor->skeleton.find(c.mount.joint))]);
    centre = at.centre;
    turn = at.turn;
    return n;
}

}  // namespace

TEST_CASE("a name's side is exchanged where it speaks of one, and nowhere else") {
    const std::pair<const char*, const char*> kPairs[] = {{"arm_L", "arm_R"},
                                                          {"L_arm", "R_arm"},
                                                          {"hand.l.002", "hand.r.002"},
                                                          {"LeftUpLeg", "RightUpLeg"},
                                                          {"rig:LeftFoot", "rig:RightFoot"},
                                                          {"ear left", "ear right"},
                                                          {"eyeL", "eyeR"},
                                                          {"leg-R1", "leg-L1"},
                                                          {"LEFT_WING", "RIGHT_WING"},
                                                          {"LThumb", "RThumb"}};
    for (const auto& [one, other] : kPairs) {
        CHECK(rig::otherSideOf(one) == other);
        CHECK(rig::otherSideOf(other) == one);
    }
    for (const char* name : {"upright", "tail_01", "Leftover", "bright", "skirt3", "", "pelvis", "collarbone", "LOD", "Root"})
        CHECK(rig::otherSideOf(name) == std::string(name));
}

TEST_CASE("fellows are found by names, by places where there are no names, and each is the other's fellow") {
    const scene::Scene s = test::otterScene();
    const rig::Actor& a = *s.actors[0].actor;
    const rig::Sides sides = rig::sidesOf(a);
    CHECK(sides.normal == Vec3::UnitX());
    CHECK(fellowOf(a, sides, "scarf_L_02") == "scarf_R_02");
    CHECK(fellowOf(a, sides, "upper_arm_R") == "upper_arm_L");
    CHECK(fellowOf(a, sides, "tail_04") == "tail_04");
    const auto bare = nameless(a);
    const rig::Sides blind = rig::sidesOf(*bare);
    int pairs = 0;
    for (int j = 0; j < a.skeleton.size(); ++j) {
        const int o = sides.fellow[static_cast<std::size_t>(j)], b = blind.fellow[static_cast<std::size_t>(j)];
        if (o != rig::kNoJoint) CHECK(sides.fellow[static_cast<std::size_t>(o)] == j);
        if (b != rig::kNoJoint) CHECK(blind.fellow[static_cast<std::size_t>(b)] == j);
        if (o == rig::kNoJoint || o == j) continue;
        INFO(a.skeleton.label(j));
        // The hands are held unevenly and what they hold differs: without names nobody can tell.
        if (a.skeleton.label(j).rfind("hand", 0) != 0 && !a.skeleton.isBelow(j, a.skeleton.find("hand_L")) &&
            !a.skeleton.isBelow(j, a.skeleton.find("hand_R")))
            CHECK(b == o);
        ++pairs;
    }
    CHECK(pairs >= 40);
}

TEST_CASE("fellows on skeletons that nobody here made") {
    const std::filesystem::path folder = std::string(NUTATIO_THIRD_PARTY) + "/BVH";
    if (!std::filesystem::exists(folder)) {
        WARN("skipped: assimp-testmodels is not installed");
        return;
    }
    for (const auto& [file, one, other] : {std::tuple{"01_01.bvh", "LeftHand", "RightHand"},
                                           {"01_03.bvh", "LThumb", "RThumb"},
                                           {"Boxing_Toes.bvh", "LeftWrist", "RightWrist"}}) {
        INFO(file);
        const auto actor = test::read(folder / file);
        const rig::Sides sides = rig::sidesOf(*actor);
        CHECK(fellowOf(*actor, sides, one) == other);
        CHECK(fellowOf(*actor, sides, other) == one);
        CHECK(std::abs(sides.normal.dot(Vec3::UnitX())) > 0.9);
    }
}

TEST_CASE("a layer mirrored stands on the fellows with all its values and keys, and once more it takes them again") {
    scene::Scene s = test::otterScene();
    const std::string id =
        test::addLayer(s, "strand", {"scarf_L_01"}, {{"swing", 1.3}, {"pull_heading", 40.0}, {"pull_tilt", 20.0}});
    edit::rename(s, {List::Layers, id}, "scarf left");
    test::keyed(s, {List::Layers, id}, "bounces", {{0, 1.0}, {10, 3.0}});
    const auto made = edit::mirror(s, {List::Layers, id});
    REQUIRE(made);
    REQUIRE(s.layers.size() == 2);
    const scene::Layer& other = *std::as_const(s).layer(made.value());
    CHECK(other.name == "scarf right");
    CHECK(other.list("root") == std::vector<std::string>{"scarf_R_01"});
    CHECK(other.number("swing") == 1.3);
    CHECK(other.number("pull_heading") == Approx(-40));
    CHECK(other.number("pull_tilt") == 20);
    REQUIRE(s.shot().keysOf({List::Layers, made.value()}, "bounces"));
    CHECK(s.shot().keysOf({List::Layers, made.value()}, "bounces")->size() == 2);
    // The first is tuned further; mirrored again it does not make a third.
    s.layer(id)->set("swing", 0.9);
    const auto again = edit::mirror(s, {List::Layers, id});
    REQUIRE(again);
    CHECK(again.value() == made.value());
    CHECK(s.layers.size() == 2);
    CHECK(std::as_const(s).layer(made.value())->number("swing") == 0.9);
    CHECK(std::as_const(s).layer(made.value())->name == "scarf right");
    // The body moves evenly, and so do both ends.
    const pipeline::Evaluation e = test::evaluate(s);
    CHECK(e.actors[0].result->column(s.actors[0].actor->skeleton.find("scarf_R_02")) !=
          e.actors[0].body->column(s.actors[0].actor->skeleton.find("scarf_R_02")));
}

TEST_CASE("a collider mirrored is the picture of the first in the rest pose, keyed offsets too") {
    scene::Scene s = test::otterScene();
    const std::string id = edit::addCollider(s, s.actors[0].id, "upper_arm_L", scene::Shape::Capsule);
    s.collider(id)->setVector("offset", Vec3(0.03, 0.02, -0.01));
    s.collider(id)->setVector("turn", Vec3(20, 35, -50));
    test::keyed(s, {List::Colliders, id}, "offset_y", {{0, 0.02}, {12, 0.2}});
    const auto made = edit::mirror(s, {List::Colliders, id});
    REQUIRE(made);
    CHECK(s.collider(made.value())->mount.joint == "upper_arm_R");
    const rig::Sides sides = rig::sidesOf(*s.actors[0].actor);
    Vec3 a, b;
    Quat p, q;
    const scene::ColliderNumbers first = placed(s, sides, id, a, p), second = placed(s, sides, made.value(), b, q);
    CHECK((sides.mirroredPlace(a) - b).norm() < 1e-6);
    CHECK((sides.mirrored(p * Vec3::UnitY()) - q * Vec3::UnitY()).norm() < 1e-6);
    CHECK(second.length == first.length);
    // At the key the whole place is the mirrored one.
    for (const auto& [keyedId, into] : {std::pair{id, &a}, {made.value(), &b}}) {
        for (const char* stem : {"offset_x", "offset_y", "offset_z"})
            if (const scene::Keys* k = s.shot().keysOf({List::Colliders, keyedId}, stem))
                s.collider(keyedId)->set(stem, scene::keyedAt(*k, 12.0 / 24));
        Quat unused;
        placed(s, sides, keyedId, *into, unused);
    }
    CHECK((sides.mirroredPlace(a) - b).norm() < 1e-6);
}

TEST_CASE("keys keep how they ease when what they are of is mirrored: the picture holds between keys too") {
    scene::Scene s = test::otterScene();
    const std::string id = edit::addCollider(s, s.actors[0].id, "upper_arm_L", scene::Shape::Sphere);
    const scene::Owner from{List::Colliders, id};
    for (const char* axis : {"offset_x", "offset_y"}) {
        scene::Keys& keys = s.editShot().keys[from][axis];
        keys = {{.at = 0, .value = 0.02, .ease = scene::Ease::Hold},
                {.at = 0.25, .value = 0.1, .ease = scene::Ease::Linear},
                {.at = 0.5, .value = -0.1, .ease = scene::Ease::Free, .before = 0.9, .after = -0.4},
                {.at = 1, .value = 0.3}};
    }
    const auto made = edit::mirror(s, from);
    REQUIRE(made);
    const scene::Owner to{List::Colliders, made.value()};
    const rig::Sides sides = rig::sidesOf(*s.actors[0].actor);
    const auto placeOf = [&](const scene::Owner& owner, double time) {
        scene::Collider c = *std::as_const(s).collider(owner.id);
        for (const char* stem : {"offset_x", "offset_y", "offset_z"})
            if (const scene::Keys* k = s.shot().keysOf(owner, stem)) c.set(stem, scene::keyedAt(*k, time));
        const Affine& w = sides.worlds[static_cast<std::size_t>(s.actors[0].actor->skeleton.find(c.mount.joint))];
        return Vec3(w.t + rotationOf(w.m) * c.vector("offset"));
    };
    // Held, then straight, then by the slopes that were set.
    for (double time : {0.0, 0.1, 0.24, 0.3, 0.45, 0.6, 0.7, 0.8, 0.95, 1.0}) {
        INFO("at " << time << " s");
        CHECK((sides.mirroredPlace(placeOf(from, time)) - placeOf(to, time)).norm() < 2e-4);
    }
    const scene::Keys& keys = *s.shot().keysOf(to, "offset_x");
    REQUIRE(keys.size() == 4);
    CHECK(keys[0].ease == scene::Ease::Hold);
    CHECK(keys[1].ease == scene::Ease::Linear);
    CHECK(keys[2].ease == scene::Ease::Free);
    CHECK(keys[3].ease == scene::Ease::Smooth);
}

TEST_CASE("a pin mirrored holds the fellow at the mirrored place") {
    scene::Scene s = test::otterScene();
    const rig::Actor& a = *s.actors[0].actor;
    std::vector<Affine> worlds;
    rig::worldTransforms(a.skeleton, scene::stand(s, s.shot(), s.actors[0]), worlds);
    const std::string id = edit::addPin(s, s.actors[0].id, a.skeleton.find("scarf_L_02"), worlds);
    const auto made = edit::mirror(s, {List::Pins, id});
    REQUIRE(made);
    const scene::Pin& other = *s.pin(made.value());
    CHECK(other.joint == "scarf_R_02");
    const Vec3 there = scene::placementOf(s.actors[0]).toWorld(worlds[static_cast<std::size_t>(a.skeleton.find("scarf_R_02"))].t);
    CHECK((other.vector("offset") - there).norm() < 1e-3);
}

TEST_CASE("what has no other side says so, and nothing changes") {
    scene::Scene s = test::otterScene();
    const std::string tail = test::addLayer(s, "strand", {"tail_01"});
    const auto refused = edit::mirror(s, {List::Layers, tail});
    REQUIRE_FALSE(refused);
    CHECK_THAT(refused.error().sentence, Catch::Contains("middle"));
    const std::string wind = edit::addWind(s, s.actors[0].id);
    CHECK_FALSE(edit::mirror(s, {List::Winds, wind}));
    scene::Scene lone = test::sceneWith(test::chainActor({}));
    const std::string id = test::addLayer(lone, "strand", {"bone_2"});
    CHECK_FALSE(edit::mirror(lone, {List::Layers, id}));
    CHECK(s.layers.size() == 1);
    CHECK(lone.layers.size() == 1);
    REQUIRE(edit::carryOut(s, "add-layer:kind=jiggle,joints=ear_L,name=ear_L"));
    REQUIRE(edit::carryOut(s, "mirror:thing=" + s.layers.back().id));
    CHECK(s.layers.back().list("joint") == std::vector<std::string>{"ear_R"});
    CHECK(s.layers.back().name == "ear_R");
}
