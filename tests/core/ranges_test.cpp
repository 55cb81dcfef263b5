// What an edit accepts opens again; what lies beyond a range is refused where it enters, in one sentence.
#include <catch2/catch.hpp>
#include <limits>
#include <nlohmann/json.hpp>

#include "base/ranges.h"
#include "edit/edit.h"
#include "edit/motions.h"
#include "edit/operations.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "rig/mapping.h"
#include "rig/trial.h"
#include "scene/change.h"
#include "scene/ranges.h"
#include "tests/support/rigs.h"
#include "tests/support/zoo.h"

using namespace nutatio;
using test::kOtterFile;
using test::TempFolder;

namespace {

/// An otter with a strand, "tail", and a gauge, "speed".
scene::Scene tailAndGauge() {
    static const scene::Scene kMade = [] {
        scene::Scene s = test::otterScene();
        REQUIRE(edit::carryOut(s, "add-layer:kind=strand,joints=tail_01,id=tail").ok());
        REQUIRE(edit::carryOut(s, "add-gauge:joint=tail_01,id=speed").ok());
        return s;
    }();
    return kMade;
}

void opensAgain(const scene::Scene& s, const std::string& after) {
    INFO(after);
    TempFolder f;
    const auto written = files::writeScene(s, f / "s.nutatio");
    INFO((written ? std::string() : written.error().text()));
    REQUIRE(written.ok());
    REQUIRE(pipeline::open(f / "s.nutatio").ok());
}

}  // namespace

TEST_CASE("an edit at any extreme is either refused and changes nothing, or opens again") {
    const std::vector<std::string> numbers = {"0",      "1",          "9999999", "3000000",     "86400001", "2147483647",
                                              "-5",     "2147483648", "1e12",    "1e300",       "-1e300",   "4294967296",
                                              "1e-300", "0.5",        "nan",     "-2147483649", "100000"};
    const std::vector<std::string> operations = {
        "key:thing=tail,setting=swing,value=2,frame=@",
        "mark:name=x,frame=@",
        "interval:layer=tail,from=1,to=@",
        "interval:layer=tail,from=2,to=20,in=@",
        "hold-over:thing=tail,setting=swing,value=2,from=1,to=@",
        "feed:thing=tail,setting=swing,gauge=speed,response=0>1+9>2,lag=@",
        "feed:thing=tail,setting=swing,gauge=speed,response=0>1+9>2,attack=@",
        "hold-pose:frame=3,frames=@",
        "hold-pose:frame=@,frames=3",
        "repeat:from=1,to=4,times=@",
        "pose-first:clip=Idle,hold=@",
        "pose-first:clip=Idle,hold=1,ease=@",
        "add-end:joint=tail_10,name=beyond,x=0,y=0,z=@",
        "add-helper:joint=belly,name=more,x=0,y=@,z=0",
        "move-pivot:joint=tail_03,to=0 0 @",
        "add-chain:joint=hips,name=row,through=0 0 0+0 0 @+0 1 1",
        "cut:frame=@",
        "rate:fps=@",
        "set:thing=tail,setting=swing,value=@",
        "move-layer:layer=tail,by=@",
        "seal:layer=tail,from=1,to=@",
    };
    int taken = 0, refused = 0;
    // Under sanitizers every eighth number, another one for each operation.
    const std::size_t step = test::draws(8) < 8 ? 8 : 1;
    for (std::size_t which = 0; which < operations.size(); ++which)
        for (std::size_t k = which % step; k < numbers.size(); k += step) {
            const std::string &o = operations[which], &n = numbers[k];
            std::string text = o;
            text.replace(text.find('@'), 1, n);
            scene::Scene s = tailAndGauge();
            const scene::Scene before = s;
            if (const auto done = edit::carryOut(s, text); !done) {
                ++refused;
                CHECK_FALSE(scene::changeBetween(before, s).moves());
                CHECK(done.error().sentence.size() > 10);
                continue;
            }
            ++taken;
            opensAgain(s, text);
        }
    CHECK(taken > 40 / static_cast<int>(step));
    CHECK(refused > 100 / static_cast<int>(step));
}

TEST_CASE("a whole number is a number within its range and nothing else") {
    CHECK(whole(3, 1, 5) == 3);
    CHECK(whole(2147483647.0, 0, std::numeric_limits<int>::max()) == 2147483647);
    for (const double v : {0.0, 6.0, 2.5, 2147483648.0, 1e300, -1e300, std::nan(""), std::numeric_limits<double>::infinity()})
        CHECK_FALSE(whole(v, 1, 5).has_value());
}

TEST_CASE("what would not open again is not written, says which value it is, and leaves the file as it was") {
    TempFolder f;
    scene::Scene s = tailAndGauge();
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    const std::string good = test::textOf(f / "s.nutatio");
    s.editShot().marks.push_back({2 * kLongest, "beyond"});
    const auto written = files::writeScene(s, f / "s.nutatio");
    REQUIRE_FALSE(written.ok());
    CHECK_THAT(written.error().place, Catch::Contains("shots[0].marks[0].at"));
    CHECK_THAT(written.error().sentence, Catch::Contains("not written"));
    CHECK(test::textOf(f / "s.nutatio") == good);
    CHECK_THAT(*scene::outOfRange({}, s), Catch::Contains("mark"));
}

TEST_CASE("scenes that older versions wrote with values beyond a range open, say which, and are sound when saved again") {
    TempFolder f;
    scene::Scene s = tailAndGauge();
    REQUIRE(edit::carryOut(s, "key:thing=tail,setting=swing,value=2,frame=5").ok());
    REQUIRE(edit::carryOut(s, "key:thing=tail,setting=swing,value=3,frame=9").ok());
    REQUIRE(edit::carryOut(s, "mark:name=late,frame=3").ok());
    REQUIRE(edit::carryOut(s, "add-end:joint=tail_10,name=beyond,x=0,y=0,z=0.25").ok());
    REQUIRE(edit::carryOut(s, "hold-pose:frame=3,frames=7").ok());
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    files::Json j = files::Json::parse(test::textOf(f / "s.nutatio"));
    j["actors"][0]["file"] = kOtterFile;
    files::Json& shot = j["shots"][0];
    for (files::Json& key : shot["keys"]["layers"]["tail"]["swing"]) key[0] = key[0].get<double>() + 416666;
    shot["marks"][0]["at"] = 125000.0;
    for (files::Json& stretch : shot["lines"].begin().value()["stretches"])
        if (stretch.contains("hold")) stretch["hold"] = 90000.0;
    j["actors"][0]["prepared"][0]["place"] = {1e12, 0, 0};
    test::put(f / "old.nutatio", j.dump());
    const auto opened = pipeline::open(f / "old.nutatio");
    INFO((opened ? "" : opened.error().text()));
    REQUIRE(opened.ok());
    std::string all;
    for (const std::string& w : opened.value().warnings) all += w + "\n";
    for (const char* place : {"keys.layers.tail.swing", "marks[0].at", "hold", "place"}) CHECK_THAT(all, Catch::Contains(place));
    REQUIRE(files::writeScene(opened.value().scene, f / "new.nutatio").ok());
    const auto again = pipeline::open(f / "new.nutatio");
    REQUIRE(again.ok());
    for (const std::string& w : again.value().warnings) CHECK_THAT(w, !Catch::Contains("nearest is used"));
}

TEST_CASE("keys and cuts that version 1 had before its first frame, or days after, are taken to the shot's edges") {
    TempFolder f;
    test::put(f / "old.nutatio", R"({"format": "nutatio-scene", "version": 1, "fps": 2, "actors": [{"id": "o", "file": ")" +
                                     std::string(kOtterFile) +
                                     R"("}], "cuts": [-4, 6, 900000], "layers": [{"id": "t", "kind": "strand", "actor": "o",
        "settings": {"root": ["tail_01"]}, "keys": {"gravity": [[-7, 9], [0, 0.5], [6, 2], [900000, 3], [900001, 4]],
        "swing": [[-3, 1], [1, 2]]}}]})");
    const auto opened = pipeline::open(f / "old.nutatio");
    INFO((opened ? "" : opened.error().text()));
    REQUIRE(opened.ok());
    const scene::Shot& shot = opened.value().scene.shot();
    const auto keysOf = [&](const char* setting) {
        std::vector<std::pair<double, double>> out;
        for (const scene::KeyAt& k : *shot.keysOf({scene::List::Layers, "t"}, setting)) out.emplace_back(k.at, k.value);
        return out;
    };
    CHECK(keysOf("gravity") == std::vector<std::pair<double, double>>{{0, 0.5}, {2.5, 2}, {kLongest, 3}});
    CHECK(keysOf("swing") == std::vector<std::pair<double, double>>{{0, 2}});
    CHECK(shot.cuts == std::vector<double>{0, 2.5, kLongest});
    std::string all;
    for (const std::string& w : opened.value().warnings) all += w + "\n";
    for (const char* place : {"layers[0].keys.gravity[1]", "layers[0].keys.swing[0]", "cuts[0]"})
        CHECK_THAT(all, Catch::Contains(place));
    REQUIRE(files::writeScene(opened.value().scene, f / "new.nutatio").ok());
    CHECK(pipeline::open(f / "new.nutatio").ok());
}

TEST_CASE("a motion that would make the scene far larger than its own file is refused and changes nothing") {
    // Few frames, an hour apart: at the rate of the clip that is made of them they are hundreds of thousands.
    TempFolder f;
    std::string text = test::textOf(test::sourceFolder() + "/tests/fuzz/tiny.bvh");
    text = text.substr(0, text.find("MOTION")) + "MOTION\nFrames: 400\nFrame Time: 200\n";
    const auto channels = [&] {
        int n = 0;
        for (std::size_t at = text.find("CHANNELS"); at != std::string::npos; at = text.find("CHANNELS", at + 1))
            n += std::stoi(text.substr(at + 9));
        return n;
    }();
    for (int frame = 0; frame < 400; ++frame) {
        for (int c = 0; c < channels; ++c) text += std::to_string((frame * 7 + c) % 20) + " ";
        text += "\n";
    }
    test::put(f / "slow.bvh", text);
    const auto source = test::read(f / "slow.bvh");
    scene::Scene s = test::otterScene();
    const scene::Scene before = s;
    rig::MotionMap map = rig::suggestMapping(*source, *s.actors[0].actor);
    for (const char* joint : {"hips", "tail_01", "tail_02", "head"})
        map.joints.push_back({"", 0, s.actors[0].actor->skeleton.find(joint), rig::MappedJoint::By::Hand, false});
    const auto made = edit::bringMotion(s, s.actors[0].id, *source, 0, map);
    if (made) opensAgain(s, "bring-motion");
    REQUIRE_FALSE(made.ok());
    CHECK_FALSE(scene::changeBetween(before, s).moves());
}

TEST_CASE("an operation that makes a thing takes its id and tells what it made") {
    scene::Scene s = test::otterScene();
    const auto made = edit::carryOut(s, "add-layer:kind=strand,joints=tail_01,id=rudder,name=long tail");
    REQUIRE(made.ok());
    REQUIRE(made.value().size() == 1);
    CHECK(made.value()[0].list == "layers");
    CHECK(made.value()[0].id == "rudder");
    CHECK(s.layers[0].id == "rudder");
    // A name serves where only one thing has it.
    CHECK(edit::carryOut(s, "set:thing=long tail,setting=swing,value=2.5").ok());
    CHECK(s.layers[0].number("swing") == 2.5);
    const auto twice = edit::carryOut(s, "add-wind:id=rudder");
    REQUIRE_FALSE(twice.ok());
    CHECK_THAT(twice.error().sentence, Catch::Contains("taken"));
    CHECK_FALSE(edit::carryOut(s, "set:thing=rudder,setting=swing,value=2,id=other").ok());
    CHECK_FALSE(edit::carryOut(s, "add-wind:id=no spaces").ok());
    // What is nearly called so is named.
    const auto near = edit::carryOut(s, "set:thing=ruder,setting=swing,value=2");
    REQUIRE_FALSE(near.ok());
    CHECK_THAT(near.error().sentence, Catch::Contains("is it rudder"));
    REQUIRE(edit::carryOut(s, "add-layer:kind=jiggle,joints=belly,name=long tail").ok());
    const auto shared = edit::carryOut(s, "set:thing=long tail,setting=mix,value=0.5");
    REQUIRE_FALSE(shared.ok());
    CHECK_THAT(shared.error().sentence, Catch::Contains("more than one") && Catch::Contains("rudder"));
}

TEST_CASE("a clip that was made here can go, one of a file stays and says so") {
    scene::Scene s = test::otterScene();
    const std::string id = s.actors[0].id;
    const std::size_t shots = s.shots.size(), clips = s.actors[0].actor->clips.size();
    const auto made = edit::poseFirst(s, id, s.actors[0].actor->clips[0].name, 6, 6);
    REQUIRE(made.ok());
    CHECK(s.shots.size() == shots + 1);
    const auto stays = edit::removeClip(s, id, s.actors[0].actor->clips[0].name);
    REQUIRE_FALSE(stays.ok());
    CHECK_THAT(stays.error().sentence, Catch::Contains("belongs to the file"));
    REQUIRE(edit::removeClip(s, id, made.value()).ok());
    CHECK(s.shots.size() == shots);
    CHECK(s.actors[0].actor->clips.size() == clips);
    CHECK(s.findShot(s.shown));
    opensAgain(s, "remove-clip");
}

TEST_CASE("a shot whose last frame lies a part of a frame beyond its clip plays again, all of it and any range") {
    test::ChainSpec spec = test::nodding(60);
    spec.fps = 25;
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::play(s, "Move");
    test::setRate(s, 24);
    const int frames = s.frames(s.shot());
    const double seconds = s.actors[0].actor->clips[0].seconds();
    REQUIRE((frames - 1) / 24.0 > seconds + 1e-6);
    for (const auto& [from, to] : {std::pair{1, frames}, {1, 23}, {2, 20}, {10, 22}}) {
        scene::Scene again = s;
        const std::string text = "repeat:from=" + std::to_string(from) + ",to=" + std::to_string(to);
        const auto done = edit::carryOut(again, text);
        INFO(text << (done ? "" : done.error().sentence));
        REQUIRE(done.ok());
        CHECK(again.frames(again.shot()) > frames + (to - from) - 2);
    }
}

TEST_CASE("a body whose legs are roots is carried by all its roots, balanced as a whole, and tried without a spine") {
    for (unsigned number = 3; number < 3 + 4 * test::kBuilds; number += test::kBuilds) {
        TempFolder f;
        const std::string said = test::writeAnimal(f / "a.glb", number);
        INFO(said);
        const auto actor = test::read(f / "a.glb");
        for (const rig::TrialRole& role : rig::trialRoles(*actor)) {
            rig::Trial trial;
            trial.move = "shake";
            trial.role = std::string(role.id);
            std::vector<Xform> posed;
            rig::trialPose(*actor, trial, actor->restPose(), 0.2, 1.6, posed);
            for (const Xform& x : posed) CHECK(x.isFinite());
        }
        scene::Scene s = test::sceneWith(actor);
        test::addLayer(s, "balance", {});
        const pipeline::Evaluation e = test::evaluate(s);
        const pipeline::LayerResult& l = e.actors[0].layers[0];
        if (!l.problem.empty()) continue;  // no legs were told by that naming
        const rig::Track& track = *e.actors[0].result;
        for (int j = 0; j < track.joints(); ++j)
            for (int frame = 0; frame < track.frames(); ++frame) REQUIRE(track.at(j, frame).isFinite());
    }
}
