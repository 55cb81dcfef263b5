// Shots that are marked as loops: what is simulated ends as it begins.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "physics/anderson.h"
#include "pipeline/live.h"
#include "tests/support/rigs.h"

using namespace nutatio;

namespace {

/// A chain of eight links whose root turns and goes to and fro, `frames` a period.
scene::Scene swaying(int frames, double swing, double bounces, double size = 0.3) {
    test::ChainSpec spec;
    spec.bones = 8;
    spec.length = 0.1;
    spec.frames = frames + 1;
    const double period = frames / spec.fps;
    spec.motion = [=](double t) {
        Xform x;
        const double a = 2 * kPi * t / period;
        x.r = fromRotationVector(Vec3(0.3 * size * std::sin(2 * a), size * std::sin(a), 0));
        x.t = Vec3(0.1 * size * std::cos(a), 0, 0);
        return x;
    };
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::addLayer(s, "strand", {"bone_1"}, {{"swing", swing}, {"bounces", bounces}, {"preroll", 0.0}});
    s.editShot().loop = scene::Loop::Closed;
    return s;
}

/// Largest break from the last frame to the first one, in place and in its change by a frame, of the chain's tip [chain lengths].
double seamOf(const scene::Scene& s, const pipeline::Evaluation& e) {
    const rig::Actor& a = *s.actors[0].actor;
    const auto tip = test::worldPlaces(a, *e.actors[0].result, a.skeleton.find("bone_8"));
    const std::size_t n = tip.size();
    const Vec3 in = tip[n - 1] - tip[n - 2], out = tip[1] - tip[0];
    // A step and the next one differ by the bend of the path; those beside the seam tell how much.
    const Vec3 before = tip[n - 2] - tip[n - 3], after = tip[2] - tip[1];
    return std::max((tip[n - 1] - tip[0]).norm(),
                    std::max(0.0, (out - in).norm() - (in - before).norm() - (after - out).norm())) /
           0.7;
}

}  // namespace

TEST_CASE("a fixed point is found in fewer turns than plain repetition takes") {
    // y := A y + b, whose slowest part shrinks by a hundredth a turn.
    // Plainly three quarters of it would be missing after thirty turns.
    const double shrinks[] = {0.99, 0.9, -0.8};
    const std::vector<double> solution{100, 10, 1 / 1.8};
    const auto map = [&](std::vector<double> y) {
        for (std::size_t i = 0; i < 3; ++i) y[i] = shrinks[i] * y[i] + 1;
        return y;
    };
    physics::Anderson faster({1, 1, 1});
    std::vector<double> y(3, 0.0);
    for (int k = 0; k < 30; ++k) y = faster.next(y, map(y));
    for (std::size_t i = 0; i < 3; ++i) CHECK(y[i] == Approx(solution[i]).epsilon(0.01));
    // A component without weight takes no part in the fit and follows all the same.
    physics::Anderson partly({1, 0, 1});
    y.assign(3, 0.0);
    for (int k = 0; k < 100; ++k) y = partly.next(y, map(y));
    CHECK(y[1] == Approx(10).epsilon(1e-3));
}

TEST_CASE("a loop closes whatever its period, its swing rate and its bounces") {
    for (const int frames : {7, 14, 28, 96})
        for (const double swing : {0.6, 2.5})
            for (const double bounces : {2.0, 20.0}) {
                CAPTURE(frames, swing, bounces);
                const scene::Scene s = swaying(frames, swing, bounces, 0.15);
                const pipeline::Evaluation e = test::evaluate(s);
                const layers::Closure& c = e.layer(s.layers[0].id)->closure;
                CHECK(c.blended == 0);
                CHECK(c.laps > 1);
                CHECK(c.after < 1e-4);
                CHECK(seamOf(s, e) < 1e-3);
                CHECK(e.layer(s.layers[0].id)->remarks.empty());
            }
}

TEST_CASE("what a closed loop plays is what plain laps come to in the end") {
    const scene::Scene s = swaying(24, 1.5, 3);
    const rig::Actor& a = *s.actors[0].actor;
    const auto closed = test::worldPlaces(a, *test::evaluate(s).actors[0].result, a.skeleton.find("bone_8"));
    // Round and round by hand, as a tug runs it.
    pipeline::Evaluator evaluator;
    pipeline::Live live(s, s.actors[0].id, evaluator);
    const pipeline::TrackPtr body = evaluator.bodyOf(s, s.shot(), s.actors[0]);
    live.start(1 / 24.0, [&](int step) {
        pipeline::Live::Moment m;
        body->pose(step % 24, m.locals);
        m.frame = step % 24;
        m.time = step / 24.0;
        return m;
    });
    for (int k = 0; k < 24 * 60; ++k) live.step();
    for (int k = 0; k < 24; ++k) {
        std::vector<Affine> worlds;
        rig::worldTransforms(a.skeleton, live.result(), worlds);
        CHECK((worlds[static_cast<std::size_t>(a.skeleton.find("bone_8"))].t - closed[static_cast<std::size_t>(k)]).norm() <
              1e-3);
        live.step();
    }
}

TEST_CASE("a shot that is marked to play once begins at rest, though its clip comes round") {
    scene::Scene s = swaying(24, 1.5, 3);
    s.editShot().loop = scene::Loop::Once;
    const pipeline::Evaluation e = test::evaluate(s);
    CHECK(e.layer(s.layers[0].id)->closure.laps == 0);
    const int j = s.actors[0].actor->skeleton.find("bone_3");
    CHECK(e.actors[0].result->at(j, 0).r.angularDistance(e.actors[0].body->at(j, 0).r) < 1e-6);
}

TEST_CASE("a loop that does not come round is blended, and says so") {
    const auto struck = [](double swing, double place) {
        // A plane in the way of the swing: it is struck in every lap.
        scene::Scene s = swaying(7, swing, 20);
        scene::Collider& c = *s.collider(edit::addCollider(s, s.actors[0].id, "bone_1", scene::Shape::Plane));
        c.mount = {};
        c.setVector("offset", Vec3(place, 0, 0));
        c.set("turn_z", -90.0);
        return s;
    };
    for (const auto& [s, returns] : {std::pair(struck(0.6, 0), 0), {struck(1.2, 0.05), 2}}) {
        CAPTURE(returns);
        const pipeline::Evaluation e = test::evaluate(s);
        const pipeline::LayerResult& r = *e.layer(s.layers[0].id);
        CHECK(r.closure.blended == 3);
        CHECK(r.closure.returns == returns);
        REQUIRE_FALSE(r.remarks.empty());
        CHECK(r.remarks.back().find("blended over its first 3 frames") != std::string::npos);
        CHECK((r.remarks.back().find("after 2 laps") != std::string::npos) == (returns == 2));
        const rig::Actor& a = *s.actors[0].actor;
        const auto tip = test::worldPlaces(a, *e.actors[0].result, a.skeleton.find("bone_8"));
        CHECK((tip.front() - tip.back()).norm() < 1e-9);
        // The step out of the seam is no larger than the largest within.
        double most = 0;
        for (std::size_t f = 4; f < tip.size(); ++f) most = std::max(most, (tip[f] - tip[f - 1]).norm());
        CHECK((tip[1] - tip[0]).norm() < 1.2 * most);
    }
}

TEST_CASE("the same loop is the same bits twice and by threads, and as a layer above another") {
    scene::Scene s = swaying(24, 1.5, 6);
    test::addLayer(s, "jiggle", {"bone_8"}, {{"swing", 3.0}});
    const pipeline::Evaluation a = test::evaluate(s), b = test::evaluate(s);
    CHECK(test::sameBits(*a.actors[0].result, *b.actors[0].result));
    CHECK(a.layer(s.layers[1].id)->closure.laps > 1);
    CHECK(a.layer(s.layers[1].id)->closure.after < 1e-4);
}

TEST_CASE("keys of a loop go round: a value between the last and the first key lies between theirs") {
    scene::Scene s = swaying(24, 1.5, 6);
    const scene::Owner owner = test::layerAt(s);
    test::keyed(s, owner, "gravity", {{6, 1.0}, {18, 0.0}});
    // Half way from the last key, over the seam, to the first one.
    CHECK(s.numberAt(owner, "gravity", 0) == Approx(0.5));
    CHECK(s.numberAt(owner, "gravity", 24) == Approx(0.5));
    const auto settings = test::evaluate(s).settingsOf(owner);
    CHECK(settings->at("gravity", 0) == Approx(0.5));
    CHECK(settings->at("gravity", 21) > 0.1);
    s.editShot().loop = scene::Loop::Found;
    CHECK(s.numberAt(owner, "gravity", 0) == 1);
    CHECK(s.numberAt(owner, "gravity", 24) == 0);
}

TEST_CASE("how a shot loops is saved, and a word that is none is refused with its place") {
    test::TempFolder folder;
    const scene::Scene s = swaying(24, 1.5, 6);
    scene::Scene onDisk = test::otterScene();
    onDisk.editShot().loop = scene::Loop::Closed;
    REQUIRE(files::writeScene(onDisk, folder / "s.nutatio").ok());
    const auto back = files::readScene(folder / "s.nutatio");
    REQUIRE(back.ok());
    CHECK(back.value().shot().loop == scene::Loop::Closed);
    std::string text = test::textOf(folder / "s.nutatio");
    text.replace(text.find("\"closed\""), 8, "\"oval\"");
    test::put(folder / "s.nutatio", text);
    const auto refused = files::readScene(folder / "s.nutatio");
    REQUIRE_FALSE(refused.ok());
    CHECK(refused.error().text().find("shots[0].loop") != std::string::npos);
}
