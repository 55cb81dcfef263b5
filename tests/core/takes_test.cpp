// Takes: what is kept, what comes back, and how scenes differ in words.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "edit/edit.h"
#include "edit/keys.h"
#include "edit/operations.h"
#include "edit/takes.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "pipeline/open.h"
#include "scene/change.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using test::TempFolder;

namespace {

const scene::Owner kTail{scene::List::Layers, "tail"};

/// The otter with a strand on its tail, called "tail".
scene::Scene tailed() {
    scene::Scene s = test::otterScene();
    const std::string id = edit::addLayer(s, "strand", s.actors[0].id, {"tail_01"});
    s.layer(id)->id = "tail";
    s.layer("tail")->name = "tail";
    s.layer("tail")->set("swing", 2.0);
    return s;
}

bool has(const std::vector<std::string>& all, const std::string& phrase) {
    return std::find(all.begin(), all.end(), phrase) != all.end();
}

}  // namespace

TEST_CASE("a take says what was otherwise, and nothing else") {
    scene::Scene s = tailed();
    const std::string take = edit::keepTake(s);
    CHECK(s.take(take)->name == "Take 1");
    CHECK(edit::differences(s, *s.take(take)->scene).empty());
    edit::set(s, kTail, "swing", 3.1, 0);
    CHECK(edit::differences(*s.take(take)->scene, s) == std::vector<std::string>{"tail: swing rate 2 \u2192 3.1 /s"});
    CHECK(edit::differences(s, *s.take(take)->scene) == std::vector<std::string>{"tail: swing rate 3.1 \u2192 2 /s"});

    edit::toggleKey(s, kTail, "gravity", 4);
    s.layer("tail")->muted = true;
    const std::string wind = edit::addWind(s, s.actors[0].id);
    edit::markCut(s, 3);
    const auto all = edit::differences(*s.take(take)->scene, s);
    CHECK(has(all, "tail: muted"));
    CHECK(has(all, "tail: gravity keyed"));
    CHECK(has(all, s.wind(wind)->name + " added"));
    CHECK(has(all, "shot " + s.shot().name + ": 0 \u2192 1 cuts"));
    CHECK(all.size() == 5);
    CHECK(edit::differences(*s.take(take)->scene, s, 2).back() == "and 3 more");
}

TEST_CASE("adopting a take brings its layers and their keys and leaves the rest, restoring it brings everything") {
    scene::Scene s = tailed();
    test::keyed(s, kTail, "gravity", {{0, 0.5}, {10, 1.0}});
    const std::string take = edit::keepTake(s, "wet");
    edit::set(s, kTail, "swing", 5.0, 0);
    s.editShot().keys.clear();
    edit::markCut(s, 6);
    edit::addWind(s, s.actors[0].id);
    const std::string other = edit::keepTake(s, "dry");

    scene::Scene adopted = s;
    REQUIRE(edit::adoptTake(adopted, take).ok());
    CHECK(adopted.layer("tail")->number("swing") == 2);
    CHECK(adopted.winds.empty());
    CHECK(adopted.shot().keysOf(kTail, "gravity")->size() == 2);
    CHECK(adopted.shot().cuts.size() == 1);
    CHECK(adopted.takes.size() == 2);

    scene::Scene restored = s;
    REQUIRE(edit::restoreTake(restored, take).ok());
    CHECK(restored.shot().cuts.empty());
    CHECK(restored.takes.size() == 2);
    CHECK(edit::differences(restored, *restored.take(take)->scene).empty());
    // And back again: nothing was lost on the way.
    REQUIRE(edit::restoreTake(restored, other).ok());
    CHECK(edit::differences(restored, s).empty());
    CHECK_FALSE(edit::adoptTake(s, "no such").ok());
}

TEST_CASE("takes are saved with the scene, share with it what is the same, and come back with the same motion") {
    TempFolder folder;
    scene::Scene s = tailed();
    for (int n = 0; n < 40; ++n) edit::duplicate(s, kTail);
    const auto picture = std::make_shared<const std::vector<std::uint8_t>>(std::vector<std::uint8_t>{1, 2, 3, 250});
    const std::string take = edit::keepTake(s, "slow", 7, picture);
    REQUIRE(edit::noteTake(s, take, "as the lead likes it").ok());
    edit::set(s, kTail, "swing", 4.0, 0);
    REQUIRE(files::writeScene(s, folder / "with.nutatio").ok());
    scene::Scene without = s;
    without.takes = {};
    REQUIRE(files::writeScene(without, folder / "without.nutatio").ok());
    // One layer of forty-one is another: the take costs little more than that and the ids of the rest.
    CHECK(test::textOf(folder / "with.nutatio").size() < 1.15 * test::textOf(folder / "without.nutatio").size());

    const auto back = pipeline::open((folder / "with.nutatio").string());
    REQUIRE(back.ok());
    const scene::Scene& b = back.value().scene;
    REQUIRE(b.takes.size() == 1);
    CHECK(b.takes[0].name == "slow");
    CHECK(b.takes[0].note == "as the lead likes it");
    CHECK(b.takes[0].frame == 7);
    CHECK(*b.takes[0].picture == *picture);
    CHECK(edit::differences(b, *b.takes[0].scene) == std::vector<std::string>{"tail: swing rate 4 \u2192 2 /s"});
    CHECK(b.actors.pointer(0) == b.takes[0].scene->actors.pointer(0));
    CHECK(b.layers.pointer(3) == b.takes[0].scene->layers.pointer(3));
    CHECK(
        test::sameBits(*test::evaluate(*b.takes[0].scene).actors[0].result, *test::evaluate(*s.takes[0].scene).actors[0].result));
    // Saved once more, it is the same file.
    REQUIRE(files::writeScene(b, folder / "again.nutatio").ok());
    CHECK(test::textOf(folder / "again.nutatio") == test::textOf(folder / "with.nutatio"));
}

TEST_CASE("a take that cannot be read is said, waits in the file, and costs no more than itself") {
    TempFolder folder;
    scene::Scene s = tailed();
    edit::keepTake(s, "good");
    edit::keepTake(s, "bad");
    REQUIRE(files::writeScene(s, folder / "s.nutatio").ok());
    auto json = nlohmann::ordered_json::parse(test::textOf(folder / "s.nutatio"));
    json["takes"][1]["scene"]["layers"] = {"nobody"};
    test::put(folder / "s.nutatio", json.dump());
    const auto back = pipeline::open((folder / "s.nutatio").string());
    REQUIRE(back.ok());
    CHECK(back.value().scene.takes.size() == 1);
    REQUIRE_FALSE(back.value().warnings.empty());
    CHECK(back.value().warnings[0].find("\"nobody\"") != std::string::npos);
    REQUIRE(files::writeScene(back.value().scene, folder / "again.nutatio").ok());
    const auto again = nlohmann::ordered_json::parse(test::textOf(folder / "again.nutatio"));
    REQUIRE(again["takes"].size() == 2);
    CHECK(again["takes"][1]["name"] == "bad");
    // What it shared with the scene is written out, as the scene may change.
    CHECK(again["takes"][1]["scene"]["actors"][0].is_object());
}

TEST_CASE("keeping a take moves nothing, and takes are named and let go by operations") {
    scene::Scene s = tailed();
    pipeline::Evaluator evaluator;
    evaluator.evaluate(s, {});
    const scene::Scene before = s;
    edit::keepTake(s);
    CHECK_FALSE(scene::changeBetween(before, s).moves());
    CHECK(scene::changeBetween(before, s).takes);
    CHECK(evaluator.evaluate(s, {}).simulated == 0);
    for (const char* text : {"keep-take:name=second", "rename-take:take=second,name=better", "note-take:take=better,note=warm",
                             "set:thing=layers:tail,setting=swing,value=7", "adopt-take:take=better"})
        REQUIRE(edit::carryOut(s, text).ok());
    CHECK(s.layer("tail")->number("swing") == 2);
    CHECK(s.takes[1].note == "warm");
    REQUIRE(edit::carryOut(s, "remove-take:take=better").ok());
    CHECK(s.takes.size() == 1);
    CHECK_FALSE(edit::carryOut(s, "adopt-take:take=better").ok());
}

TEST_CASE("evaluators that share what they know run side by side and make the same bits") {
    const scene::Scene s = tailed();
    pipeline::Evaluator first;
    const pipeline::Evaluation e = first.evaluate(s, {});
    pipeline::Evaluator beside(first);
    const pipeline::Evaluation same = beside.evaluate(s, {});
    CHECK(same.simulated == 0);
    CHECK(same.actors[0].result->column(s.actors[0].actor->skeleton.find("tail_02")) ==
          e.actors[0].result->column(s.actors[0].actor->skeleton.find("tail_02")));
}
