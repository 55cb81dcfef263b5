// Locks against accidents, things out of sight, and what is performed by hand.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "edit/channels.h"
#include "edit/edit.h"
#include "edit/keys.h"
#include "edit/operations.h"
#include "edit/pass.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "pipeline/open.h"
#include "scene/lock.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using test::TempFolder;

TEST_CASE("what is locked is not changed, removed or keyed, it is muted, moved in the stack and unlocked") {
    scene::Scene s = test::otterScene();
    const std::string id = test::addLayer(s, "strand", {"tail_01"}), other = test::addLayer(s, "strand", {"scarf_L_01"});
    REQUIRE(edit::carryOut(s, "lock:thing=layers:" + id).ok());
    const scene::Owner owner{scene::List::Layers, id};
    const auto after = [&](const auto& change) {
        scene::Scene next = s;
        change(next);
        return scene::lockedChange(s, next);
    };
    const std::string name = s.layer(id)->name;
    CHECK(after([&](scene::Scene& n) { edit::set(n, owner, "swing", 3.3, 0); }) == name);
    CHECK(after([&](scene::Scene& n) { edit::toggleKey(n, owner, "swing", 3); }) == name);
    CHECK(after([&](scene::Scene& n) { edit::addInterval(n, id, 2, 9, 0, 0); }) == name);
    CHECK(after([&](scene::Scene& n) { edit::remove(n, owner); }) == name);
    CHECK(after([&](scene::Scene& n) { edit::rename(n, owner, "else"); }) == name);
    CHECK(after([&](scene::Scene& n) { edit::remove(n, {scene::List::Actors, n.actors[0].id}); }) == name);
    CHECK_FALSE(after([&](scene::Scene& n) { edit::set(n, {scene::List::Layers, other}, "swing", 3.3, 0); }));
    CHECK_FALSE(after([&](scene::Scene& n) { n.layer(id)->muted = true; }));
    CHECK_FALSE(after([&](scene::Scene& n) { REQUIRE(edit::moveLayer(n, id, 1).ok()); }));
    CHECK_FALSE(after([&](scene::Scene& n) { edit::lock(n, owner, false); }));
    CHECK_FALSE(after([&](scene::Scene& n) { n.layer(id)->set("swing", n.layer(id)->number("swing")); }));
    const auto refused = edit::carryOut(s, "set:thing=layers:" + id + ",setting=swing,value=3.3");
    REQUIRE_FALSE(refused.ok());
    CHECK(refused.error().sentence == "\"" + name + "\" is locked: unlock it first");
    REQUIRE(edit::carryOut(s, "lock:yes=no,thing=layers:" + id).ok());
    CHECK(edit::carryOut(s, "set:thing=layers:" + id + ",setting=swing,value=3.3").ok());
}

TEST_CASE("a lock and what is out of sight come back with the scene, and move nothing") {
    TempFolder folder;
    scene::Scene s = test::otterScene();
    const std::string wind = edit::addWind(s, s.actors[0].id);
    const std::string layer = test::addLayer(s, "strand", {"tail_01"});
    const auto before = test::evaluate(s);
    edit::hide(s, {scene::List::Winds, wind}, true);
    edit::lock(s, {scene::List::Winds, wind}, true);
    edit::lock(s, {scene::List::Actors, s.actors[0].id}, true);
    edit::actHere(s, layer, true);
    CHECK(test::sameBits(*test::evaluate(s).actors[0].result, *before.actors[0].result));
    std::filesystem::copy_file(test::kOtterFile, folder / "otter.glb");
    s.actors.edit(0).file = (folder / "otter.glb").string();
    REQUIRE(files::writeScene(s, folder / "s.nutatio").ok());
    const auto back = pipeline::open(folder / "s.nutatio");
    REQUIRE(back.ok());
    CHECK(back.value().warnings.empty());
    CHECK(back.value().scene.wind(wind)->hidden);
    CHECK(back.value().scene.wind(wind)->lock);
    CHECK(back.value().scene.actors[0].lock);
    CHECK_FALSE(back.value().scene.actors[0].hidden);
    CHECK(back.value().scene.layer(layer)->shot == s.shot().id);
}

namespace {

/// The walking otter's body, and a pose of a frame in which a joint is turned.
struct Stage {
    Stage() {
        test::play(s, "Walk");
        pipeline::Evaluator e;
        body = *e.bodyOf(s, s.shot(), s.actors[0]);
    }
    std::vector<Xform> nodded(int frame, const char* name, const Vec3& by) const {
        std::vector<Xform> out;
        body.pose(frame, out);
        Xform& x = out[static_cast<std::size_t>(s.actors[0].actor->skeleton.find(name))];
        x.r = (x.r * fromRotationVector(by)).normalized();
        return out;
    }
    scene::Scene s = test::otterScene();
    rig::Track body;
};

}  // namespace

TEST_CASE("a pass is a layer of its own that does what the hand did, and eases in and out beside it") {
    Stage stage;
    scene::Scene& s = stage.s;
    const std::string strand = test::addLayer(s, "strand", {"tail_01"});
    edit::Pass pass;
    for (int f : {8, 10, 12}) pass.poses[f] = stage.nodded(f, "head", Vec3(radians(30), 0, 0));
    const auto made = edit::keepPass(s, s.actors[0].id, stage.body, pass);
    REQUIRE(made.ok());
    const scene::Layer& layer = *s.layer(made.value());
    CHECK(layer.group == edit::kPasses);
    CHECK(layer.shot == s.shot().id);
    CHECK(layer.name == "Pass 1: head");
    CHECK(s.layers[0].id == made.value());
    const int head = s.actors[0].actor->skeleton.find("head");
    const auto e = test::evaluate(s);
    const auto nod = [&](int f) { return degrees(e.actors[0].result->at(head, f).r.angularDistance(stage.body.at(head, f).r)); };
    for (int f = 8; f <= 12; ++f) CHECK(nod(f) == Approx(30).margin(0.3));
    CHECK(nod(2) < 0.2);
    CHECK(nod(20) < 0.2);
    CHECK(nod(14) > 5);
    CHECK(nod(14) < 25);
    // The next one is above it, below what is simulated.
    edit::Pass second;
    second.poses[15] = stage.nodded(15, "jaw", Vec3(0.2, 0, 0));
    const auto next = edit::keepPass(s, s.actors[0].id, stage.body, second);
    REQUIRE(next.ok());
    CHECK(s.layers[1].id == next.value());
    CHECK(edit::passesOf(s, s.actors[0].id) == 2);
    CHECK(s.layers[2].id == strand);
    // Where nothing was moved there is no pass.
    edit::Pass none;
    none.poses[4] = stage.nodded(4, "head", Vec3::Zero());
    CHECK_FALSE(edit::keepPass(s, s.actors[0].id, stage.body, none).ok());
}

TEST_CASE("a pass half a cycle later is the same again, sideways reversed") {
    Stage stage;
    scene::Scene& s = stage.s;
    edit::Pass pass;
    // Up the neck and to a side, in the head's own axes.
    for (int f = 4; f <= 8; ++f) pass.poses[f] = stage.nodded(f, "head", Vec3(radians(20), radians(15), 0));
    pass.halfLater = true;
    REQUIRE(edit::keepPass(s, s.actors[0].id, stage.body, pass).ok());
    const int head = s.actors[0].actor->skeleton.find("head");
    const auto e = test::evaluate(s);
    const rig::Track& t = *e.actors[0].result;
    const int half = (t.frames() - 1) / 2;
    const auto by = [&](int f) -> Vec3 { return rotationVector(stage.body.at(head, f).r.conjugate() * t.at(head, f).r); };
    const Vec3 now = by(6), then = by(6 + half);
    REQUIRE(now.norm() > radians(20));
    CHECK(then.norm() == Approx(now.norm()).epsilon(0.02));
    // The same nod, the other way about the upright.
    CHECK(std::abs(now.normalized().dot(then.normalized())) < 0.9);
    CHECK(by(6 + half / 2).norm() < radians(1));
}

TEST_CASE("a pass that is held across the end of a loop goes round with it") {
    Stage stage;
    scene::Scene& s = stage.s;
    edit::Pass pass;
    const int last = stage.body.frames() - 1;
    for (int f = last - 5; f <= last; ++f) pass.poses[f] = stage.nodded(f, "head", Vec3(radians(25), 0, 0));
    REQUIRE(edit::keepPass(s, s.actors[0].id, stage.body, pass).ok());
    const int head = s.actors[0].actor->skeleton.find("head");
    const auto e = test::evaluate(s);
    const auto nod = [&](int f) { return degrees(e.actors[0].result->at(head, f).r.angularDistance(stage.body.at(head, f).r)); };
    CHECK(nod(0) == Approx(nod(last)).margin(0.5));
    CHECK(nod(2) > 3);
    CHECK(nod(8) < 0.3);
}
