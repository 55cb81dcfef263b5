// What an actor plays in a shot: cut, held, repeated, put one after another, closed; clips themselves stay.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "edit/edit.h"
#include "edit/keys.h"
#include "edit/line.h"
#include "edit/operations.h"
#include "files/scene_file.h"
#include "measure/check.h"
#include "measure/seam.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "rig/mapping.h"
#include "rig/surface.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
using test::TempFolder;

namespace {

const std::string kOtterId = "otter";

scene::Scene walking() {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    REQUIRE(s.actors[0].id == kOtterId);
    return s;
}

rig::Track bodyOf(const scene::Scene& s) {
    pipeline::Evaluator e;
    return *e.bodyOf(s, s.shot(), s.actors[0]);
}

/// Largest turn [rad] and way [units] between two frames of two tracks, over all joints.
double apart(const rig::Track& a, int fa, const rig::Track& b, int fb) {
    double most = 0;
    for (int j = 0; j < a.joints(); ++j)
        most = std::max({most, a.at(j, fa).r.angularDistance(b.at(j, fb).r), (a.at(j, fa).t - b.at(j, fb).t).norm()});
    return most;
}

/// A clip whose root goes ahead by a metre and turns by a quarter.
std::shared_ptr<const rig::Actor> strider() {
    test::ChainSpec spec;
    spec.frames = 25;
    spec.motion = [](double t) {
        Xform x;
        x.t = Vec3(0, 0, t);
        x.r = fromRotationVector(Vec3(0, radians(90) * t, 0));
        return x;
    };
    return test::chainActor(spec);
}

}  // namespace

TEST_CASE("a clip that is cut plays as before, and what is cut off can be taken away") {
    scene::Scene s = walking();
    const rig::Track whole = bodyOf(s);
    REQUIRE(edit::splitAt(s, kOtterId, 10).ok());
    REQUIRE(edit::lineOf(s, kOtterId).stretches.size() == 2);
    const rig::Track cut = bodyOf(s);
    REQUIRE(cut.frames() == whole.frames());
    for (int f = 0; f < whole.frames(); ++f) CHECK(apart(whole, f, cut, f) < 1e-6);
    CHECK_FALSE(edit::splitAt(s, kOtterId, 10).ok());
    CHECK_FALSE(edit::splitAt(s, kOtterId, 0).ok());
    REQUIRE(edit::removeStretch(s, kOtterId, 0).ok());
    const rig::Track rest = bodyOf(s);
    CHECK(rest.frames() == whole.frames() - 10);
    CHECK(apart(rest, 0, whole, 10) < 1e-6);
    CHECK_FALSE(edit::removeStretch(s, kOtterId, 0).ok());
    edit::clearLine(s, kOtterId);
    CHECK(test::sameBits(bodyOf(s), whole));
}

TEST_CASE("a held pose stands still for its frames, and what comes after moves along with its keys and marks") {
    scene::Scene s = walking();
    const rig::Track whole = bodyOf(s);
    edit::mark(s, 4, "before");
    edit::mark(s, 20, "after");
    const std::string id = edit::addLayer(s, "strand", kOtterId, {"tail_01"});
    test::keyed(s, {scene::List::Layers, id}, "swing", {{5, 1.0}, {20, 2.0}});
    REQUIRE(edit::holdPose(s, kOtterId, 12, 9).ok());
    const rig::Track held = bodyOf(s);
    REQUIRE(held.frames() == whole.frames() + 9);
    for (int f = 12; f <= 21; ++f) CHECK(apart(held, f, whole, 12) < 1e-6);
    for (int f = 22; f < held.frames(); ++f) CHECK(apart(held, f, whole, f - 9) < 1e-6);
    CHECK(s.shot().frameOf(s.shot().marks[0].at) == 4);
    CHECK(s.shot().frameOf(s.shot().marks[1].at) == 29);
    const scene::Keys& keys = *s.shot().keysOf({scene::List::Layers, id}, "swing");
    CHECK(s.shot().frameOf(keys[0].at) == 5);
    CHECK(s.shot().frameOf(keys[1].at) == 29);
    CHECK_FALSE(edit::holdPose(s, kOtterId, 12, 0).ok());
}

TEST_CASE("frames that are repeated play again, on and on") {
    scene::Scene s = walking();
    const rig::Track whole = bodyOf(s);
    const int last = whole.frames() - 1;
    REQUIRE(edit::repeatFrames(s, kOtterId, 0, last, 2).ok());
    const rig::Track thrice = bodyOf(s);
    REQUIRE(thrice.frames() == 3 * last + 1);
    for (int f = 0; f <= 3 * last; ++f) CHECK(apart(thrice, f, whole, f % last == 0 && f > 0 ? last : f % last) < 2e-3);
    CHECK_FALSE(edit::repeatFrames(s, kOtterId, 5, 5, 1).ok());
}

TEST_CASE("a body that travels goes on from where it came to, facing as it faced") {
    scene::Scene s = test::sceneWith(strider());
    const std::string id = s.actors[0].id;
    REQUIRE(edit::repeatFrames(s, id, 0, 24, 3).ok());
    const rig::Track t = bodyOf(s);
    const auto way = test::worldPlaces(*s.actors[0].actor, t, s.actors[0].actor->skeleton.find("root"));
    REQUIRE(way.size() == 97);
    // Four quarter turns lead back: the ways of the laps are a square's.
    CHECK((way[24] - Vec3(0, 0, 1)).norm() < 1e-4);
    CHECK((way[48] - Vec3(1, 0, 1)).norm() < 1e-4);
    CHECK((way[72] - Vec3(1, 0, 0)).norm() < 1e-4);
    CHECK(way[96].norm() < 1e-4);
    for (std::size_t f = 1; f < way.size(); ++f) CHECK((way[f] - way[f - 1]).norm() < 0.05);
}

TEST_CASE("clips follow one another without a jump, and end as the last one does") {
    scene::Scene s = walking();
    const rig::Track walk = bodyOf(s);
    REQUIRE(edit::playAfter(s, kOtterId, "Idle", 8).ok());
    REQUIRE(edit::playAfter(s, kOtterId, "Walk", 8).ok());
    const rig::Track all = bodyOf(s);
    const rig::Clip& idle = s.actors[0].actor->clips[static_cast<std::size_t>(s.actors[0].actor->findClip("Idle"))];
    CHECK(all.frames() == walk.frames() + static_cast<int>(std::lround(24 * idle.seconds())) - 8 + walk.frames() - 1 - 8);
    double within = 0;
    for (int f = 1; f < walk.frames(); ++f) within = std::max(within, apart(walk, f, walk, f - 1));
    for (int f = 1; f < all.frames(); ++f) CHECK(apart(all, f, all, f - 1) < 1.6 * within);
    CHECK(apart(all, all.frames() - 1, walk, walk.frames() - 1) < 2e-3);
    CHECK_FALSE(edit::playAfter(s, kOtterId, "Swim", 8).ok());
}

TEST_CASE("a clip that leaves out its last frames closes by as many, and one that is open by a fade") {
    for (const int left : {2, 3}) {
        CAPTURE(left);
        scene::Scene s = walking();
        const int frames = s.frames(s.shot());
        REQUIRE(edit::splitAt(s, kOtterId, frames - 1 - left).ok());
        REQUIRE(edit::removeStretch(s, kOtterId, 1).ok());
        const rig::Actor& a = *s.actors[0].actor;
        CHECK_FALSE(measure::seamOf(a, bodyOf(s)).closes());
        REQUIRE(edit::closeLine(s, kOtterId, left, 0).ok());
        const rig::Track closed = bodyOf(s);
        CHECK(closed.frames() == frames);
        CHECK(measure::seamOf(a, closed).turn < radians(0.01));
        // And what was filled in is near to what was left out.
        scene::Scene whole = walking();
        const rig::Track was = bodyOf(whole);
        for (int f = frames - left; f < frames; ++f) CHECK(apart(closed, f, was, f) < radians(8));
    }
    scene::Scene s = test::otterScene();
    test::play(s, "Turn and stop");
    const rig::Actor& a = *s.actors[0].actor;
    const double gap = measure::seamOf(a, bodyOf(s)).turn;
    REQUIRE(edit::closeLine(s, kOtterId, 0, 5).ok());
    CHECK(measure::seamOf(a, bodyOf(s)).turn < 0.01 * gap);
    CHECK_FALSE(edit::closeLine(s, kOtterId, 2, 5).ok());
}

TEST_CASE("the check finds a clip that is short, and the operation that it names closes it") {
    scene::Scene s = walking();
    // A clip of its own, two frames short.
    const rig::Track walk = bodyOf(s);
    rig::Clip clip = s.actors[0].actor->clips[static_cast<std::size_t>(s.actors[0].actor->findClip("Walk"))];
    clip.name = "Short walk";
    clip.recorded = true;
    clip.end -= 2.0 / 24;
    for (rig::Channel& c : clip.channels)
        while (c.times.size() > 1 && c.times.back() > clip.end + 1e-4) {
            c.times.pop_back();
            c.values.resize(c.times.size() * static_cast<std::size_t>(c.width));
        }
    edit::addClip(s, kOtterId, clip);
    const auto all = measure::check(s, {});
    const auto found = std::find_if(all.begin(), all.end(),
                                    [](const measure::Finding& f) { return f.kind == "seam" && f.clip == "Short walk"; });
    REQUIRE(found != all.end());
    REQUIRE(found->repair.size() == 1);
    CHECK(found->repair[0].find("missing=2") != std::string::npos);
    const rig::Actor& a = *s.actors[0].actor;
    CHECK_FALSE(measure::seamOf(a, bodyOf(s)).closes());
    REQUIRE(edit::carryOut(s, found->repair[0]).ok());
    CHECK(measure::seamOf(a, bodyOf(s)).turn < radians(0.01));
    CHECK(bodyOf(s).frames() == walk.frames());
}

TEST_CASE("what is arranged is saved, opened to the same bits, and handed off as a clip beside the source's, which validates") {
    TempFolder folder;
    scene::Scene s = walking();
    for (const char* text : {"hold-pose:frame=10,frames=6", "repeat:from=1,to=9,times=1", "play-after:clip=Idle,blend=6"}) {
        INFO(text);
        REQUIRE(edit::carryOut(s, text).ok());
    }
    edit::addLayer(s, "strand", kOtterId, {"tail_01"});
    s.editShot().name = "Walk and rest";
    std::filesystem::copy(test::kOtterFile, folder / "otter.glb");
    s.actors.edit(0).file = (folder / "otter.glb").string();
    REQUIRE(files::writeScene(s, folder / "s.nutatio").ok());
    const auto back = pipeline::open((folder / "s.nutatio").string());
    REQUIRE(back.ok());
    CHECK(*back.value().scene.shot().lineOf(kOtterId) == *s.shot().lineOf(kOtterId));
    const auto ours = test::evaluate(s), theirs = test::evaluate(back.value().scene);
    CHECK(test::sameBits(*ours.actors[0].result, *theirs.actors[0].result));

    pipeline::BakeOptions options;
    options.shot = "Walk and rest";
    pipeline::Evaluator evaluator;
    const auto baked = pipeline::bake(s, options, folder / "out.glb", evaluator, {});
    REQUIRE(baked.ok());
    test::checkValid(folder / "out.glb");
    const auto out = test::read(folder / "out.glb");
    const auto source = test::read(test::kOtterFile);
    REQUIRE(out->clips.size() == source->clips.size() + 1);
    const int fresh = out->findClip("Walk and rest");
    REQUIRE(fresh >= 0);
    const rig::Track handed =
        rig::bodyTrack(*out, fresh, {ours.actors[0].result->frames(), 24, 0, out->clips[static_cast<std::size_t>(fresh)].end});
    for (const int f : {0, 12, 40, 80}) CHECK(apart(handed, f, *ours.actors[0].result, f) < radians(0.2));
    // A shot that is called as its clip goes out under a name of its own, and what its layers say names it.
    scene::Scene namesake = s;
    namesake.editShot().name = "Walk";
    edit::addLayer(namesake, "strand", kOtterId, {"tail_02"});
    namesake.layers.edit(namesake.layers.size() - 1).set("root", std::vector<std::string>{"nowhere"});
    pipeline::BakeOptions own;
    own.shot = namesake.shot().id;
    const auto twice = pipeline::bake(namesake, own, folder / "twice.glb", evaluator, {});
    REQUIRE(twice.ok());
    CHECK(twice.value().clips[0].name == "Walk 2");
    CHECK(test::read(folder / "twice.glb")->findClip("Walk 2") >= 0);
    REQUIRE(twice.value().warnings.size() > 0);
    CHECK(twice.value().warnings[0].rfind("shot \"Walk\", layer ", 0) == 0);
    // The source's clips are as they were.
    const int walk = out->findClip("Walk");
    const auto grid = rig::FrameGrid::covering(source->clips[0], 24);
    for (int f = 0; f < grid.frames; ++f)
        CHECK(apart(rig::bodyTrack(*out, walk, grid), f, rig::bodyTrack(*source, source->findClip("Walk"), grid), f) < 1e-6);
}

TEST_CASE("a line in a file that names no clip of the actor, or lasts no time, is refused with its place") {
    TempFolder folder;
    scene::Scene s = walking();
    REQUIRE(edit::splitAt(s, kOtterId, 10).ok());
    std::filesystem::copy(test::kOtterFile, folder / "otter.glb");
    s.actors.edit(0).file = (folder / "otter.glb").string();
    REQUIRE(files::writeScene(s, folder / "s.nutatio").ok());
    const auto good = nlohmann::ordered_json::parse(test::textOf(folder / "s.nutatio"));
    std::size_t shot = 0;
    while (!good["shots"][shot].contains("lines")) ++shot;
    const auto refused = [&](const char* key, const nlohmann::ordered_json& value) {
        auto bad = good;
        bad["shots"][shot]["lines"]["otter"]["stretches"][1][key] = value;
        test::put(folder / "bad.nutatio", bad.dump());
        const auto r = files::readScene(folder / "bad.nutatio");
        REQUIRE_FALSE(r.ok());
        return r.error().text();
    };
    CHECK(refused("clip", "Swim").find("stretches[1].clip") != std::string::npos);
    CHECK(refused("to", 0.0).find("stretches[1]") != std::string::npos);
    CHECK(refused("blend", 1e4).find("stretches[1]") != std::string::npos);
    CHECK(refused("from", -1.0).find("from") != std::string::npos);
}

TEST_CASE("a clip that moves morph weights alone is held and handed off too") {
    TempFolder folder;
    const std::string from = std::string(NUTATIO_THIRD_PARTY) + "/glTF2/glTF-Sample-Models/AnimatedMorphCube-glTF/";
    std::filesystem::copy(from, folder.path(), std::filesystem::copy_options::recursive);
    scene::Scene s = files::sceneOf(test::read(folder / "AnimatedMorphCube.gltf"));
    const int frames = s.frames(s.shot());
    REQUIRE(edit::holdPose(s, s.actors[0].id, 20, 24).ok());
    CHECK(s.frames(s.shot()) == frames + 24);
    const rig::Track body = bodyOf(s);
    REQUIRE(body.morphs().count(0) == 1);
    const rig::Morph& m = *body.morphs().at(0);
    for (int t = 0; t < m.targets; ++t) CHECK(m.frame(22)[t] == Approx(m.frame(40)[t]));
    pipeline::BakeOptions options;
    options.shot = s.shot().id;
    pipeline::Evaluator evaluator;
    REQUIRE(pipeline::bake(s, options, folder / "out.glb", evaluator, {}).ok());
    test::checkValid(folder / "out.glb");
    const auto out = test::read(folder / "out.glb");
    REQUIRE(out->clips.size() == s.actors[0].actor->clips.size() + 1);
    CHECK(out->clips.back().seconds() == Approx(s.actors[0].actor->clips[0].seconds() + 1).margin(0.05));
}
