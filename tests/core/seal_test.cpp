// Sealed frames: kept as they are, and gone on from to the same bits.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "edit/operations.h"
#include "edit/seal.h"
#include "files/scene_file.h"
#include "scene/seal.h"
#include "tests/support/rigs.h"

using namespace nutatio;

namespace {

/// The otter in a clip, limp below, a strand on its tail, each with settings that show.
struct Sealable {
    scene::Scene scene = test::otterScene();
    std::string body, tail;

    Sealable() {
        test::play(scene, "Turn and stop");
        scene.editShot().loop = scene::Loop::Once;
        body = test::addLayer(scene, "ragdoll", {}, {{"swing", 4.0}, {"preroll", 0.0}});
        tail = test::addLayer(scene, "strand", {"tail_01"}, {{"preroll", 0.5}});
    }
};

/// How many of the frames from..to differ in a bit.
int differing(const rig::Track& a, const rig::Track& b, int from, int to) {
    int n = 0;
    for (int f = from; f <= to; ++f)
        for (int j = 0; j < a.joints(); ++j)
            if (!(a.at(j, f) == b.at(j, f))) {
                ++n;
                break;
            }
    return n;
}

rig::Track resultOf(const scene::Scene& s) {
    const pipeline::Evaluation e = test::evaluate(s);
    return *e.actors[0].result;
}

}  // namespace

TEST_CASE("a sealed stretch changes nothing, and what follows goes on from its end to the same bits") {
    Sealable x;
    const rig::Track before = resultOf(x.scene);
    for (const std::string& layer : {x.body, x.tail}) {
        INFO(layer);
        REQUIRE(edit::seal(x.scene, layer, 0, 20).ok());
        const rig::Track after = resultOf(x.scene);
        CHECK(test::sameBits(before, after));
    }
    // From a stretch that does not begin with the shot, too.
    Sealable y;
    REQUIRE(edit::seal(y.scene, y.body, 8, 15).ok());
    CHECK(test::sameBits(before, resultOf(y.scene)));
}

TEST_CASE("whatever is changed, sealed frames stay as they were, those after them follow without a jump") {
    Sealable x;
    x.scene.layers.edit(0).values["mix"] = 0.6;
    const rig::Track before = resultOf(x.scene);
    REQUIRE(edit::seal(x.scene, x.body, 0, 20).ok());
    scene::Scene changed = x.scene;
    changed.layers.edit(0).values["swing"] = 1.0;
    changed.layers.edit(0).values["mix"] = 1.0;
    const rig::Track after = resultOf(changed);
    const int last = before.frames() - 1;
    // The strand above it swings on a body that is the same.
    CHECK(differing(before, after, 0, 19) == 0);
    CHECK(differing(before, after, 22, last) > 0);
    // Breaking it says what will change, and does that.
    const auto what = edit::whatBreaking(changed, x.body);
    REQUIRE(what.ok());
    INFO(what.value());
    CHECK(what.value().find("Frames 1 to 21 will move by up to") == 0);
    REQUIRE(edit::breakSeal(changed, x.body).ok());
    CHECK(differing(before, resultOf(changed), 5, 20) > 0);
    CHECK_FALSE(edit::breakSeal(changed, x.body).ok());
    CHECK_FALSE(edit::whatBreaking(changed, x.body).ok());
}

TEST_CASE("a seal grows by what is simulated after it") {
    Sealable x;
    REQUIRE(edit::seal(x.scene, x.body, 0, 10).ok());
    const rig::Track before = resultOf(x.scene);
    x.scene.layers.edit(0).values["swing"] = 1.5;
    const rig::Track quicker = resultOf(x.scene);
    REQUIRE(edit::seal(x.scene, x.body, 0, 24).ok());
    CHECK(test::sameBits(quicker, resultOf(x.scene)));
    x.scene.layers.edit(0).values["swing"] = 9.0;
    const rig::Track now = resultOf(x.scene);
    CHECK(differing(before, now, 0, 9) == 0);
    CHECK(differing(quicker, now, 0, 23) == 0);
    CHECK(edit::seal(x.scene, x.body, 0, 20).error().sentence.find("are sealed already") != std::string::npos);
}

TEST_CASE("keys of sealed frames are locked, later ones and all else are not") {
    Sealable x;
    test::keyed(x.scene, test::layerAt(x.scene), "swing", {{0, 4}, {30, 6}});
    REQUIRE(edit::seal(x.scene, x.body, 0, 20).ok());
    const auto key = [&](const char* frame) {
        return edit::carryOut(x.scene, "key:thing=" + x.body + ",setting=swing,value=2,frame=" + frame);
    };
    const auto refused = key("12");
    REQUIRE_FALSE(refused.ok());
    CHECK(refused.error().sentence.find("frames 1 to 21 of") != std::string::npos);
    CHECK(refused.error().sentence.find("are sealed") != std::string::npos);
    CHECK(key("28").ok());
    CHECK(edit::carryOut(x.scene, "break-seal:layer=" + x.body).ok());
    CHECK(key("12").ok());
    // A layer that goes takes its seal along.
    REQUIRE(edit::carryOut(x.scene, "seal:to=21,layer=" + x.body).ok());
    edit::remove(x.scene, {scene::List::Layers, x.body});
    CHECK(x.scene.shot().seals.empty());
}

TEST_CASE("a seal is saved to the bit, one that does not fit is told and kept, a torn one is refused by its place") {
    Sealable x;
    REQUIRE(edit::seal(x.scene, x.body, 0, 20).ok());
    x.scene.layers.edit(0).values["swing"] = 1.0;
    const rig::Track before = resultOf(x.scene);
    test::TempFolder f;
    REQUIRE(files::writeScene(x.scene, f / "s.nutatio").ok());
    auto again = files::readScene(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(test::sameBits(before, resultOf(again.value())));
    // Another rate: simulated, and said; it holds again when the rate is back.
    const double fps = x.scene.shot().fps;
    test::setRate(x.scene, 2 * fps);
    const pipeline::Evaluation e = test::evaluate(x.scene);
    bool told = false;
    for (const std::string& r : e.layer(x.body)->remarks)
        told = told || r.find("the shot has another rate now") != std::string::npos;
    CHECK(told);
    test::setRate(x.scene, fps);
    CHECK(test::sameBits(before, resultOf(x.scene)));

    std::string text = test::textOf(f / "s.nutatio");
    const std::size_t at = text.find("\"state\": \"") + 10;
    for (const auto& [cut, why] :
         {std::pair{text.substr(0, at) + text.substr(at + 8), "seals"}, {text.substr(0, at) + "*" + text.substr(at), "seals"}}) {
        test::put(f / "torn.nutatio", cut);
        auto torn = files::readScene(f / "torn.nutatio");
        // Nothing is lost: either it does not open, or what is odd is told of.
        if (torn.ok()) {
            bool said = !torn.value().unread.empty();
            for (const auto& u : torn.value().unread) said = said && u.why.find(why) != std::string::npos;
            const pipeline::Evaluation odd = said ? pipeline::Evaluation{} : test::evaluate(torn.value());
            for (const std::string& r : said ? std::vector<std::string>{} : odd.layer(x.body)->remarks)
                said = said || r.find("sealed, and simulated all the same") != std::string::npos;
            CHECK(said);
        } else {
            CHECK(torn.error().place.find(why) != std::string::npos);
        }
    }
}

TEST_CASE("what cannot be sealed is refused in a sentence") {
    Sealable x;
    const std::string late = test::addLayer(x.scene, "overlap", {"ear_L"});
    const auto saying = [&](const Result<Done>& r) { return r.ok() ? std::string() : r.error().sentence; };
    CHECK(saying(edit::seal(x.scene, late, 0, 5)).find("is not simulated") != std::string::npos);
    CHECK(saying(edit::seal(x.scene, "nobody", 0, 5)).find("there is no layer") != std::string::npos);
    CHECK(saying(edit::seal(x.scene, x.body, 5, 100000)).find("the shot has frames 1 to") != std::string::npos);
    x.scene.layers.edit(0).muted = true;
    CHECK(saying(edit::seal(x.scene, x.body, 0, 5)).find("it is muted") != std::string::npos);
    x.scene.layers.edit(0).muted = false;
    test::play(x.scene, "Walk");
    x.scene.editShot().loop = scene::Loop::Closed;
    CHECK(saying(edit::seal(x.scene, x.tail, 0, 5)).find("loop that is closed") != std::string::npos);
    CHECK(x.scene.shot().seals.empty());
}
