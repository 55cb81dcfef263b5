// Borrow: two clips by part, with a weight; one side's motion on the other, also some time later.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "edit/line.h"
#include "layers/registry.h"
#include "pipeline/bake.h"
#include "rig/sides.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;

namespace {

int joint(const scene::Scene& s, const char* name) {
    const int j = s.actors[0].actor->skeleton.find(name);
    REQUIRE(j != rig::kNoJoint);
    return j;
}

double apart(const Xform& a, const Xform& b) {
    return std::max(a.r.angularDistance(b.r), (a.t - b.t).norm());
}

/// Where a joint is in the actor's world, less the plane's own point, as a mirror shows it.
Vec3 place(const rig::Actor& a, const rig::Track& t, int joint, int frame) {
    std::vector<Xform> locals;
    std::vector<Affine> worlds;
    t.pose(frame, locals);
    rig::worldTransforms(a.skeleton, locals, worlds);
    return worlds[static_cast<std::size_t>(joint)].t;
}

}  // namespace

TEST_CASE("arms play another clip over the legs of the one on show, the clip going round in its own time") {
    scene::Scene s = test::otterScene();
    test::play(s, "Idle");
    const rig::Actor& a = *s.actors[0].actor;
    const rig::Clip& walk = a.clips[static_cast<std::size_t>(a.findClip("Walk"))];
    test::addLayer(s, "borrow", {"upper_arm_L", "forearm_L"}, {{"clip", std::string("Walk")}});
    const auto e = test::evaluate(s);
    const rig::Track &body = *e.actors[0].body, &made = *e.actors[0].result;
    const int arm = joint(s, "upper_arm_L"), leg = joint(s, "thigh_L");
    REQUIRE(made.frames() > 2 * 28);
    for (int f : {0, 7, 30, 61}) {
        std::vector<Xform> there = a.restPose();
        walk.pose(walk.start + std::fmod(f / 24.0, walk.seconds()), there);
        INFO("frame " << f);
        CHECK(apart(made.at(arm, f), there[static_cast<std::size_t>(arm)]) < 1e-6);
        CHECK(made.at(leg, f) == body.at(leg, f));
    }
}

TEST_CASE("the weight of what is borrowed is keyed: none at first, half in between, all at last") {
    scene::Scene s = test::otterScene();
    test::play(s, "Idle");
    const std::string id = test::addLayer(s, "borrow", {"upper_arm_R"}, {{"clip", std::string("Walk")}});
    test::keyed(s, {scene::List::Layers, id}, "mix", {{0, 0.0}, {40, 1.0}});
    for (scene::KeyAt& k : s.editShot().keys[{scene::List::Layers, id}]["mix"]) k.ease = scene::Ease::Linear;
    const auto mixed = test::evaluate(s);
    s.editShot().keys.clear();
    const auto whole = test::evaluate(s);
    const int arm = joint(s, "upper_arm_R");
    const rig::Track &body = *mixed.actors[0].body, &made = *mixed.actors[0].result, &all = *whole.actors[0].result;
    CHECK(apart(made.at(arm, 0), body.at(arm, 0)) < 1e-9);
    CHECK(apart(made.at(arm, 40), all.at(arm, 40)) < 1e-9);
    const double from = body.at(arm, 20).r.angularDistance(all.at(arm, 20).r);
    REQUIRE(from > radians(2));
    CHECK(made.at(arm, 20).r.angularDistance(body.at(arm, 20).r) == Approx(0.5 * from).epsilon(1e-6));
}

TEST_CASE("a chest that is seen from the actor points where it does in its clip, whatever the hips below do") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const rig::Actor& a = *s.actors[0].actor;
    // Hips that are turned aside by hand.
    const std::string hand = test::addLayer(s, "touchup", {"hips"});
    edit::set(s, {scene::List::Layers, hand}, "turn_y@hips", 25.0, 0);
    const std::string id =
        test::addLayer(s, "borrow", {"chest"}, {{"clip", std::string("Idle")}, {"seen", std::string("actor")}});
    const int chest = joint(s, "chest");
    const auto turnOf = [&](const std::vector<Xform>& locals) {
        std::vector<Affine> worlds;
        rig::worldTransforms(a.skeleton, locals, worlds);
        return rotationOf(worlds[static_cast<std::size_t>(chest)].m);
    };
    std::vector<Xform> made, lent = a.restPose();
    test::evaluate(s).actors[0].result->pose(9, made);
    const rig::Clip& idle = a.clips[static_cast<std::size_t>(a.findClip("Idle"))];
    idle.pose(idle.start + 9 / 24.0, lent);
    CHECK(turnOf(made).angularDistance(turnOf(lent)) < radians(0.01));
    s.layer(id)->set("seen", std::string("parent"));
    test::evaluate(s).actors[0].result->pose(9, made);
    CHECK(turnOf(made).angularDistance(turnOf(lent)) > radians(10));
}

TEST_CASE("one arm does what the other is seen to do in a mirror, and half a cycle later in a loop") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const rig::Actor& a = *s.actors[0].actor;
    // The left arm is raised for a while.
    const std::string hand = test::addLayer(s, "touchup", {"upper_arm_L"});
    test::keyed(s, {scene::List::Layers, hand}, "turn_z@upper_arm_L", {{0, 0}, {6, 50}, {12, 0}});
    const std::string id = test::addLayer(s, "borrow", {"upper_arm_R", "forearm_R"}, {{"from", std::string("side")}});
    const int upRight = joint(s, "upper_arm_R"), upLeft = joint(s, "upper_arm_L");
    const rig::Mirror mirror(a);
    // The chest between them is turned by the walk: what is compared is seen from its own even pose.
    const auto seen = [&](const rig::Track& t, int f) {
        std::vector<Xform> locals;
        t.pose(f, locals);
        return apart(mirror.seen(upRight, locals[static_cast<std::size_t>(upLeft)]), locals[static_cast<std::size_t>(upRight)]);
    };
    const auto now = test::evaluate(s);
    for (int f : {0, 6, 15}) CHECK(seen(*now.actors[0].result, f) < 1e-6);
    s.layer(id)->set("phase", 0.5);
    const auto later = test::evaluate(s);
    const rig::Track& t = *later.actors[0].result;
    const int half = (t.frames() - 1) / 2;
    REQUIRE((t.frames() - 1) % 2 == 0);
    for (int f : {0, 3, 6}) {
        std::vector<Xform> before, after;
        t.pose(f, before);
        t.pose(f + half, after);
        CHECK(apart(mirror.seen(upRight, before[static_cast<std::size_t>(upLeft)]), after[static_cast<std::size_t>(upRight)]) <
              1e-6);
    }
    // It goes round: the last frame is the first again.
    CHECK(apart(t.at(upRight, 0), t.at(upRight, t.frames() - 1)) < 1e-3);
}

TEST_CASE("in the pose in which the sides are even a mirrored pose is the picture of it across the plane") {
    const auto actor = test::read(test::kOtterFile);
    const rig::Actor& a = *actor;
    const rig::Sides sides = rig::sidesOf(a);
    const int thighLeft = a.skeleton.find("thigh_L"), thighRight = a.skeleton.find("thigh_R"), left = a.skeleton.find("shin_L"),
              right = a.skeleton.find("shin_R");
    const auto ways = [&](const rig::Track& t, int f) {
        return std::pair<Vec3, Vec3>(place(a, t, right, f) - place(a, t, thighRight, f),
                                     place(a, t, left, f) - place(a, t, thighLeft, f));
    };
    const rig::Mirror mirror(a);
    std::vector<Xform> locals, other;
    for (int j = 0; j < a.skeleton.size(); ++j) {
        const int up = a.skeleton.joint(j).parent;
        const Affine above = up == rig::kNoJoint ? Affine() : sides.worlds[static_cast<std::size_t>(up)];
        locals.push_back(decompose(above.inverse() * sides.worlds[static_cast<std::size_t>(j)]));
    }
    const std::vector<Xform> even = locals;
    locals[static_cast<std::size_t>(thighLeft)].r =
        (locals[static_cast<std::size_t>(thighLeft)].r * fromRotationVector(Vec3(0.3, 0.5, -0.2))).normalized();
    mirror.pose(locals, other);
    const rig::Track raised({1, 24, 0, 0}, [&] {
        std::vector<rig::ColumnPtr> c;
        for (std::size_t j = 0; j < other.size(); ++j) {
            const Xform& x = j == static_cast<std::size_t>(thighLeft)    ? locals[j]
                             : j == static_cast<std::size_t>(thighRight) ? other[j]
                                                                         : even[j];
            c.push_back(std::make_shared<const rig::Column>(rig::Column{x}));
        }
        return c;
    }());
    const auto [r, l] = ways(raised, 0);
    CHECK((sides.mirrored(l) - r).norm() < 0.01 * l.norm());
    REQUIRE(even[static_cast<std::size_t>(thighRight)].r.angularDistance(other[static_cast<std::size_t>(thighRight)].r) > 0.3);
}

TEST_CASE("what cannot be borrowed says why") {
    scene::Scene s = test::otterScene();
    const auto problemOf = [&](const scene::Values& values, const char* of) {
        const std::string id = test::addLayer(s, "borrow", {of}, values);
        return test::evaluate(s).layer(id)->problem;
    };
    CHECK(problemOf({{"clip", std::string()}}, "chest") == "it borrows from no clip yet");
    // One that is just made borrows from the first clip that does not play.
    CHECK(problemOf({}, "chest").empty());
    CHECK(problemOf({{"clip", std::string("Gallop")}}, "chest") == "there is no clip \"Gallop\" to borrow from");
    CHECK(problemOf({{"from", std::string("side")}}, "pole") == "\"pole\" has no joint of its kind on the other side");
    CHECK(problemOf({{"from", std::string("side")}}, "upper_arm_R").empty());
    // What holds for the whole layer cannot be set apart for a joint of it.
    for (const char* kind : {"borrow", "travel"})
        for (const scene::SettingSpec& row : layers::findKind(kind)->settings) {
            INFO(kind << "." << row.id);
            CHECK_FALSE(scene::mayDiffer(row));
        }
}

TEST_CASE("a layer of one shot does nothing in another, nor mutes it by its solo") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const std::string id = test::addLayer(s, "sway", {"chest"}), other = test::addLayer(s, "sway", {"head"});
    edit::actHere(s, id, true);
    s.layer(id)->solo = true;
    CHECK(test::evaluate(s).layer(id)->acts);
    CHECK_FALSE(test::evaluate(s).layer(other)->acts);
    REQUIRE(s.shots.size() > 1);
    for (std::size_t i = 0; i < s.shots.size(); ++i)
        if (s.shots[i].id != s.shown) {
            s.shown = s.shots[i].id;
            break;
        }
    const auto e = test::evaluate(s);
    CHECK_FALSE(e.layer(id)->acts);
    CHECK(e.layer(id)->idle == "it acts in another shot alone");
    CHECK(e.layer(other)->acts);
}
