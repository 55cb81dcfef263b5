// The stack as a graph: what runs again after an edit, what a body that is far away changes, shots, placements, and version 1.
#include <catch2/catch.hpp>

#include "demo/gltf_builder.h"
#include "demo/reeds.h"
#include "edit/edit.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "scene/change.h"
#include "scene/items.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using test::nodding;
using test::sameBits;
using test::TempFolder;

namespace {

/// Reeds of a metre and more in a square bed, a layer on each.
scene::Scene bed(const TempFolder& f, int reeds) {
    demo::writeReeds(f / "bed", {.reeds = reeds, .joints = 5, .frames = 30, .bodies = 1});
    scene::Scene s = pipeline::open(f / "bed" / "reeds.nutatio").value().scene;
    s.layers.clear();
    s.colliders.clear();
    for (int r = 0; r < reeds; ++r) edit::addLayer(s, "strand", s.actors.front().id, {"reed_" + std::to_string(r) + "_0"});
    return s;
}

scene::Collider ball(const char* id, const Vec3& place) {
    scene::Collider c;
    c.id = c.name = id;
    c.values = scene::startValues(scene::colliderTable());
    c.set("radius", 0.1);
    c.setVector("offset", place);
    return c;
}

}  // namespace

TEST_CASE("of two hundred layers an edit runs the one that reads it again, and a body those that can touch it") {
    TempFolder f;
    scene::Scene s = bed(f, 200);
    pipeline::Evaluator e;
    CHECK(e.evaluate(s, {}).simulated == 200);
    CHECK(e.evaluate(s, {}).simulated == 0);
    s.layer(s.layers[77].id)->set("swing", 3.0);
    CHECK(e.evaluate(s, {}).simulated == 1);
    s.layer(s.layers[12].id)->muted = true;
    CHECK(e.evaluate(s, {}).simulated == 0);
    s.layer(s.layers[3].id)->name = "renamed";
    CHECK(e.evaluate(s, {}).simulated == 0);
    // The bed is two metres wide and its reeds 1.2 m long: a ball out at a corner is met by those near it.
    s.colliders.push_back(ball("corner", Vec3(-2.0, 0.3, -2.0)));
    const int near = e.evaluate(s, {}).simulated;
    CHECK(near > 0);
    CHECK(near < 60);
    s.collider("corner")->set("radius", 0.12);
    CHECK(e.evaluate(s, {}).simulated >= near);
    s.colliders.push_back(ball("far", Vec3(50, 0, 0)));
    CHECK(e.evaluate(s, {}).simulated == 0);
}

TEST_CASE("a body out of reach changes no bit, and which layers can reach one is known") {
    scene::Scene s = test::sceneWith(test::chainActor(nodding()));
    test::addLayer(s, "strand", {"bone_1"}, {{"gravity", 0.4}});
    const auto bare = test::evaluate(s);
    s.colliders.push_back(ball("far", Vec3(40, 0, 0)));
    const auto with = test::evaluate(s);
    CHECK(sameBits(*bare.actors[0].result, *with.actors[0].result));
    CHECK(with.actors[0].layers[0].met.empty());
    // Live and bake are told of different bodies, and must not differ by that.
    s.colliders.push_back(ball("near", Vec3(0, 0, 0.3)));
    CHECK(test::evaluate(s).actors[0].layers[0].met == std::vector<std::string>{"near"});
}

TEST_CASE("a layer runs again when what it hangs on moves, and not when its neighbour does") {
    scene::Scene s = test::sceneWith(test::chainActor({.bones = 8}));
    test::addLayer(s, "jiggle", {"bone_2"});
    test::addLayer(s, "jiggle", {"bone_5"});
    test::addLayer(s, "sway", {"bone_7"});
    pipeline::Evaluator e;
    CHECK(e.evaluate(s, {}).simulated == 3);
    s.layers.edit(0).set("swing", 3.0);
    CHECK(e.evaluate(s, {}).simulated == 3);  // the whole chain hangs on bone 2
    s.layers.edit(2).set("rate", 1.0);
    CHECK(e.evaluate(s, {}).simulated == 1);
}

TEST_CASE("what changed between two scenes is known thing by thing") {
    scene::Scene s = test::sceneWith(test::chainActor(nodding()));
    test::addLayer(s, "strand", {"bone_1"});
    test::addLayer(s, "jiggle", {"bone_2"});
    const scene::Scene before = s;
    CHECK(scene::changeBetween(before, s).none());
    s.layers.edit(1).set("swing", 2.5);
    scene::Change c = scene::changeBetween(before, s);
    CHECK(c.things == std::vector<scene::Owner>{{scene::List::Layers, s.layers[1].id}});
    CHECK_FALSE(c.touches(scene::List::Actors));
    CHECK_FALSE(c.reorders(scene::List::Layers));
    s = before;
    REQUIRE(edit::moveLayer(s, s.layers[0].id, 1).ok());
    c = scene::changeBetween(before, s);
    CHECK(c.reorders(scene::List::Layers));
    CHECK(c.things.empty());
    s = before;
    edit::remove(s, {scene::List::Layers, s.layers[0].id});
    CHECK(scene::changeBetween(before, s).touches({scene::List::Layers, before.layers[0].id}));
    s = before;
    edit::toggleKey(s, test::layerAt(s), "swing", 3);
    c = scene::changeBetween(before, s);
    CHECK(c.shot);
    CHECK(c.things.empty());
}

TEST_CASE("keys, cuts and what is keyed of an item are in seconds: any frame rate sees them at the same moment") {
    scene::Scene s = test::sceneWith(test::chainActor(nodding(97)));
    test::addLayer(s, "strand", {"bone_1"}, {{"preroll", 0.0}});
    test::keyed(s, test::layerAt(s), "mix", {{24, 0.0}, {25, 1.0}});
    const int j = s.actors[0].actor->skeleton.find("bone_3");
    const auto startsAt = [&](double fps) {
        scene::Scene other = s;
        test::setRate(other, fps);
        const auto e = test::evaluate(other);
        for (int f = 0; f < e.actors[0].result->frames(); ++f)
            if (!(e.actors[0].result->at(j, f) == e.actors[0].body->at(j, f))) return f / fps;
        return -1.0;
    };
    CHECK(startsAt(24) == Approx(25 / 24.0));
    CHECK(startsAt(48) == Approx(49 / 48.0));
    CHECK(startsAt(120) == Approx(121 / 120.0));
    // The keys of one shot are not another's.
    scene::Shot other = s.shot();
    other.id = other.name = "Other";
    other.keys.clear();
    s.shots.push_back(other);
    const auto bare = pipeline::Evaluator().evaluate(s, *s.findShot("Other"), {});
    CHECK_FALSE(bare.actors[0].result->at(j, 10) == bare.actors[0].body->at(j, 10));
    // A keyed collider moves through the shot.
    s.colliders.push_back(ball("ball", Vec3(9, 0, 0)));
    const auto far = test::evaluate(s);
    test::keyed(s, {scene::List::Colliders, "ball"}, "offset_x", {{40, 9.0}, {60, 0.0}});
    const auto swept = test::evaluate(s);
    CHECK(far.actors[0].result->at(j, 30) == swept.actors[0].result->at(j, 30));
    CHECK_FALSE(far.actors[0].result->at(j, 70) == swept.actors[0].result->at(j, 70));
}

TEST_CASE("preview and bake play the same shot: of several actors each hands off what was seen") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::chainActor(nodding()));
    files::addActor(s, test::chainActor(nodding(90)));
    const std::string second = s.actors[1].id;
    test::addLayer(s, "strand", {"bone_1"});
    s.layers.push_back(layers::newLayer(*layers::findKind("strand"), s, s.actors[1], {"bone_1"}));
    for (const auto& [actor, shot] : {std::pair{s.actors[0].id, s.shots[0].id}, {second, s.shots[1].id}}) {
        s.shown = shot;
        pipeline::Evaluator e;
        const auto seen = e.evaluate(s, {});
        pipeline::BakeOptions o;
        o.actor = actor;
        o.shot = shot;
        o.tolerance = {0, 0};
        const auto baked = pipeline::bake(s, o, f / "o.glb", e, {});
        REQUIRE(baked.ok());
        const rig::Track& want = *seen.actor(actor)->result;
        CHECK(baked.value().clips[0].frames == want.frames());
        const auto out = test::read(f / "o.glb");
        const rig::Track got = rig::bodyTrack(*out, 0, want.grid());
        for (const char* joint : {"bone_2", "bone_4"}) {
            const int j = out->skeleton.find(joint);
            for (int k = 0; k < want.frames(); k += 7) REQUIRE(got.at(j, k).r.angularDistance(want.at(j, k).r) < radians(0.01));
        }
    }
}

TEST_CASE("an actor that is placed elsewhere feels the same pull, and meets others where they stand") {
    scene::Scene s = test::sceneWith(test::chainActor({.bones = 4, .length = 0.25, .way = Vec3(0, -1, 0)}));
    test::addLayer(s, "strand", {"bone_1"}, {{"gravity", 1.0}, {"swing", 0.6}, {"preroll", 8.33333}});
    const int j = s.actors[0].actor->skeleton.find("end");
    const auto tip = [&] {
        const auto e = test::evaluate(s);
        return scene::placementOf(s.actors[0]).toWorld(test::worldPlaces(*s.actors[0].actor, *e.actors[0].result, j).back());
    };
    const auto root = [&] { return scene::placementOf(s.actors[0]).toWorld(Vec3::Zero()); };
    const Vec3 hung = tip() - root();
    // Tipped over it hangs down all the same, pulled off the pose it lies in.
    s.actors.edit(0).set("turn_z", 90.0);
    s.actors.edit(0).setVector("place", Vec3(3, 1, 0));
    const Vec3 tipped = tip() - root();
    CHECK(hung.y() < -0.9);
    CHECK(std::abs(tipped.x()) > 0.3);
    CHECK(tipped.y() < -0.15);
    // A ball in the world stands in its way there, and nowhere else.
    s.colliders.push_back(ball("ball", tip() + Vec3(0, 0.02, 0)));
    CHECK((tip() - root() - tipped).norm() > 0.05);
    s.actors.edit(0).setVector("place", Vec3(3, 1, 4));
    CHECK((tip() - root() - tipped).norm() < 1e-9);
}

TEST_CASE("what a layer's amount shows is that many times its own motion, and why it shows nothing is said") {
    scene::Scene s = test::sceneWith(test::chainActor(nodding()));
    test::addLayer(s, "jiggle", {"bone_2"}, {{"bounces", 4.0}});
    const int j = s.actors[0].actor->skeleton.find("bone_2");
    const auto added = [&](int f) {
        const auto e = test::evaluate(s);
        return rotationVector(e.actors[0].result->at(j, f).r * e.actors[0].body->at(j, f).r.conjugate());
    };
    const Vec3 once = added(20);
    s.layers.edit(0).set("amount", 2.5);
    CHECK((added(20) - 2.5 * once).norm() < 1e-9);
    s.layers.edit(0).set("amount", 0.0);
    CHECK(test::evaluate(s).actors[0].layers[0].idle.find("amount") != std::string::npos);
    s.layers.edit(0).muted = true;
    CHECK(test::evaluate(s).actors[0].layers[0].idle.find("muted") != std::string::npos);
    test::addLayer(s, "jiggle", {"bone_3"});
    s.layers.edit(0).muted = false;
    s.layers.edit(1).solo = true;
    CHECK(test::evaluate(s).actors[0].layers[0].idle.find("soloed") != std::string::npos);
}

TEST_CASE("mix and amount run along the part, and a jiggle's settings from its first joint to its last") {
    scene::Scene s = test::sceneWith(test::chainActor(nodding()));
    test::addLayer(s, "strand", {"bone_1"});
    s.layers.edit(0).profiles["mix"] = {{0, 1}, {0.4, 0}, {1, 0}};
    const auto e = test::evaluate(s);
    const int first = s.actors[0].actor->skeleton.find("bone_1"), last = s.actors[0].actor->skeleton.find("bone_4");
    CHECK_FALSE(e.actors[0].result->at(first, 20) == e.actors[0].body->at(first, 20));
    CHECK(e.actors[0].result->at(last, 20).r.angularDistance(e.actors[0].body->at(last, 20).r) < 1e-12);
    // Two joints that hang alike swing apart when the profile says so.
    scene::Scene t = test::sceneWith(test::chainActor(nodding()));
    test::addLayer(t, "jiggle", {"bone_2", "bone_3"}, {{"swing", 2.0}, {"preroll", 0.0}});
    const auto even = test::evaluate(t);
    t.layers.edit(0).profiles["swing"] = {{0, 1}, {1, 3}};
    const auto shaped = test::evaluate(t);
    const int two = t.actors[0].actor->skeleton.find("bone_2"), three = t.actors[0].actor->skeleton.find("bone_3");
    CHECK(even.actors[0].result->at(two, 20) == shaped.actors[0].result->at(two, 20));
    CHECK_FALSE(even.actors[0].result->at(three, 20) == shaped.actors[0].result->at(three, 20));
}

TEST_CASE("what was stepped or cubic on a joint that a layer moves is said to be linear now") {
    TempFolder f;
    demo::GltfBuilder b;
    const int root = b.node("root", -1);
    const int arm = b.node("arm", root, {Vec3(0, 1, 0), Quat::Identity(), Vec3::Ones()});
    b.node("end", arm, {Vec3(0, 1, 0), Quat::Identity(), Vec3::Ones()});
    std::vector<std::vector<Xform>> frames(24, std::vector<Xform>(3));
    for (std::size_t k = 0; k < frames.size(); ++k) {
        frames[k][1].t = frames[k][2].t = Vec3(0, 1, 0);
        frames[k][1].r = fromRotationVector(Vec3(0.02 * static_cast<double>(k), 0, 0));
    }
    b.clip("Go", 24, frames);
    b.writeGlb(f / "a.glb");
    auto actor = std::make_shared<rig::Actor>(*test::read(f / "a.glb"));
    for (rig::Channel& c : actor->clips.edit()[0].channels) c.interpolation = rig::Interpolation::Step;
    scene::Scene s = test::sceneWith(actor);
    test::addLayer(s, "jiggle", {"arm"});
    pipeline::Evaluator e;
    const auto baked = pipeline::bake(s, {}, f / "o.glb", e, {});
    REQUIRE(baked.ok());
    REQUIRE(baked.value().warnings.size() == 1);
    CHECK_THAT(baked.value().warnings[0], Catch::Contains("stepped keys of arm") && Catch::Contains("linear"));
}

TEST_CASE("a trial is for looking: it reaches no hand-off, its own actor's or another's") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::chainActor(nodding()));
    files::addActor(s, test::chainActor(nodding()));
    test::addLayer(s, "strand", {"bone_1"});
    s.layers.edit(0).set("gravity", 0.5);
    scene::Collider c = scene::newCollider(s, s.actors[1], s.actors[1].actor->skeleton.find("bone_2"), scene::Shape::Sphere);
    c.set("radius", 0.3);
    s.colliders.push_back(c);
    pipeline::Evaluator e;
    pipeline::BakeOptions o;
    o.actor = s.actors[0].id;
    o.clip = "Move";
    REQUIRE(pipeline::bake(s, o, f / "a.glb", e, {}).ok());
    s.actors.edit(1).trial.move = "hop";
    REQUIRE(pipeline::bake(s, o, f / "b.glb", e, {}).ok());
    CHECK(test::textOf(f / "a.glb") == test::textOf(f / "b.glb"));
}
