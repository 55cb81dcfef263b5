// Keys: how curves go on from them, and what is done with many at once.
#include <catch2/catch.hpp>
#include <cmath>

#include "edit/edit.h"
#include "edit/keys.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using scene::Ease;
using scene::KeyAt;

namespace {

/// A strand with three keys of its swing rate, at frames 0, 12 and 24.
struct Keyed {
    scene::Scene scene = test::sceneWith(test::chainActor(test::nodding(49)));
    scene::Owner owner;
    Keyed() {
        owner = {scene::List::Layers, test::addLayer(scene, "strand", {"bone_1"})};
        test::keyed(scene, owner, "swing", {{0, 1.0}, {12, 3.0}, {24, 2.0}});
    }
    edit::KeyOf key(int frame) const { return {owner, "swing", scene.shot().timeOf(frame)}; }
    std::vector<std::pair<int, double>> all() const {
        std::vector<std::pair<int, double>> out;
        if (const scene::Keys* keys = scene.shot().keysOf(owner, "swing"))
            for (const KeyAt& k : *keys) out.emplace_back(scene.shot().frameOf(k.at), k.value);
        return out;
    }
};
using Frames = std::vector<std::pair<int, double>>;

}  // namespace

TEST_CASE("a curve holds, goes straight, goes smoothly or by hand from a key, and meets every key") {
    scene::Keys keys{{.at = 0, .value = 1}, {.at = 1, .value = 3}, {.at = 2, .value = 2}};
    for (Ease ease : {Ease::Smooth, Ease::Linear, Ease::Hold, Ease::Free}) {
        for (KeyAt& k : keys) k.ease = ease;
        for (const KeyAt& k : keys) CHECK(scene::keyedAt(keys, k.at) == k.value);
        CHECK(scene::keyedAt(keys, -5) == 1);
        CHECK(scene::keyedAt(keys, 5) == 2);
    }
    for (KeyAt& k : keys) k.ease = Ease::Hold;
    CHECK(scene::keyedAt(keys, 0.999) == 1);
    for (KeyAt& k : keys) k.ease = Ease::Linear;
    CHECK(scene::keyedAt(keys, 0.25) == Approx(1.5));
    CHECK(scene::keyedAt(keys, 1.5) == Approx(2.5));
    for (KeyAt& k : keys) k.ease = Ease::Smooth;
    for (double t = 0; t <= 2; t += 0.05) {
        CHECK(scene::keyedAt(keys, t) >= 1);
        CHECK(scene::keyedAt(keys, t) <= 3);
    }
    keys[0].ease = Ease::Free;
    keys[0].after = 7;
    const double step = 1e-6;
    CHECK((scene::keyedAt(keys, step) - 1) / step == Approx(7).epsilon(1e-3));
    // Smooth into straight: it arrives with the straight one's own slope on that side.
    keys[0].ease = Ease::Smooth;
    keys[1].ease = Ease::Linear;
    CHECK((scene::keyedAt(keys, 1 + step) - 3) / step == Approx(-1).epsilon(1e-3));
    CHECK((3 - scene::keyedAt(keys, 1 - step)) / step == Approx(2).epsilon(1e-3));
}

TEST_CASE("slopes set by hand never take a setting beyond its range") {
    Keyed k;
    edit::slopeKey(k.scene, k.key(0), 0, -500);
    const auto e = test::evaluate(k.scene);
    const auto [low, high] = e.layer(k.owner.id)->settings->span("swing");
    CHECK(low >= 0);
    CHECK(high <= 60);
    CHECK(e.layer(k.owner.id)->problem.empty());
}

TEST_CASE("keys are moved in time and value, and one that lands on another takes its place") {
    Keyed k;
    auto now = edit::moveKeys(k.scene, {k.key(12), k.key(24)}, {.by = 2 / 24.0, .byValue = 0.5});
    CHECK(k.all() == Frames{{0, 1.0}, {14, 3.5}, {26, 2.5}});
    REQUIRE(now.size() == 2);
    CHECK(now[0].at == Approx(14 / 24.0));
    now = edit::moveKeys(k.scene, {k.key(14)}, {.by = 12 / 24.0});
    CHECK(k.all() == Frames{{0, 1.0}, {26, 3.5}});
    // None gets before the first frame, none beyond what the setting can be.
    edit::moveKeys(k.scene, {k.key(26)}, {.by = -9, .byValue = 1e9});
    CHECK(k.all() == Frames{{0, 60.0}});
}

TEST_CASE("keys are scaled about a moment and a value, half the time has twice the slope") {
    Keyed k;
    edit::slopeKey(k.scene, k.key(12), 4, 4);
    edit::moveKeys(k.scene, {k.key(0), k.key(12), k.key(24)}, {.about = 0, .times = 0.5, .aboutValue = 1, .timesValue = 2});
    CHECK(k.all() == Frames{{0, 1.0}, {6, 5.0}, {12, 3.0}});
    const scene::Keys& keys = *k.scene.shot().keysOf(k.owner, "swing");
    CHECK(keys[1].before == Approx(16));
    // About its middle by -1: back to front.
    edit::moveKeys(k.scene, {k.key(0), k.key(6), k.key(12)}, {.about = 6 / 24.0, .times = -1});
    CHECK(k.all() == Frames{{0, 3.0}, {6, 5.0}, {12, 1.0}});
}

TEST_CASE("keys are copied and put down elsewhere, over what is there") {
    Keyed k;
    edit::easeKeys(k.scene, {k.key(12)}, Ease::Hold);
    const edit::CopiedKeys copied = edit::copyKeys(k.scene, {k.key(12), k.key(24)});
    REQUIRE(copied.keys.size() == 2);
    const auto put = edit::pasteKeys(k.scene, copied, k.scene.shot().timeOf(24));
    REQUIRE(put.ok());
    CHECK(k.all() == Frames{{0, 1.0}, {12, 3.0}, {24, 3.0}, {36, 2.0}});
    CHECK(k.scene.shot().keysOf(k.owner, "swing")->at(2).ease == Ease::Hold);
    edit::remove(k.scene, k.owner);
    CHECK_FALSE(edit::pasteKeys(k.scene, copied, 0).ok());
}

TEST_CASE("the last key that goes leaves its value behind") {
    Keyed k;
    edit::removeKeys(k.scene, {k.key(0), k.key(12)});
    CHECK(k.all() == Frames{{24, 2.0}});
    edit::removeKeys(k.scene, {k.key(24)});
    CHECK(k.all().empty());
    CHECK(k.scene.shot().keys.empty());
    CHECK(k.scene.layers[0].number("swing") == 2.0);
}

TEST_CASE("a setting ends as it began in one action, and holds a value over chosen frames alone") {
    Keyed k;
    edit::closeKeys(k.scene, k.owner, "swing");
    const int last = k.scene.frames(k.scene.shot()) - 1;
    CHECK(k.scene.numberAt(k.owner, "swing", last) == k.scene.numberAt(k.owner, "swing", 0));
    CHECK(k.all().back() == std::pair<int, double>(last, 1.0));
    Keyed h;
    const double before = h.scene.numberAt(h.owner, "swing", 5), after = h.scene.numberAt(h.owner, "swing", 20);
    edit::holdOver(h.scene, h.owner, "swing", 8, 16, 7);
    for (int f = 8; f <= 16; ++f) CHECK(h.scene.numberAt(h.owner, "swing", f) == 7);
    CHECK(h.scene.numberAt(h.owner, "swing", 5) == Approx(before).margin(0.15));
    CHECK(h.scene.numberAt(h.owner, "swing", 20) == Approx(after).margin(0.15));
    // A setting without keys: its plain value outside.
    edit::holdOver(h.scene, h.owner, "bounces", 8, 16, 9);
    CHECK(h.scene.numberAt(h.owner, "bounces", 7) == h.scene.layers[0].number("bounces"));
    CHECK(h.scene.numberAt(h.owner, "bounces", 12) == 9);
    CHECK(h.scene.numberAt(h.owner, "bounces", 17) == h.scene.layers[0].number("bounces"));
}

TEST_CASE("keys hold in seconds whatever the rate, and so do intervals") {
    Keyed k;
    edit::addInterval(k.scene, k.owner.id, 6, 18, 0, 0);
    const double there = scene::keyedAt(*k.scene.shot().keysOf(k.owner, "swing"), 0.3);
    edit::setRate(k.scene, 60);
    CHECK(k.all() == Frames{{0, 1.0}, {30, 3.0}, {60, 2.0}});
    CHECK(k.scene.numberAt(k.owner, "swing", 18) == Approx(there));
    CHECK(k.scene.shot().windowOf(k.owner.id, 121)[15] == 1);
    CHECK(k.scene.shot().windowOf(k.owner.id, 121)[14] == 0);
}

TEST_CASE("a copy of a layer has its intervals, and a layer that goes takes them along") {
    Keyed k;
    edit::addInterval(k.scene, k.owner.id, 6, 18, 0, 0);
    const std::string copy = edit::duplicate(k.scene, k.owner);
    CHECK(k.scene.shot().intervals.at(copy) == k.scene.shot().intervals.at(k.owner.id));
    edit::remove(k.scene, k.owner);
    CHECK(k.scene.shot().intervals.count(k.owner.id) == 0);
    CHECK(k.scene.shot().intervals.count(copy) == 1);
}
