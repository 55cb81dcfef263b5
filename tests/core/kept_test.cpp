// What is kept for other scenes, and what meets what: trials, kits, bodies.
#include <catch2/catch.hpp>
#include <cmath>
#include <limits>

#include "edit/edit.h"
#include "edit/kit.h"
#include "edit/operations.h"
#include "files/kit.h"
#include "files/scene_file.h"
#include "pipeline/open.h"
#include "pipeline/trials.h"
#include "rig/mapping.h"
#include "rig/track.h"
#include "scene/change.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
using test::kOtterFile;
using test::TempFolder;

namespace {

/// Largest way between two actors' joints of one name over a clip and a trial [heights].
double farthest(const rig::Actor& actor, int clip, const rig::Trial& trial) {
    const rig::FrameGrid grid = rig::trialGrid(trial, 24);
    const rig::Track is = rig::trialTrack(actor, trial, actor.restPose(), grid);
    std::vector<Xform> now, was;
    std::vector<Affine> a, b;
    double out = 0;
    const rig::Clip& c = actor.clips[static_cast<std::size_t>(clip)];
    for (int f = 0; f + 1 < grid.frames; ++f) {
        is.pose(f, now);
        was = actor.restPose();
        c.pose(c.start + f / grid.fps, was);
        rig::worldTransforms(actor.skeleton, now, a);
        rig::worldTransforms(actor.skeleton, was, b);
        for (std::size_t j = 0; j < a.size(); ++j) out = std::max(out, (a[j].t - b[j].t).norm() / actor.height);
    }
    return out;
}

}  // namespace

TEST_CASE("a clip that is kept comes back key for key on its own character, and as a clip of joints alone that validates") {
    TempFolder f;
    for (const std::string& file : {kOtterFile, test::kMocapFolder + "01_01.bvh"}) {
        CAPTURE(file);
        const auto actor = test::read(file);
        const auto kept = f / "walk.glb";
        REQUIRE(pipeline::keepTrial(*actor, 0, "walk", kept).ok());
        test::checkValid(kept);
        CHECK(test::read(kept)->meshes.empty());
        const auto back = pipeline::keptTrial(kept, *actor);
        REQUIRE(back);
        CHECK(back.value()->name == "walk");
        rig::Trial t;
        t.move = rig::kKeptMove;
        t.kept = back.value();
        CHECK(farthest(*actor, 0, t) < 1e-5);
        // Larger: what moved moves farther.
        t.size = 1.5;
        CHECK(farthest(*actor, 0, t) > 0.01);
        t.size = 1;
        t.speed = 2;
        CHECK(rig::trialGrid(t, 24).frames <= rig::trialGrid({.move = t.move, .joint = "", .kept = t.kept}, 24).frames / 2 + 2);
    }
}

TEST_CASE("a clip that is kept is done by another character of another size") {
    TempFolder f;
    const auto walker = test::read(test::kMocapFolder + "01_01.bvh"), otter = test::read(kOtterFile);
    REQUIRE(pipeline::keepTrial(*walker, 0, "walk", f / "walk.glb").ok());
    const auto kept = pipeline::keptTrial(f / "walk.glb", *otter);
    REQUIRE(kept);
    const rig::Clip mapped = rig::mappedClip(*walker, 0, *otter, rig::suggestMapping(*walker, *otter), "walk");
    REQUIRE(kept.value()->clip.channels.size() == mapped.channels.size());
    std::vector<Xform> a = otter->restPose(), b = a;
    for (double at : {0.0, 0.4, 1.1}) {
        kept.value()->clip.pose(kept.value()->clip.start + at, a);
        mapped.pose(mapped.start + at, b);
        for (std::size_t j = 0; j < a.size(); ++j) {
            CHECK(a[j].r.angularDistance(b[j].r) < 1e-3);
            CHECK((a[j].t - b[j].t).norm() < 1e-3 * otter->height);
        }
    }
    // It is evaluated like any trial, and leaves the scene as it is.
    scene::Scene s = test::otterScene();
    s.actors.edit(0).trial = {.move = std::string(rig::kKeptMove), .joint = "", .kept = kept.value()};
    const pipeline::Evaluation e = test::evaluate(s);
    CHECK(e.actors[0].body->frames() == rig::trialGrid(s.actors[0].trial, s.shot().fps).frames);
    // An actor that has lost joints since stands still: keys for joints that are gone reach nothing.
    const rig::Track still =
        rig::trialTrack(*test::chainActor({}), s.actors[0].trial, test::chainActor({})->restPose(), {5, 24, 0, 4 / 24.0});
    for (int j = 0; j < still.joints(); ++j) CHECK(still.at(j, 4).t == still.at(j, 0).t);
}

TEST_CASE("a kept clip that cannot be read is one sentence that names the file, and one that is not there is not written") {
    TempFolder f;
    const auto otter = test::read(kOtterFile);
    test::put(f / "junk.glb", "no file of joints");
    const auto junk = pipeline::keptTrial(f / "junk.glb", *otter);
    REQUIRE_FALSE(junk);
    CHECK(junk.error().text().find("junk.glb") != std::string::npos);
    CHECK_FALSE(pipeline::keepTrial(*otter, 99, "none", f / "none.glb"));
    CHECK_FALSE(std::filesystem::exists(f / "none.glb"));
}

TEST_CASE("a layer passes through the bodies that it is told to, is told so by operations, and meets them again") {
    scene::Scene s = test::sceneWith(test::chainActor(test::nodding()));
    const std::string actor = s.actors[0].id;
    const std::string strand = edit::addLayer(s, "strand", actor, {"bone_1"}),
                      jiggle = edit::addLayer(s, "jiggle", actor, {"bone_1"});
    const std::string ball = edit::addCollider(s, actor, "root", scene::Shape::Sphere), box = edit::addPiece(s, "block");
    CHECK(edit::passesOf(*s.layer(strand)));
    CHECK_FALSE(edit::passesOf(*s.layer(jiggle)));
    CHECK(edit::meets(*s.layer(strand), ball));
    REQUIRE(edit::carryOut(s, "meet:layer=" + strand + ",body=" + ball + "+" + box + ",minds=no").ok());
    CHECK_FALSE(edit::meets(*s.layer(strand), ball));
    CHECK_FALSE(edit::meets(*s.layer(strand), box));
    edit::meet(s, strand, {ball}, true);
    CHECK(edit::meets(*s.layer(strand), ball));
    CHECK_FALSE(edit::meets(*s.layer(strand), box));
    for (const char* wrong : {"meet:layer=nobody,body=ball", "meet:layer=LAYER,body=nothing"}) {
        std::string op = wrong;
        if (const auto at = op.find("LAYER"); at != std::string::npos) op.replace(at, 5, strand);
        const scene::Scene before = s;
        CHECK_FALSE(edit::carryOut(s, op).ok());
        CHECK(scene::changeBetween(before, s).none());
    }
    CHECK_FALSE(edit::carryOut(s, "meet:layer=" + jiggle + ",body=" + ball).ok());
}

TEST_CASE("colliders are fitted to a part alone, thin as it is, also where a strand moves it") {
    scene::Scene s = test::otterScene();
    const std::string otter = s.actors[0].id;
    edit::addLayer(s, "strand", otter, {"tail_01"});
    REQUIRE(edit::carryOut(s, "add-part:actor=" + otter + ",name=tail,joints=tail_02+tail_03+tail_04").ok());
    REQUIRE(edit::carryOut(s, "fit-colliders:actor=" + otter + ",part=tail").ok());
    REQUIRE(s.colliders.size() == 3);
    for (const scene::Collider& c : s.colliders) CHECK(c.mount.joint.rfind("tail_0", 0) == 0);
    // Once more changes nothing: each has one.
    REQUIRE(edit::carryOut(s, "fit-colliders:actor=" + otter + ",part=tail").ok());
    CHECK(s.colliders.size() == 3);
    CHECK_FALSE(edit::carryOut(s, "fit-colliders:actor=" + otter + ",part=wings").ok());
    CHECK_FALSE(edit::carryOut(s, "fit-colliders:actor=" + otter + ",joints=nowhere").ok());
    CHECK(s.colliders.size() == 3);
}

TEST_CASE("what a kit cannot take along is told, and one with a number that is none is not written") {
    TempFolder f;
    scene::Scene s = test::otterScene();
    const std::string otter = s.actors[0].id;
    REQUIRE(edit::carryOut(s, "add-map:actor=" + otter + ",name=soft,from=weights,joints=belly").ok());
    CHECK(edit::kitOf(s, otter).without.empty());
    rig::Stroke stroke;
    stroke.dabs = {Vec3(0, 0.6, 0.2)};
    stroke.radius = 0.2;
    REQUIRE(edit::paintMap(s, otter, "soft", stroke).ok());
    const scene::Kit kit = edit::kitOf(s, otter);
    REQUIRE(kit.without.size() == 1);
    CHECK(kit.without[0].find("soft") != std::string::npos);
    REQUIRE(kit.maps.size() == 1);
    CHECK(kit.maps[0].steps.size() == 1);
    edit::addCollider(s, otter, "chest", scene::Shape::Sphere);
    scene::Kit bad = edit::kitOf(s, otter);
    bad.colliders[0].set("radius", std::numeric_limits<double>::quiet_NaN());
    test::put(f / "k.nutatio-kit", "what was there");
    const auto written = files::writeKit(bad, f / "k.nutatio-kit");
    REQUIRE_FALSE(written.ok());
    CHECK(written.error().text().find("colliders[0]") != std::string::npos);
    CHECK(test::textOf(f / "k.nutatio-kit") == "what was there");
}

TEST_CASE("a helper's fellow gets what was painted for it, on its own side") {
    scene::Scene s = test::otterScene();
    const std::string otter = s.actors[0].id;
    const auto& a = *s.actors[0].actor;
    const rig::Surface surface = rig::Surface::of(a);
    std::vector<Affine> worlds;
    rig::worldTransforms(a.skeleton, a.restPose(), worlds);
    const Vec3 head = worlds[static_cast<std::size_t>(a.skeleton.find("head"))].t;
    const Vec3 cheek =
        surface.places[surface.nearest(head + Vec3(0.06 * a.height, 0.02 * a.height, 0.05 * a.height))].cast<double>();
    REQUIRE(edit::addHelper(s, otter, "head", "cheek_L", cheek, 0.05, false));
    rig::Stroke stroke;
    stroke.radius = 0.04;
    stroke.strength = 1;
    stroke.brush = rig::Brush::Take;
    stroke.dabs = {cheek};
    rig::Preparation paint{rig::Preparation::What::Paint, "cheek_L", {}, Vec3::Zero()};
    paint.stroke = stroke;
    REQUIRE(edit::prepare(s, otter, paint).ok());
    scene::Scene both = test::otterScene();
    REQUIRE(edit::addHelper(both, otter, "head", "cheek_L", cheek, 0.05, true));
    REQUIRE(edit::mirrorJoint(s, otter, "cheek_L"));
    rig::Preparation painted = paint;
    painted.stroke.mirrored = true;
    REQUIRE(edit::prepare(both, otter, painted).ok());
    const auto held = [&](const scene::Scene& in, const char* joint) {
        const int j = in.actors[0].actor->skeleton.find(joint);
        REQUIRE(j != rig::kNoJoint);
        const rig::Surface on = rig::Surface::of(*in.actors[0].actor);
        std::vector<float> out(on.places.size(), 0.0f);
        for (std::uint32_t v = 0; v < on.places.size(); ++v)
            for (const auto& p : on.pulls(v))
                if (p.joint == j) out[v] = p.weight;
        return out;
    };
    // As if both had been there when it was painted on both sides.
    double most = 0, unpainted = 0;
    scene::Scene plain = test::otterScene();
    REQUIRE(edit::addHelper(plain, otter, "head", "cheek_L", cheek, 0.05, true));
    for (const char* joint : {"cheek_L", "cheek_R"}) {
        const auto mine = held(s, joint), wanted = held(both, joint), before = held(plain, joint);
        for (std::size_t v = 0; v < mine.size(); ++v) {
            most = std::max(most, std::abs(static_cast<double>(mine[v] - wanted[v])));
            unpainted = std::max(unpainted, std::abs(static_cast<double>(mine[v] - before[v])));
        }
    }
    CHECK(most < 1e-5);
    CHECK(unpainted > 0.3);
}

TEST_CASE("a file that was exported anew keeps the steps of Prepare that it has no place for, and tells which they are") {
    TempFolder f;
    std::filesystem::copy_file(kOtterFile, f / "otter.glb");
    scene::Scene s = test::sceneWith(test::read(f / "otter.glb"));
    const std::string otter = s.actors[0].id;
    const rig::Actor& a = *s.actors[0].actor;
    std::vector<Affine> worlds;
    rig::worldTransforms(a.skeleton, a.restPose(), worlds);
    const Vec3 belly = worlds[static_cast<std::size_t>(a.skeleton.find("belly"))].t;
    REQUIRE(edit::addHelper(s, otter, "belly", "paunch", belly + Vec3(0, 0, 0.1 * a.height), 0.12, false));
    rig::Preparation paint{rig::Preparation::What::Paint, "paunch", {}, Vec3::Zero()};
    paint.stroke.dabs = {belly + Vec3(0, 0, 0.12 * a.height)};
    paint.stroke.radius = 0.1;
    REQUIRE(edit::prepare(s, otter, paint).ok());
    REQUIRE(edit::prepare(s, otter, {rig::Preparation::What::AddEnd, "ear_tip_L", "ear_end_L", Vec3(0, 0.03, 0)}).ok());
    // A stroke in the air is none.
    rig::Preparation air = paint;
    air.stroke.dabs = {Vec3(5, 5, 5)};
    CHECK_FALSE(edit::prepare(s, otter, air).ok());
    REQUIRE(s.actors[0].preparations.size() == 3);
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    // Somebody renames the belly and exports again.
    std::string bytes = test::textOf(f / "otter.glb");
    const auto at = bytes.find("\"belly\"");
    REQUIRE(at != std::string::npos);
    bytes.replace(at, 7, "\"tummy\"");
    test::put(f / "otter.glb", bytes);
    const auto opened = pipeline::open(f / "s.nutatio");
    REQUIRE(opened.ok());
    scene::Scene now = opened.value().scene;
    REQUIRE(now.actors.size() == 1);
    REQUIRE(now.actors[0].undone.size() == 3);
    CHECK(now.actors[0].undone[0].find("belly") != std::string::npos);
    CHECK_FALSE(now.actors[0].undone[1].empty());
    CHECK(now.actors[0].undone[2].empty());
    CHECK(now.actors[0].actor->skeleton.find("paunch") == rig::kNoJoint);
    CHECK(now.actors[0].actor->skeleton.find("ear_end_L") != rig::kNoJoint);
    CHECK(std::count_if(opened.value().warnings.begin(), opened.value().warnings.end(),
                        [](const std::string& w) { return w.find("Prepare") != std::string::npos; }) == 2);
    // Work goes on; what is not in force is saved with the rest, and can be taken away.
    REQUIRE(edit::prepare(now, otter, {rig::Preparation::What::AddEnd, "ear_tip_R", "ear_end_R", Vec3(0, 0.03, 0)}).ok());
    REQUIRE(files::writeScene(now, f / "t.nutatio").ok());
    CHECK(pipeline::open(f / "t.nutatio").value().scene.actors[0].preparations.size() == 4);
    REQUIRE(edit::unprepare(now, otter, 3).ok());
    CHECK(now.actors[0].preparations.size() == 3);
    REQUIRE(edit::unprepare(now, otter, 0).ok());
    CHECK(now.actors[0].preparations.size() == 1);
    // The old name comes back, and all of it is in force again.
    bytes.replace(at, 7, "\"belly\"");
    test::put(f / "otter.glb", bytes);
    const auto healed = pipeline::open(f / "t.nutatio");
    CHECK(healed.value().scene.actors[0].actor->skeleton.find("paunch") != rig::kNoJoint);
    CHECK(healed.value().warnings.empty());
}
