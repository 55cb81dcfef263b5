// Evaluation: same bits, cached by content, cancelled when asked. Scene files: round trips and refusals.
#include <tbb/global_control.h>

#include <catch2/catch.hpp>

#include "files/scene_file.h"
#include "layers/registry.h"
#include "measure/trace.h"
#include "pipeline/evaluate.h"
#include "pipeline/open.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using files::Json;
using test::sameBits;
using test::TempFolder;
namespace fs = std::filesystem;

namespace {

fs::path demoScene() {
    return fs::path(test::sourceFolder()) / "demo/lake-landing.nutatio";
}

scene::Scene otterScene() {
    auto opened = pipeline::open(demoScene());
    if (!opened) FAIL(opened.error().text());
    return opened.value().scene;
}

test::ChainSpec bowing() {
    test::ChainSpec s;
    s.motion = [](double t) {
        Xform x;
        x.r = fromRotationVector(Vec3(std::sin(5 * t), 0, 0));
        return x;
    };
    return s;
}

}  // namespace

TEST_CASE("the demo scene opens without complaint, and the same bits come from 1, 2 and 8 threads, again and again") {
    const auto opened = pipeline::open(demoScene());
    REQUIRE(opened.ok());
    CHECK(opened.value().warnings.empty());
    const scene::Scene s = otterScene();
    std::vector<pipeline::TrackPtr> runs;
    for (std::size_t threads : {1u, 2u, 8u, 1u}) {
        const tbb::global_control limit(tbb::global_control::max_allowed_parallelism, threads);
        runs.push_back(test::evaluate(s).actors[0].result);
    }
    for (const auto& r : runs) CHECK(sameBits(*r, *runs[0]));
}

TEST_CASE("the otter is the otter that was promised") {
    const auto otter = otterScene().actors[0].actor;
    std::size_t triangles = 0;
    for (const rig::Mesh& m : otter->meshes)
        for (const rig::Primitive& p : m.primitives) triangles += p.triangles.size() / 3;
    CHECK(triangles >= 12000);
    CHECK(otter->skeleton.size() >= 90);
    CHECK(otter->skeleton.path(otter->skeleton.find("tail_01"), otter->skeleton.find("tail_10")).size() == 10);
    CHECK(otter->skeleton.path(otter->skeleton.find("scarf_L_01"), otter->skeleton.find("scarf_L_08")).size() == 8);
    for (const char* clip : {"Walk", "Idle"}) {
        const int c = otter->findClip(clip);
        REQUIRE(c >= 0);
        CHECK(rig::bodyTrack(*otter, c, rig::FrameGrid::covering(otter->clips[static_cast<std::size_t>(c)], 24)).closes(*otter));
    }
    // A planted foot stays where it is put: through the idle no ankle slides by a millimetre.
    const int idle = otter->findClip("Idle");
    const rig::Track t = rig::bodyTrack(*otter, idle, rig::FrameGrid::covering(otter->clips[static_cast<std::size_t>(idle)], 24));
    for (const char* foot : {"foot_L", "foot_R"}) {
        const auto p = test::worldPlaces(*otter, t, otter->skeleton.find(foot));
        for (const Vec3& at : p) CHECK((at - p[0]).norm() < 1e-3);
    }
}

TEST_CASE("a changed layer re-runs itself and what is above it, and nothing is run twice") {
    scene::Scene s = test::sceneWith(test::chainActor(bowing()));
    test::addLayer(s, "jiggle", {"bone_1"});
    test::addLayer(s, "strand", {"bone_2"});
    test::addLayer(s, "strand", {"bone_4"});
    pipeline::Evaluator e;
    CHECK(e.evaluate(s, {}).simulated == 3);
    CHECK(e.evaluate(s, {}).simulated == 0);
    const scene::Scene before = s;
    s.layers.edit(1).values["swing"] = 3.0;
    CHECK(e.evaluate(s, {}).simulated == 2);
    CHECK(e.evaluate(before, {}).simulated == 0);  // undo costs nothing
    s.layers.edit(2).muted = true;
    CHECK(e.evaluate(s, {}).simulated == 0);
    s.layers.edit(1).values["mix"] = 0.5;
    CHECK(e.evaluate(s, {}).simulated == 0);  // mix blends what is known
    s.layers.edit(0).name = "renamed";
    CHECK(e.evaluate(s, {}).simulated == 0);
    // Five results and a body; each holds the columns that it moved, and no more.
    const std::size_t column = 48 * sizeof(Xform);
    CHECK(e.cachedBytes() > 5 * column);
    CHECK(e.cachedBytes() < 30 * column);
    // A collider is read by the layers that meet bodies: moving it runs those again; one that is switched off does not.
    s.colliders.push_back(scene::newCollider(s, s.actors[0], 0, scene::Shape::Sphere));
    CHECK(e.evaluate(s, {}).simulated == 1);
    s.colliders.edit(0).on = false;
    CHECK(e.evaluate(s, {}).simulated == 0);
}

TEST_CASE("mix, mute and solo do what they say") {
    scene::Scene s = test::sceneWith(test::chainActor(bowing()));
    test::addLayer(s, "strand", {"bone_2"});
    const int j = s.actors[0].actor->skeleton.find("bone_2");
    const auto at = [&](int f) { return test::evaluate(s).actors[0].result->at(j, f).r; };
    const Quat whole = at(20), body = test::evaluate(s).actors[0].body->at(j, 20).r;
    s.layers.edit(0).values["mix"] = 0.25;
    CHECK(at(20).angularDistance(body) == Approx(0.25 * whole.angularDistance(body)).epsilon(1e-6));
    s.layers.edit(0).values["mix"] = 1.0;
    s.layers.edit(0).muted = true;
    CHECK(at(20).angularDistance(body) == 0);
    test::addLayer(s, "jiggle", {"bone_3"});
    s.layers.edit(0).muted = false;
    s.layers.edit(1).solo = true;
    CHECK(at(20).angularDistance(body) == 0);
}

TEST_CASE("the source animation is never altered") {
    scene::Scene s = otterScene();
    const Key before = s.actors[0].actor->content;
    const pipeline::Evaluation e = test::evaluate(s);
    CHECK(s.actors[0].actor->content == before);
    const rig::Track& body = *e.actors[0].body;
    const rig::Track& out = *e.actors[0].result;
    const rig::Skeleton& k = s.actors[0].actor->skeleton;
    for (int j = 0; j < body.joints(); ++j) {
        const std::string& name = k.joint(j).name;
        const bool layered = name.rfind("tail", 0) == 0 || name.rfind("scarf_L_", 0) == 0 || name.rfind("scarf_R_", 0) == 0 ||
                             name == "ear_L" || name == "ear_R";
        INFO(name);
        CHECK((body.column(j) == out.column(j)) == !layered);
    }
}

TEST_CASE("an evaluation that is not wanted any more stops") {
    scene::Scene s = otterScene();
    Cancel cancel;
    cancel.ask();
    pipeline::Evaluator e;
    CHECK_THROWS_AS(e.evaluate(s, cancel), Cancelled);
    CHECK_NOTHROW(e.evaluate(s, {}));
}

TEST_CASE("progress runs from nothing to one") {
    pipeline::Evaluator e;
    std::vector<double> heard;
    e.evaluate(otterScene(), {}, [&](double p) { heard.push_back(p); });
    REQUIRE(heard.size() >= 3);
    CHECK(std::is_sorted(heard.begin(), heard.end()));
    CHECK(heard.back() <= 1.0);
    CHECK(heard.front() > 0);
}

TEST_CASE("traces show the body and what the layer adds, along one line") {
    scene::Scene s = test::sceneWith(test::chainActor(bowing()));
    test::addLayer(s, "strand", {"bone_1"});
    const pipeline::Evaluation e = test::evaluate(s);
    const measure::Trace t = measure::trace(*s.actors[0].actor, *e.actors[0].below(0), *e.actors[0].below(1));
    REQUIRE(t.body.size() == 48);
    REQUIRE(t.added.size() == 48);
    CHECK(t.joint == s.actors[0].actor->skeleton.find("end"));
    double mean = 0, most = 0;
    for (float v : t.body) mean += static_cast<double>(v) / 48;
    for (float v : t.added) most = std::max(most, std::abs(static_cast<double>(v)));
    CHECK(std::abs(mean) < 1e-5);
    CHECK(most > 0.05);
    const measure::Trace nothing = measure::trace(*s.actors[0].actor, *e.actors[0].body, *e.actors[0].body);
    CHECK(nothing.joint == -1);
    CHECK(nothing.body.empty());
}

TEST_CASE("a scene survives saving and opening, with what it does not know and wherever it lies") {
    TempFolder f;
    fs::create_directories(f / "a/b");
    fs::copy(fs::path(test::sourceFolder()) / "demo/assets", f / "a/assets");
    Json j = Json::parse(test::textOf(demoScene()));
    j["future"] = {{"x", 1}};
    j["layers"][0]["mood"] = "red";
    j["layers"][0]["settings"]["newer_setting"] = 5;
    j["actors"][0]["pose"] = nullptr;
    j["colliders"][0]["friction"] = 0.4;
    test::put(f / "a/scene.nutatio", j.dump());
    const auto opened = pipeline::open(f / "a/scene.nutatio");
    REQUIRE(opened.ok());
    REQUIRE(files::writeScene(opened.value().scene, f / "a/b/moved.nutatio").ok());
    const Json k = Json::parse(test::textOf(f / "a/b/moved.nutatio"));
    CHECK(k["future"] == j["future"]);
    CHECK(k["layers"][0]["mood"] == "red");
    CHECK(k["layers"][0]["settings"]["newer_setting"] == 5);
    CHECK(k["actors"][0].contains("pose"));
    CHECK(k["colliders"][0]["settings"]["friction"] == 0.4);
    CHECK(k["actors"][0]["file"] == "../assets/otter.glb");
    const auto again = pipeline::open(f / "a/b/moved.nutatio");
    REQUIRE(again.ok());
    CHECK(
        sameBits(*test::evaluate(again.value().scene).actors[0].result, *test::evaluate(opened.value().scene).actors[0].result));
    // Written twice, the same text: order is stable.
    const std::string text = test::textOf(f / "a/b/moved.nutatio");
    REQUIRE(files::writeScene(again.value().scene, f / "a/b/moved.nutatio").ok());
    CHECK(test::textOf(f / "a/b/moved.nutatio") == text);
}

TEST_CASE("a scene that is wrong is refused in one sentence, or mended with one") {
    TempFolder f;
    fs::copy(fs::path(test::sourceFolder()) / "demo/assets", f / "assets");
    const Json good = Json::parse(test::textOf(demoScene()));
    const auto with = [&](auto how) {
        Json j = good;
        how(j);
        test::put(f / "s.nutatio", j.dump());
        return pipeline::open(f / "s.nutatio");
    };
    const auto refused = [&](auto how, const std::string& place, const std::string& words) {
        const auto r = with(how);
        INFO(place << " " << words);
        REQUIRE_FALSE(r.ok());
        CHECK_THAT(r.error().text(), Catch::Contains("s.nutatio") && Catch::Contains(place) && Catch::Contains(words));
    };
    refused([](Json& j) { j["format"] = "other"; }, "", "not a Nutatio scene");
    refused([](Json& j) { j["version"] = 99; }, "version", "newer");
    refused([](Json& j) { j["fps"] = 0; }, "fps", "between");
    refused([](Json& j) { j["layers"] = 3; }, "layers", "list");
    refused([](Json& j) { j["layers"][1]["id"] = "tail"; }, "layers[1].id", "twice");
    refused([](Json& j) { j["colliders"][0]["radius"] = -1; }, "colliders[0]", "below 0");
    refused([](Json& j) { j["actors"][0]["clip"] = "Fly"; }, "actors[0].clip", "Fly");

    const auto mended = [&](auto how, const std::string& words) {
        const auto r = with(how);
        INFO(words);
        REQUIRE(r.ok());
        REQUIRE(r.value().warnings.size() == 1);
        CHECK_THAT(r.value().warnings[0], Catch::Contains(words));
        return r.value().scene;
    };
    CHECK(
        mended([](Json& j) { j["layers"][0]["settings"]["swing"] = 900; }, "900 is outside 0 to 60").layers[0].number("swing") ==
        60);
    CHECK(mended([](Json& j) { j["layers"][0]["settings"]["swing"] = "fast"; }, "wrong type").layers[0].number("swing") == 2);
    CHECK(mended([](Json& j) { j["layers"][0]["settings"]["root"] = {"gone"}; }, "gone").layers.size() == 3);
    CHECK(mended([](Json& j) { j["layers"][0]["kind"] = "cloth"; }, "no layer kind").layers[0].kind == "cloth");
    CHECK(mended([](Json& j) { j["colliders"][0]["joint"] = "gone"; }, "collider").colliders.size() == 3);
}

TEST_CASE("saving where nothing can be written says so and leaves the old file alone") {
    scene::Scene s = test::sceneWith(test::chainActor(bowing()));
    CHECK_THAT(files::writeScene(s, "/proc/nutatio.nutatio").error().text(), Catch::Contains("/proc/nutatio.nutatio"));
    TempFolder f;
    test::put(f / "s.nutatio", "old");
    fs::create_directories(f / "s.nutatio.d");
    CHECK_FALSE(files::writeScene(s, f / "s.nutatio.d").ok());
    CHECK(test::textOf(f / "s.nutatio") == "old");
}

TEST_CASE("several actors play one shot on one grid, the very one that is baked") {
    scene::Scene s = test::sceneWith(test::chainActor(bowing()));
    test::ChainSpec slow = bowing();
    slow.frames = 100;
    files::addActor(s, test::chainActor(slow));
    CHECK(s.actors[0].id != s.actors[1].id);
    // A shot is as long as its lead's clip; the other actor is cut short, or holds its end.
    for (const auto& [lead, frames] : {std::pair{0, 48}, {1, 100}}) {
        s.shown = s.shots[static_cast<std::size_t>(lead)].id;
        REQUIRE(s.shot().lead == s.actors[static_cast<std::size_t>(lead)].id);
        const pipeline::Evaluation e = test::evaluate(s);
        CHECK(e.actors[0].body->frames() == frames);
        CHECK(e.actors[1].body->frames() == frames);
    }
    const rig::Track held = *test::evaluate(s).actors[0].body;
    int nods = 0;
    while (held.holdsStill(nods)) ++nods;
    CHECK(held.at(nods, 47).r.angularDistance(held.at(nods, 99).r) < 1e-5);
    CHECK(held.at(nods, 20).r.angularDistance(held.at(nods, 99).r) > 0.1);
    test::play(s, "");
    test::play(s, "", 1);
    CHECK(s.frames(s.shot()) == static_cast<int>(scene::kStillSeconds * 24) + 1);
}
