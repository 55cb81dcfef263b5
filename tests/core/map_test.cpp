// Maps: numbers on vertices by rule and by brush.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "edit/operations.h"
#include "files/scene_file.h"
#include "pipeline/open.h"
#include "rig/map.h"
#include "tests/support/posed.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using test::kOtterFile;
using test::TempFolder;
using From = rig::MapStep::From;
using Join = rig::MapStep::Join;

namespace {

rig::MapStep step(From from, Join join = Join::Set) {
    rig::MapStep s;
    s.from = from;
    s.join = join;
    return s;
}

std::vector<float> made(const rig::Actor& a, const rig::Surface& s, std::vector<rig::MapStep> steps,
                        const std::vector<rig::Map>& others = {}) {
    const auto values = rig::mapValues(a, s, {"m", std::move(steps), false}, others);
    REQUIRE(values.ok());
    REQUIRE(values.value().size() == s.places.size());
    for (float v : values.value()) REQUIRE((v >= 0 && v <= 1));
    return values.value();
}

}  // namespace

TEST_CASE("a map by rule is what its rule says at every point") {
    const auto a = test::read(kOtterFile);
    const rig::Surface s = rig::Surface::of(*a);
    std::vector<Affine> worlds;
    rig::worldTransforms(a->skeleton, a->restPose(), worlds);
    rig::MapStep weights = step(From::Weights);
    weights.joints = {"head"};
    const std::vector<float> head = made(*a, s, {weights});
    const int joint = a->skeleton.find("head");
    for (std::uint32_t v = 0; v < s.places.size(); ++v) {
        float share = 0;
        for (const auto& p : s.pulls(v)) share += p.joint == joint ? p.weight : 0;
        REQUIRE(head[v] == Approx(share).margin(1e-6));
    }
    // With what hangs on it there is more of it.
    weights.below = true;
    const std::vector<float> all = made(*a, s, {weights});
    double one = 0, more = 0;
    for (std::size_t v = 0; v < all.size(); ++v) {
        REQUIRE(all[v] >= head[v] - 1e-6f);
        one += head[v];
        more += all[v];
    }
    CHECK(more > 1.2 * one);

    rig::MapStep height = step(From::Height);
    height.low = 0.25;
    height.high = 0.75;
    const std::vector<float> up = made(*a, s, {height});
    for (std::size_t v = 0; v < up.size(); ++v) {
        const double h = (s.places[v].y() - a->low.y()) / a->height;
        if (h < 0.25) REQUIRE(up[v] == 0);
        if (h > 0.75) REQUIRE(up[v] == 1);
        if (std::abs(h - 0.5) < 1e-3) REQUIRE(up[v] == Approx(0.5).margin(0.01));
    }

    rig::MapStep away = step(From::Distance);
    away.joints = {"hand_L"};
    away.low = 0.2;
    away.high = 0;  // 1 at the joint
    const std::vector<float> near = made(*a, s, {away});
    const int hand = a->skeleton.find("hand_L");
    for (std::uint32_t v = 0; v < s.places.size(); ++v)
        if (rig::distanceToBone(a->skeleton, worlds, hand, s.places[v].cast<double>()) > 0.2 * a->height) REQUIRE(near[v] == 0);
    CHECK(near[s.nearest(worlds[static_cast<std::size_t>(hand)].t)] > 0.9f);

    rig::MapStep piece = step(From::Piece);
    piece.place = worlds[static_cast<std::size_t>(a->skeleton.find("lantern"))].t;
    const std::vector<float> lantern = made(*a, s, {piece});
    const int shell = s.shell[s.nearest(piece.place)];
    for (std::uint32_t v = 0; v < s.places.size(); ++v) REQUIRE(lantern[v] == (s.shell[v] == shell ? 1.0f : 0.0f));
}

TEST_CASE("curvature is above a half where the surface stands out, a half where it is flat") {
    TempFolder f;
    const auto box = test::read(test::boxFile(f.path()));
    const rig::Surface flat = rig::Surface::of(*box);
    for (float v : made(*box, flat, {step(From::Curvature)})) CHECK(v == Approx(0.5).margin(1e-4));
    const auto otter = test::read(kOtterFile);
    const rig::Surface s = rig::Surface::of(*otter);
    std::vector<Affine> worlds;
    rig::worldTransforms(otter->skeleton, otter->restPose(), worlds);
    // The tip of an ear is sharper than the belly.
    const std::vector<float> bent = made(*otter, s, {step(From::Curvature)});
    const auto at = [&](const char* joint) {
        const Vec3 tip = worlds[static_cast<std::size_t>(otter->skeleton.find(joint))].t;
        return bent[s.nearest(tip + Vec3(0, joint[0] == 'e' ? 0.05 : 0, joint[0] == 'e' ? 0 : 0.3))];
    };
    CHECK(at("ear_tip_L") > at("belly") + 0.05f);
}

TEST_CASE("a map's steps invert, blur and join one another, and other maps") {
    const auto a = test::read(kOtterFile);
    const rig::Surface s = rig::Surface::of(*a);
    rig::MapStep head = step(From::Weights), low = step(From::Height);
    head.joints = {"head"};
    low.low = 0.5;
    low.high = 0;
    const std::vector<float> h = made(*a, s, {head}), l = made(*a, s, {low});
    const auto joined = [&](Join join) {
        rig::MapStep second = low;
        second.join = join;
        return made(*a, s, {head, second});
    };
    const std::vector<float> most = joined(Join::Most), least = joined(Join::Least), times = joined(Join::Times),
                             sum = joined(Join::Add), rest = joined(Join::Take),
                             inverse = made(*a, s, {head, step(From::Invert)});
    for (std::size_t v = 0; v < h.size(); ++v) {
        REQUIRE(most[v] == std::max(h[v], l[v]));
        REQUIRE(least[v] == std::min(h[v], l[v]));
        REQUIRE(times[v] == h[v] * l[v]);
        REQUIRE(sum[v] == std::min(1.0f, h[v] + l[v]));
        REQUIRE(rest[v] == std::max(0.0f, h[v] - l[v]));
        REQUIRE(inverse[v] == 1 - h[v]);
    }
    // A blur softens edges and keeps to 0..1; a wider one more.
    const auto rough = [&](const std::vector<float>& m) {
        double d = 0;
        for (const auto& e : s.edges) d += (m[e[0]] - m[e[1]]) * (m[e[0]] - m[e[1]]);
        return d;
    };
    rig::MapStep narrow = step(From::Blur), wide = narrow;
    narrow.reach = 0.01;
    wide.reach = 0.05;
    CHECK(rough(made(*a, s, {head, narrow})) < rough(h));
    CHECK(rough(made(*a, s, {head, wide})) < 0.7 * rough(made(*a, s, {head, narrow})));
    // One map within another; a ring is refused by name, as is a map that is not there.
    rig::MapStep other = step(From::Map);
    other.map = "skull";
    const std::vector<rig::Map> maps{{"skull", {head}, false}};
    CHECK(made(*a, s, {other}, maps) == h);
    const std::vector<rig::Map> ring{{"skull", {other}, false}};
    for (const auto& bad : {rig::mapValues(*a, s, ring[0], ring), rig::mapValues(*a, s, {"m", {other}, false}, {})}) {
        REQUIRE_FALSE(bad.ok());
        CHECK_THAT(bad.error().text(), Catch::Contains("skull") && Catch::Contains("step 1"));
    }
    rig::MapStep nobody = head, colour = step(From::Colour);
    nobody.joints = {"nobody"};
    CHECK_THAT(rig::mapValues(*a, s, {"m", {head, nobody}, false}, {}).error().text(),
               Catch::Contains("step 2") && Catch::Contains("nobody"));
    colour.channel = 9;
    CHECK_FALSE(rig::mapValues(*a, s, {"m", {colour}, false}, {}).ok());
    colour.channel = 0;
    const std::vector<float> red = made(*a, s, {colour});
    CHECK(*std::max_element(red.begin(), red.end()) > *std::min_element(red.begin(), red.end()));
}

TEST_CASE("strokes on a map are saved with it and give the same again, a renamed joint is followed") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    REQUIRE(edit::carryOut(s, "add-map:name=soft,from=weights,joints=tail_01,below=yes").ok());
    const auto actorNow = s.actors[0].actor;
    const rig::Surface surface = rig::Surface::of(*actorNow);
    const Vec3 cheek = surface.places[surface.nearest(Vec3(0.15, 1.15, 0.1))].cast<double>();
    rig::Stroke stroke{rig::Brush::Add, 0.05, 0.9, true, {cheek, cheek + Vec3(0, 0.01, 0)}, {}};
    REQUIRE(edit::paintMap(s, actor, "soft", stroke));
    const auto before = edit::mapOf(s, actor, "soft", surface);
    REQUIRE(before.ok());
    CHECK(before.value()[surface.nearest(cheek)] > 0.8f);
    // The other cheek too.
    CHECK(before.value()[surface.nearest(Vec3(-cheek.x(), cheek.y(), cheek.z()))] > 0.5f);
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    const auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().scene.actors[0].maps == s.actors[0].maps);
    CHECK(edit::mapOf(again.value().scene, actor, "soft", surface).value() == before.value());
    REQUIRE(edit::carryOut(s, "rename-joint:joint=tail_01,name=rudder").ok());
    CHECK(s.actors[0].maps[0].steps[0].joints == std::vector<std::string>{"rudder"});
    CHECK(edit::mapOf(s, actor, "soft", surface).value() == before.value());
    // Steps by operation; what cannot be is refused and changes nothing.
    REQUIRE(edit::carryOut(s, "map-step:map=soft,from=invert").ok());
    CHECK(edit::mapOf(s, actor, "soft", surface).value()[surface.nearest(cheek)] < 0.2f);
    REQUIRE(edit::carryOut(s, "rename-map:map=soft,name=loose").ok());
    REQUIRE(edit::carryOut(s, "add-map:name=both,from=map,map=loose").ok());
    for (const char* bad :
         {"add-map:name=loose,from=height", "map-step:map=loose,from=map,other=both", "map-step:map=loose,from=tea",
          "map-step:map=nothing,from=invert", "add-map:name=x,from=weights,joints=nobody"}) {
        const scene::Scene was = s;
        const auto refused = edit::carryOut(s, bad);
        INFO(bad);
        REQUIRE_FALSE(refused.ok());
        CHECK(s.actors[0].maps == was.actors[0].maps);
    }
    // A map that others are made of stays until they are gone.
    CHECK_FALSE(edit::carryOut(s, "remove-map:map=loose").ok());
    REQUIRE(edit::carryOut(s, "remove-map:map=both").ok());
    REQUIRE(edit::carryOut(s, "remove-map:map=loose").ok());
    CHECK(s.actors[0].maps.empty());
}

TEST_CASE("a scene file with a map that cannot be read says where") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    REQUIRE(edit::carryOut(s, "add-map:name=soft,from=height,low=0.2,high=0.8").ok());
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    std::string text = test::textOf(f / "s.nutatio");
    text.replace(text.find("\"height\""), 8, "\"moonlight\"");
    test::put(f / "t.nutatio", text);
    const auto bad = pipeline::open(f / "t.nutatio");
    REQUIRE_FALSE(bad.ok());
    CHECK_THAT(bad.error().text(), Catch::Contains("maps[0].steps[0]") && Catch::Contains("moonlight"));
}
