// Clips put on other characters, contacts, poses before the motion, and kits.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "edit/kit.h"
#include "edit/motions.h"
#include "edit/operations.h"
#include "files/kit.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "rig/roles.h"
#include "scene/items.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
using test::kDeckhandFile;
using test::kDemoFolder;
using test::kMocapFolder;
using test::kOtterFile;
using test::TempFolder;

namespace {

std::vector<Affine> worldsAt(const rig::Actor& a, int clip, double time) {
    std::vector<Xform> locals = a.restPose();
    a.clips[static_cast<std::size_t>(clip)].pose(time, locals);
    std::vector<Affine> worlds;
    rig::worldTransforms(a.skeleton, locals, worlds);
    return worlds;
}

Vec3 way(const std::vector<Affine>& w, int from, int to) {
    return (w[static_cast<std::size_t>(to)].t - w[static_cast<std::size_t>(from)].t).normalized();
}

}  // namespace

TEST_CASE("limbs of a mapped clip point as the source's do, whatever the two rest poses, and soles stand on the floor") {
    const auto otter = test::read(kOtterFile);
    const rig::Roles to = rig::rolesOf(*otter);
    for (const std::string& file : {kMocapFolder + "01_01.bvh", kMocapFolder + "Boxing_Toes.bvh", kDeckhandFile}) {
        INFO(file);
        const auto source = test::read(file);
        const rig::Roles from = rig::rolesOf(*source);
        const rig::MotionMap map = rig::suggestMapping(*source, *otter);
        CHECK(map.byNames);
        scene::Scene s = test::sceneWith(otter);
        const auto name = edit::bringMotion(s, s.actors[0].id, *source, 0, map);
        REQUIRE(name);
        const rig::Actor& a = *s.actors[0].actor;
        const int clip = a.findClip(name.value());
        REQUIRE(clip >= 0);
        CHECK(test::played(s) == name.value());
        double worst = 0, lowest = 1e9;
        for (double share : {0.1, 0.35, 0.6, 0.9}) {
            const rig::Clip& was = source->clips[0];
            const double t = std::round(share * was.seconds() * rig::ownRate(was)) / rig::ownRate(was);
            const std::vector<Affine> ws = worldsAt(*source, 0, was.start + t), wt = worldsAt(a, clip, t);
            for (std::size_t side : {0, 1})
                for (const auto& [l, m] : {std::pair{&from.legs[side], &to.legs[side]}, {&from.arms[side], &to.arms[side]}}) {
                    worst = std::max(
                        worst, std::acos(std::clamp(way(ws, l->upper, l->lower).dot(way(wt, m->upper, m->lower)), -1.0, 1.0)));
                    worst = std::max(worst,
                                     std::acos(std::clamp(way(ws, l->lower, l->end).dot(way(wt, m->lower, m->end)), -1.0, 1.0)));
                    if (l == &from.legs[side]) lowest = std::min(lowest, wt[static_cast<std::size_t>(m->end)].t.y());
                }
        }
        INFO("worst direction " << degrees(worst) << " deg");
        CHECK(degrees(worst) < 0.1);
        // Ankles as high over the floor as at rest, to a fiftieth of the height.
        std::vector<Affine> rest;
        rig::worldTransforms(otter->skeleton, otter->restPose(), rest);
        CHECK(lowest == Approx(rest[static_cast<std::size_t>(to.legs[0].end)].t.y()).margin(0.06 * otter->height));
    }
}

TEST_CASE("a clip put on its own character is that clip") {
    const auto otter = test::read(kOtterFile);
    scene::Scene s = test::sceneWith(otter);
    const int walk = otter->findClip("Walk");
    const rig::MotionMap map = rig::suggestMapping(*otter, *otter);
    CHECK(map.scale == Approx(1));
    const auto name = edit::bringMotion(s, s.actors[0].id, *otter, walk, map);
    REQUIRE(name);
    const rig::Actor& a = *s.actors[0].actor;
    const int clip = a.findClip(name.value());
    for (double t : {0.1, 0.5, 0.9}) {
        const auto was = worldsAt(*otter, walk, t), is = worldsAt(a, clip, t);
        for (const char* j : {"foot_L", "hand_R", "head", "chest", "hips"}) {
            const auto at = static_cast<std::size_t>(otter->skeleton.find(j));
            INFO(j);
            CHECK((was[at].t - is[at].t).norm() < 0.02 * otter->height);
        }
    }
}

TEST_CASE("a mapping may be changed by hand, and nonsense is refused") {
    const auto otter = test::read(kOtterFile), deckhand = test::read(kDeckhandFile);
    scene::Scene s = test::sceneWith(otter);
    const std::string op = "bring-motion:file=" + kDeckhandFile;
    REQUIRE(edit::carryOut(s, op + ",joints=>head+Braid2>tail_02").ok());
    const rig::Clip& clip = s.actors[0].actor->clips.back();
    const auto keyed = [&](const char* joint) {
        return std::any_of(clip.channels.begin(), clip.channels.end(),
                           [&](const rig::Channel& c) { return c.joint == otter->skeleton.find(joint); });
    };
    CHECK_FALSE(keyed("head"));
    CHECK(keyed("tail_02"));
    for (const std::string& bad : {std::string("bring-motion:file=/nowhere.bvh"), op + ",clip=nothing", op + ",joints=tea",
                                   op + ",joints=Braid2>nobody"}) {
        const scene::Scene was = s;
        const auto refused = edit::carryOut(s, bad);
        REQUIRE_FALSE(refused.ok());
        CHECK(s.actors[0].actor == was.actors[0].actor);
    }
    CHECK_FALSE(edit::bringMotion(s, s.actors[0].id, *deckhand, 0, {}).ok());
}

TEST_CASE("a mapped clip is saved with the scene and handed off, with layers on top") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    REQUIRE(edit::carryOut(s, "bring-motion:file=" + kMocapFolder + "01_01.bvh").ok());
    edit::addLayer(s, "strand", s.actors[0].id, {"tail_01"});
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    const auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().warnings.empty());
    CHECK(again.value().scene.actors[0].actor->clips.back().channels.size() == s.actors[0].actor->clips.back().channels.size());
    pipeline::Evaluator e;
    REQUIRE(pipeline::bake(s, {}, f / "o.glb", e, {}).ok());
    test::checkValid(f / "o.glb");
}

TEST_CASE("feet of a still pose stand all the time, those of a boxer again and again") {
    const auto otter = test::read(kOtterFile);
    const rig::Roles r = rig::rolesOf(*otter);
    const int idle = otter->findClip("Idle");
    const std::vector<rig::Contact> still = rig::contactsOf(*otter, idle);
    const double whole = otter->clips[static_cast<std::size_t>(idle)].seconds();
    for (std::size_t side : {0, 1})
        CHECK(std::any_of(still.begin(), still.end(),
                          [&](const rig::Contact& c) { return c.joint == r.legs[side].end && c.to - c.from > 0.9 * whole; }));
    const auto boxer = test::read(kMocapFolder + "Boxing_Toes.bvh");
    const std::vector<rig::Contact> steps = rig::contactsOf(*boxer, 0);
    CHECK(steps.size() >= 6);
    for (const rig::Contact& c : steps) CHECK(c.to - c.from >= 0.1);
}

TEST_CASE("a clip from rest begins in the rest pose, holds it, and comes to where the clip begins without a jump") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    const auto otter = s.actors[0].actor;
    REQUIRE(edit::carryOut(s, "pose-first:clip=Turn and stop,hold=10,ease=14").ok());
    const rig::Actor& a = *s.actors[0].actor;
    const int clip = a.findClip("Turn and stop, from rest"), was = a.findClip("Turn and stop");
    REQUIRE(clip >= 0);
    CHECK(a.clips[static_cast<std::size_t>(clip)].seconds() ==
          Approx(a.clips[static_cast<std::size_t>(was)].seconds() + 1).epsilon(1e-3));
    const std::vector<Xform> rest = a.restPose();
    std::vector<Xform> pose = rest, first = rest;
    for (double t : {0.0, 0.2, 0.41}) {
        a.clips[static_cast<std::size_t>(clip)].pose(t, pose);
        for (std::size_t j = 0; j < rest.size(); ++j) REQUIRE(pose[j].r.angularDistance(rest[j].r) < 1e-6);
    }
    a.clips[static_cast<std::size_t>(clip)].pose(1.0, pose);
    a.clips[static_cast<std::size_t>(was)].pose(a.clips[static_cast<std::size_t>(was)].start, first);
    for (std::size_t j = 0; j < rest.size(); ++j) CHECK(pose[j].r.angularDistance(first[j].r) < 1e-3);
    // No step of the ease is more than a smooth one makes.
    double most = 0, whole = 0;
    std::vector<Xform> last = rest;
    for (int k = 10; k <= 24; ++k) {
        a.clips[static_cast<std::size_t>(clip)].pose(k / 24.0, pose);
        for (std::size_t j = 0; j < rest.size(); ++j) {
            most = std::max(most, pose[j].r.angularDistance(last[j].r));
            whole = std::max(whole, first[j].r.angularDistance(rest[j].r));
        }
        last = pose;
    }
    CHECK(most < 1.6 * whole / 14);
    CHECK(test::played(s) == "Turn and stop, from rest");
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    REQUIRE(pipeline::open(f / "s.nutatio").ok());
    CHECK_FALSE(edit::poseFirst(s, actor, "nothing", 3, 3).ok());
    CHECK_FALSE(edit::poseFirst(s, actor, "Walk", 0, 0).ok());
}

TEST_CASE("a kit is taken, saved, read and put on a copy of its character: nothing is left out and the motion is the same") {
    TempFolder f;
    const auto opened = pipeline::open(kDemoFolder + "lake-landing.nutatio");
    REQUIRE(opened.ok());
    scene::Scene s = opened.value().scene;
    const std::string otter = "otter";
    REQUIRE(edit::carryOut(s, "add-part:actor=otter,name=tail,joints=tail_01+tail_02").ok());
    REQUIRE(edit::carryOut(s, "add-map:actor=otter,name=soft,from=weights,joints=belly").ok());
    const scene::Kit kit = edit::kitOf(s, otter);
    CHECK(kit.layers.size() == s.layers.size());
    REQUIRE(files::writeKit(kit, f / "otter.nutatio-kit").ok());
    const auto read = files::readKit(f / "otter.nutatio-kit");
    REQUIRE(read.ok());
    CHECK(read.value().layers.size() == kit.layers.size());
    CHECK(read.value().joints.size() == kit.joints.size());
    scene::Scene bare = test::sceneWith(test::read(kOtterFile));
    const std::string actor = bare.actors[0].id;
    const auto fitted = edit::fitKit(read.value(), *bare.actors[0].actor);
    for (const edit::Fitted& x : fitted) CHECK(x.by == edit::Fitted::By::Name);
    const auto left = edit::applyKit(bare, actor, read.value(), fitted);
    REQUIRE(left);
    CHECK(left.value().empty());
    CHECK(bare.layers.size() == s.layers.size());
    CHECK(bare.actors[0].parts.size() == 1);
    CHECK(bare.actors[0].maps.size() == 1);
    for (std::size_t k = 0; k < s.layers.size(); ++k) CHECK(bare.layers[k].values.at("mix") == s.layers[k].values.at("mix"));
    for (const scene::Collider& c : bare.colliders) {
        const auto same =
            std::find_if(s.colliders.begin(), s.colliders.end(), [&](const scene::Collider& o) { return o.name == c.name; });
        REQUIRE(same != s.colliders.end());
        CHECK((c.vector("offset") - same->vector("offset")).norm() < 1e-9);
        CHECK(c.number("radius") == Approx(same->number("radius")));
    }
    // Once more: it adds to what is there, under ids of its own.
    REQUIRE(edit::applyKit(bare, actor, read.value(), fitted, {read.value().layers[0].name}));
    CHECK(bare.layers.size() == s.layers.size() + 1);
    REQUIRE(files::writeScene(bare, f / "s.nutatio").ok());
    CHECK(pipeline::open(f / "s.nutatio").ok());
}

TEST_CASE("a kit goes onto another character by names and roles, what does not fit is said, and may be mapped by hand") {
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string otter = s.actors[0].id;
    edit::addLayer(s, "strand", otter, {"tail_01"});
    edit::addLayer(s, "jiggle", otter, {"head", "ear_L"});
    edit::addCollider(s, otter, "chest", scene::Shape::Sphere);
    REQUIRE(edit::setApart(s, s.layers[1].id, "head", "swing", 5.0));
    const scene::Kit kit = edit::kitOf(s, otter);
    // A rig of another size and other names.
    scene::Scene other = test::sceneWith(test::read(kMocapFolder + "01_01.bvh"));
    const std::string actor = other.actors[0].id;
    std::vector<edit::Fitted> fitted = edit::fitKit(kit, *other.actors[0].actor);
    const auto of = [&](const std::string& joint) -> edit::Fitted& {
        return *std::find_if(fitted.begin(), fitted.end(), [&](const edit::Fitted& x) { return x.joint == joint; });
    };
    CHECK(of("head").to == "Head");
    CHECK(of("chest").to == "Spine1");
    CHECK(of("chest").by == edit::Fitted::By::Role);
    CHECK(of("tail_01").to.empty());
    scene::Scene tried = other;
    const auto left = edit::applyKit(tried, actor, kit, fitted);
    REQUIRE(left);
    CHECK(left.value().size() == 2);
    CHECK(std::any_of(left.value().begin(), left.value().end(),
                      [](const std::string& t) { return t.find("tail_01") != std::string::npos; }));
    REQUIRE(tried.layers.size() == 1);
    CHECK(tried.layers[0].list("joint") == std::vector<std::string>{"Head"});
    CHECK(tried.layers[0].apart.count("Head") == 1);
    // As large against the one character as against the other.
    REQUIRE(tried.colliders.size() == 1);
    CHECK(tried.colliders[0].number("radius") / tried.actors[0].actor->height ==
          Approx(s.colliders[0].number("radius") / s.actors[0].actor->height));
    // By hand.
    of("tail_01").to = "LeftUpLeg";
    REQUIRE(edit::applyKit(other, actor, kit, fitted));
    CHECK(other.layers.size() == 2);
    CHECK(layers::settle(other).empty());
}

TEST_CASE("joints are the same whatever their names' prefix, case and way of telling sides") {
    scene::Scene s = test::sceneWith(test::read(kMocapFolder + "01_01.bvh"));
    edit::addLayer(s, "jiggle", s.actors[0].id, {"LeftForeArm", "RightHand"});
    const scene::Kit kit = edit::kitOf(s, s.actors[0].id);
    auto renamed = std::make_shared<rig::Actor>(*s.actors[0].actor);
    std::vector<rig::Joint> joints = renamed->skeleton.joints();
    for (rig::Joint& j : joints) {
        j.children.clear();
        if (j.name == "LeftForeArm")
            j.name = "fore_arm.L";
        else if (j.name == "RightHand")
            j.name = "r_hand";
        j.name = "rig:" + j.name;
    }
    renamed->skeleton = rig::Skeleton(joints);
    for (const edit::Fitted& f : edit::fitKit(kit, *renamed)) {
        INFO(f.joint);
        CHECK(f.by == edit::Fitted::By::Name);
        CHECK(f.to == (f.joint == "LeftForeArm" ? "rig:fore_arm.L" : "rig:r_hand"));
    }
}

TEST_CASE("a kit file that cannot be read says where, and a foreign file that it is none") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    edit::addLayer(s, "strand", s.actors[0].id, {"tail_01"});
    REQUIRE(files::writeKit(edit::kitOf(s, s.actors[0].id), f / "k.nutatio-kit").ok());
    const std::string good = test::textOf(f / "k.nutatio-kit");
    for (const auto& [from, to, said] : {std::tuple{"nutatio-kit", "cookbook", "not a Nutatio kit"},
                                         {"\"version\": 2", "\"version\": 99", "newer"},
                                         {"\"height\": ", "\"height\": -", "height"},
                                         {"\"turn\": [", "\"turn\": [9,", "turn"}}) {
        std::string bad = good;
        bad.replace(bad.find(from), std::string(from).size(), to);
        test::put(f / "bad.nutatio-kit", bad);
        const auto read = files::readKit(f / "bad.nutatio-kit");
        INFO(to);
        REQUIRE_FALSE(read.ok());
        CHECK_THAT(read.error().text(), Catch::Contains(said) && Catch::Contains("bad.nutatio-kit"));
    }
    CHECK_FALSE(files::readKit(f / "nothing.nutatio-kit").ok());
}
