// Layers in a scene: winds, pins, cuts, colliders of other actors, stops, shares, squash, and what is wrong with a scene file.
#include <catch2/catch.hpp>
#include <fstream>

#include "files/scene_file.h"
#include "layers/registry.h"
#include "physics/air.h"
#include "pipeline/live.h"
#include "pipeline/open.h"
#include "scene/items.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using test::TempFolder;

namespace {

test::ChainSpec still(int bones = 4) {
    test::ChainSpec s;
    s.bones = bones;
    s.way = Vec3(0, -1, 0);
    s.frames = 72;
    s.motion = [](double t) {
        Xform x;
        x.t = Vec3(0, 0, 1e-4 * std::sin(t));  // all but still: a clip needs keys
        return x;
    };
    return s;
}

test::ChainSpec swaying(double fps = 24) {
    test::ChainSpec s = still();
    s.fps = fps;
    s.frames = static_cast<int>(2 * fps) + 1;
    s.motion = [](double t) {
        Xform x;
        x.t = Vec3(0.3 * std::sin(2 * kPi * t), 0, 0);
        return x;
    };
    return s;
}

std::vector<Vec3> tip(const scene::Scene& s, const char* joint = "end") {
    const pipeline::Evaluation e = test::evaluate(s);
    return test::worldPlaces(*s.actors[0].actor, *e.actors[0].result, s.actors[0].actor->skeleton.find(joint));
}

double farthest(const std::vector<Vec3>& a, const std::vector<Vec3>& b) {
    double most = 0;
    for (std::size_t k = 0; k < a.size(); ++k) most = std::max(most, (a[k] - b[k]).norm());
    return most;
}

}  // namespace

TEST_CASE("a steady wind blows a hanging strand out to the balance of drag and weight") {
    // A free strand in wind u with drag gamma per second hangs at tan(angle) = gamma u / g.
    scene::Scene s = test::sceneWith(test::chainActor(still()));
    const std::string id =
        test::addLayer(s, "strand", {"bone_1"}, {{"swing", 0.0}, {"gravity", 1.0}, {"drag", 2.0}, {"preroll", 16.6667}});
    scene::Wind w = scene::newWind(s, s.actors[0]);
    scene::setWindDirection(w, Vec3::UnitX());
    w.set("speed", 3.0);
    w.set("gust_share", 0.0);
    w.set("swirl_share", 0.0);
    s.winds.push_back(w);
    const auto root =
        test::worldPlaces(*s.actors[0].actor, *test::evaluate(s).actors[0].result, s.actors[0].actor->skeleton.find("bone_1"));
    const Vec3 way = tip(s).back() - root.back();
    const double gamma = 2.0 + physics::windDrag(3, 1);
    INFO(degrees(std::atan2(way.x(), -way.y())));
    CHECK(std::atan2(way.x(), -way.y()) == Approx(std::atan(gamma * 3 / kEarthGravity)).epsilon(0.02));
    SECTION("a wind that is off, or meant for others, blows on nobody") {
        const auto blown = tip(s);
        s.winds.edit(0).on = false;
        const auto calm = tip(s);
        CHECK(std::abs(calm.back().x() - root.back().x()) < 1e-6);
        s.winds.edit(0).on = true;
        s.winds.edit(0).layers = {"another"};
        CHECK(farthest(tip(s), calm) == 0);
        s.winds.edit(0).layers = {id};
        CHECK(farthest(tip(s), blown) == 0);
    }
    SECTION("beyond its reach the air is calm") {
        s.winds.edit(0).setVector("place", Vec3(50, 0, 0));
        s.winds.edit(0).set("reach", 2.0);
        CHECK(std::abs(tip(s).back().x() - root.back().x()) < 1e-6);
    }
}

TEST_CASE("gusts and swirls are the same for the same seed, differ for another, and repeat with the loop") {
    physics::WindDef w;
    w.speed = 4;
    w.gustShare = 0.6;
    w.gustRate = 0.8;
    w.swirlShare = 0.5;
    w.swirlSize = 0.3;
    const Vec3 p(0.2, 1.1, -0.4);
    physics::WindDef other = w;
    other.seed = 2;
    double differs = 0, jump = 0, most = 0, least = 1e9;
    for (int k = 0; k < 400; ++k) {
        const double t = 0.05 * k;
        CHECK(physics::windAt(w, p, t, 0) == physics::windAt(w, p, t, 0));
        differs = std::max(differs, (physics::windAt(w, p, t, 0) - physics::windAt(other, p, t, 0)).norm());
        CHECK((physics::windAt(w, p, t, 2.5) - physics::windAt(w, p, t + 2.5, 2.5)).norm() < 1e-9);
        jump = std::max(jump, (physics::windAt(w, p, t + 1e-4, 0) - physics::windAt(w, p, t, 0)).norm());
        const double along = physics::windAt(w, p, t, 0).x();
        most = std::max(most, along);
        least = std::min(least, along);
    }
    CHECK(differs > 0.5);
    CHECK(jump < 0.02);  // no steps in it
    CHECK(most > 5);
    CHECK(least < 3);
}

TEST_CASE("a pin holds the end of a strand to a place, follows keys, and lets go") {
    scene::Scene s = test::sceneWith(test::chainActor(still()));
    test::addLayer(s, "strand", {"bone_1"},
                   {{"swing", 0.5}, {"bounces", 0.5}, {"gravity", 1.0}, {"end", 0.0}, {"preroll", 8.33333}});
    std::vector<Affine> worlds;
    rig::worldTransforms(s.actors[0].actor->skeleton, s.actors[0].actor->restPose(), worlds);
    scene::Pin p = scene::newPin(s, s.actors[0], s.actors[0].actor->skeleton.find("end"), worlds);
    p.setVector("offset", worlds[1].t + Vec3(0.5, -0.4, 0));
    s.pins.push_back(p);
    CHECK((tip(s).back() - p.vector("offset")).norm() < 0.01);
    test::keyed(s, {scene::List::Pins, p.id}, "strength", {{30, 1.0}, {31, 0.0}});
    const auto path = tip(s);
    CHECK((path[29] - p.vector("offset")).norm() < 0.01);
    CHECK((path[45] - p.vector("offset")).norm() > 0.1);
    // A pin to a joint of the actor itself.
    s.editShot().keys.clear();
    s.pins.edit(0).to = {s.actors[0].id, "root"};
    s.pins.edit(0).setVector("offset", Vec3(0.3, -0.3, 0.1));
    CHECK((tip(s).back() - Vec3(0.3, -0.3, 0.1)).norm() < 0.01);
}

TEST_CASE("strands meet colliders of other actors and of the world") {
    scene::Scene s = test::sceneWith(test::chainActor(still()));
    test::addLayer(s, "strand", {"bone_1"}, {{"swing", 0.5}, {"gravity", 1.0}, {"preroll", 4.16667}, {"push_out", 1.0}});
    const Vec3 hangs = tip(s).back();
    scene::Collider world;
    world.id = world.name = "ball";
    world.values = scene::startValues(scene::colliderTable());
    world.set("radius", 0.2);
    world.setVector("offset", hangs + Vec3(0.02, 0.2, 0));
    s.colliders.push_back(world);
    const Vec3 beside = tip(s).back();
    CHECK((beside - hangs).norm() > 0.05);
    // The same ball on a joint of a second actor, which stands at the origin.
    scene::ActorEntry other = s.actors[0];
    other.id = other.name = "other";
    s.actors.push_back(other);
    s.colliders.edit(0).mount = {"other", "root"};
    CHECK((tip(s).back() - beside).norm() < 0.01);  // the other one sways by a hair
    s.layers.edit(0).values["passes"] = std::vector<std::string>{"ball"};
    CHECK((tip(s).back() - hangs).norm() < 1e-9);
    CHECK(layers::settle(s).empty());
}

TEST_CASE("at a cut a strand is carried, not thrown") {
    // The body jumps two metres at frame 25. Simulated, the strand would be flung out behind it.
    test::ChainSpec spec = still();
    spec.motion = [](double t) {
        Xform x;
        x.t = Vec3(t > 0.98 ? 2.0 : 0.0, 0, 0);
        return x;
    };
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::addLayer(s, "strand", {"bone_1"}, {{"swing", 1.0}, {"gravity", 1.0}});
    const auto off = [&] {
        const pipeline::Evaluation e = test::evaluate(s);
        const auto& a = *s.actors[0].actor;
        return farthest(test::worldPlaces(a, *e.actors[0].result, a.skeleton.find("end")),
                        test::worldPlaces(a, *e.actors[0].body, a.skeleton.find("end")));
    };
    s.layers.edit(0).values["cuts"] = std::string("none");
    CHECK(off() > 0.3);
    s.layers.edit(0).values["cuts"] = std::string("found");
    CHECK(off() < 0.01);
    s.layers.edit(0).values["cuts"] = std::string("marked");
    CHECK(off() > 0.3);
    s.editShot().cuts = {1.0};
    CHECK(off() < 0.05);
    // A jiggle is carried in the same way.
    s.layers.clear();
    test::addLayer(s, "jiggle", {"bone_2"}, {{"move", std::string("xyz")}});
    CHECK(off() < 0.05);
    s.layers.edit(0).values["cuts"] = std::string("none");
    CHECK(off() > 0.3);
}

TEST_CASE("strands that keep clear of one another do") {
    // Two strands side by side, blown together by pulls that lean towards each other.
    demo::GltfBuilder b;
    const int root = b.node("root", -1);
    for (const char* side : {"L", "R"}) {
        int parent = root;
        for (int i = 1; i <= 5; ++i)
            parent = b.node(std::string(side) + "_" + std::to_string(i), parent,
                            {i == 1 ? Vec3(side[0] == 'L' ? 0.12 : -0.12, 0, 0) : Vec3(side[0] == 'L' ? -0.03 : 0.03, -0.15, 0),
                             Quat::Identity(), Vec3::Ones()});
    }
    TempFolder f;
    b.writeGlb(f / "pair.glb");
    scene::Scene s = test::sceneWith(test::read(f / "pair.glb"));
    test::addLayer(s, "strand", {"L_1", "R_1"}, {{"swing", 1.5}, {"radius", 0.05}, {"end", 0.0}, {"preroll", 2.5}});
    const auto gap = [&] {
        const pipeline::Evaluation e = test::evaluate(s);
        const auto& a = *s.actors[0].actor;
        const auto l = test::worldPlaces(a, *e.actors[0].result, a.skeleton.find("L_5")),
                   r = test::worldPlaces(a, *e.actors[0].result, a.skeleton.find("R_5"));
        double least = 1e9;
        for (std::size_t k = 0; k < l.size(); ++k) least = std::min(least, (l[k] - r[k]).norm());
        return least;
    };
    const double before = gap();
    s.layers.edit(0).values["meets"] = std::string("others");
    INFO(before << " -> " << gap());
    CHECK(before < 0.02);
    CHECK(gap() > 0.045);
}

TEST_CASE("a jiggle's pull leans where it is told to, and on the right as it is seen in a mirror") {
    scene::Scene s = test::sceneWith(test::personActor({}));
    test::addLayer(s, "jiggle", {"left_hand", "right_hand"},
                   {{"turn", std::string()},
                    {"move", std::string("xyz")},
                    {"frame", std::string("world")},
                    {"swing", 3.0},
                    {"sag", 1.0},
                    {"pull_tilt", 90.0},
                    {"pull_heading", 90.0},
                    {"bounces", 1.0},
                    {"preroll", 10.0}});
    const auto shift = [&](const char* joint) {
        const pipeline::Evaluation e = test::evaluate(s);
        const rig::Actor& a = *s.actors[0].actor;
        const int j = a.skeleton.find(joint);
        return Vec3(test::worldPlaces(a, *e.actors[0].result, j)[0] - test::worldPlaces(a, *e.actors[0].body, j)[0]);
    };
    // Hanging still, a spring of rate f gives way by g / (2 pi f)^2.
    const double sag = kEarthGravity / std::pow(2 * kPi * 3, 2);
    CHECK((shift("left_hand") - Vec3(sag, 0, 0)).norm() < 1e-3 * sag);
    CHECK((shift("right_hand") - Vec3(sag, 0, 0)).norm() < 1e-3 * sag);
    s.layers.edit(0).values["sides"] = std::string("mirrored");
    CHECK((shift("left_hand") - Vec3(sag, 0, 0)).norm() < 1e-3 * sag);
    CHECK((shift("right_hand") + Vec3(sag, 0, 0)).norm() < 1e-3 * sag);
    // A stop on the outer side of the left is one on the outer side of the right.
    s.layers.edit(0).values["stops"] = std::string("hard");
    s.layers.edit(0).values["move_max_x"] = 0.01;
    CHECK(shift("left_hand").x() < 0.5 * sag);
    CHECK(shift("right_hand").x() == Approx(-shift("left_hand").x()).epsilon(1e-6));
}

TEST_CASE("a strand's stops and leaning pull are on the right as they are seen in a mirror, where that is asked for") {
    scene::Scene s = test::sceneWith(test::personActor({}));
    test::addLayer(s, "strand", {"left_upper_arm", "right_upper_arm"},
                   {{"swing", 0.3},
                    {"bounces", 0.5},
                    {"gravity", 1.0},
                    {"pull_tilt", 50.0},
                    {"pull_heading", 60.0},
                    {"bend_max_first", 20.0},
                    {"bend_min_first", 70.0},
                    {"bend_max_second", 35.0},
                    {"bend_min_second", 10.0}});
    // How far the right hand is from where a mirror has the left one.
    const auto apart = [&] {
        const pipeline::Evaluation e = test::evaluate(s);
        const rig::Actor& a = *s.actors[0].actor;
        const auto at = [&](const char* joint) {
            return test::worldPlaces(a, *e.actors[0].result, a.skeleton.find(joint)).back();
        };
        const Vec3 left = at("left_hand"), right = at("right_hand");
        return (right - Vec3(-left.x(), left.y(), left.z())).norm();
    };
    CHECK(apart() > 0.1);
    s.layers.edit(0).values["sides"] = std::string("mirrored");
    CHECK(apart() < 1e-6);
}

TEST_CASE("jiggle stops ease into their limit and never pass it, shares scale, axes can be others'") {
    test::ChainSpec spec = swaying();
    spec.motion = [](double t) {
        Xform x;
        x.t = Vec3(0.6 * std::sin(2 * kPi * 2 * t), 0, 0);
        return x;
    };
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::addLayer(s, "jiggle", {"bone_2"},
                   {{"turn", std::string()}, {"move", std::string("x")}, {"frame", std::string("world")}, {"swing", 2.0}});
    const auto range = [&] {
        const pipeline::Evaluation e = test::evaluate(s);
        double low = 0, high = 0;
        const int j = s.actors[0].actor->skeleton.find("bone_2");
        for (int f = 0; f < e.actors[0].result->frames(); ++f) {
            const double x = (e.actors[0].result->at(j, f).t - e.actors[0].body->at(j, f).t).x();
            low = std::min(low, x);
            high = std::max(high, x);
        }
        return std::pair(low, high);
    };
    const auto free = range();
    REQUIRE(free.second > 0.5);
    s.layers.edit(0).values["move_max_x"] = 0.8;  // of the bone's quarter metre
    s.layers.edit(0).values["move_min_x"] = 0.4;
    const auto held = range();
    CHECK(held.second <= 0.2);
    CHECK(held.second > 0.19);
    CHECK(held.first >= -0.1);
    CHECK(held.first < -0.095);
    // A hard one leaves the way to it alone.
    s.layers.edit(0).values["stops"] = std::string("hard");
    s.layers.edit(0).values["move_max_x"] = s.layers.edit(0).values["move_min_x"] = 0.9 * free.second / 0.25;
    CHECK(range().second == Approx(0.9 * free.second).epsilon(1e-6));
    s.layers.edit(0).values["move_max_x"] = s.layers.edit(0).values["move_min_x"] =
        1.1 * std::max(free.second, -free.first) / 0.25;
    CHECK(range() == free);
    s.layers.edit(0).values["move_max_x"] = s.layers.edit(0).values["move_min_x"] = 5.0;
    s.layers.edit(0).values["share_x"] = 0.5;
    CHECK(range().second == Approx(0.5 * free.second).epsilon(1e-9));
    s.layers.edit(0).values["share_x"] = 1.0;
    s.layers.edit(0).values["move"] = std::string("yz");
    CHECK(std::abs(range().second) < 1e-9);
}

TEST_CASE("squash and stretch keeps the volume") {
    test::ChainSpec spec = swaying();
    spec.motion = [](double t) {
        Xform x;
        x.t = Vec3(0, 0.4 * std::sin(2 * kPi * 2 * t), 0);
        return x;
    };
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::addLayer(s, "jiggle", {"bone_2"}, {{"squash", 1.0}, {"swing", 3.0}});
    const pipeline::Evaluation e = test::evaluate(s);
    const int j = s.actors[0].actor->skeleton.find("bone_2");
    double most = 0;
    for (int f = 0; f < e.actors[0].result->frames(); ++f) {
        const Vec3 scale = e.actors[0].result->at(j, f).s;
        CHECK(scale.prod() == Approx(1).epsilon(1e-12));
        most = std::max(most, std::abs(scale.y() - 1));
    }
    CHECK(most > 0.1);
}

TEST_CASE("the same wind, pins and keys at 12, 24 and 120 frames a second") {
    const auto at = [](int fps, bool wind, bool pin, bool keys) {
        scene::Scene s = test::sceneWith(test::chainActor(swaying(fps)));
        test::setRate(s, fps);
        test::addLayer(s, "strand", {"bone_1"}, {{"gravity", 0.5}, {"preroll", 0.0}});
        if (wind) {
            s.winds.push_back(scene::newWind(s, s.actors[0]));
            s.winds.edit(0).set("speed", 4.0);
        }
        if (pin) {
            scene::Pin p;
            p.id = p.name = "pin";
            p.values = scene::startValues(scene::pinTable());
            p.actor = s.actors[0].id;
            p.joint = "bone_4";
            p.setVector("offset", Vec3(0.2, -0.6, 0.1));
            // Holds from a quarter to one second, then lets go.
            s.pins.push_back(p);
            test::keyed(s, {scene::List::Pins, "pin"}, "strength",
                        {{fps / 4, 0.0}, {fps / 2, 0.6}, {fps, 0.6}, {fps * 5 / 4, 0.0}});
        }
        if (keys) test::keyed(s, test::layerAt(s), "swing", {{0, 1.0}, {fps, 4.0}});
        return tip(s);
    };
    const auto coarse = at(12, true, true, true), middle = at(24, true, true, true), fine = at(120, true, true, true);
    REQUIRE(coarse.size() == 25);
    double slow = 0, usual = 0;
    for (std::size_t f = 0; f < coarse.size(); ++f) {
        slow = std::max(slow, (coarse[f] - fine[10 * f]).norm());
        usual = std::max(usual, (middle[2 * f] - fine[10 * f]).norm());
    }
    INFO("12 against 120: " << slow << " m, 24 against 120: " << usual << " m of a strand of 1 m");
    // Air, keys and pins are read once a frame, so a coarse grid sees less of a gust or of a pin that lets go.
    CHECK(slow < 0.10);
    CHECK(usual < 0.04);
    CHECK(farthest(fine, at(120, false, true, true)) > 0.08);
    CHECK(farthest(fine, at(120, true, false, true)) > 0.1);
    CHECK(farthest(fine, at(120, true, true, false)) > 0.1);
}

TEST_CASE("what is stepped live is what is baked, bit for bit") {
    for (const char* kind : {"strand", "jiggle"}) {
        INFO(kind);
        test::ChainSpec spec = swaying();
        spec.frames = 44;  // no loop: what comes after its end is not known
        scene::Scene s = test::sceneWith(test::chainActor(spec));
        test::addLayer(s, kind, {"bone_1"}, {{"gravity", 0.5}, {"preroll", 0.0}, {"mix", 0.8}});
        // Layers on layers too: what one makes of the next frame is what the one above it looks ahead to.
        test::addLayer(s, "jiggle", {"bone_2"}, {{"preroll", 0.0}, {"amount", 1.7}});
        test::addLayer(s, "strand", {"bone_3"}, {{"preroll", 0.0}, {"gravity", 0.2}});
        test::keyed(s, test::layerAt(s), "bounces", {{0, 1.0}, {20, 4.0}});
        scene::Wind w = scene::newWind(s, s.actors[0]);
        s.winds.push_back(w);
        scene::Collider ball = scene::newCollider(s, s.actors[0], 0, scene::Shape::Sphere);
        ball.setVector("offset", Vec3(0.25, -0.5, 0));
        s.colliders.push_back(ball);
        pipeline::Evaluator e;
        const pipeline::Evaluation baked = e.evaluate(s, {});
        const rig::Track &body = *baked.actors[0].body, &result = *baked.actors[0].result;
        pipeline::Live live(s, s.actors[0].id, e);
        double moved = 0;
        const int last = body.frames() - 1;
        const auto at = [&](int step) -> std::optional<pipeline::Live::Moment> {
            if (step > last) return std::nullopt;
            pipeline::Live::Moment m{{}, step, step * (1.0 / 24)};
            body.pose(m.frame, m.locals);
            return m;
        };
        for (int f = 0; f < body.frames(); ++f) {
            f == 0 ? live.start(1.0 / 24, at) : live.step();
            for (int j = 0; j < body.joints(); ++j) {
                INFO("joint " << j << " frame " << f);
                REQUIRE(live.result()[static_cast<std::size_t>(j)] == result.at(j, f));
                moved = std::max(moved, body.at(j, f).t.x() - body.at(j, 0).t.x());
            }
        }
        CHECK(moved > 0.25);  // the body does go about
    }
}

TEST_CASE("a scene file keeps winds, pins, cuts, keys, profiles and boxes") {
    TempFolder f;
    scene::Scene s = files::sceneOf(test::read(test::kOtterFile));
    test::addLayer(s, "strand", {"tail_01"});
    test::keyed(s, test::layerAt(s), "swing", {{0, 2.0}, {11, 4.0}});
    s.layers.edit(0).profiles["bend"] = {{0, 1}, {1, 0.25}};
    s.winds.push_back(scene::newWind(s, s.actors[0]));
    s.winds.edit(0).layers = {s.layers[0].id};
    s.colliders.push_back(scene::newCollider(s, s.actors[0], 2, scene::Shape::Box));
    s.colliders.edit(0).set("friction", 0.7);
    scene::Pin p;
    p.id = p.name = "hold";
    p.actor = s.actors[0].id;
    p.joint = "tail_05";
    p.values = scene::startValues(scene::pinTable());
    s.pins.push_back(p);
    test::keyed(s, {scene::List::Pins, "hold"}, "strength", {{3, 1.0}, {9, 0.0}});
    s.editShot().cuts = {0.3, 0.8};
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    auto again = files::readScene(f / "s.nutatio");
    REQUIRE(again.ok());
    const scene::Scene& t = again.value();
    CHECK(t.shots.size() == s.shots.size());
    CHECK(t.shown == s.shown);
    CHECK(t.shot().keys == s.shot().keys);
    CHECK(t.shot().clips == s.shot().clips);
    CHECK(t.layers[0].profiles == s.layers[0].profiles);
    CHECK(t.winds[0].layers == s.winds[0].layers);
    CHECK(t.winds[0].vector("place") == s.winds[0].vector("place"));
    CHECK(t.colliders[0].shape() == scene::Shape::Box);
    CHECK(t.colliders[0].vector("size") == s.colliders[0].vector("size"));
    CHECK(t.colliders[0].number("friction") == 0.7);
    CHECK(t.shot().cuts == s.shot().cuts);
    // Written again, it is the same file.
    REQUIRE(files::writeScene(t, f / "t.nutatio").ok());
    CHECK(test::textOf(f / "s.nutatio") == test::textOf(f / "t.nutatio"));
}

TEST_CASE("what is wrong in a scene is told in one sentence each, and nothing is lost") {
    TempFolder f;
    const std::string otter = test::kOtterFile;
    const auto open = [&](const std::string& rest) {
        test::put(f / "s.nutatio",
                  R"({"format": "nutatio-scene", "version": 1, "actors": [{"id": "o", "file": ")" + otter + "\"}]," + rest + "}");
        return pipeline::open(f / "s.nutatio");
    };
    struct Mended {
        const char* text;
        const char* says;
    };
    for (
        const Mended& m : {
            Mended{R"("layers": [{"id": "a", "kind": "strand", "actor": "o", "settings": {"root": ["tail_01"], "swing": 900}}])",
                   "outside 0 to 60"},
            Mended{R"("layers": [{"id": "a", "kind": "strand", "actor": "o", "settings": {"root": ["tail_99"]}}])",
                   "no joint \"tail_99\""},
            Mended{
                R"("layers": [{"id": "a", "kind": "strand", "actor": "o", "settings": {"root": ["tail_01"], "cuts": "often"}}])",
                "not one of found, marked, none"},
            Mended{
                R"("layers": [{"id": "a", "kind": "strand", "actor": "o", "settings": {"root": ["tail_01"]}, "keys": {"root": [[1, 2]]}}])",
                "cannot have keys"},
            Mended{
                R"("layers": [{"id": "a", "kind": "strand", "actor": "o", "settings": {"root": ["tail_01"]}, "keys": {"swing": [[1, 2], [5, 99]]}}])",
                "1 of its keys"},
            Mended{R"("colliders": [{"id": "c", "actor": "o", "joint": "gone", "shape": "box"}])", "there is no joint \"gone\""},
            Mended{R"("colliders": [{"id": "c", "actor": "o", "joint": "hips", "shape": "cone"}])", "colliders[0].shape"},
            Mended{R"("pins": [{"id": "p", "actor": "o", "joint": "gone"}])", "no joint \"gone\" to hold"},
            Mended{R"("pins": [{"id": "p", "actor": "o", "joint": "tail_03", "strength": 7}])", "Strength: 7 is outside 0 to 1"},
            Mended{R"("winds": [{"id": "w", "layers": ["nobody"]}])", "no layer \"nobody\""},
        }) {
        INFO(m.text);
        const auto opened = open(m.text);
        REQUIRE(opened.ok());
        REQUIRE(opened.value().warnings.size() == 1);
        CHECK(opened.value().warnings[0].find(m.says) != std::string::npos);
        // It still evaluates, and saving gives the thing back.
        CHECK(test::evaluate(opened.value().scene).actors[0].result->frames() > 1);
        REQUIRE(files::writeScene(opened.value().scene, f / "again.nutatio").ok());
    }
    for (
        const Mended& m : {
            Mended{R"("winds": [{"id": "w", "direction": [0, 0, 0]}])", "winds[0].direction"},
            Mended{R"("winds": [{"id": "w", "speed": -2}])", "winds[0].speed"},
            Mended{R"("layers": [{"id": "a", "kind": "strand", "actor": "o", "keys": {"swing": [[9, 2], [5, 3]]}}])",
                   "layers[0].keys.swing[1]"},
            // A key without a value, and one that is no list.
            Mended{R"("layers": [{"id": "a", "kind": "strand", "actor": "o", "keys": {"swing": [[9]]}}])",
                   "layers[0].keys.swing[0]"},
            Mended{R"("layers": [{"id": "a", "kind": "strand", "actor": "o", "keys": {"swing": [9]}}])",
                   "layers[0].keys.swing[0]"},
            Mended{
                R"("layers": [{"id": "a", "kind": "strand", "actor": "o", "feeds": {"swing": {"gauge": "g", "response": [[5]]}}}])",
                "layers[0].feeds.swing.response[0]"},
            Mended{R"("layers": [{"id": "a", "kind": "strand", "actor": "o", "profiles": {"swing": [[2, 1]]}}])",
                   "layers[0].profiles.swing[0]"},
            Mended{R"("cuts": [1.5])", "cuts[0]"},
        }) {
        INFO(m.text);
        const auto opened = open(m.text);
        REQUIRE_FALSE(opened.ok());
        CHECK(opened.error().text().find(m.says) != std::string::npos);
        CHECK(opened.error().text().find('\n') == std::string::npos);
    }
}

TEST_CASE("a number that is none in a clip is refused with its place") {
    TempFolder f;
    demo::GltfBuilder b;
    const int root = b.node("root", -1);
    b.node("tip", root, {Vec3(0, 1, 0), Quat::Identity(), Vec3::Ones()});
    std::vector<std::vector<Xform>> frames(3, std::vector<Xform>(2));
    frames[1][0].t.x() = std::nan("");
    frames[2][0].t.x() = 1;
    b.clip("Broken", 24, frames);
    b.writeGlb(f / "nan.glb");
    const auto read = files::readActor(f / "nan.glb");
    REQUIRE_FALSE(read.ok());
    CHECK(read.error().text().find("nan.glb") != std::string::npos);
    CHECK(read.error().text().find('\n') == std::string::npos);
}

TEST_CASE("speed through still air tilts a jiggle as a wind of that speed does") {
    const auto tilt = [](double speed, double wind, double drag) {
        test::ChainSpec spec;
        spec.frames = 97;
        spec.motion = [=](double t) { return Xform{Vec3(speed * t + 1e-9 * t, 0, 0)}; };
        scene::Scene s = test::sceneWith(test::chainActor(spec));
        test::addLayer(s, "jiggle", {"bone_2"}, {{"swing", 2.0}, {"bounces", 0.5}, {"drag", drag}});
        if (wind > 0) {
            scene::Wind w = scene::newWind(s, s.actors[0]);
            scene::setWindDirection(w, Vec3(-1, 0, 0));
            w.set("speed", wind);
            w.set("gust_share", 0.0);
            w.set("swirl_share", 0.0);
            s.winds.push_back(w);
        }
        const auto e = test::evaluate(s);
        const int j = s.actors[0].actor->skeleton.find("bone_2");
        return rotationVector(e.actors[0].body->at(j, 90).r.conjugate() * e.actors[0].result->at(j, 90).r);
    };
    CHECK(tilt(3, 0, 0).norm() < 1e-4);
    const Vec3 moved = tilt(3, 0, 1), blown = tilt(0, 3, 0);
    CHECK(moved.norm() > radians(1));
    CHECK((moved - blown).norm() < 0.02 * blown.norm());
    // Carried along by the wind it feels none of it.
    CHECK(tilt(-3, 3, 1).norm() < 0.02 * blown.norm());
}

TEST_CASE("a felt share below nothing throws it the other way, as far") {
    const auto thrown = [](const char* kind, double share) {
        test::ChainSpec spec;
        spec.frames = 49;
        spec.motion = [](double t) { return Xform{Vec3(0.2 * std::sin(2 * kPi * t), 0, 0)}; };
        scene::Scene s = test::sceneWith(test::chainActor(spec));
        test::addLayer(s, kind, {"bone_1"}, {{"felt_travel", share}, {"preroll", 0.0}, {"gravity", 0.0}, {"drag", 0.0}});
        const auto e = test::evaluate(s);
        const rig::Actor& a = *s.actors[0].actor;
        const int end = a.skeleton.find("end");
        const auto is = test::worldPlaces(a, *e.actors[0].result, end), was = test::worldPlaces(a, *e.actors[0].body, end);
        std::vector<double> out;
        for (std::size_t f = 0; f < is.size(); ++f) out.push_back((is[f] - was[f]).x());
        return out;
    };
    for (const char* kind : {"strand", "jiggle"}) {
        const std::vector<double> with = thrown(kind, 0.5), against = thrown(kind, -0.5);
        double most = 0;
        for (std::size_t f = 0; f < with.size(); ++f) {
            CHECK(against[f] == Approx(-with[f]).margin(2e-3));
            most = std::max(most, std::abs(with[f]));
        }
        CHECK(most > 0.01);
    }
}
