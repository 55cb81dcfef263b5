// Gauges against closed forms, at any rate and size; feeds and what they may wait for.
#include <catch2/catch.hpp>
#include <cmath>

#include "edit/edit.h"
#include "edit/gauges.h"
#include "edit/keys.h"
#include "edit/kit.h"
#include "edit/operations.h"
#include "files/csv.h"
#include "files/kit.h"
#include "files/scene_file.h"
#include "measure/gauge.h"
#include "rig/mass.h"
#include "scene/items.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using Catch::Matchers::Contains;

namespace {

/// A gauge of a chain whose root goes by `motion`, read over `seconds` at a rate.
scene::Curve read(const std::function<Xform(double)>& motion, double fps, double seconds, const scene::Values& values,
                  const std::string& joint = "root", const std::string& to = {}) {
    test::ChainSpec spec;
    spec.fps = fps;
    spec.frames = static_cast<int>(std::lround(fps * seconds)) + 1;
    spec.motion = motion;
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::setRate(s, fps);
    const std::string id = edit::addGauge(s, s.actors[0].id, joint);
    REQUIRE_FALSE(id.empty());
    for (const auto& [key, value] : values) s.gauge(id)->set(key, value);
    if (!to.empty()) REQUIRE(edit::measureTo(s, id, s.actors[0].id, to).ok());
    const pipeline::Evaluation e = test::evaluate(s);
    INFO(e.gauges.at(0)->problem);
    REQUIRE(e.gauges.at(0)->problem.empty());
    return e.gauges.at(0)->values;
}

Xform circling(double t, double radius, double turns) {
    Xform x;
    x.t = Vec3(radius * std::cos(2 * kPi * turns * t), 1, radius * std::sin(2 * kPi * turns * t));
    return x;
}

double rmsOf(const scene::Curve& a) {
    double sum = 0;
    for (double v : a) sum += v * v;
    return std::sqrt(sum / static_cast<double>(a.size()));
}

/// The otter in its walk, with a gauge.
struct Walk {
    scene::Scene scene = test::otterScene();
    std::string actor;
    Walk() {
        test::play(scene, "Walk");
        actor = scene.actors[0].id;
    }
    scene::Curve read(const std::string& measure, const std::string& joint, double fps, const scene::Values& values = {}) {
        scene::Scene s = scene;
        test::setRate(s, fps);
        const std::string id = edit::addGauge(s, actor, joint, measure);
        REQUIRE_FALSE(id.empty());
        for (const auto& [key, value] : values) s.gauge(id)->set(key, value);
        const pipeline::Evaluation e = test::evaluate(s);
        INFO(e.gauges.at(0)->problem);
        REQUIRE(e.gauges.at(0)->problem.empty());
        return e.gauges.at(0)->values;
    }
};

}  // namespace

TEST_CASE("a gauge reads speed, acceleration and travel of a circle, first and last frame included") {
    const double radius = 0.5, turns = 0.5, w = 2 * kPi * turns;
    for (double fps : {24.0, 60.0, 120.0}) {
        CAPTURE(fps);
        const auto way = [&](double t) { return circling(t, radius, turns); };
        for (double v : read(way, fps, 1.5, {{"measure", std::string("speed")}})) CHECK(v == Approx(radius * w).epsilon(0.02));
        const scene::Curve a = read(way, fps, 1.5, {{"measure", std::string("acceleration")}});
        for (double v : a) CHECK(v == Approx(radius * w * w).epsilon(0.05));
        const scene::Curve travel = read(way, fps, 1.5, {{"measure", std::string("travel")}});
        CHECK(travel.front() == 0);
        CHECK(travel.back() == Approx(radius * w * 1.5).epsilon(0.01));
    }
}

TEST_CASE("a gauge reads along an axis with a sign, and in a plane without the third") {
    const auto way = [](double t) { return Xform{Vec3(-2 * t, 3 * t, 0.5 * t)}; };
    const auto one = [&](const std::string& axes) {
        return read(way, 24, 1, {{"measure", std::string("speed")}, {"axes", axes}}).at(7);
    };
    CHECK(one("") == Approx(std::sqrt(4 + 9 + 0.25)));
    CHECK(one("x") == Approx(-2));
    CHECK(one("y") == Approx(3));
    CHECK(one("xz") == Approx(std::sqrt(4 + 0.25)));
}

TEST_CASE("a gauge reads a steady turn of any axis in degrees a second, beyond half a turn as well") {
    const auto spin = [](double t) {
        Xform x;
        x.r = fromRotationVector(radians(400) * t * Vec3::UnitY());
        return x;
    };
    for (double v : read(spin, 24, 2, {{"measure", std::string("turning")}})) CHECK(v == Approx(400).epsilon(1e-5));
    for (double v : read(spin, 60, 2, {{"measure", std::string("turning")}, {"axes", std::string("y")}}))
        CHECK(v == Approx(400).epsilon(1e-5));
    for (double v : read(spin, 60, 2, {{"measure", std::string("turning")}, {"axes", std::string("z")}}))
        CHECK(std::abs(v) < 1e-6);
}

TEST_CASE("felt weight is one standing still, none in free fall, more when pushed up") {
    CHECK(read([](double t) { return Xform{Vec3(t, 0, 0)}; }, 24, 1, {{"measure", std::string("weight")}}).at(5) == Approx(1));
    const auto fall = [](double t) { return Xform{Vec3(0, -0.5 * kEarthGravity * t * t, 0)}; };
    for (double v : read(fall, 60, 0.5, {{"measure", std::string("weight")}})) CHECK(v == Approx(0).margin(2e-3));
    const auto lift = [](double t) { return Xform{Vec3(0, 0.5 * kEarthGravity * t * t, 0)}; };
    CHECK(read(lift, 60, 0.5, {{"measure", std::string("weight")}}).at(10) == Approx(2));
}

TEST_CASE("distance, closing speed, angle and stretch are those of two joints") {
    test::ChainSpec spec;
    spec.motion = [](double t) { return Xform{Vec3(t, 0, 0)}; };
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    const auto value = [&](const std::string& measure, const std::string& joint, const std::string& to,
                           const scene::Values& v = {}) {
        scene::Scene with = s;
        with.gauges = {};
        const std::string g = edit::addGauge(with, s.actors[0].id, joint, measure);
        if (!to.empty()) REQUIRE(edit::measureTo(with, g, s.actors[0].id, to).ok());
        for (const auto& [key, each] : v) with.gauge(g)->set(key, each);
        const auto e = test::evaluate(with);
        INFO(e.gauges.at(0)->problem);
        REQUIRE(e.gauges.at(0)->problem.empty());
        return e.gauges.at(0)->values.at(3);
    };
    CHECK(value("distance", "bone_3", "bone_1") == Approx(2 * spec.length));
    CHECK(value("distance", "bone_3", "bone_1", {{"axes", std::string("z")}}) == Approx(2 * spec.length));
    CHECK(value("distance", "bone_1", "bone_3", {{"axes", std::string("z")}}) == Approx(-2 * spec.length));
    CHECK(value("closing", "bone_3", "bone_1") == Approx(0).margin(1e-9));
    CHECK(value("angle", "bone_2", "") == Approx(0).margin(1e-6));
    CHECK(value("stretch", "bone_3", "bone_1") == Approx(0).margin(1e-9));
    const auto e = [&] {
        scene::Scene alone = s;
        edit::addGauge(alone, s.actors[0].id, "bone_1", "distance");
        return test::evaluate(alone);
    }();
    CHECK_THAT(e.gauges.at(0)->problem, Contains("choose the other one"));
}

TEST_CASE("two that go towards each other close with the sum of their speeds") {
    // The root goes up by 1 m/s; the gauge's other end is a collider's place told by a chain of its own.
    scene::Scene s = test::sceneWith(test::chainActor({.frames = 25, .motion = [](double t) { return Xform{Vec3(0, 0, t)}; }}));
    const auto still =
        test::sceneWith(test::chainActor({.frames = 25, .motion = [](double t) { return Xform{Vec3(0, 0, 5 - t)}; }}));
    files::addActor(s, still.actors[0].actor);
    s.editShot().clips[s.actors[1].id] = "Move";
    const std::string g = edit::addGauge(s, s.actors[0].id, "root", "closing");
    REQUIRE(edit::measureTo(s, g, s.actors[1].id, "root").ok());
    const auto e = test::evaluate(s);
    REQUIRE(e.gauges.at(0)->problem.empty());
    for (double v : e.gauges.at(0)->values) CHECK(v == Approx(2).epsilon(1e-4));
}

TEST_CASE("a signed angle is that of the hinge, to either side") {
    test::ChainSpec spec;
    spec.motion = [](double t) { return Xform{Vec3(t, 0, 0)}; };
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    const std::string sway = test::addLayer(
        s, "sway", {"bone_2"}, {{"turn", std::string("x")}, {"size", 40.0}, {"rate", 1.0}, {"form", std::string("cycle")}});
    const std::string g = edit::addGauge(s, s.actors[0].id, "bone_2", "angle");
    s.gauge(g)->set("axes", std::string("x"));
    REQUIRE(edit::readAfter(s, g, sway).ok());
    const auto e = test::evaluate(s);
    const auto [low, high] = std::minmax_element(e.gauges[0]->values.begin(), e.gauges[0]->values.end());
    CHECK(*high == Approx(40).epsilon(0.01));
    CHECK(*low == Approx(-40).epsilon(0.01));
    s.gauge(g)->set("axes", std::string());
    const auto plain = test::evaluate(s);
    for (double v : plain.gauges[0]->values) CHECK(v >= 0);
}

TEST_CASE("a limb that stands off to the side swings through nought all the same") {
    scene::Scene s = test::sceneWith(test::chainActor({.motion = [](double t) { return Xform{Vec3(t, 0, 0)}; }}));
    // Out to the side about the parent's y, to and fro about its x.
    const std::string off = test::addLayer(s, "touchup", {"bone_2"}, {{"axes", std::string("parent")}, {"turn_y@bone_2", 50.0}});
    test::keyed(s, {scene::List::Layers, off}, "turn_x@bone_2", {{0, -20}, {24, 20}});
    const std::string g = edit::addGauge(s, s.actors[0].id, "bone_1", "angle");
    s.gauge(g)->of.joint = "bone_2";
    s.gauge(g)->set("axes", std::string("x"));
    REQUIRE(edit::readAfter(s, g, off).ok());
    const auto e = test::evaluate(s);
    const auto& v = e.gauges[0]->values;
    for (std::size_t f = 1; f <= 24; ++f) CHECK(std::abs(v[f] - v[f - 1]) < 5);
    CHECK(v[0] * v[24] < 0);
    CHECK(std::abs(v[12]) < 3);
}

TEST_CASE("over another actor, that stands on the ground that runs, a walk in place has the speed that it has over the ground") {
    scene::Scene s = test::sceneWith(test::chainActor({.motion = [](double t) { return Xform{Vec3(0.01 * t, 0, 0)}; }}));
    s.actors.push_back(test::sceneWith(test::chainActor({})).actors.front());
    s.actors.edit(1).id = "pier";
    s.actors.edit(1).set("heading", 40.0);
    const std::string g = edit::addGauge(s, s.actors[0].id, "root", "speed");
    s.gauge(g)->set("ground", std::string("typed"));
    s.gauge(g)->set("ground_speed", 1.3);
    const std::vector<double> over = test::evaluate(s).gauges[0]->values;
    REQUIRE(edit::measureTo(s, g, "pier", "root").ok());
    s.gauge(g)->set("from", std::string("joint"));
    const auto e = test::evaluate(s);
    REQUIRE(e.gauges[0]->problem.empty());
    REQUIRE(over.size() == e.gauges[0]->values.size());
    for (std::size_t f = 0; f < over.size(); ++f) CHECK(e.gauges[0]->values[f] == Approx(over[f]).epsilon(1e-6));
    CHECK(over[3] == Approx(1.3).epsilon(0.02));
}

TEST_CASE("height is taken over the floor, or over what is chosen, wherever that goes") {
    scene::Scene s =
        test::sceneWith(test::chainActor({.frames = 25, .motion = [](double t) { return Xform{Vec3(5e-4 * t, 2, 0)}; }}));
    const std::string id = edit::addGauge(s, s.actors[0].id, "root", "height");
    CHECK(test::evaluate(s).gauges[0]->values.at(0) == Approx(2));
    const std::string ball = edit::addCollider(s, s.actors[0].id, "root", scene::Shape::Sphere);
    scene::Collider& c = *s.collider(ball);
    c.mount = {};
    c.set("radius", 0.25);
    c.setVector("offset", Vec3(0, 0, 0));
    s.gauge(id)->over = {ball};
    test::keyed(s, {scene::List::Colliders, ball}, "offset_y", {{0, 0.0}, {24, 1.0}});
    const auto over = test::evaluate(s).gauges[0]->values;
    CHECK(over.front() == Approx(1.75));
    CHECK(over.back() == Approx(0.75));
}

TEST_CASE("no gauge measures a speed across a cut") {
    const auto jump = [](double t) { return Xform{Vec3(t < 0.5 ? t : 100 + t, 0, 0)}; };
    scene::Scene s = test::sceneWith(test::chainActor({.frames = 25, .motion = jump}));
    edit::addGauge(s, s.actors[0].id, "root", "speed");
    const auto torn = test::evaluate(s).gauges[0]->values;
    CHECK(*std::max_element(torn.begin(), torn.end()) > 100);
    edit::markCut(s, 12);
    const auto whole = test::evaluate(s).gauges[0]->values;
    for (std::size_t f = 0; f < whole.size(); ++f) {
        CAPTURE(f);
        CHECK(whole[f] == Approx(1).epsilon(1e-3));
    }
}

TEST_CASE("gauges read a walk alike at 24, 60 and 120 frames a second") {
    Walk walk;
    const auto apart = [&](const std::string& measure, double fps, double calm) {
        const auto fine = walk.read(measure, "hand_L", 120, {{"calm", calm}}),
                   coarse = walk.read(measure, "hand_L", fps, {{"calm", calm}});
        scene::Curve difference, all;
        const double step = 120 / fps;
        for (std::size_t f = 0; f < coarse.size(); ++f) {
            const auto at = static_cast<std::size_t>(std::lround(static_cast<double>(f) * step));
            if (at >= fine.size()) break;
            difference.push_back(coarse[f] - fine[at]);
            all.push_back(fine[at]);
        }
        return rmsOf(difference) / rmsOf(all);
    };
    // The bars of the design notes for clean clips: 2 % of speed, 5 % of acceleration; at 12 a second twice as calm.
    for (double fps : {24.0, 60.0}) {
        CAPTURE(fps);
        CHECK(apart("speed", fps, 1) < 0.02);
        CHECK(apart("acceleration", fps, 1) < 0.05);
        CHECK(apart("turning", fps, 1) < 0.05);
    }
    CHECK(apart("speed", 12, 2) < 0.03);
}

TEST_CASE("the ground of a walk in place is found by its feet, and speed over it is the walking speed") {
    Walk walk;
    const auto over =
        walk.read("speed", "hips", 24, {{"ground", std::string("found")}, {"axes", std::string("xz")}, {"calm", 12.0}});
    const auto still = walk.read("speed", "hips", 24, {{"axes", std::string("xz")}, {"calm", 12.0}});
    CHECK(rmsOf(still) < 0.2);
    CHECK(rmsOf(over) > 0.4);
    // Typed as found, it reads the same.
    const scene::ActorEntry& a = walk.scene.actors[0];
    pipeline::Evaluator evaluator;
    const auto body = evaluator.bodyOf(walk.scene, walk.scene.shot(), a);
    const auto ground = measure::groundBelow({a.actor.get(), body.get(), scene::placementOf(a), 0}, true);
    REQUIRE(ground);
    const auto typed = walk.read("speed", "hips", 24,
                                 {{"ground", std::string("typed")},
                                  {"ground_speed", ground->norm()},
                                  {"ground_heading", degrees(std::atan2(ground->x(), ground->z()))},
                                  {"axes", std::string("xz")},
                                  {"calm", 12.0}});
    for (std::size_t f = 0; f < typed.size(); ++f) CHECK(typed[f] == Approx(over[f]).epsilon(1e-9));
    scene::Scene idle = walk.scene;
    test::play(idle, "Idle");
    const std::string id = edit::addGauge(idle, idle.actors[0].id, "hips", "speed");
    idle.gauge(id)->set("ground", std::string("found"));
    CHECK_THAT(test::evaluate(idle).gauges[0]->problem, Contains("type its speed"));
}

TEST_CASE("a foot touches the ground and lifts off it in a walk, most of the time and in turn") {
    Walk walk;
    const scene::Values values{{"ground", std::string("found")}, {"point", std::string("joint")}};
    const auto left = walk.read("contact", "foot_L", 60, values), right = walk.read("contact", "foot_R", 60, values);
    const auto share = [](const scene::Curve& c) {
        return static_cast<double>(std::count_if(c.begin(), c.end(), [](double v) { return v > 0.5; })) /
               static_cast<double>(c.size());
    };
    CHECK(share(left) > 0.35);
    CHECK(share(left) < 0.9);
    CHECK(share(right) == Approx(share(left)).margin(0.15));
    for (double v : left) CHECK((v >= 0 && v <= 1));
}

TEST_CASE("masses sum to one, weigh a trunk most, and the centre of mass stands inside the body") {
    for (const auto& actor :
         {test::read(test::kOtterFile), test::read(test::kDeckhandFile), test::beastActor({.rootScale = 0.01})}) {
        CAPTURE(actor->name);
        const rig::Masses m = rig::massesOf(*actor);
        double sum = 0;
        for (double v : m.share) {
            CHECK(v >= 0);
            sum += v;
        }
        CHECK(sum == Approx(1));
        std::vector<Affine> worlds;
        rig::worldTransforms(actor->skeleton, actor->restPose(), worlds);
        const Vec3 c = rig::centreOfMass(m, worlds);
        for (int k = 0; k < 3; ++k) {
            CHECK(c[k] > actor->low[k] - 0.05 * actor->height);
            CHECK(c[k] < actor->high[k] + 0.05 * actor->height);
        }
    }
}

TEST_CASE("a body whose triangles show their inside, as one that a scale mirrors, weighs as it does the right way out") {
    const auto actor = test::read(test::kOtterFile);
    rig::Actor inside = *actor;
    for (rig::Mesh& mesh : inside.meshes.edit())
        for (rig::Primitive& p : mesh.primitives) {
            std::vector<std::uint32_t>& t = p.triangles.edit();
            for (std::size_t k = 0; k + 2 < t.size(); k += 3) std::swap(t[k + 1], t[k + 2]);
        }
    inside.finish();
    const rig::Masses out = rig::massesOf(*actor), in = rig::massesOf(inside);
    REQUIRE(in.share.size() == out.share.size());
    for (std::size_t j = 0; j < out.share.size(); ++j) {
        CHECK(in.share[j] == Approx(out.share[j]).margin(1e-9));
        CHECK((in.centre[j] - out.centre[j]).norm() < 1e-9);
    }
}

TEST_CASE("a feed answers by its response, late by its lag, up and down at its own paces, and round a loop") {
    scene::Feed f;
    f.response = {{.at = 0, .value = 1, .ease = scene::Ease::Linear}, {.at = 2, .value = 5, .ease = scene::Ease::Linear}};
    CHECK(scene::responseTo(f, 1) == Approx(3));
    CHECK(scene::responseTo(f, 9) == 5);
    CHECK(scene::responseTo(f, -9) == 1);
    f.straight = true;
    CHECK(scene::responseTo(f, 3) == Approx(7));
    CHECK(scene::responseTo(f, -1) == Approx(-1));
    f.times = 2;
    CHECK(scene::responseTo(f, 1) == Approx(5));
    f.high = 4;
    CHECK(scene::responseTo(f, 1) == 4);
    f = {};
    f.response = {{.at = 0, .value = 0, .ease = scene::Ease::Linear}, {.at = 1, .value = 1, .ease = scene::Ease::Linear}};
    for (double fps : {12.0, 24.0, 120.0}) {
        const auto frames = static_cast<std::size_t>(4 * fps);
        scene::Curve step(frames, 0.0);
        for (std::size_t k = frames / 4; k < frames / 2; ++k) step[k] = 1;
        scene::Feed paced = f;
        paced.attack = 0.5;
        const auto up = scene::fed(paced, step, fps, false);
        // To 95 of 100 after half a second; down at once.
        CHECK(up[frames / 4 + static_cast<std::size_t>(0.5 * fps) - 1] == Approx(0.95).margin(0.01));
        CHECK(up[frames / 2] == 0);
        paced = f;
        paced.lag = 3 / fps;
        const auto late = scene::fed(paced, step, fps, false);
        CHECK(late[frames / 4 + 2] == 0);
        CHECK(late[frames / 4 + 3] == 1);
        paced.attack = paced.release = 1;
        const auto round = scene::fed(paced, step, fps, true);
        CHECK(round.front() == round.back());
        // What it carries from the loop's end is what it begins with.
        CHECK(round.front() > 0.0001);
    }
}

TEST_CASE("a fed setting is the setting keyed on every frame with what the gauge makes of it, bit for bit") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const std::string strand = test::addLayer(s, "strand", {"tail_01"});
    const std::string g = edit::addGauge(s, s.actors[0].id, "hips", "speed");
    scene::Feed f;
    f.gauge = g;
    f.response = {{.at = 0, .value = 1}, {.at = 0.4, .value = 4}};
    const scene::Owner owner{scene::List::Layers, strand};
    const auto plain = test::evaluate(s);
    REQUIRE(edit::feed(s, owner, "swing", f).ok());
    for (double fps : {12.0, 24.0, 60.0}) {
        CAPTURE(fps);
        test::setRate(s, fps);
        const auto fed = test::evaluate(s);
        CHECK(fed.layer(strand)->remarks.empty());
        scene::Scene byKeys = s;
        edit::unfeed(byKeys, owner, "swing");
        std::vector<std::pair<int, double>> keys;
        const scene::Curve& reads = fed.gauge(g)->values;
        for (std::size_t k = 0; k < reads.size(); ++k) keys.emplace_back(static_cast<int>(k), scene::responseTo(f, reads[k]));
        test::keyed(byKeys, owner, "swing", keys);
        const auto keyed = test::evaluate(byKeys);
        CHECK(test::sameBits(*fed.actors[0].result, *keyed.actors[0].result));
        if (fps == 24) CHECK_FALSE(test::sameBits(*fed.actors[0].result, *plain.actors[0].result));
    }
}

TEST_CASE("a wind follows a gauge, from the first layer on that stands above what the gauge reads") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const std::string ears = test::addLayer(s, "sway", {"head"}, {{"size", 20.0}});
    const std::string tail = test::addLayer(s, "strand", {"tail_01"});
    const std::string wind = edit::addWind(s, s.actors[0].id);
    s.wind(wind)->layers = {tail};
    const auto still = test::evaluate(s);
    const std::string g = edit::addGauge(s, s.actors[0].id, "head", "turning");
    REQUIRE(edit::readAfter(s, g, ears).ok());
    scene::Feed f;
    f.gauge = g;
    f.response = {{.at = 0, .value = 0}, {.at = 100, .value = 20}};
    REQUIRE(edit::feed(s, {scene::List::Winds, wind}, "speed", f).ok());
    const auto blown = test::evaluate(s);
    CHECK_FALSE(test::sameBits(*still.actors[0].result, *blown.actors[0].result));
    REQUIRE(blown.items.count({scene::List::Winds, wind}) == 1);
    const auto& settings = *blown.items.at({scene::List::Winds, wind});
    CHECK(settings.at("speed", 7) == Approx(scene::responseTo(f, blown.gauge(g)->values[7])));
    // Kept under the key of what it became: the same again without a run.
    pipeline::Evaluator evaluator;
    evaluator.evaluate(s, {});
    scene::Scene again = s;
    again.editShot().name = "another name";
    CHECK(evaluator.evaluate(again, {}).simulated == 0);
}

TEST_CASE("rings of waiting are refused when they are made, and name who waits") {
    scene::Scene s = test::otterScene();
    const std::string below = test::addLayer(s, "strand", {"tail_01"}), above = test::addLayer(s, "sway", {"head"});
    edit::rename(s, {scene::List::Layers, below}, "lower");
    edit::rename(s, {scene::List::Layers, above}, "upper");
    const std::string g = edit::addGauge(s, s.actors[0].id, "head", "turning");
    REQUIRE(edit::readAfter(s, g, above).ok());
    scene::Feed f;
    f.gauge = g;
    f.response = {{.at = 0, .value = 1}};
    const auto ring = edit::feed(s, {scene::List::Layers, below}, "swing", f);
    REQUIRE_FALSE(ring.ok());
    CHECK_THAT(ring.error().sentence, Contains("lower") && Contains("upper"));
    const auto self = edit::feed(s, {scene::List::Layers, above}, "rate", f);
    REQUIRE_FALSE(self.ok());
    CHECK_THAT(self.error().sentence, Contains("itself"));
    REQUIRE(edit::readAfter(s, g, below).ok());
    REQUIRE(edit::feed(s, {scene::List::Layers, above}, "rate", f).ok());
    const auto moved = edit::moveLayer(s, above, -1);
    CHECK_FALSE(moved.ok());
    CHECK(s.layers[0].id == below);
    const auto later = edit::readAfter(s, g, above);
    CHECK_FALSE(later.ok());
    CHECK(s.gauge(g)->after == below);
    const std::string wind = edit::addWind(s, s.actors[0].id);
    const auto blown = edit::feed(s, {scene::List::Winds, wind}, "speed", f);
    REQUIRE_FALSE(blown.ok());
    CHECK_THAT(blown.error().sentence, Contains("lower"));
    CHECK_FALSE(edit::feed(s, {scene::List::Layers, above}, "group", f).ok());
    // A file that holds a ring all the same opens, and its setting keeps its plain value.
    s.gauge(g)->after = above;
    const auto e = test::evaluate(s);
    REQUIRE_FALSE(e.layer(above)->remarks.empty());
    CHECK_THAT(e.layer(above)->remarks[0], Contains("not fed"));
}

TEST_CASE("a copy of a gauge reads the same under its own name, and an item says why it is not fed") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const std::string g = edit::addGauge(s, s.actors[0].id, "head", "speed");
    const std::string copy = edit::duplicate(s, {scene::List::Gauges, g});
    REQUIRE_FALSE(copy.empty());
    const std::string wind = edit::addWind(s, s.actors[0].id);
    const std::string lost = edit::addGauge(s, s.actors[0].id, "head", "distance");
    scene::Feed f;
    f.gauge = lost;
    f.response = {{.at = 0, .value = 1}};
    REQUIRE(edit::feed(s, {scene::List::Winds, wind}, "speed", f).ok());
    const auto e = test::evaluate(s);
    REQUIRE(e.gauge(g));
    REQUIRE(e.gauge(copy));
    CHECK(e.gauge(g)->values == e.gauge(copy)->values);
    const auto said = e.said.find({scene::List::Winds, wind});
    REQUIRE(said != e.said.end());
    REQUIRE(said->second.size() == 1);
    CHECK_THAT(said->second[0], Contains("Speed is not fed") && Contains("choose the other one"));
    // A gauge that names a layer which is gone reads the body.
    s.gauge(g)->after = "nobody";
    CHECK(test::evaluate(s).gauge(g)->values == e.gauge(g)->values);
}

TEST_CASE("what a gauge is wanted by goes on without it, and gauges go with their joints and layers") {
    scene::Scene s = test::otterScene();
    const std::string layer = test::addLayer(s, "strand", {"tail_01"});
    const std::string g = edit::addGauge(s, s.actors[0].id, "head", "turning");
    scene::Feed f;
    f.gauge = g;
    f.response = {{.at = 0, .value = 1}};
    REQUIRE(edit::feed(s, {scene::List::Layers, layer}, "swing", f).ok());
    scene::Scene without = s;
    edit::remove(without, {scene::List::Gauges, g});
    CHECK(without.layers[0].feeds.empty());
    CHECK(without.gauges.empty());
    REQUIRE(edit::readAfter(s, g, {}).ok());
    const std::string other = test::addLayer(s, "sway", {"head"});
    const std::string second = edit::addGauge(s, s.actors[0].id, "head", "speed");
    REQUIRE(edit::readAfter(s, second, other).ok());
    edit::remove(s, {scene::List::Layers, other});
    CHECK(s.gauge(second)->after.empty());
    edit::remove(s, {scene::List::Actors, s.actors[0].id});
    CHECK(s.gauges.empty());
}

TEST_CASE("gauges, feeds, eases, intervals and marks come back from a file as they went, to the bit") {
    test::TempFolder folder;
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const std::string layer = test::addLayer(s, "strand", {"tail_01"});
    const scene::Owner owner{scene::List::Layers, layer};
    const std::string g = edit::addGauge(s, s.actors[0].id, "head", "angle");
    REQUIRE(edit::measureTo(s, g, s.actors[0].id, "hips").ok());
    scene::Feed f;
    f.gauge = g;
    f.response = {{.at = -0.1, .value = 1}, {.at = 60, .value = 3, .ease = scene::Ease::Free, .before = 0.01, .after = 0.02}};
    f.straight = true;
    f.times = 1.5;
    f.low = 0.5;
    f.lag = 0.1;
    f.attack = 0.2;
    f.release = 0.3;
    REQUIRE(edit::feed(s, owner, "swing", f).ok());
    test::keyed(s, owner, "gravity", {{0, 0.2}, {10, 1.0}, {20, 0.5}});
    edit::easeKeys(s, {{owner, "gravity", 0}}, scene::Ease::Linear);
    edit::slopeKey(s, {owner, "gravity", s.shot().timeOf(10)}, -0.25, 0.5);
    edit::addInterval(s, layer, 4, 20, 0.1, 0.2);
    edit::mark(s, 5, "toe off");
    REQUIRE(files::writeScene(s, folder / "a.nutatio").ok());
    const auto back = files::readScene(folder / "a.nutatio");
    REQUIRE(back.ok());
    const scene::Scene& t = back.value();
    CHECK(t.layers[0].feeds == s.layers[0].feeds);
    CHECK(t.shot().keys == s.shot().keys);
    CHECK(t.shot().intervals == s.shot().intervals);
    CHECK(t.shot().marks == s.shot().marks);
    REQUIRE(t.gauges.size() == 1);
    CHECK(t.gauges[0].values == s.gauges[0].values);
    CHECK(t.gauges[0].to->joint == "hips");
    CHECK(test::sameBits(*test::evaluate(s).actors[0].result, *test::evaluate(t).actors[0].result));
    REQUIRE(files::writeScene(t, folder / "b.nutatio").ok());
    CHECK(test::textOf(folder / "a.nutatio") == test::textOf(folder / "b.nutatio"));
}

TEST_CASE("feeds, eases and intervals that make no sense are refused with their place") {
    test::TempFolder folder;
    scene::Scene s = test::otterScene();
    const std::string layer = test::addLayer(s, "strand", {"tail_01"});
    const std::string g = edit::addGauge(s, s.actors[0].id, "head", "speed");
    scene::Feed f;
    f.gauge = g;
    f.response = {{.at = 0, .value = 1}, {.at = 1, .value = 2}};
    REQUIRE(edit::feed(s, {scene::List::Layers, layer}, "swing", f).ok());
    test::keyed(s, {scene::List::Layers, layer}, "gravity", {{0, 0.2}, {10, 1.0}});
    edit::easeKeys(s, {{{scene::List::Layers, layer}, "gravity", 0}}, scene::Ease::Hold);
    edit::addInterval(s, layer, 4, 20, 0, 0);
    REQUIRE(files::writeScene(s, folder / "a.nutatio").ok());
    const std::string good = test::textOf(folder / "a.nutatio");
    const auto refusedBy = [&](const std::string& was, const std::string& is) {
        std::string bad = good;
        const std::size_t at = bad.find(was);
        REQUIRE(at != std::string::npos);
        bad.replace(at, was.size(), is);
        test::put(folder / "bad.nutatio", bad);
        const auto read = files::readScene(folder / "bad.nutatio");
        REQUIRE_FALSE(read.ok());
        return read.error().text();
    };
    CHECK_THAT(refusedBy("\"hold\"", "\"bouncy\""), Contains("keys.layers") && Contains("bouncy"));
    CHECK_THAT(refusedBy("\"hold\"", "\"free\""), Contains("five members"));
    CHECK_THAT(refusedBy("\"from\": 0.1666", "\"from\": 90.1666"), Contains("intervals") && Contains("must not end before"));
    CHECK_THAT(refusedBy("\"gauge\": ", "\"gage\": "), Contains("feeds.swing"));
}

TEST_CASE("an interval lets its layer act inside alone, eased without a jump, and several add up to what each allows") {
    scene::Scene s = test::sceneWith(test::chainActor(test::nodding(97)));
    const std::string layer = test::addLayer(s, "strand", {"bone_1"});
    const auto whole = test::evaluate(s);
    edit::addInterval(s, layer, 24, 60, 8 / 24.0, 4 / 24.0);
    const auto part = test::evaluate(s);
    const rig::Actor& actor = *s.actors[0].actor;
    const int joint = actor.skeleton.find("bone_2");
    const auto& body = *part.actors[0].body;
    const auto turn = [&](const rig::Track& t, int f) {
        return rotationVector(body.at(joint, f).r.conjugate() * t.at(joint, f).r).norm();
    };
    for (int f : {0, 10, 24, 60, 61, 90}) CHECK(turn(*part.actors[0].result, f) < 1e-12);
    for (int f : {32, 40, 56}) CHECK(turn(*part.actors[0].result, f) == Approx(turn(*whole.actors[0].result, f)).margin(1e-12));
    const auto half = scene::intervalShare(s.shot().intervals.at(layer)[0], s.shot().timeOf(28));
    CHECK(half == Approx(0.5));
    edit::addInterval(s, layer, 70, 90, 0, 0);
    const auto two = test::evaluate(s);
    CHECK(turn(*two.actors[0].result, 65) < 1e-12);
    CHECK(turn(*two.actors[0].result, 80) == Approx(turn(*whole.actors[0].result, 80)).margin(1e-12));
    edit::removeInterval(s, layer, 0);
    edit::removeInterval(s, layer, 0);
    CHECK(test::sameBits(*test::evaluate(s).actors[0].result, *whole.actors[0].result));
    CHECK(s.shot().intervals.empty());
}

TEST_CASE("gauges and feeds are made by scripts, and a table of readings reads back number for number") {
    scene::Scene s = test::otterScene();
    test::addLayer(s, "strand", {"tail_01"});
    const std::string layer = s.layers[0].id;
    REQUIRE(edit::carryOut(s, "add-gauge:joint=head,measure=turning,name=head turn").ok());
    const std::string gauge = s.gauges[0].id;
    REQUIRE(
        edit::carryOut(s, "feed:thing=" + layer + ",setting=swing,gauge=" + gauge + ",response=0>1+90>4,lag=2,attack=3").ok());
    CHECK(s.layers[0].feeds.at("swing").lag == Approx(2 / s.shot().fps));
    REQUIRE(edit::carryOut(s, "interval:layer=" + layer + ",from=3,to=9,in=2").ok());
    REQUIRE(edit::carryOut(s, "mark:frame=4,name=hop").ok());
    CHECK(s.shot().marks.at(0).name == "hop");
    CHECK_FALSE(edit::carryOut(s, "feed:thing=" + layer + ",setting=swing,gauge=" + gauge + ",response=1>1+0>4").ok());
    CHECK_FALSE(edit::carryOut(s, "add-gauge:joint=nobody").ok());
    REQUIRE(edit::carryOut(s, "unfeed:thing=" + layer + ",setting=swing").ok());
    CHECK(s.layers[0].feeds.empty());
    CHECK(files::csvOf({{"frame", {1, 2}}, {"a, \"b\"", {0.1}}}) == "frame,\"a, \"\"b\"\"\"\r\n1,0.1\r\n2,\r\n");
}

TEST_CASE("a kit takes gauges along with what follows them, and a larger character answers alike") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const std::string layer = test::addLayer(s, "strand", {"tail_01"});
    const std::string own = edit::addGauge(s, s.actors[0].id, "hips", "speed");
    scene::Feed f;
    f.gauge = own;
    f.response = {{.at = 0, .value = 1}, {.at = 0.4, .value = 4}};
    REQUIRE(edit::feed(s, {scene::List::Layers, layer}, "swing", f).ok());
    // What looks at another actor stays behind, and is told.
    files::addActor(s, test::read(test::kOtterFile));
    const std::string far = edit::addGauge(s, s.actors[0].id, "head", "distance");
    REQUIRE(edit::measureTo(s, far, s.actors[1].id, "head").ok());
    f.gauge = far;
    REQUIRE(edit::feed(s, {scene::List::Layers, layer}, "gravity", f).ok());
    const scene::Kit kit = edit::kitOf(s, s.actors[0].id);
    REQUIRE(kit.gauges.size() == 1);
    CHECK(kit.layers[0].feeds.count("gravity") == 0);
    REQUIRE_FALSE(kit.without.empty());
    CHECK_THAT(kit.without.back(), Contains("gravity"));
    test::TempFolder folder;
    REQUIRE(files::writeKit(kit, folder / "a.nutatio-kit").ok());
    scene::Kit back = files::readKit(folder / "a.nutatio-kit").value();
    REQUIRE(back.gauges.size() == 1);
    // On itself, and as from a character of half its size.
    scene::Scene other = test::otterScene();
    test::play(other, "Walk");
    for (double height : {1.0, 0.5}) {
        scene::Scene t = other;
        scene::Kit sized = back;
        sized.height *= height;
        sized.layers[0].profiles.clear();
        REQUIRE(edit::applyKit(t, t.actors[0].id, sized, edit::fitKit(sized, *t.actors[0].actor)).ok());
        REQUIRE(t.gauges.size() == 1);
        const scene::Feed& fed = t.layers[0].feeds.at("swing");
        CHECK(fed.gauge == t.gauges[0].id);
        CHECK(t.gauges[0].of.joint == "hips");
        CHECK(fed.times == Approx(height));
        CHECK(test::evaluate(t).layer(t.layers[0].id)->remarks.empty());
    }
}
