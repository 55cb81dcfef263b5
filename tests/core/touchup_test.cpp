// Touch-up: what is set by hand does what it says, at any rate, under any axes, round loops; and comes back from files and edits.
#include <catch2/catch.hpp>
#include <cmath>

#include "edit/channels.h"
#include "edit/edit.h"
#include "edit/gauges.h"
#include "edit/operations.h"
#include "files/scene_file.h"
#include "layers/by_hand.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "layers/run.h"
#include "pipeline/open.h"
#include "rig/morph_targets.h"
#include "rig/path.h"
#include "rig/surface.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using scene::channelId;
using scene::List;

namespace {

/// A chain of four bones along z whose root nods, and a layer by hand on some of them.
struct Posed {
    explicit Posed(const std::vector<std::string>& joints, const scene::Values& values = {},
                   const test::ChainSpec& spec = test::nodding())
        : actor(test::chainActor(spec)), scene(test::sceneWith(actor)) {
        test::play(scene, "Move");
        id = test::addLayer(scene, "touchup", joints, values);
    }
    void set(const std::string& setting, double value) { scene.layer(id)->set(setting, value); }
    scene::Owner owner() const { return {List::Layers, id}; }
    int joint(const std::string& name) const { return actor->skeleton.find(name); }
    /// The layer's motion and what is below it.
    rig::Track above() const { return *test::evaluate(scene).actors.front().result; }
    rig::Track below() const { return *test::evaluate(scene).actors.front().body; }

    std::shared_ptr<const rig::Actor> actor;
    scene::Scene scene;
    std::string id;
};

double angleBetween(const Quat& a, const Quat& b) {
    return degrees(rotationVector(a.conjugate() * b).norm());
}

std::vector<Affine> worldsAt(const rig::Actor& actor, const rig::Track& track, int frame) {
    std::vector<Xform> pose;
    std::vector<Affine> worlds;
    track.pose(frame, pose);
    rig::worldTransforms(actor.skeleton, pose, worlds);
    return worlds;
}

}  // namespace

TEST_CASE("a touch-up turns and moves joints by what it says, in own axes, the parent's and the world's, and nothing else") {
    const std::string axes = GENERATE("own", "parent", "world");
    Posed p({"bone_2"}, {{"axes", axes}});
    p.set("turn_y@bone_2", 20);
    p.set("move_x@bone_2", 0.1);
    const rig::Track below = p.below(), above = p.above();
    const int j = p.joint("bone_2");
    const Quat by = fromRotationVector(Vec3(0, radians(20), 0));
    for (int f = 0; f < above.frames(); f += 5) {
        const auto was = worldsAt(*p.actor, below, f), is = worldsAt(*p.actor, above, f);
        const auto at = static_cast<std::size_t>(j), up = static_cast<std::size_t>(p.actor->skeleton.joint(j).parent);
        const Quat q = rotationOf(was[at].m), parent = rotationOf(was[up].m);
        const Quat expected = axes == "own" ? q * by : axes == "parent" ? parent * by * parent.conjugate() * q : by * q;
        CHECK(angleBetween(expected, rotationOf(is[at].m)) < 1e-9);
        const Vec3 way = 0.1 * p.actor->height * Vec3::UnitX();
        const Vec3 moved = axes == "own" ? Vec3(q * way) : axes == "parent" ? Vec3(parent * way) : way;
        CHECK((is[at].t - was[at].t - moved).norm() < 1e-9);
        CHECK(below.at(p.joint("bone_1"), f) == above.at(p.joint("bone_1"), f));
        CHECK(below.at(p.joint("bone_3"), f) == above.at(p.joint("bone_3"), f));
    }
}

TEST_CASE("keys of a touch-up stand in seconds: the same pose at 12, 24 and 60 frames a second, and between them a smooth way") {
    Posed p({"bone_1"});
    test::keyed(p.scene, p.owner(), "turn_z@bone_1", {{0, 0}, {24, 40}});
    for (const double fps : {12.0, 24.0, 60.0}) {
        test::setRate(p.scene, fps);
        const rig::Track below = p.below(), above = p.above();
        const int j = p.joint("bone_1");
        for (const double t : {0.0, 0.5, 1.0}) {
            const int f = static_cast<int>(std::lround(t * fps));
            const double turned = degrees(rotationVector(below.at(j, f).r.conjugate() * above.at(j, f).r).z());
            CHECK(turned == Approx(40 * t).margin(1e-9));
        }
    }
}

TEST_CASE("two poses follow a signed gauge: the high one above, the low one below, the opposite where no low one is set") {
    Posed p({"bone_3"});
    p.set("turn_x@bone_3", 30);
    const int j = p.joint("bone_3");
    const auto turned = [&](const scene::Scene&) {
        const rig::Track below = p.below(), above = p.above();
        return degrees(rotationVector(below.at(j, 0).r.conjugate() * above.at(j, 0).r).x());
    };
    p.set("pose", -0.5);
    CHECK(turned(p.scene) == Approx(-15));
    p.set("low_turn_x@bone_3", 80);
    CHECK(turned(p.scene) == Approx(40));
    p.set("pose", 2);  // straight on beyond the pose
    CHECK(turned(p.scene) == Approx(60));
}

TEST_CASE("a pose that is fed by a gauge lags behind it by a fraction of a frame, round a loop") {
    // The root goes to and fro twice in a loop of two seconds; the arm is to oppose it 2.5 frames late.
    test::ChainSpec spec;
    spec.frames = 49;
    spec.motion = [](double t) {
        Xform x;
        x.t = Vec3(0.3 * std::sin(2 * kPi * t), 0, 0);
        return x;
    };
    Posed p({"bone_3"}, {}, spec);
    p.set("turn_y@bone_3", 30);
    const std::string gauge = edit::addGauge(p.scene, p.scene.actors.front().id, "root", "speed");
    p.scene.gauge(gauge)->set("axes", std::string("x"));
    scene::Feed feed;
    feed.gauge = gauge;
    feed.response = {{.at = -1, .value = -1, .ease = scene::Ease::Linear}, {.at = 1, .value = 1, .ease = scene::Ease::Linear}};
    feed.straight = true;
    feed.lag = 2.5 / 24;
    REQUIRE(edit::feed(p.scene, p.owner(), "pose", feed));
    const rig::Track below = p.below(), above = p.above();
    const int j = p.joint("bone_3");
    std::vector<double> got;
    for (int f = 0; f < above.frames(); ++f)
        got.push_back(degrees(rotationVector(below.at(j, f).r.conjugate() * above.at(j, f).r).y()));
    // The speed is 0.3 x 2 pi cos(2 pi t), smoothed a little by the gauge's calm.
    const double most = *std::max_element(got.begin(), got.end());
    CHECK(most == Approx(30 * 0.6 * kPi).epsilon(0.06));
    for (int f = 0; f < above.frames(); ++f)
        CHECK(got[static_cast<std::size_t>(f)] == Approx(most * std::cos(2 * kPi * (f - 2.5) / 24)).margin(0.02 * most));
    CHECK(got.front() == Approx(got.back()).margin(1e-9));
}

TEST_CASE("a wheel turns by the way it travels over its radius, far beyond a round and without a limit") {
    test::ChainSpec spec;
    spec.frames = 97;
    spec.motion = [](double t) {
        Xform x;
        x.t = Vec3(0, 0, 3 * t);
        return x;
    };
    Posed p({"bone_1"}, {}, spec);
    const std::string gauge = edit::addGauge(p.scene, p.scene.actors.front().id, "root", "travel");
    const double radius = 0.4;
    scene::Feed feed;
    feed.gauge = gauge;
    feed.response = {{.at = 0, .value = 0, .ease = scene::Ease::Linear},
                     {.at = 1, .value = degrees(1 / radius), .ease = scene::Ease::Linear}};
    feed.straight = true;
    REQUIRE(edit::feed(p.scene, p.owner(), "turn_x@bone_1", feed));
    const pipeline::Evaluation e = test::evaluate(p.scene);
    const auto settings = e.settingsOf(p.owner());
    REQUIRE(settings);
    for (int f = 0; f < 97; f += 8)
        CHECK(settings->at("turn_x@bone_1", f) == Approx(degrees(3 * f / 24.0 / radius)).epsilon(0.01).margin(1));
    CHECK(settings->at("turn_x@bone_1", 96) > 4 * 360);
    const auto& r = e.actors.front();
    const int j = p.joint("bone_1");
    const Quat expected = r.body->at(j, 96).r * fromRotationVector(Vec3(radians(settings->at("turn_x@bone_1", 96)), 0, 0));
    CHECK(angleBetween(r.result->at(j, 96).r, expected) < 1e-6);
}

TEST_CASE("motion below is scaled about its mean, held at a frame, and comes late by fractions of a frame round a loop") {
    test::ChainSpec spec;
    spec.frames = 49;
    spec.motion = [](double t) {
        Xform x;
        x.r = fromRotationVector(Vec3(0.4 * std::sin(kPi * t), 0, 0));
        return x;
    };
    Posed p({"root"}, {}, spec);
    const int j = p.joint("root");
    const auto angles = [&](const rig::Track& t) {
        std::vector<double> out;
        for (int f = 0; f < t.frames(); ++f) out.push_back(rotationVector(t.at(j, f).r).x());
        return out;
    };
    p.set("more_turn@root", -0.4);
    const auto six = angles(p.above());
    for (int f = 0; f < 49; ++f) CHECK(six[static_cast<std::size_t>(f)] == Approx(0.24 * std::sin(kPi * f / 24)).margin(1e-9));
    // Held at frame 13, where it has gone farthest.
    p.set("more_turn@root", -1);
    p.scene.layer(p.id)->set("about", std::string("frame"));
    p.set("about_frame", 13);
    for (const double a : angles(p.above())) CHECK(a == Approx(0.4).margin(1e-9));
    p.set("more_turn@root", 0);
    p.set("late@root", 2.5);
    const auto late = angles(p.above());
    for (int f = 0; f < 49; ++f)
        CHECK(late[static_cast<std::size_t>(f)] == Approx(0.4 * std::sin(kPi * (f - 2.5) / 24)).margin(1e-4));
    CHECK(late.front() == Approx(late.back()).margin(1e-12));
}

TEST_CASE("a bent chain is straightened by its share, and curls up to a full turn from root to tip") {
    Posed p({"bone_1", "bone_2", "bone_3", "bone_4"});
    // Bends of 30 degrees in the clip itself: a layer below makes them.
    const std::string bent = test::addLayer(p.scene, "touchup", {"bone_2", "bone_3"});
    for (const char* of : {"bone_2", "bone_3"}) p.scene.layer(bent)->set(channelId("turn_x", of), 30.0);
    p.scene.layers.move(1, 0);
    const auto bend = [&](const char* upper, const char* lower) {
        const pipeline::Evaluation e = test::evaluate(p.scene);
        const auto worlds = worldsAt(*p.actor, *e.actors.front().result, 0);
        const auto at = [&](int joint) { return worlds[static_cast<std::size_t>(joint)].t; };
        const int a = p.joint(upper), b = p.joint(lower);
        int tip = -1;
        for (int c = 0; c < p.actor->skeleton.size(); ++c)
            if (p.actor->skeleton.joint(c).parent == b) tip = c;
        REQUIRE(tip >= 0);
        const Vec3 u = (at(b) - at(a)).normalized(), v = (at(tip) - at(b)).normalized();
        return degrees(std::acos(std::clamp(u.dot(v), -1.0, 1.0)));
    };
    CHECK(bend("bone_1", "bone_2") == Approx(30));
    p.set("straighten", 0.5);
    CHECK(bend("bone_1", "bone_2") == Approx(15));
    CHECK(bend("bone_2", "bone_3") == Approx(15));
    p.set("straighten", 1);
    CHECK(bend("bone_2", "bone_3") == Approx(0).margin(1e-5));
    p.set("straighten", -1);
    CHECK(bend("bone_1", "bone_2") == Approx(60));
    // Keyed, and less of it towards the tip.
    test::keyed(p.scene, p.owner(), "straighten", {{0, 1}, {20, 0}});
    CHECK(bend("bone_1", "bone_2") == Approx(0).margin(1e-5));
    p.scene.layer(p.id)->profiles["straighten"] = {{0, 1}, {0.5, 0.5}, {1, 0}};
    CHECK(bend("bone_1", "bone_2") == Approx(15));
    p.scene.layer(p.id)->profiles.clear();
    p.scene.editShot().keys.clear();
    // Four joints roll up by a quarter turn each: tip and root look the same way.
    p.set("straighten", 1);
    p.set("curl", 1);
    const pipeline::Evaluation e = test::evaluate(p.scene);
    const auto worlds = worldsAt(*p.actor, *e.actors.front().result, 0);
    const Quat root = rotationOf(worlds[static_cast<std::size_t>(p.joint("root"))].m),
               tip = rotationOf(worlds[static_cast<std::size_t>(p.joint("bone_4"))].m);
    CHECK(bend("bone_1", "bone_2") == Approx(90));
    CHECK(angleBetween(root, tip) < 1e-4);
}

TEST_CASE("morph weights are added to, and what a clip does with them is turned up and down, on a character of nobody here") {
    const std::string cube =
        std::string(NUTATIO_THIRD_PARTY) + "/glTF2/glTF-Sample-Models/AnimatedMorphCube-glTF/AnimatedMorphCube.gltf";
    scene::Scene s = test::sceneWith(test::read(cube));
    const rig::Actor& actor = *s.actors.front().actor;
    const auto targets = rig::morphTargets(actor);
    REQUIRE(targets.size() == 2);
    const std::string name = targets.front().first;
    test::play(s, actor.clips->front().name);
    const std::string id = test::addLayer(s, "touchup", {actor.skeleton.reference(0)});
    const auto weights = [&](std::size_t target) {
        const pipeline::Evaluation e = test::evaluate(s);
        std::vector<double> out;
        const rig::Morph m = rig::morphOf(actor, *e.actors.front().result, targets[target].second.instance);
        for (int f = 0; f < e.actors.front().result->frames(); ++f) out.push_back(m.frame(f)[target]);
        return out;
    };
    const auto was = weights(0), other = weights(1);
    const double most = *std::max_element(was.begin(), was.end());
    REQUIRE(most > 0.5);
    s.layer(id)->set(channelId("weight", name), 0.25);
    for (std::size_t f = 0; f < was.size(); ++f) CHECK(weights(0)[f] == Approx(was[f] + 0.25).margin(1e-6));
    CHECK(weights(1) == other);
    s.layer(id)->set(channelId("weight", name), 0.0);
    s.layer(id)->set(channelId("more_weight", name), -0.5);
    const auto half = weights(0);
    for (std::size_t f = 0; f < was.size(); ++f) CHECK(half[f] == Approx(0.5 * was[f]).margin(1e-6));
    s.layer(id)->set("mix", 0.5);
    const auto mixed = weights(0);
    for (std::size_t f = 0; f < was.size(); ++f) CHECK(mixed[f] == Approx(0.75 * was[f]).margin(1e-6));
}

TEST_CASE("a size that changes below is turned down about its mean") {
    test::ChainSpec spec;
    spec.motion = [](double t) {
        Xform x;
        x.s = Vec3::Constant(1.5 + 0.4 * std::sin(2 * kPi * t));
        return x;
    };
    Posed p({"root"}, {{"about", std::string("rest")}}, spec);
    p.set("more_size@root", -1);
    const rig::Track above = p.above();
    for (int f = 0; f < above.frames(); f += 7) CHECK((above.at(p.joint("root"), f).s - Vec3::Ones()).norm() < 1e-9);
    p.set("more_size@root", -0.5);
    CHECK(p.above().at(p.joint("root"), 6).s.x() == Approx(std::sqrt(1.9)).epsilon(1e-4));
}

TEST_CASE("one of several drawings is seen, and another from a key on, without a frame between") {
    Posed p({"bone_1"}, {{"drawings", std::vector<std::string>{"bone_2", "bone_3"}}});
    test::keyed(p.scene, p.owner(), "shows", {{0, 1}, {10, 2}});
    edit::easeKeys(p.scene, {{p.owner(), "shows", 0}}, scene::Ease::Hold);
    const rig::Track above = p.above();
    for (int f = 0; f < above.frames(); ++f) {
        const double first = above.at(p.joint("bone_2"), f).s.x(), second = above.at(p.joint("bone_3"), f).s.x();
        CHECK((first == 1) == (f < 10));
        CHECK((second == 1) == (f >= 10));
        CHECK(std::min(first, second) < 1e-4);
    }
}

TEST_CASE("a joint that is held back keeps what is below in that share, and mix and intervals count as with any layer") {
    Posed p({"bone_1"});
    p.set("turn_x@bone_1", 40);
    p.set("held_back@bone_1", 0.75);
    const auto turned = [&](int f) {
        const rig::Track below = p.below(), above = p.above();
        return angleBetween(below.at(p.joint("bone_1"), f).r, above.at(p.joint("bone_1"), f).r);
    };
    CHECK(turned(5) == Approx(10));
    p.set("mix", 0.5);
    CHECK(turned(5) == Approx(5));
    edit::addInterval(p.scene, p.id, 0, 10, 0, 0.1);
    CHECK(turned(20) == Approx(0).margin(1e-9));
}

TEST_CASE("a part is held back as one: what its joint has goes to the others that the layer acts on, keys and all") {
    scene::Scene s = test::otterScene();
    REQUIRE(edit::addPart(s, s.actors.front().id, "arm", {"upper_arm_L", "forearm_L", "hand_L"}));
    const std::string id = test::addLayer(s, "touchup", {"upper_arm_L", "forearm_L", "head"});
    const scene::Owner owner{List::Layers, id};
    s.layer(id)->set("held_back@upper_arm_L", 0.4);
    test::keyed(s, owner, "held_back@upper_arm_L", {{0, 0.4}, {10, 1}});
    edit::holdPartBack(s, id, "upper_arm_L");
    CHECK(s.layer(id)->number("held_back@forearm_L") == 0.4);
    REQUIRE(s.shot().keysOf(owner, "held_back@forearm_L"));
    CHECK(*s.shot().keysOf(owner, "held_back@forearm_L") == *s.shot().keysOf(owner, "held_back@upper_arm_L"));
    CHECK(s.layer(id)->values.count("held_back@head") == 0);
    CHECK(s.layer(id)->values.count("held_back@hand_L") == 0);  // the layer does not act on it
}

TEST_CASE("posing by hand leads to where the joint is wanted, through axes, both poses and more than half a turn") {
    const std::string axes = GENERATE("own", "parent", "world");
    const double pose = GENERATE(1.0, 0.5, -0.7);
    Posed p({"bone_2"}, {{"axes", axes}});
    p.set("pose", pose);
    p.set("turn_x@bone_2", 170);
    p.set("turn_y@bone_2", 30);
    p.set("low_turn_x@bone_2", 5);
    const layers::LayerKind& kind = *layers::findKind("touchup");
    const int j = p.joint("bone_2"), f = 7;
    const rig::Track above = p.above();
    const auto worlds = worldsAt(*p.actor, above, f);
    layers::LayerContext context = layers::LayerContext::bare(*p.actor, *p.scene.layer(p.id));
    layers::Posing by{
        j, f, worlds[static_cast<std::size_t>(p.actor->skeleton.joint(j).parent)], above.at(j, f), above.at(j, f), pose < 0};
    by.wanted.r = (by.wanted.r * fromRotationVector(Vec3(radians(25), radians(-10), 0.1))).normalized();
    by.wanted.t += Vec3(0.02, -0.03, 0.01);
    edit::pose(p.scene, p.id, kind.byHand->values(context, by), f, false);
    const rig::Track after = p.above();
    CHECK(angleBetween(after.at(j, f).r, by.wanted.r) < 1e-6);
    CHECK((after.at(j, f).t - by.wanted.t).norm() < 1e-9);
    // No jump by a round where the numbers go past half a turn.
    if (pose == 1.0) CHECK(p.scene.layer(p.id)->vector("turn").isZero());
    if (pose == 1.0 && axes == "own") CHECK(p.scene.layer(p.id)->number("turn_x@bone_2") > 180);
}

TEST_CASE("on awkward rigs a joint goes where the hand wants it: a scaled root, z up, no names, a clip at work, a turned place") {
    const test::BeastSpec spec = GENERATE(test::BeastSpec{}, test::BeastSpec{100}, test::BeastSpec{0.01, true},
                                          test::BeastSpec{1, true, false}, test::BeastSpec{1, false, true, true});
    const std::string axes = GENERATE("own", "parent", "world");
    scene::Scene s = test::sceneWith(test::beastActor(spec));
    const rig::Actor& actor = *s.actors.front().actor;
    test::play(s, "Walk");
    s.actors.edit(0).set("turn_y", 70.0);
    s.actors.edit(0).set("place_x", 3.0);
    // Deep in the skeleton, so that much stands above it.
    int j = 0, deepest = -1;
    for (int k = 0; k < actor.skeleton.size(); ++k) {
        int depth = 0;
        for (int up = k; up != rig::kNoJoint; up = actor.skeleton.joint(up).parent) ++depth;
        if (depth > deepest && !actor.skeleton.joint(k).children.empty()) {
            deepest = depth;
            j = k;
        }
    }
    const std::string id = test::addLayer(s, "touchup", {actor.skeleton.reference(j)}, {{"axes", axes}});
    const int f = 5;
    const pipeline::Evaluation e = test::evaluate(s);
    const rig::Track& now = *e.actors.front().result;
    const auto worlds = worldsAt(actor, now, f);
    layers::LayerContext context = layers::LayerContext::bare(actor, *s.layer(id));
    context.placement = scene::placementOf(s.actors.front());
    layers::Posing by{j, f, worlds[static_cast<std::size_t>(actor.skeleton.joint(j).parent)], now.at(j, f), now.at(j, f)};
    by.wanted.r = (by.wanted.r * fromRotationVector(Vec3(0.3, -0.2, 0.5))).normalized();
    by.wanted.t += 0.05 * actor.height / rig::scalesAbove(actor)[static_cast<std::size_t>(j)] * Vec3(1, 2, -1);
    edit::pose(s, id, layers::findKind("touchup")->byHand->values(context, by), f, false);
    const pipeline::Evaluation after = test::evaluate(s);
    CHECK(angleBetween(after.actors.front().result->at(j, f).r, by.wanted.r) < 1e-5);
    CHECK((after.actors.front().result->at(j, f).t - by.wanted.t).norm() <
          1e-7 * actor.height / rig::scalesAbove(actor)[static_cast<std::size_t>(j)]);
}

TEST_CASE("layers set down by hand leave the same motion with fewer keys, in every shot, and a loop that closes") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const std::string tail = test::addLayer(s, "strand", {"tail_01"}), ears = test::addLayer(s, "jiggle", {"ear_L", "ear_R"});
    const std::string gauge = edit::addGauge(s, s.actors.front().id, "tail_10", "speed");
    s.gauge(gauge)->after = tail;
    const pipeline::Evaluation before = test::evaluate(s);
    pipeline::Evaluator evaluator;
    const auto made = edit::intoHand(s, {ears, tail}, {0.2, 1e-3}, evaluator, {});
    REQUIRE(made);
    CHECK(s.layers.size() == 1);
    CHECK(s.gauges.front().after == made.value());
    const pipeline::Evaluation after = test::evaluate(s);
    const rig::Skeleton& k = s.actors.front().actor->skeleton;
    double worst = 0;
    for (int f = 0; f < before.actors.front().result->frames(); ++f)
        for (int j = 0; j < k.size(); ++j)
            worst =
                std::max(worst, angleBetween(before.actors.front().result->at(j, f).r, after.actors.front().result->at(j, f).r));
    CHECK(worst < 0.25);
    std::size_t keys = 0, curves = 0;
    for (const auto& [setting, its] : *s.shot().keysOf({List::Layers, made.value()})) {
        keys += its.size();
        ++curves;
    }
    INFO(keys << " keys in " << curves << " curves of " << before.actors.front().result->frames() << " frames");
    CHECK(keys < curves * static_cast<std::size_t>(before.actors.front().result->frames()) * 8 / 10);
    for (const scene::Shot& shot : s.shots) CHECK(shot.keysOf({List::Layers, made.value()}));
}

TEST_CASE("a character without a clip is set down too, as what it holds throughout") {
    scene::Scene s =
        test::sceneWith(test::read(std::string(NUTATIO_THIRD_PARTY) + "/glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb"));
    REQUIRE(s.shots.size() == 0);
    const std::string joint = s.actors.front().actor->skeleton.reference(0);
    const std::string id = test::addLayer(s, "touchup", {joint});
    s.layer(id)->set(channelId("turn_x", joint), 20.0);
    pipeline::Evaluator evaluator;
    const auto made = edit::intoHand(s, {id}, {}, evaluator, {});
    REQUIRE(made);
    CHECK(s.layer(made.value())->number(channelId("turn_x", joint)) == Approx(20).margin(1e-6));
    CHECK(s.shots.size() == 0);
}

TEST_CASE("what stands between layers, or moves another actor, keeps them from being set down, and the scene is as it was") {
    Posed p({"bone_1"});
    const std::string between = test::addLayer(p.scene, "touchup", {"bone_2"}),
                      top = test::addLayer(p.scene, "touchup", {"bone_3"});
    pipeline::Evaluator evaluator;
    const scene::Scene was = p.scene;
    const auto made = edit::intoHand(p.scene, {p.id, top}, {}, evaluator, {});
    REQUIRE_FALSE(made);
    CHECK(made.error().sentence.find("between them") != std::string::npos);
    CHECK(p.scene.layers.size() == was.layers.size());
    CHECK_FALSE(edit::intoHand(p.scene, {p.id}, {}, evaluator, {}));  // it moves nothing
    CHECK_FALSE(edit::intoHand(p.scene, {"nobody"}, {}, evaluator, {}));
}

TEST_CASE("keys are repeated half a cycle later on the other side, and a middle joint's sideways ones are reversed") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const std::string id = test::addLayer(s, "touchup", {"upper_arm_L", "hips"}, {{"axes", std::string("world")}});
    const scene::Owner owner{List::Layers, id};
    const double length = (s.frames(s.shot()) - 1) / s.shot().fps;
    // World axes of the otter, who looks along z: x is sideways.
    test::keyed(s, owner, "move_x@hips", {{0, 0.02}, {4, 0.0}});
    test::keyed(s, owner, "move_y@hips", {{0, -0.01}});
    test::keyed(s, owner, "turn_z@hips", {{2, 5}});
    test::keyed(s, owner, "turn_x@upper_arm_L", {{3, 25}});
    std::vector<edit::KeyOf> keys;
    for (const auto& [setting, its] : *s.shot().keysOf(owner))
        for (const scene::KeyAt& k : its) keys.push_back({owner, setting, k.at});
    const auto made = edit::repeatHalf(s, keys);
    REQUIRE(made);
    const auto value = [&](const std::string& setting, double at) {
        const scene::Keys* its = s.shot().keysOf(owner, setting);
        REQUIRE(its);
        return scene::keyedAt(*its, at);
    };
    CHECK(value("move_x@hips", length / 2) == Approx(-0.02).margin(1e-6));
    CHECK(value("move_y@hips", length / 2) == Approx(-0.01).margin(1e-6));
    CHECK(value("turn_z@hips", 2 / 24.0 + length / 2) == Approx(-5).margin(1e-4));
    // What turns an arm forward turns the other one forward, too.
    CHECK(value("turn_x@upper_arm_R", 3 / 24.0 + length / 2) == Approx(25).margin(1e-4));
    const auto& joints = s.layer(id)->list("joint");
    CHECK(std::find(joints.begin(), joints.end(), "upper_arm_R") != joints.end());
    CHECK_FALSE(edit::repeatHalf(s, {}));
}

TEST_CASE("keys that rest hold the value of their frame, stay in the file, and count again") {
    Posed p({"bone_1"});
    test::keyed(p.scene, p.owner(), "turn_z@bone_1", {{0, 0}, {20, 40}});
    const scene::Keys were = *p.scene.shot().keysOf(p.owner(), "turn_z@bone_1");
    REQUIRE(edit::restKeys(p.scene, p.owner(), "turn_z@bone_1", 20));
    CHECK_FALSE(p.scene.shot().keysOf(p.owner(), "turn_z@bone_1"));
    const rig::Track below = p.below(), above = p.above();
    const int j = p.joint("bone_1");
    for (const int f : {0, 10, 40}) CHECK(angleBetween(below.at(j, f).r, above.at(j, f).r) == Approx(40));
    CHECK(layers::settle(p.scene).empty());
    REQUIRE(edit::wakeKeys(p.scene, p.owner(), "turn_z@bone_1"));
    CHECK(*p.scene.shot().keysOf(p.owner(), "turn_z@bone_1") == were);
    CHECK_FALSE(edit::wakeKeys(p.scene, p.owner(), "turn_z@bone_1"));
    CHECK_FALSE(edit::restKeys(p.scene, p.owner(), "mix", 0));
}

TEST_CASE("channels go through the scene file to the bit, follow a renamed joint, and go with one that is left") {
    test::TempFolder folder;
    scene::Scene s = test::otterScene();
    const std::string id = test::addLayer(s, "touchup", {"ear_L", "head"});
    const scene::Owner owner{List::Layers, id};
    s.layer(id)->set("turn_x@ear_L", 1.0 / 3);
    test::keyed(s, owner, "turn_y@head", {{0, 0.1}, {5, 7}});
    test::keyed(s, owner, "turn_z@head", {{0, 1}, {5, 2}});
    REQUIRE(edit::restKeys(s, owner, "turn_z@head", 5));
    const std::string file = (folder / "posed.nutatio").string();
    REQUIRE(files::writeScene(s, file));
    auto opened = pipeline::open(file);
    REQUIRE(opened);
    CHECK(opened.value().warnings.empty());
    scene::Scene back = opened.value().scene;
    CHECK(back.layer(id)->number("turn_x@ear_L") == 1.0 / 3);
    CHECK(*back.shot().keysOf(owner, "turn_y@head") == *s.shot().keysOf(owner, "turn_y@head"));
    CHECK(edit::keysRest(back, owner, "turn_z@head"));
    CHECK(test::sameBits(*test::evaluate(s).actors.front().result, *test::evaluate(back).actors.front().result));

    REQUIRE(edit::prepare(back, back.actors.front().id, {rig::Preparation::What::Rename, "head", "skull", Vec3::Zero()}));
    CHECK(back.shot().keysOf(owner, "turn_y@skull"));
    CHECK(edit::keysRest(back, owner, "turn_z@skull"));
    edit::untouch(back, id, {"skull"});
    CHECK_FALSE(back.shot().keysOf(owner));
    CHECK(back.layer(id)->list("joint") == std::vector<std::string>{"ear_L"});
}

TEST_CASE("a touch-up is put on the other side as seen in a mirror") {
    scene::Scene s = test::otterScene();
    const std::string id = test::addLayer(s, "touchup", {"thigh_L"});
    s.layer(id)->set("turn_x@thigh_L", 30.0);
    s.layer(id)->set("turn_z@thigh_L", 12.0);
    const auto other = edit::mirror(s, {List::Layers, id});
    REQUIRE(other);
    const pipeline::Evaluation e = test::evaluate(s);
    const rig::Skeleton& k = s.actors.front().actor->skeleton;
    std::vector<Affine> rest;
    const auto& actor = *s.actors.front().actor;
    std::vector<Xform> pose = actor.restPose();
    const auto shape = [&](const char* of, const std::string& layer) {
        // The pose that the layer makes of the rest pose.
        const int j = k.find(of);
        const scene::Layer& l = *s.layer(layer);
        Xform x = actor.skeleton.joint(j).rest;
        const Vec3 v(l.number(channelId("turn_x", of)), l.number(channelId("turn_y", of)), l.number(channelId("turn_z", of)));
        x.r = x.r * fromRotationVector(radians(1) * v);
        std::vector<Xform> posed = pose;
        posed[static_cast<std::size_t>(j)] = x;
        rig::worldTransforms(k, posed, rest);
        return rest;
    };
    const Vec3 left = shape("thigh_L", id)[static_cast<std::size_t>(k.find("foot_L"))].t,
               right = shape("thigh_R", other.value())[static_cast<std::size_t>(k.find("foot_R"))].t;
    CHECK((left - Vec3(-right.x(), right.y(), right.z())).norm() < 0.01 * actor.height);
    CHECK_FALSE(s.layer(other.value())->values.count("turn_x@thigh_L"));
}

TEST_CASE("a channel of a joint or target that is not there, and a wrong value, are told and lose nothing") {
    Posed p({"bone_1"});
    p.scene.layer(p.id)->set("weight@bone_1/smile", 0.5);
    const pipeline::Evaluation e = test::evaluate(p.scene);
    const pipeline::LayerResult* l = e.layer(p.id);
    REQUIRE(l);
    CHECK(std::any_of(l->remarks.begin(), l->remarks.end(),
                      [](const std::string& r) { return r.find("smile") != std::string::npos; }));
    p.scene.layer(p.id)->set("turn_x@bone_1", 1e9);
    const auto said = layers::settle(p.scene);
    REQUIRE(said.size() == 1);
    CHECK(said.front().find("bone_1, turn x") != std::string::npos);
    CHECK(p.scene.layer(p.id)->number("turn_x@bone_1") == 1e6);
    CHECK_FALSE(edit::touch(p.scene, p.id, {"nowhere"}));
    CHECK_FALSE(edit::carryOut(p.scene, "pose:layer=" + p.id + ",of=bone_1,values=spin>3"));
    CHECK(edit::carryOut(p.scene, "pose:layer=" + p.id + ",of=bone_2,values=turn_x>3+move_y>0.1,key=yes,frame=4"));
    CHECK(p.scene.shot().keysOf(p.owner(), "turn_x@bone_2"));
}

TEST_CASE("a grid over a region carries the vertices under its handles as far as it goes, and those outside not at all") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    pipeline::Evaluator shared;  // which knows the surface by then
    const auto run = [&] { return shared.evaluate(s, {}); };
    const rig::Actor& actor = *s.actors.front().actor;
    REQUIRE(edit::addPart(s, s.actors.front().id, "middle", {"belly"}));
    const std::string id = test::addLayer(s, "touchup", {"belly"}, {{"region", std::string("middle")}, {"handles_z", 1.0}});
    CHECK(run().layer(id)->changed.patches.empty());  // no handle was moved
    s.layer(id)->set("grid_z@1.1.0", 0.05);
    const pipeline::Evaluation e = run();
    const auto& patches = e.layer(id)->changed.patches;
    REQUIRE_FALSE(patches.empty());
    // What the skin makes of it: posed with and without, in the rest pose.
    std::vector<Affine> worlds;
    rig::worldTransforms(actor.skeleton, actor.restPose(), worlds);
    double most = 0, outside = 0, aside = 0;
    const rig::Surface surface = rig::Surface::of(actor);
    for (const rig::PatchPtr& patch : patches) {
        const rig::MeshInstance& in = (*actor.instances)[static_cast<std::size_t>(patch->instance)];
        const rig::Primitive& p =
            (*actor.meshes)[static_cast<std::size_t>(in.mesh)].primitives[static_cast<std::size_t>(patch->primitive)];
        rig::PosedVertices was, is;
        rig::poseVertices(actor, in, p, worlds, {}, was);
        rig::poseVertices(actor, in, p, worlds, {}, is, {&patch->vertices, patch->frame(3)});
        for (std::size_t v = 0; v < was.positions.size(); ++v) {
            const Vec3f by = is.positions[v] - was.positions[v];
            aside = std::max(aside, static_cast<double>(std::abs(by.x()) + std::abs(by.y())));
            most = std::max(most, static_cast<double>(by.z()));
            double belly = 0;
            for (const auto& pull : surface.pulls(
                     surface.pointOf(static_cast<std::size_t>(patch->instance), static_cast<std::size_t>(patch->primitive), v)))
                if (pull.joint == actor.skeleton.find("belly")) belly += pull.weight;
            if (belly == 0) outside = std::max(outside, static_cast<double>(by.norm()));
        }
    }
    CHECK(aside < 1e-4 * actor.height);
    CHECK(most > 0.7 * 0.05 * actor.height);
    CHECK(most <= 0.05 * actor.height * 1.001);
    CHECK(outside < 1e-6);
    // A second one is added to it, and its mix counts of its own share alone.
    const std::string second = test::addLayer(s, "touchup", {"belly"}, {{"region", std::string("middle")}, {"mix", 0.5}});
    s.layer(second)->set("grid_z@1.1.0", 0.05);
    const pipeline::Evaluation both = run();
    const rig::PatchPtr &one = patches.front(), &two = both.layer(second)->changed.patches.front(),
                        &sum = both.actors.front().result->patches().at({one->instance, one->primitive});
    REQUIRE(two->vertices == one->vertices);
    REQUIRE(sum->vertices == one->vertices);
    for (std::size_t v = 0; v < one->vertices.size(); v += 17) {
        const float near = 1e-4f * (1e-3f + one->frame(0)[v].norm());
        CHECK((two->frame(0)[v] - 0.5f * one->frame(0)[v]).norm() < near);
        CHECK((sum->frame(0)[v] - 1.5f * one->frame(0)[v]).norm() < near);
    }
    const std::vector<rig::Patch> own = both.above(second)->addedTo(*both.below(second));
    REQUIRE(own.size() == patches.size());
    CHECK((own.front().frame(0)[0] - two->frame(0)[0]).norm() < 1e-5f);
    // Keyed, and across: the middle handle of three is the only one of one.
    const auto farthest = [&](const char* axis, int frame) {
        double far = 0;
        const pipeline::Evaluation now = run();
        for (const rig::PatchPtr& patch : now.layer(id)->changed.patches)
            for (std::size_t v = 0; v < patch->vertices.size(); ++v)
                far = std::max(far, static_cast<double>(std::abs(patch->frame(frame)[v][*axis - 'x'])));
        return far;
    };
    test::keyed(s, {List::Layers, id}, "grid_x@1.1.0", {{0, 0.0}, {20, 0.1}});
    CHECK(farthest("x", 20) > 10 * farthest("x", 0));
    CHECK(farthest("x", 20) > farthest("x", 10));
    s.editShot().keys.clear();
    s.layer(id)->set("grid_y@0.0.0", 0.03);
    const double cornerOnly = farthest("y", 0);
    for (const char* count : {"handles_x", "handles_y"}) s.layer(id)->set(count, 1.0);
    CHECK(farthest("y", 0) > 1.2 * cornerOnly);
    s.layer(id)->values.erase("grid_y@0.0.0");
    // Renamed with its part; without it nothing is carried, and that is told.
    REQUIRE(edit::renamePart(s, s.actors.front().id, "middle", "paunch"));
    CHECK(s.layer(id)->text("region") == "paunch");
    s.layer(id)->set("region", std::string("nothing"));
    const pipeline::Evaluation none = run();
    CHECK(none.layer(id)->changed.patches.empty());
    CHECK(none.layer(id)->remarks.size() == 1);
}
