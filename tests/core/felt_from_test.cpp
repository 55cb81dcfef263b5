// What a strand or a jiggle feels may be the motion of another joint, of any actor: then it swings as though it hung there.
#include <catch2/catch.hpp>
#include <cmath>

#include "edit/edit.h"
#include "edit/kit.h"
#include "layers/registry.h"
#include "tests/support/rigs.h"

using namespace nutatio;

namespace {

/// A chain whose root goes and turns without a rate of its own, and one that stands still.
test::ChainSpec shaken(bool moves) {
    test::ChainSpec s;
    s.motion = [moves](double t) {
        Xform x;
        if (!moves) return x;
        x.t = Vec3(0.2 * std::sin(5 * t), 0.1 * std::sin(3 * t + 1), 0.05 * t);
        x.r = fromRotationVector(Vec3(0.3 * std::sin(2.5 * t), 0.4 * std::sin(4 * t), 0));
        return x;
    };
    return s;
}

/// Two chains, of which the second one moves; a layer of a kind on the first.
struct Two {
    Two(const std::string& kind, bool firstMoves) : Two(kind, shaken(firstMoves), shaken(true)) {}
    Two(const std::string& kind, const test::ChainSpec& first, const test::ChainSpec& moving) {
        s = test::sceneWith(test::chainActor(first));
        scene::Scene other = test::sceneWith(test::chainActor(moving));
        scene::ActorEntry second = other.actors.front();
        second.id = "shaker";
        s.actors.push_back(second);
        scene::addShots(s, "shaker");
        // A clip in which nothing moves has no length: the shaken one leads.
        for (std::size_t i = 0; i < s.shots.size(); ++i) {
            s.shots.edit(i).lead = "shaker";
            for (const scene::ActorEntry& a : s.actors) s.shots.edit(i).clips[a.id] = "Move";
        }
        id = test::addLayer(s, kind, {"bone_1"}, {{"preroll", 0.0}});
    }
    rig::Track result() const { return *test::evaluate(s).actors.front().result; }

    scene::Scene s;
    std::string id;
};

/// The largest difference of the joints that swing.
double apart(const rig::Track& a, const rig::Track& b) {
    double most = 0;
    for (int j = 1; j < a.joints(); ++j)
        for (int f = 0; f < a.frames(); ++f)
            most = std::max({most, degrees(rotationVector(a.at(j, f).r.conjugate() * b.at(j, f).r).norm()),
                             100 * (a.at(j, f).t - b.at(j, f).t).norm()});
    return most;
}

}  // namespace

TEST_CASE("what stands still and feels another's motion swings as though it were shaken itself") {
    const std::string kind = GENERATE("strand", "jiggle");
    INFO(kind);
    Two shakenItself(kind, true), still(kind, false);
    // Felt in the world's axes, so weight aside, which falls where each stands.
    for (Two* t : {&shakenItself, &still})
        for (const char* pull : {"gravity", "sag"})
            if (layers::findKind(kind)->setting(pull)) t->s.layer(t->id)->set(pull, 0.0);
    const rig::Track quiet = still.result();
    still.s.layer(still.id)->set("felt_from", std::string("root@shaker"));
    const rig::Track feels = still.result();
    CHECK(apart(quiet, feels) > 2);
    if (kind == "strand") CHECK(apart(shakenItself.result(), feels) < 1e-6);
    // One that is shaken with the other one feels the same either way.
    const rig::Track own = shakenItself.result();
    shakenItself.s.layer(shakenItself.id)->set("felt_from", std::string("root@shaker"));
    CHECK(apart(own, shakenItself.result()) < 1e-6);
    // Shares count of it.
    still.s.layer(still.id)->set("felt_travel", 0.0);
    still.s.layer(still.id)->set("felt_turn", 0.0);
    CHECK(apart(quiet, still.result()) < 1e-6);
}

TEST_CASE("what is felt begins from rest as one's own motion would, and where it jumps nothing is thrown") {
    const std::string kind = GENERATE("strand", "jiggle");
    INFO(kind);
    const auto going = [](const std::function<double(double)>& way) {
        test::ChainSpec spec;
        spec.motion = [way](double t) {
            Xform x;
            x.t = Vec3(way(t), 0, 0);
            return x;
        };
        return spec;
    };
    const auto weightless = [&](Two& t) {
        for (const char* pull : {"gravity", "sag"})
            if (layers::findKind(kind)->setting(pull)) t.s.layer(t.id)->set(pull, 0.0);
    };
    // At rest for half a second, then to and fro.
    const test::ChainSpec starts = going([](double t) { return t < 0.5 ? 0 : 0.2 * (1 - std::cos(6 * (t - 0.5))); });
    Two itself(kind, starts, starts), still(kind, shaken(false), starts);
    weightless(itself);
    weightless(still);
    still.s.layer(still.id)->set("felt_from", std::string("root@shaker"));
    CHECK(apart(itself.result(), still.result()) < 1e-6);
    const test::ChainSpec leaps = going([](double t) { return t < 1 ? 0.0 : 20.0; });
    Two thrown(kind, shaken(false), leaps);
    weightless(thrown);
    const rig::Track quiet = thrown.result();
    thrown.s.layer(thrown.id)->set("felt_from", std::string("root@shaker"));
    CHECK(apart(quiet, thrown.result()) < 0.01);
}

TEST_CASE("what is felt is read as it stands below the layer: a layer of the other actor further down counts") {
    Two t("strand", false);
    t.s.layer(t.id)->set("felt_from", std::string("bone_4@shaker"));
    const rig::Track before = t.result();
    scene::Layer sway = layers::newLayer(*layers::findKind("sway"), t.s, t.s.actors[1], {"bone_2"});
    sway.set("size", 30.0);
    t.s.layers.insert(0, sway);
    CHECK(apart(before, t.result()) > 1);
    t.s.layers.move(0, 1);
    CHECK(apart(before, t.result()) == 0);
}

TEST_CASE("a joint that is felt follows a new name, and one that is not there is told and the own base felt") {
    Two t("jiggle", true);
    const rig::Track own = t.result();
    t.s.layer(t.id)->set("felt_from", std::string("bone_3@shaker"));
    REQUIRE(edit::prepare(t.s, "shaker", {rig::Preparation::What::Rename, "bone_3", "elbow", Vec3::Zero()}));
    CHECK(t.s.layer(t.id)->text("felt_from") == "elbow@shaker");
    t.s.layer(t.id)->set("felt_from", std::string("elbow@nobody"));
    const pipeline::Evaluation e = test::evaluate(t.s);
    REQUIRE(e.layer(t.id)->remarks.size() == 1);
    CHECK(e.layer(t.id)->remarks.front().find("elbow@nobody") != std::string::npos);
    CHECK(test::sameBits(*e.actors.front().result, own));
    // A joint of its own, whatever its name looks like.
    CHECK(scene::mountIn(t.s.actors.front().actor->skeleton, "own", "bone_2")->actor == "own");
}
