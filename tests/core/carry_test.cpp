// What is carried for a while, hands that hold props, and who follows whom.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "edit/operations.h"
#include "edit/rings.h"
#include "layers/registry.h"
#include "rig/roles.h"
#include "tests/support/held.h"
#include "tests/support/rigs.h"

using namespace nutatio;

namespace {

/// A person who sways, with a pole that swings by itself beside: root > bone_1 > .. > end, standing at its left hand.
struct Pair {
    scene::Scene scene;
    Pair() {
        test::PersonSpec person;
        person.frames = 61;
        person.motion = [](double t, std::map<std::string, Xform>& locals) {
            locals["hips"].t.x() += 0.05 * std::sin(3 * t);
            locals["left_upper_arm"].r = fromRotationVector(Vec3(-0.3 + 0.2 * std::sin(4 * t), 0, 0));
            for (const char* elbow : {"left_forearm", "right_forearm"})
                locals[elbow].r = fromRotationVector(Vec3(-1.0 + 0.2 * std::sin(3 * t), 0, 0));
        };
        scene = test::sceneWith(test::personActor(person));
        test::ChainSpec pole;
        pole.bones = 2;
        pole.length = 0.4;
        pole.frames = 61;
        pole.motion = [](double t) {
            Xform x;
            x.t = Vec3(0.25, 1.1, 0.15) + Vec3(0.04 * std::sin(5 * t), 0.03 * std::cos(4 * t), 0);
            x.r = fromRotationVector(Vec3(0, 0, 0.3 * std::sin(3 * t)));
            return x;
        };
        scene::ActorEntry prop = scene.actors[0];
        prop.id = "pole";
        prop.name = "Pole";
        prop.actor = test::chainActor(pole);
        scene.actors.push_back(prop);
        scene.editShot().clips["pole"] = "Move";
        scene.editShot().loop = scene::Loop::Once;
    }
    std::vector<Vec3> places(const pipeline::Evaluation& e, std::size_t actor, const char* joint,
                             Vec3 local = Vec3::Zero()) const {
        const rig::Actor& a = *scene.actors[actor].actor;
        const rig::Track& t = *e.actors[actor].result;
        std::vector<Xform> pose;
        std::vector<Affine> worlds;
        std::vector<Vec3> out;
        for (int f = 0; f < t.frames(); ++f) {
            t.pose(f, pose);
            rig::worldTransforms(a.skeleton, pose, worlds);
            out.push_back(worlds[static_cast<std::size_t>(a.skeleton.find(joint))].apply(local));
        }
        return out;
    }
};

void interval(scene::Scene& s, const std::string& layer, int from, int to) {
    const double fps = s.shot().fps;
    s.editShot().intervals[layer].push_back({from / fps, to / fps, 0, 0});
}

double largest(const std::vector<Vec3>& a, const std::vector<Vec3>& b, int from, int to) {
    double out = 0;
    for (int f = from; f <= to; ++f)
        out = std::max(out, (a[static_cast<std::size_t>(f)] - b[static_cast<std::size_t>(f)]).norm());
    return out;
}

}  // namespace

TEST_CASE(
    "for an interval a pole is carried by a hand: it sets off and comes back without a jump, stiff against the hand between") {
    Pair x;
    const pipeline::Evaluation plain = test::evaluate(x.scene);
    scene::Layer l = layers::newLayer(*layers::findKind("carry"), x.scene, x.scene.actors[1], {"root"});
    l.values["by"] = "left_hand@" + x.scene.actors[0].id;
    x.scene.layers.push_back(l);
    interval(x.scene, l.id, 15, 45);
    const pipeline::Evaluation e = test::evaluate(x.scene);
    REQUIRE(e.layer(l.id)->problem.empty());
    for (const std::string& r : e.layer(l.id)->remarks) FAIL(r);
    const auto was = x.places(plain, 1, "end"), is = x.places(e, 1, "end"), hand = x.places(e, 0, "left_hand");
    CHECK(largest(was, is, 0, 15) < 1e-9);
    CHECK(largest(was, is, 45, 60) < 1e-9);
    CHECK(largest(was, is, 20, 38) > 0.02);
    // As far from the hand all through.
    const double far = (is[15] - hand[15]).norm();
    for (std::size_t f = 15; f <= 39; ++f) CHECK((is[f] - hand[f]).norm() == Approx(far).margin(1e-6));
    // No step of it is much larger than what hand and pole do.
    for (std::size_t f = 1; f < is.size(); ++f) CHECK((is[f] - is[f - 1]).norm() < 0.12);
}

TEST_CASE("a hand is carried by what hangs on it: that keeps its way in the world, the hand goes along, the tree stays") {
    Pair x;
    // The hand leads the arm that it hangs on.
    test::addLayer(x.scene, "carry", {"left_upper_arm"}, {{"by", std::string("left_hand")}});
    const std::string id = x.scene.layers[0].id;
    interval(x.scene, id, 10, 60);
    const pipeline::Evaluation e = test::evaluate(x.scene), plain = [&] {
        scene::Scene bare = x.scene;
        bare.layers.clear();
        return test::evaluate(bare);
    }();
    REQUIRE(e.layer(id)->problem.empty());
    const auto was = x.places(plain, 0, "left_hand"), is = x.places(e, 0, "left_hand");
    CHECK(largest(was, is, 0, 60) < 1e-9);
    const auto arm = x.places(e, 0, "left_upper_arm"), before = x.places(plain, 0, "left_upper_arm");
    CHECK(largest(arm, before, 11, 60) > 1e-3);
    const double far = (arm[10] - is[10]).norm();
    for (std::size_t f = 10; f <= 60; ++f) CHECK((arm[f] - is[f]).norm() == Approx(far).margin(1e-6));
}

TEST_CASE("two hands on one pole stay on it as it swings, a hand that catches it comes right to it") {
    Pair x;
    const std::string id =
        test::addLayer(x.scene, "hold", {"left_hand", "right_hand"},
                       {{"on", std::string("bone_2@pole")}, {"contacts", std::string("intervals")}, {"body", 0.0}});
    interval(x.scene, id, 10, 50);
    pipeline::Evaluation e = test::evaluate(x.scene);
    REQUIRE(test::heldIn(e, id).size() == 2);
    double before = 0;
    for (const layers::hold::Held& h : test::heldIn(e, id)) {
        before = std::max(before, h.before);
        if (h.joint == x.scene.actors[0].actor->skeleton.find("left_hand")) CHECK(h.after < 1e-3);
    }
    CHECK(before > 0.02);
    x.scene.layers.edit(0).values["joint"] = std::vector<std::string>{"left_hand"};
    x.scene.layers.edit(0).values["at"] = std::string("right at it");
    x.scene.layers.edit(0).values["on"] = std::string("bone_1@pole");
    e = test::evaluate(x.scene);
    const auto hand = x.places(e, 0, "left_hand"), pole = x.places(e, 1, "bone_1");
    INFO(largest(hand, pole, 10, 50));
    CHECK(largest(hand, pole, 10, 50) < 0.002);
}

TEST_CASE("a held hand that may slide keeps its height and goes on along, knees are bent towards a joint") {
    Pair x;
    const std::string id =
        test::addLayer(x.scene, "hold", {"left_hand"}, {{"contacts", std::string("intervals")}, {"body", 0.0}});
    interval(x.scene, id, 0, 60);
    const auto handWith = [&](const std::string& slides) {
        x.scene.layers.edit(0).values["slides"] = slides;
        return x.places(test::evaluate(x.scene), 0, "left_hand");
    };
    const auto span = [](const std::vector<Vec3>& v, int axis) {
        double low = 1e9, high = -1e9;
        for (const Vec3& p : v) {
            low = std::min(low, p[axis]);
            high = std::max(high, p[axis]);
        }
        return high - low;
    };
    const auto stays = handWith("no"), slides = handWith("over the ground"), along = handWith("along x");
    for (int axis = 0; axis < 3; ++axis) CHECK(span(stays, axis) < 1e-4);
    CHECK(span(slides, 1) < 1e-4);
    CHECK(span(slides, 0) > 0.05);
    CHECK(span(along, 0) > 0.05);
    CHECK(span(along, 2) < 1e-4);
    // The elbow looks at the head then.
    x.scene.layers.edit(0).values["slides"] = std::string("no");
    const auto elbowFrom = [&](const pipeline::Evaluation& e) {
        const Vec3 a = x.places(e, 0, "left_upper_arm")[30], b = x.places(e, 0, "left_forearm")[30],
                   c = x.places(e, 0, "left_hand")[30], to = x.places(e, 0, "right_toes")[30];
        const Vec3 n = (c - a).normalized(), knee = b - a - n.dot(b - a) * n, wanted = to - a - n.dot(to - a) * n;
        return degrees(std::acos(std::clamp(knee.normalized().dot(wanted.normalized()), -1.0, 1.0)));
    };
    const double free = elbowFrom(test::evaluate(x.scene));
    x.scene.layers.edit(0).values["towards"] = std::string("right_toes");
    CHECK(free > 20);
    CHECK(elbowFrom(test::evaluate(x.scene)) < 0.1);
}

TEST_CASE("heel and ball of a foot stand together: both keep their places while the shin rocks over them") {
    test::PersonSpec person;
    person.frames = 49;
    person.motion = [](double t, std::map<std::string, Xform>& locals) {
        // The foot rocks and slides on the ground by 8 degrees and 2 cm.
        locals["hips"].t += Vec3(0.02 * std::sin(4 * t), -0.02, 0.02 * std::sin(3 * t));
        locals["left_foot"].r = fromRotationVector(Vec3(0.14 * std::sin(5 * t), 0.1 * std::sin(3 * t), 0));
    };
    scene::Scene s = test::sceneWith(test::personActor(person));
    s.editShot().loop = scene::Loop::Once;
    const std::string id = test::addLayer(s, "hold", {"left_foot"}, {{"contacts", std::string("intervals")}});
    interval(s, id, 0, 48);
    const auto slide = [&] {
        double before = 0, after = 0;
        const pipeline::Evaluation e = test::evaluate(s);
        for (const layers::hold::Held& h : test::heldIn(e, id)) {
            before = std::max(before, h.before);
            after = std::max(after, h.after);
        }
        return std::tuple(test::heldIn(e, id).size(), before, after);
    };
    s.layers.edit(0).values["sole"] = std::string("heel and ball stand");
    const auto [points, before, after] = slide();
    CHECK(points == 2);
    CHECK(before > 0.01);
    // What is left is that heel and ball are as far apart as they are.
    CHECK(after < 0.001 * s.actors[0].actor->height);
}

TEST_CASE("a ring of holding and carrying is refused as it is made, its members named") {
    Pair x;
    const std::string actor = x.scene.actors[0].id;
    const std::string hold = test::addLayer(x.scene, "hold", {"left_hand"}, {{"contacts", std::string("intervals")}});
    scene::Layer l = layers::newLayer(*layers::findKind("carry"), x.scene, x.scene.actors[1], {"root"});
    x.scene.layers.push_back(l);
    interval(x.scene, hold, 10, 30);
    interval(x.scene, l.id, 20, 40);
    CHECK(edit::carryOut(x.scene, "set:setting=on,value=bone_2@pole,thing=" + hold).ok());
    CHECK_FALSE(edit::followingRing(x.scene));
    const auto ring = edit::carryOut(x.scene, "set:setting=by,value=left_hand@" + actor + ",thing=" + l.id);
    REQUIRE_FALSE(ring.ok());
    INFO(ring.error().sentence);
    for (const std::string& named :
         {x.scene.layer(hold)->name, x.scene.layer(l.id)->name, std::string("bone_2@pole"), "left_hand@" + actor})
        CHECK(ring.error().sentence.find(named) != std::string::npos);
    CHECK(x.scene.layer(l.id)->text("by").empty());
    // One after the other they may.
    x.scene.editShot().intervals[l.id] = {{31 / x.scene.shot().fps, 40 / x.scene.shot().fps, 0, 0}};
    CHECK(edit::carryOut(x.scene, "set:setting=by,value=left_hand@" + actor + ",thing=" + l.id).ok());
    // And a hand is not held to what hangs on it.
    const std::string self = test::addLayer(x.scene, "hold", {"left_foot"});
    CHECK_FALSE(edit::carryOut(x.scene, "set:setting=on,value=left_toes,thing=" + self).ok());
}
