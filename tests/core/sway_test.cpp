// Sway: a function of time with a rate and a size that are what was asked, in shots and in loops.
#include <catch2/catch.hpp>

#include "layers/sway/sway.h"
#include "pipeline/live.h"
#include "tests/support/rigs.h"

using namespace nutatio;

namespace {

/// A chain whose root goes round once in so many seconds.
scene::Scene circling(double seconds) {
    test::ChainSpec spec;
    spec.frames = static_cast<int>(seconds * 24) + 1;
    spec.motion = [=](double t) {
        Xform x;
        x.t = Vec3(0.2 * std::sin(2 * kPi * t / seconds), 0, 0);
        return x;
    };
    return test::sceneWith(test::chainActor(spec));
}

/// A chain whose root goes away and does not come back.
scene::Scene going(double seconds, double fps = 24) {
    test::ChainSpec spec;
    spec.fps = fps;
    spec.frames = static_cast<int>(seconds * fps) + 1;
    spec.motion = [](double t) {
        Xform x;
        x.t = Vec3(t, 0, 0);
        return x;
    };
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::setRate(s, fps);
    return s;
}

/// Angle about x of a joint against the body [rad], frame by frame.
std::vector<double> angles(const scene::Scene& s, const char* joint = "bone_2") {
    const pipeline::Evaluation e = test::evaluate(s);
    const int j = s.actors[0].actor->skeleton.find(joint);
    std::vector<double> out;
    for (int f = 0; f < e.actors[0].result->frames(); ++f)
        out.push_back(
            rotationVector(e.actors[0].body->at(j, f).r.conjugate() * e.actors[0].result->at(j, f).r).dot(Vec3::UnitX()));
    return out;
}

}  // namespace

TEST_CASE("a cycle sways as far and as often as asked, at any frame rate") {
    for (double fps : {12.0, 24.0, 120.0}) {
        scene::Scene s = going(4, fps);
        test::addLayer(s, "sway", {"bone_2"}, {{"rate", 0.7}, {"size", 12.0}, {"phase", 30.0}});
        const std::vector<double> a = angles(s);
        for (std::size_t f = 0; f < a.size(); ++f)
            REQUIRE(a[f] ==
                    Approx(radians(12) * std::sin(2 * kPi * (0.7 * static_cast<double>(f) / fps + 30.0 / 360))).margin(1e-9));
    }
}

TEST_CASE("a loop takes whole cycles, says what became of the rate, and closes") {
    scene::Scene s = circling(1.25);
    for (const char* form : {"cycle", "noise"}) {
        s.layers.clear();
        test::addLayer(s, "sway", {"bone_2"}, {{"form", std::string(form)}, {"rate", 1.8}, {"size", 20.0}});
        const std::vector<double> a = angles(s);
        INFO(form);
        CHECK(a.front() == Approx(a.back()).margin(1e-12));
        // The speed runs on through the seam as well.
        CHECK(a[1] - a[0] == Approx(a[a.size() - 1] - a[a.size() - 2]).margin(form[0] == 'c' ? 0.02 : 0.12));
        const auto e = test::evaluate(s);
        REQUIRE(e.actors[0].layers[0].remarks.size() == 1);
        CHECK(e.actors[0].layers[0].remarks[0].find("1.6 times") != std::string::npos);  // 2 cycles in 1.25 s
    }
}

TEST_CASE("noise has the rate and the size that were asked for") {
    double crossings = 0, within = 0, frames = 0, seconds = 0;
    for (int k = 0; k < 12; ++k) {
        scene::Scene s = going(60);
        test::addLayer(s, "sway", {"bone_2"},
                       {{"form", std::string("noise")}, {"rate", 1.3}, {"size", 10.0}, {"group", static_cast<double>(k + 1)}});
        const std::vector<double> a = angles(s);
        for (std::size_t f = 1; f < a.size(); ++f) {
            crossings += (a[f] > 0) != (a[f - 1] > 0);
            within += std::abs(a[f]) < radians(10);
            ++frames;
        }
        seconds += 60;
    }
    INFO(crossings / seconds / 2 << " a second, " << within / frames << " within the size");
    CHECK(crossings / seconds / 2 == Approx(1.3 * 1.03).epsilon(0.04));
    CHECK(within / frames == Approx(0.95).margin(0.012));
}

TEST_CASE("a keyed rate never makes it jump") {
    for (const char* form : {"cycle", "noise"}) {
        INFO(form);
        scene::Scene s = going(6);
        test::addLayer(s, "sway", {"bone_2"}, {{"form", std::string(form)}, {"size", 20.0}});
        test::keyed(s, test::layerAt(s), "rate", {{0, 0.2}, {60, 0.2}, {70, 3.0}, {140, 3.0}});
        const std::vector<double> a = angles(s);
        double step = 0;
        for (std::size_t f = 1; f < a.size(); ++f) step = std::max(step, std::abs(a[f] - a[f - 1]));
        // No faster than the fastest part of it can be.
        CHECK(step < radians(20) * 2 * kPi * 3.0 / 24 * (form[0] == 'c' ? 1.01 : 1.6));
        CHECK(step > radians(3));
    }
}

TEST_CASE("layers of one group wander alike, a wave runs from joint to joint, and both move what is asked") {
    scene::Scene s = going(4);
    for (double group : {7.0, 7.0, 0.0})
        test::addLayer(s, "sway",
                       {s.layers.empty()       ? "bone_1"
                        : s.layers.size() == 1 ? "bone_2"
                                               : "bone_3"},
                       {{"form", std::string("noise")}, {"size", 10.0}, {"group", group}});
    const auto one = angles(s, "bone_1"), two = angles(s, "bone_2"), other = angles(s, "bone_3");
    double apart = 0, alike = 0;
    for (std::size_t f = 0; f < one.size(); ++f) {
        alike = std::max(alike, std::abs(one[f] - two[f]));
        apart = std::max(apart, std::abs(one[f] - other[f]));
    }
    CHECK(alike < 1e-9);
    CHECK(apart > radians(3));
    s.layers.clear();
    test::addLayer(s, "sway", {"bone_1", "bone_2"},
                   {{"rate", 1.0}, {"phase_step", -90.0}, {"size", 10.0}, {"move", std::string("y")}, {"travel", 0.1}});
    const auto lead = angles(s, "bone_1"), late = angles(s, "bone_2");
    for (std::size_t f = 6; f < lead.size(); ++f) REQUIRE(late[f] == Approx(lead[f - 6]).margin(1e-9));
    const auto e = test::evaluate(s);
    const int j = s.actors[0].actor->skeleton.find("bone_1");
    double most = 0;
    for (int f = 0; f < e.actors[0].result->frames(); ++f)
        most = std::max(most, (e.actors[0].result->at(j, f).t - e.actors[0].body->at(j, f).t).norm());
    CHECK(most == Approx(0.1 * s.actors[0].actor->height).epsilon(1e-6));
}

TEST_CASE("what the frames are too coarse for is left out of the noise, and told") {
    scene::Scene s = going(3, 12);
    test::addLayer(s, "sway", {"bone_2"}, {{"form", std::string("noise")}, {"rate", 4.0}, {"size", 10.0}});
    const auto e = test::evaluate(s);
    REQUIRE(e.actors[0].layers[0].remarks.size() == 1);
    CHECK(e.actors[0].layers[0].remarks[0].find("left out") != std::string::npos);
    const layers::sway::SwayNoise coarse(5, 0, 0.45 * 12 / 4.0), fine(5, 0, 1e9);
    CHECK(coarse.left > 0);
    CHECK(fine.left == 0);
    CHECK(fine.parts.size() == 16);
    double power = 0;
    for (const auto& p : coarse.parts) power += 0.5 * p.size * p.size;
    CHECK(power == Approx(1).epsilon(1e-6));
}

TEST_CASE("live it sways as it is baked, where its rate is not keyed and the shot is no loop") {
    scene::Scene s = going(2);
    test::addLayer(s, "sway", {"bone_2"}, {{"rate", 0.9}, {"size", 15.0}, {"mix", 0.7}});
    pipeline::Evaluator e;
    const auto baked = e.evaluate(s, {});
    pipeline::Live live(s, s.actors[0].id, e);
    const auto at = [&](int step) -> std::optional<pipeline::Live::Moment> {
        pipeline::Live::Moment m{{}, step, step / 24.0};
        if (step >= baked.actors[0].body->frames()) return std::nullopt;
        baked.actors[0].body->pose(step, m.locals);
        return m;
    };
    const int j = s.actors[0].actor->skeleton.find("bone_2");
    for (int f = 0; f < 40; ++f) {
        f == 0 ? live.start(1.0 / 24, at) : live.step();
        REQUIRE(live.result()[static_cast<std::size_t>(j)].r.angularDistance(baked.actors[0].result->at(j, f).r) < 1e-9);
    }
}

TEST_CASE("a breath goes out from the pose and back, and never to the other side") {
    for (const char* form : {"cycle", "noise"}) {
        scene::Scene s = going(4);
        test::addLayer(s, "sway", {"bone_2"},
                       {{"form", std::string(form)}, {"breath", std::string("out")}, {"rate", 0.5}, {"size", 10.0}});
        const std::vector<double> a = angles(s);
        const auto [low, high] = std::minmax_element(a.begin(), a.end());
        CHECK(*low >= -1e-9);
        CHECK(*high > radians(5));
    }
    scene::Scene s = going(4);
    test::addLayer(s, "sway", {"bone_2"}, {{"breath", std::string("out")}, {"rate", 0.5}, {"size", 10.0}});
    const std::vector<double> a = angles(s);
    CHECK(a[0] == Approx(0).margin(1e-9));
    CHECK(a[24] == Approx(radians(10)).margin(1e-9));
}

TEST_CASE("a prop sways about the place where it is held: that place stays, and the prop keeps its distance") {
    scene::Scene s = going(2);
    const rig::Actor& actor = *s.actors[0].actor;
    // bone_3 about the chain's root, which it does not hang on directly.
    test::addLayer(s, "sway", {"bone_3"}, {{"pivot", std::string("bone_1")}, {"rate", 1.0}, {"size", 25.0}});
    const auto e = test::evaluate(s);
    const auto moved = test::worldPlaces(actor, *e.actors[0].result, actor.skeleton.find("bone_3")),
               still = test::worldPlaces(actor, *e.actors[0].body, actor.skeleton.find("bone_3")),
               held = test::worldPlaces(actor, *e.actors[0].result, actor.skeleton.find("bone_1"));
    double most = 0;
    for (std::size_t f = 0; f < moved.size(); ++f) {
        CHECK((moved[f] - held[f]).norm() == Approx((still[f] - held[f]).norm()));
        const double angle =
            std::acos(std::clamp((moved[f] - held[f]).normalized().dot((still[f] - held[f]).normalized()), -1.0, 1.0));
        CHECK(angle == Approx(std::abs(radians(25) * std::sin(2 * kPi * static_cast<double>(f) / 24))).margin(1e-6));
        most = std::max(most, angle);
    }
    CHECK(most > radians(24));
    // What the pivot does below the layer is seen, wherever it stands in the skeleton.
    scene::Scene other = test::otterScene();
    const std::string below = test::addLayer(other, "sway", {"head"}, {{"size", 5.0}});
    const std::string ear = test::addLayer(other, "sway", {"tail_03"}, {{"pivot", std::string("head")}, {"size", 5.0}});
    pipeline::Evaluator evaluator;
    const auto first = evaluator.evaluate(other, {}).layer(ear)->key;
    other.layer(below)->set("size", 20.0);
    CHECK_FALSE(evaluator.evaluate(other, {}).layer(ear)->key == first);
    other.layer(ear)->set("pivot", std::string("nobody"));
    CHECK_FALSE(evaluator.evaluate(other, {}).layer(ear)->problem.empty());
}

TEST_CASE("left and right sway as in a mirror, whatever axes their joints have, or half a cycle apart") {
    scene::Scene s = test::otterScene();
    const rig::Actor& actor = *s.actors[0].actor;
    const int left = actor.skeleton.find("ear_L"), right = actor.skeleton.find("ear_R");
    REQUIRE(left != rig::kNoJoint);
    REQUIRE(right != rig::kNoJoint);
    // The body stands still, so that only the layer moves.
    test::play(s, "");
    const std::string id =
        test::addLayer(s, "sway", {"ear_L", "ear_R"},
                       {{"turn", std::string("xz")}, {"rate", 1.0}, {"size", 20.0}, {"sides", std::string("mirrored")}});
    const auto turnOf = [&](const pipeline::Evaluation& e, int joint, int f) {
        std::vector<Xform> pose;
        std::vector<Affine> is, was;
        e.actors[0].result->pose(f, pose);
        rig::worldTransforms(actor.skeleton, pose, is);
        e.actors[0].body->pose(f, pose);
        rig::worldTransforms(actor.skeleton, pose, was);
        return rotationVector(rotationOf(is[static_cast<std::size_t>(joint)].m) *
                              rotationOf(was[static_cast<std::size_t>(joint)].m).conjugate());
    };
    const auto e = test::evaluate(s);
    for (int f : {3, 6, 15}) {
        const Vec3 l = turnOf(e, left, f), r = turnOf(e, right, f);
        REQUIRE(l.norm() > 0.01);
        // A turn is an axial vector: in the mirror x -> -x its x stays and its y and z change sign. The ears' rest poses agree
        // with the mirror to a degree or two.
        CHECK(r.x() == Approx(l.x()).margin(0.02));
        CHECK(r.y() == Approx(-l.y()).margin(0.02));
        CHECK(r.z() == Approx(-l.z()).margin(0.02));
    }
    s.layer(id)->set("sides", std::string("opposed"));
    const auto opposed = test::evaluate(s);
    for (int f : {3, 6, 15}) CHECK((turnOf(opposed, right, f) + turnOf(e, right, f)).norm() < 1e-6);
    for (int f : {3, 6, 15}) CHECK((turnOf(opposed, left, f) - turnOf(e, left, f)).norm() < 1e-9);
}
