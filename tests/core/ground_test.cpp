// Over the ground: speeds that feet tell, ways that are gone, what of it is handed off; walking about.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "edit/edit.h"
#include "edit/ground.h"
#include "edit/line.h"
#include "edit/operations.h"
#include "edit/pass.h"
#include "files/scene_file.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "rig/stride.h"
#include "rig/walk.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
using test::TempFolder;

namespace {

const scene::Owner kFirst(const scene::Scene& s) {
    return test::layerAt(s);
}

/// Where the place that it stood on is carried to.
std::vector<Vec3> wayOf(const scene::Scene& s) {
    const auto e = test::evaluate(s);
    const rig::Actor& a = *s.actors[0].actor;
    const int root = a.skeleton.roots().front();
    std::vector<Vec3> out;
    for (int f = 0; f < e.actors[0].result->frames(); ++f) {
        const Affine by = e.actors[0].result->at(root, f).affine() * e.actors[0].body->at(root, f).affine().inverse();
        out.push_back(by.apply(rig::standOf(a)));
    }
    return out;
}

scene::Scene stillGround(int frames = 49) {
    test::ChainSpec spec;
    spec.frames = frames;
    spec.motion = [](double t) {
        return Xform{Vec3::Zero(), fromRotationVector(Vec3(0.3 * std::sin(5 * t), 0, 0)), Vec3::Ones()};
    };
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::play(s, "Move");
    REQUIRE(s.frames(s.shot()) == frames);
    return s;
}

double shifted(const scene::Scene& s, int frame) {
    const auto way = wayOf(s);
    return (way[static_cast<std::size_t>(frame)] - way.front()).norm();
}

}  // namespace

TEST_CASE("at a constant speed it has gone speed times time, whatever the rate, in metres whatever the units") {
    for (double fps : {12.0, 24.0, 120.0}) {
        scene::Scene s = stillGround();
        REQUIRE(edit::goOverGround(s, s.actors[0].id, 1.5).ok());
        test::setRate(s, fps);
        const auto way = wayOf(s);
        CHECK((way.back() - way.front() - Vec3(0, 0, 1.5 * (static_cast<double>(way.size()) - 1) / fps)).norm() < 1e-9);
    }
    scene::Scene s = stillGround();
    auto actor = std::make_shared<rig::Actor>(*s.actors[0].actor);
    actor->metresPerUnit = 0.01;
    s.actors.edit(0).actor = actor;
    REQUIRE(edit::goOverGround(s, s.actors[0].id, 1.5).ok());
    CHECK(shifted(s, 24) == Approx(150));
}

TEST_CASE("a steady turn at a steady speed is a circle that comes round to where it began") {
    scene::Scene s = stillGround(97);
    const std::string id = edit::goOverGround(s, s.actors[0].id, 2.0).value();
    test::keyed(s, {scene::List::Layers, id}, "heading", {{0, 0}, {96, 360}});
    for (scene::KeyAt& k : s.editShot().keys[{scene::List::Layers, id}]["heading"]) k.ease = scene::Ease::Linear;
    const auto way = wayOf(s);
    CHECK((way.back() - way.front()).norm() < 1e-9);
    // Round to the left of +z lies +x: r = v / w.
    const double r = 2.0 / (2 * kPi / 4);
    for (const Vec3& p : way) CHECK((p - way.front() - Vec3(r, 0, 0)).norm() == Approx(r).epsilon(2e-3));
    // And it has turned with it: half way it faces back.
    const auto e = test::evaluate(s);
    const int root = s.actors[0].actor->skeleton.roots().front();
    const Quat half = e.actors[0].result->at(root, 48).r * e.actors[0].body->at(root, 48).r.conjugate();
    CHECK((half * Vec3(Vec3::UnitZ()) + Vec3::UnitZ()).norm() < 1e-6);
}

TEST_CASE("feet tell how fast a walk goes, and at that speed a standing foot stays where it is") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const rig::Actor& a = *s.actors[0].actor;
    pipeline::Evaluator e;
    const rig::Track body = *e.bodyOf(s, s.shot(), s.actors[0]);
    const rig::Stride stride = rig::strideOf(a, body);
    REQUIRE(stride.speed > 0);
    CHECK(stride.way.dot(Vec3::UnitZ()) > 0.99);
    CHECK(stride.frames > 8);
    REQUIRE(edit::goOverGround(s, s.actors[0].id, std::nullopt).ok());
    CHECK(s.layers[0].shot == s.shot().id);
    const auto evaluated = test::evaluate(s);
    // How far a foot slides in the frames in which it is lowest: in place, and over the ground.
    const auto slides = [&](const rig::Track& t) {
        double least = 1e9;
        for (const char* name : {"toe_L", "toe_R"}) {
            const auto places = test::worldPlaces(a, t, a.skeleton.find(name));
            std::size_t low = 1;
            for (std::size_t f = 1; f + 1 < places.size(); ++f)
                if (places[f].y() < places[low].y()) low = f;
            least = std::min(least, (places[low + 1] - places[low - 1]).norm());
        }
        return least;
    };
    CHECK(slides(*evaluated.actors[0].result) < 0.3 * slides(body));
    // A clip that stands tells nothing.
    test::play(s, "Idle");
    const auto refused = edit::goOverGround(s, s.actors[0].id, std::nullopt);
    REQUIRE_FALSE(refused.ok());
    CHECK(refused.error().sentence.find("type a speed") != std::string::npos);
}

TEST_CASE("a path is gone along as far as the speed takes it, and corners are rounded") {
    scene::Scene s = stillGround(97);
    const std::string id = edit::goOverGround(s, s.actors[0].id, 1.0).value();
    // Three metres ahead, then to its left.
    const auto led = edit::followPath(s, s.actors[0].id, {{0, 0, 0}, {0, 0, 3}, {3, 0, 3}});
    REQUIRE(led.ok());
    CHECK(led.value().length == Approx(6));
    CHECK(led.value().travels == Approx(4));
    const auto way = wayOf(s);
    const Vec3 end = way.back() - way.front();
    CHECK((end - Vec3(1, 0, 3)).norm() < 0.15);
    const auto& keys = s.shot().keysOf({scene::List::Layers, id}, "heading");
    REQUIRE(keys);
    CHECK(keys->size() < 20);
    CHECK(keys->back().value == Approx(90).margin(1));
    CHECK_FALSE(edit::followPath(s, s.actors[0].id, {{0, 0, 0}, {0, 2, 0}}).ok());
    scene::Scene none = stillGround();
    CHECK_FALSE(edit::followPath(none, none.actors[0].id, {{0, 0, 0}, {0, 0, 1}}).ok());
}

TEST_CASE("a strand above feels the travel, and hand-off may leave the travel out under it") {
    TempFolder folder;
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const rig::Actor& a = *s.actors[0].actor;
    const std::string strand = test::addLayer(s, "strand", {"scarf_L_01"});
    const auto inPlace = test::evaluate(s);
    const std::string id = edit::goOverGround(s, s.actors[0].id, 2.5).value();
    // At a steady speed all is as if it stood; what it feels is the start and the stop.
    test::keyed(s, {scene::List::Layers, id}, "speed", {{0, 0.0}, {8, 2.5}, {16, 2.5}, {22, 0.0}});
    const auto gone = test::evaluate(s);
    const int tip = a.skeleton.find("scarf_L_04");
    double differs = 0;
    for (int f = 0; f < gone.actors[0].result->frames(); ++f)
        differs = std::max(differs, gone.actors[0].result->at(tip, f).r.angularDistance(inPlace.actors[0].result->at(tip, f).r));
    CHECK(differs > radians(3));
    s.layer(id)->set("handoff", std::string("without"));
    pipeline::BakeOptions options;
    options.shot = s.shot().id;
    options.tolerance.angleDeg = 0;
    pipeline::Evaluator e;
    REQUIRE(pipeline::bake(s, options, folder / "out.glb", e, {}).ok());
    const auto out = test::read(folder / "out.glb");
    const rig::Track back = rig::bodyTrack(*out, out->findClip("Walk"), gone.actors[0].result->grid());
    const int root = a.skeleton.roots().front();
    for (int f : {0, 10, 20}) {
        CHECK((back.at(root, f).t - inPlace.actors[0].body->at(root, f).t).norm() < 1e-5);
        CHECK(back.at(tip, f).r.angularDistance(gone.actors[0].result->at(tip, f).r) < 1e-3);
    }
    s.layer(id)->set("handoff", std::string("with"));
    REQUIRE(pipeline::bake(s, options, folder / "with.glb", e, {}).ok());
    const auto with = test::read(folder / "with.glb");
    const rig::Track goes = rig::bodyTrack(*with, with->findClip("Walk"), gone.actors[0].result->grid());
    const double way = (gone.actors[0].result->at(root, 24).t - gone.actors[0].result->at(root, 0).t).norm();
    REQUIRE(way > 1);
    CHECK((goes.at(root, 24).t - goes.at(root, 0).t).norm() == Approx(way).epsilon(0.001));
    test::checkValid(folder / "with.glb");
    // A range takes what hangs on the body alone: the way over the ground goes on before and after.
    options.firstFrame = 8;
    options.lastFrame = 14;
    REQUIRE(pipeline::bake(s, options, folder / "range.glb", e, {}).ok());
    const auto range = test::read(folder / "range.glb");
    const rig::Track part = rig::bodyTrack(*range, range->findClip("Walk"), gone.actors[0].result->grid());
    for (int f : {0, 6, 7, 10, 13, 14, 24}) {
        INFO("frame " << f + 1);
        CHECK((part.at(root, f).t - gone.actors[0].result->at(root, f).t).norm() < 1e-5);
        const rig::Track& tail = f >= 7 && f <= 13 ? *gone.actors[0].result : *gone.actors[0].body;
        CHECK(part.at(tip, f).r.angularDistance(tail.at(tip, f).r) < 1e-3);
    }
}

TEST_CASE("in a loop that travels what is simulated begins as it goes on, lap after lap") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const rig::Actor& a = *s.actors[0].actor;
    const std::string strand = test::addLayer(s, "strand", {"scarf_L_01"}, {{"preroll", 8.33333}});
    const std::string id = edit::goOverGround(s, s.actors[0].id, 1.5).value();
    test::keyed(s, {scene::List::Layers, id}, "heading", {{0, 0}, {28, 30}});
    const auto e = test::evaluate(s);
    const rig::Track& t = *e.actors[0].result;
    const int last = t.frames() - 1;
    double apart = 0, within = 0;
    for (const char* name : {"scarf_L_01", "scarf_L_02", "scarf_L_03"}) {
        const int j = a.skeleton.find(name);
        apart = std::max(apart, t.at(j, last).r.angularDistance(t.at(j, 0).r));
        for (int f = 0; f < last; ++f) within = std::max(within, t.at(j, f).r.angularDistance(t.at(j, 0).r));
    }
    REQUIRE(within > radians(0.3));
    CHECK(apart < radians(0.02));
    CHECK(e.layer(strand)->remarks.empty());
    // Turned off again it is the closed loop in place that it was.
    s.layer(id)->muted = true;
    const auto stays = test::evaluate(s);
    CHECK((stays.actors[0].result->at(a.skeleton.roots().front(), last).t -
           stays.actors[0].result->at(a.skeleton.roots().front(), 0).t)
              .norm() < 1e-3);
}

TEST_CASE("gaits are the clips in place, by speed, who has none cannot walk about") {
    const auto otter = test::read(test::kOtterFile);
    const auto gaits = rig::gaitsOf(*otter);
    REQUIRE(gaits.size() >= 2);
    CHECK(gaits.front().clip == "Idle");
    CHECK(gaits.front().speed == 0);
    CHECK(gaits.back().clip == "Walk");
    CHECK(std::is_sorted(gaits.begin(), gaits.end(), [](const auto& a, const auto& b) { return a.speed < b.speed; }));
    CHECK(rig::gaitsOf(*test::chainActor({})).empty());
    // Most clips of games lack the last frame of a round: they are gaits as well, a frame longer.
    auto shorter = std::make_shared<rig::Actor>(*otter);
    rig::Clip& walk = shorter->clips.edit()[static_cast<std::size_t>(otter->findClip("Walk"))];
    const double whole = walk.end, frame = 1.0 / 24;
    walk.end -= frame;
    shorter->keyMotion();
    const auto there = rig::gaitsOf(*shorter);
    REQUIRE(there.size() == gaits.size());
    CHECK(there.back().clip == "Walk");
    CHECK(there.back().speed == Approx(gaits.back().speed).epsilon(0.03));
    CHECK(there.back().seconds == Approx(whole).margin(1e-6));
    rig::Walk about(shorter, there, 0.25);
    std::vector<Xform> before, pose;
    about.change(1);
    double most = 0;
    const int thigh = otter->skeleton.find("thigh_L");
    for (int k = 0; k < 96; ++k) {
        about.pose(before);
        about.step(frame);
        about.pose(pose);
        const auto at = static_cast<std::size_t>(thigh);
        if (k > 12) most = std::max(most, degrees(before[at].r.angularDistance(pose[at].r)));
    }
    // No round ends with a jolt: no step of a thigh is longer than the clip has it.
    double usual = 0;
    const rig::Track own = rig::bodyTrack(*otter, otter->findClip("Walk"), rig::FrameGrid::covering(walk, 24));
    for (int f = 1; f < own.frames(); ++f)
        usual = std::max(usual, degrees(own.at(thigh, f - 1).r.angularDistance(own.at(thigh, f).r)));
    CHECK(most < 1.2 * usual);
    // Mocap that goes over the ground by itself is not in place.
    CHECK(rig::gaitsOf(*test::read(test::kMocapFolder + "01_01.bvh")).empty());
}

TEST_CASE("a walk about starts, turns and stops, kept as a shot it plays what was seen, and goes out as a clip") {
    TempFolder folder;
    scene::Scene s = test::otterScene();
    const auto actor = s.actors[0].actor;
    rig::Walk walk(actor, rig::gaitsOf(*actor), 0.25);
    std::vector<std::vector<Xform>> seen;
    const auto go = [&](double seconds) {
        for (int k = 0; k < static_cast<int>(std::lround(seconds * 24)); ++k) {
            walk.step(1.0 / 24);
            walk.pose(seen.emplace_back());
        }
    };
    walk.pose(seen.emplace_back());
    go(0.5);
    walk.change(1);
    go(2);
    CHECK(walk.gait().clip == "Walk");
    walk.turn(1);
    go(1);
    CHECK(degrees(walk.heading()) == Approx(rig::Walk::kTurnRate).epsilon(0.2));
    walk.turn(0);
    walk.change(-1);
    go(2);
    CHECK(walk.speed() == Approx(0).margin(1e-9));
    const std::size_t shots = s.shots.size();
    const auto name = edit::keepWalk(s, s.actors[0].id, walk);
    REQUIRE(name.ok());
    CHECK(s.shots.size() == shots + 1);
    CHECK(s.shot().name == name.value());
    const auto e = test::evaluate(s);
    const rig::Track& t = *e.actors[0].result;
    REQUIRE(std::abs(t.frames() - static_cast<int>(seen.size())) <= 1);
    double far = 0, turned = 0;
    for (int f = 0; f < std::min(t.frames(), static_cast<int>(seen.size())); ++f)
        for (int j = 0; j < t.joints(); ++j) {
            far = std::max(far, (t.at(j, f).t - seen[static_cast<std::size_t>(f)][static_cast<std::size_t>(j)].t).norm());
            turned =
                std::max(turned, t.at(j, f).r.angularDistance(seen[static_cast<std::size_t>(f)][static_cast<std::size_t>(j)].r));
        }
    CHECK(far < 0.02);
    CHECK(degrees(turned) < 1);
    // Saved, opened and handed off.
    std::filesystem::copy_file(test::kOtterFile, folder / "otter.glb");
    s.actors.edit(0).file = (folder / "otter.glb").string();
    REQUIRE(files::writeScene(s, folder / "walk.nutatio").ok());
    const auto back = pipeline::open(folder / "walk.nutatio");
    REQUIRE(back.ok());
    CHECK(test::sameBits(*test::evaluate(back.value().scene).actors[0].result, t));
    pipeline::BakeOptions options;
    options.shot = s.shot().id;
    pipeline::Evaluator evaluator;
    REQUIRE(pipeline::bake(s, options, folder / "out.glb", evaluator, {}).ok());
    CHECK(test::read(folder / "out.glb")->findClip(name.value()) >= 0);
    test::checkValid(folder / "out.glb");
    // The other shots are as they were: the layer acts in this one alone.
    s.shown = s.shots.front().id;
    const auto before = test::evaluate(s);
    CHECK(before.actors[0].result == before.actors[0].body);
}

TEST_CASE("a clip cut and held, an idle's chest over it, a nod performed and again mirrored: saved, opened, handed off, valid") {
    TempFolder folder;
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const std::string otter = s.actors[0].id;
    const rig::Skeleton& skeleton = s.actors[0].actor->skeleton;
    REQUIRE(edit::splitAt(s, otter, 10).ok());
    REQUIRE(edit::holdPose(s, otter, 16, 6).ok());
    const std::string borrow = test::addLayer(s, "borrow", {"chest", "upper_arm_L"}, {{"clip", std::string("Idle")}});
    edit::actHere(s, borrow, true);
    test::keyed(s, {scene::List::Layers, borrow}, "mix", {{0, 0.2}, {20, 1.0}});
    pipeline::Evaluator evaluator;
    const rig::Track body = *evaluator.bodyOf(s, s.shot(), s.actors[0]);
    edit::Pass pass;
    const auto head = static_cast<std::size_t>(skeleton.find("head"));
    for (int f = 4; f < 9; ++f) {
        body.pose(f, pass.poses[f]);
        Xform& x = pass.poses[f][head];
        x.r = (x.r * fromRotationVector(Vec3(radians(20), radians(12), 0))).normalized();
    }
    pass.halfLater = true;
    REQUIRE(edit::keepPass(s, otter, body, pass).ok());
    test::addLayer(s, "strand", {"scarf_L_01"});
    const auto made = test::evaluate(s);
    const rig::Track& t = *made.actors[0].result;
    const auto nod = [&](int f) {
        return degrees(t.at(static_cast<int>(head), f).r.angularDistance(body.at(static_cast<int>(head), f).r));
    };
    CHECK(nod(6) > 15);
    CHECK(nod(6 + (t.frames() - 1) / 2) > 15);
    std::filesystem::copy_file(test::kOtterFile, folder / "otter.glb");
    s.actors.edit(0).file = (folder / "otter.glb").string();
    REQUIRE(files::writeScene(s, folder / "all.nutatio").ok());
    const auto back = pipeline::open(folder / "all.nutatio");
    REQUIRE(back.ok());
    CHECK(back.value().warnings.empty());
    CHECK(test::sameBits(*test::evaluate(back.value().scene).actors[0].result, t));
    pipeline::BakeOptions options;
    options.shot = s.shot().id;
    REQUIRE(pipeline::bake(s, options, folder / "all.glb", evaluator, {}).ok());
    test::checkValid(folder / "all.glb");
    const auto out = test::read(folder / "all.glb");
    // Beside the clips of the source, which are as they were.
    CHECK(out->clips.size() == s.actors[0].actor->clips.size() + 1);
    const int clip =
        out->findClip(s.shot().name + " 2") >= 0 ? out->findClip(s.shot().name + " 2") : static_cast<int>(out->clips.size()) - 1;
    const rig::Track baked = rig::bodyTrack(*out, clip, t.grid());
    for (int f : {0, 6, 19, 30})
        CHECK(degrees(baked.at(static_cast<int>(head), f).r.angularDistance(t.at(static_cast<int>(head), f).r)) < 0.1);
}

namespace {

/// A beast as it is in the file, or lying on its back there and stood up here. Its legs are a joint each, without a foot.
scene::Scene beastScene(bool lies) {
    scene::Scene s = test::sceneWith(test::beastActor({.rootScale = lies ? 0.01 : 1.0, .zUp = lies}));
    if (lies) edit::set(s, {scene::List::Actors, s.actors[0].id}, "turn_x", 90.0, 0);
    // Its head is up.
    std::vector<Affine> worlds;
    rig::worldTransforms(s.actors[0].actor->skeleton, s.actors[0].actor->restPose(), worlds);
    const int head = s.actors[0].actor->skeleton.find("head");
    REQUIRE(scene::placementOf(s.actors[0]).toWorld(worlds[static_cast<std::size_t>(head)].t).y() > 1.4);
    return s;
}

}  // namespace

TEST_CASE("without foot joints the lowest of the mesh tells the speed, the same in metres on a scaled root with z up") {
    std::vector<double> speeds;
    for (const bool lies : {false, true}) {
        scene::Scene s = beastScene(lies);
        test::play(s, "Walk");
        const auto id = edit::goOverGround(s, s.actors[0].id, std::nullopt);
        REQUIRE(id.ok());
        speeds.push_back(s.layer(id.value())->number("speed"));
        CHECK(speeds.back() > 0.2);
        // It goes level in the world, whatever its own axes.
        const auto e = test::evaluate(s);
        const int root = s.actors[0].actor->skeleton.roots().front();
        const scene::Placement at = scene::placementOf(s.actors[0]);
        const int last = e.actors[0].result->frames() - 1;
        const Vec3 way = at.toWorld(e.actors[0].result->at(root, last).t) - at.toWorld(e.actors[0].result->at(root, 0).t);
        CHECK(std::abs(way.y()) < 1e-6);
        CHECK(way.norm() == Approx(speeds.back() * last / 24).epsilon(1e-6));
    }
    CHECK(speeds[0] == Approx(speeds[1]).epsilon(1e-3));
}

TEST_CASE("a walk about on a scaled root with z up goes through all its gaits, and plays what was seen") {
    scene::Scene s = beastScene(true);
    const auto beast = s.actors[0].actor;
    const Quat level = scene::levelOf(scene::placementOf(s.actors[0]));
    const auto gaits = rig::gaitsOf(*beast, level);
    REQUIRE(gaits.size() == 3);
    CHECK(gaits.back().clip == "Jog");
    rig::Walk walk(beast, gaits, 0.2, level);
    std::vector<std::vector<Xform>> seen;
    walk.pose(seen.emplace_back());
    for (int k = 0; k < 120; ++k) {
        if (k == 6 || k == 40) walk.change(1);
        if (k == 50) walk.turn(-1);
        if (k == 80) walk.change(-2);
        walk.step(1.0 / 24);
        walk.pose(seen.emplace_back());
    }
    CHECK(walk.speed() == Approx(0).margin(1e-9));
    REQUIRE(edit::keepWalk(s, s.actors[0].id, walk).ok());
    const auto e = test::evaluate(s);
    const rig::Track& t = *e.actors[0].result;
    double far = 0, turned = 0;
    for (int f = 0; f < std::min(t.frames(), static_cast<int>(seen.size())); ++f)
        for (int j = 0; j < t.joints(); ++j) {
            const Xform& was = seen[static_cast<std::size_t>(f)][static_cast<std::size_t>(j)];
            if (beast->skeleton.joint(j).parent == rig::kNoJoint) far = std::max(far, (t.at(j, f).t - was.t).norm());
            turned = std::max(turned, t.at(j, f).r.angularDistance(was.r));
        }
    CHECK(far < 0.03);
    CHECK(degrees(turned) < 1.5);
}

TEST_CASE("scripts carry over the ground and along a path") {
    scene::Scene s = stillGround(97);
    REQUIRE(edit::carryOut(s, "go-over-ground:speed=1").ok());
    REQUIRE(edit::carryOut(s, "follow-path:path=0 0 0+0 0 2+2 0 2").ok());
    CHECK(s.shot().keysOf(kFirst(s), "heading"));
    CHECK_FALSE(edit::carryOut(s, "go-over-ground:speed=fast").ok());
    CHECK_FALSE(edit::carryOut(s, "go-over-ground").ok());
}
