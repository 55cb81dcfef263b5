// Overlap and Steady against what they are asked: lags in frames, reach, shares; at any rate, at ends and round loops.
#include <catch2/catch.hpp>
#include <cmath>

#include "layers/registry.h"
#include "layers/run.h"
#include "measure/in_shot.h"
#include "pipeline/live.h"
#include "rig/path.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using rig::Ends;

namespace {

/// A shot of a chain whose joints are given by time.
struct Shot {
    std::shared_ptr<const rig::Actor> actor = test::chainActor({});
    double fps, seconds;
    bool loops;
    rig::Track below;

    Shot(double rate, double length, bool round, const std::function<Xform(int joint, double t)>& at)
        : fps(rate), seconds(length), loops(round), below(make(at)) {}

    rig::Track make(const std::function<Xform(int joint, double t)>& at) const {
        const int frames = static_cast<int>(std::lround(fps * seconds)) + 1;
        std::vector<rig::ColumnPtr> columns;
        for (int j = 0; j < actor->skeleton.size(); ++j) {
            rig::Column c;
            for (int f = 0; f < frames; ++f) {
                Xform x = actor->skeleton.joint(j).rest;
                const Xform by = at(j, f / fps);
                x.t += by.t;
                x.r = x.r * by.r;
                c.push_back(x);
            }
            columns.push_back(std::make_shared<const rig::Column>(std::move(c)));
        }
        return {{frames, fps, 0, seconds}, std::move(columns)};
    }

    /// What a layer makes of it.
    rig::Track run(const std::string& kind, const std::vector<std::string>& joints, const scene::Values& values) const {
        scene::Scene s = test::sceneWith(actor);
        test::addLayer(s, kind, joints, values);
        layers::LayerContext context = layers::LayerContext::bare(*actor, s.layers[0]);
        context.period = loops ? seconds : 0;
        layers::Filtered made = layers::run(*layers::findKind(kind), context, below, {});
        rig::Track out = below;
        for (auto& [joint, column] : made.joints) out.replace(joint, std::move(column));
        return out;
    }
    rig::TurnPath turns(const rig::Track& track, const char* joint) const {
        std::vector<Quat> out;
        std::vector<Xform> pose;
        std::vector<Affine> worlds;
        for (int f = 0; f < track.frames(); ++f) {
            track.pose(f, pose);
            rig::worldTransforms(actor->skeleton, pose, worlds);
            out.push_back(rotationOf(worlds[static_cast<std::size_t>(actor->skeleton.find(joint))].m));
        }
        return {std::move(out), loops ? Ends::Round : Ends::Held};
    }
    std::vector<double> rates(const rig::Track& track, const char* joint) const {
        const rig::TurnPath path = turns(track, joint);
        std::vector<double> out;
        for (int f = 0; f < path.frames(); ++f) out.push_back(path.rate(f, std::max(0.7, fps / 24), fps).norm());
        return out;
    }
    Ends ends() const { return loops ? Ends::Round : Ends::Held; }
};

Xform turned(const Vec3& v) {
    return {Vec3::Zero(), fromRotationVector(v), Vec3::Ones()};
}

/// Turns to and fro with no single rate, closed after four seconds.
Vec3 wander(double t) {
    const double u = 2 * kPi * t / 4;
    return {0.5 * std::sin(2 * u) + 0.2 * std::sin(5 * u + 1), 0.7 * std::sin(u + 0.4) + 0.15 * std::sin(6 * u),
            0.2 * std::cos(3 * u)};
}

}  // namespace

TEST_CASE("what a path is between its frames: a turn at a steady rate, places along a parabola, round a loop and held at ends") {
    std::vector<Quat> turns;
    std::vector<Vec3> places;
    for (int f = 0; f <= 24; ++f) {
        turns.push_back(fromRotationVector(Vec3(0, 2 * kPi * f / 24.0, 0)));
        places.emplace_back(0.5 * f * f, 2 * f, 1);
    }
    const rig::TurnPath round(turns, Ends::Round), held(turns, Ends::Held);
    for (double at : {-7.3, 0.0, 3.25, 11.5, 23.9, 30.2}) {
        const Quat wanted = fromRotationVector(Vec3(0, 2 * kPi * at / 24.0, 0));
        CHECK(round.at(at).angularDistance(wanted) < 1e-3);
    }
    CHECK(held.at(-3).angularDistance(turns.front()) < 1e-12);
    CHECK(held.at(40).angularDistance(turns.back()) < 1e-12);
    // The same turn at either side of a quaternion's sign.
    CHECK(round.frame(24 + 24).angularDistance(turns.front()) < 1e-9);
    CHECK((round.rate(12, 2, 24) - Vec3(0, 2 * kPi, 0)).norm() < 1e-6);
    CHECK((held.rate(0, 2, 24) - Vec3(0, 2 * kPi, 0)).norm() < 1e-6);
    const rig::PlacePath path(places, Ends::Held);
    for (int f : {0, 12, 24}) {
        const auto fit = path.fit(f, 1.5, 24);
        CHECK((fit.value - places[static_cast<std::size_t>(f)]).norm() < 1e-6);
        CHECK((fit.speed - 24 * Vec3(f, 2, 0)).norm() < 1e-5);
        CHECK((fit.acceleration - 24.0 * 24 * Vec3(1, 0, 0)).norm() < 1e-4);
    }
    // A steady turn is kept to the ends.
    CHECK(held.smooth(0, 3).angularDistance(turns[0]) < 1e-6);
    CHECK(held.smooth(24, 3).angularDistance(turns[24]) < 1e-6);
}

TEST_CASE(
    "overlap comes as late as it is asked, in fractions of a frame, at 12 to 120 frames a second, round loops and without") {
    for (double fps : {12.0, 24.0, 60.0, 120.0})
        for (double lag : {1.0, 2.5, 4.0})
            for (bool loops : {false, true})
                for (const char* after : {"parent", "own"}) {
                    CAPTURE(fps, lag, loops, after);
                    const bool own = std::string(after) == "own";
                    const Shot shot(fps, 4, loops, [&](int joint, double t) {
                        // What does not go round begins and ends at rest: before the first frame nothing is known.
                        const double in = loops ? 1 : std::pow(std::sin(kPi * t / 4), 2);
                        return joint == (own ? 1 : 0) ? turned(in * wander(t)) : Xform{};
                    });
                    const rig::Track made = shot.run("overlap", {"bone_1"}, {{"after", std::string(after)}, {"lag", lag}});
                    const double is = rig::lagBetween(shot.rates(shot.below, "bone_1"), shot.rates(made, "bone_1"),
                                                      static_cast<int>(fps), shot.ends());
                    CHECK(std::abs(is - lag) < 0.1);
                    if (loops) CHECK(made.at(1, 0).r.angularDistance(made.at(1, made.frames() - 1).r) < 1e-9);
                }
}

TEST_CASE("overlap grows along a chain from root to tip, and what is not named rides along") {
    const Shot shot(24, 4, true, [](int joint, double t) { return joint == 0 ? turned(wander(t)) : Xform{}; });
    const rig::Track made = shot.run("overlap", {"bone_1", "bone_2", "bone_3"}, {{"lag", 6.0}, {"travel", 0.0}});
    const auto early = shot.rates(shot.below, "bone_1");
    const double lags[] = {2, 4, 6, 6};
    const char* names[] = {"bone_1", "bone_2", "bone_3", "bone_4"};
    for (int k = 0; k < 4; ++k)
        CHECK(std::abs(rig::lagBetween(early, shot.rates(made, names[k]), 24, Ends::Round) - lags[k]) < 0.1);
    for (int f = 0; f < made.frames(); ++f) CHECK(made.at(4, f) == shot.below.at(4, f));
}

TEST_CASE("a head tips late when the body only sinks: its end comes as late as asked, and stays where travel does not count") {
    for (double fps : {12.0, 24.0, 60.0}) {
        CAPTURE(fps);
        const Shot shot(fps, 4, true, [](int joint, double t) {
            Xform x;
            const double u = 2 * kPi * t / 4;
            if (joint == 0) x.t = Vec3(0, 0.03 * std::sin(2 * u) + 0.02 * std::sin(5 * u), 0);
            return x;
        });
        const auto endHeights = [&](const rig::Track& track) {
            std::vector<double> out;
            for (const Vec3& p : test::worldPlaces(*shot.actor, track, 2)) out.push_back(p.y());
            return out;
        };
        const double lag = 3.5;
        const rig::Track made = shot.run("overlap", {"bone_1"}, {{"lag", lag}});
        CHECK(std::abs(rig::lagBetween(endHeights(shot.below), endHeights(made), static_cast<int>(fps), Ends::Round) - lag) <
              0.1);
        const rig::Track stiff = shot.run("overlap", {"bone_1"}, {{"lag", lag}, {"travel", 0.0}});
        for (int f = 0; f < stiff.frames(); ++f) CHECK(stiff.at(1, f).r.angularDistance(shot.below.at(1, f).r) < 1e-9);
        // Only sideways counts: sinking does not.
        const rig::Track sideways = shot.run("overlap", {"bone_1"}, {{"lag", lag}, {"ways", std::string("xz")}});
        for (int f = 0; f < sideways.frames(); ++f) CHECK(sideways.at(1, f).r.angularDistance(shot.below.at(1, f).r) < 1e-9);
        // Seen from the actor's root nothing moves at all.
        const rig::Track seen = shot.run("overlap", {"bone_1"}, {{"lag", lag}, {"frame", std::string("actor")}});
        for (int f = 0; f < seen.frames(); ++f) CHECK(seen.at(1, f).r.angularDistance(shot.below.at(1, f).r) < 1e-6);
    }
}

TEST_CASE("overlap goes as far as it is asked about its mean, keeps to its axes, and without a lag changes nothing") {
    const Shot shot(24, 4, true,
                    [](int joint, double t) { return joint == 1 ? turned(Vec3(0.3 * std::sin(kPi * t), 0, 0)) : Xform{}; });
    const auto rms = [&](const rig::Track& track) {
        double sum = 0;
        for (int f = 0; f + 1 < track.frames(); ++f) sum += rotationVector(track.at(1, f).r).squaredNorm();
        return std::sqrt(sum);
    };
    for (double grows : {0.5, 1.5, 2.0}) {
        const rig::Track made = shot.run("overlap", {"bone_1"}, {{"after", std::string("own")}, {"lag", 2.0}, {"grows", grows}});
        CHECK(rms(made) / rms(shot.below) == Approx(grows).epsilon(1e-3));
    }
    const rig::Track none = shot.run("overlap", {"bone_1"}, {{"after", std::string("own")}, {"lag", 0.0}});
    for (int f = 0; f < none.frames(); ++f) CHECK(none.at(1, f).r.angularDistance(shot.below.at(1, f).r) < 1e-9);
    const rig::Track other =
        shot.run("overlap", {"bone_1"}, {{"after", std::string("own")}, {"lag", 4.0}, {"turn", std::string("yz")}});
    for (int f = 0; f < other.frames(); ++f) CHECK(other.at(1, f).r.angularDistance(shot.below.at(1, f).r) < 1e-9);
}

TEST_CASE("what drags at starts and settles at stops reads later there, the same at 24 to 120 frames a second") {
    for (double fps : {24.0, 60.0, 120.0}) {
        CAPTURE(fps);
        // One turn of 90 degrees in a second, and stillness about it.
        const auto angle = [](double t) {
            const double u = std::clamp(t - 1, 0.0, 1.0);
            return radians(90) * u * u * u * (u * (6 * u - 15) + 10);
        };
        const Shot shot(fps, 3, false, [&](int joint, double t) { return joint == 0 ? turned(Vec3(0, angle(t), 0)) : Xform{}; });
        const double lag = 0.1 * fps;
        const rig::Track even = shot.run("overlap", {"bone_1"}, {{"lag", lag}, {"travel", 0.0}}),
                         drags =
                             shot.run("overlap", {"bone_1"}, {{"lag", lag}, {"travel", 0.0}, {"starts", 2.0}, {"stops", 0.5}});
        // When a share of the turn is done [s].
        const auto when = [&](const rig::Track& track, double share) {
            const rig::TurnPath path = shot.turns(track, "bone_1");
            for (int f = 1; f < path.frames(); ++f) {
                const double a = rotationVector(path.frame(f - 1)).y(), b = rotationVector(path.frame(f)).y(),
                             goal = share * radians(90);
                if (a < goal && b >= goal) return (f - 1 + (goal - a) / (b - a)) / fps;
            }
            return -1.0;
        };
        for (double share : {0.1, 0.5, 0.9}) CHECK(when(even, share) - when(shot.below, share) == Approx(0.1).margin(0.006));
        CHECK(when(drags, 0.1) - when(shot.below, 0.1) > 0.14);
        CHECK(when(drags, 0.9) - when(shot.below, 0.9) == Approx(0.05).margin(0.02));
        // Nothing goes backwards.
        const rig::TurnPath path = shot.turns(drags, "bone_1");
        for (int f = 1; f < path.frames(); ++f)
            CHECK(rotationVector(path.frame(f)).y() > rotationVector(path.frame(f - 1)).y() - radians(0.01));
    }
}

TEST_CASE("steady leaves the share that it is asked of what is fast, on its axes alone, of turns and of places") {
    for (double fps : {24.0, 60.0})
        for (bool loops : {false, true}) {
            CAPTURE(fps, loops);
            const Shot shot(fps, 4, loops, [](int joint, double t) {
                const double u = 2 * kPi * t / 4;
                if (joint == 0)
                    return turned(
                        Vec3(0.05 * std::sin(17 * u), 0.6 * std::sin(u) + 0.06 * std::sin(15 * u), 0.04 * std::sin(19 * u)));
                Xform x;
                if (joint == 1) x.t = Vec3(0, 0.02 * std::sin(16 * u), 0.01 * std::sin(18 * u));
                return x;
            });
            const rig::Track made = shot.run(
                "steady", {"bone_1"}, {{"share", 0.6}, {"rate", 2.0}, {"turn", std::string("y")}, {"move", std::string("y")}});
            const double sigma = 0.1325 / 2 * fps;
            const rig::TurnPath was = shot.turns(shot.below, "bone_1"), is = shot.turns(made, "bone_1");
            const auto placesWas = test::worldPlaces(*shot.actor, shot.below, 1),
                       placesIs = test::worldPlaces(*shot.actor, made, 1);
            const rig::PlacePath path(placesWas, shot.ends());
            double off = 0, across = 0, moved = 0, stray = 0;
            for (int f = 0; f < was.frames(); ++f) {
                const Quat smooth = was.smooth(f, sigma);
                const Vec3 before = rotationVector(was.frame(f) * smooth.conjugate()),
                           after = rotationVector(is.frame(f) * smooth.conjugate());
                off = std::max(off, std::abs(after.y() - 0.4 * before.y()));
                across = std::max({across, std::abs(after.x() - before.x()), std::abs(after.z() - before.z())});
                const auto k = static_cast<std::size_t>(f);
                const Vec3 e = placesWas[k] - path.smooth(f, sigma), g = placesIs[k] - path.smooth(f, sigma);
                moved = std::max(moved, std::abs(g.y() - 0.4 * e.y()));
                stray = std::max({stray, std::abs(g.x() - e.x()), std::abs(g.z() - e.z())});
            }
            CHECK(off < 1e-6);
            CHECK(across < 1e-6);
            CHECK(moved < 1e-9);
            CHECK(stray < 1e-9);
            // What hangs on it goes along, and at a share of nothing it is as it was.
            for (int f = 0; f < made.frames(); ++f) REQUIRE(made.at(2, f) == shot.below.at(2, f));
            const rig::Track none = shot.run("steady", {"bone_1"}, {{"share", 0.0}});
            for (int f = 0; f < none.frames(); ++f) CHECK(none.at(1, f).r.angularDistance(shot.below.at(1, f).r) < 1e-9);
        }
}

TEST_CASE("a cut parts what comes late from what was before it") {
    const Shot shot(24, 4, false,
                    [](int joint, double t) { return joint == 0 ? turned(Vec3(0, t < 2 ? 0.0 : 1.5, 0)) : Xform{}; });
    scene::Scene s = test::sceneWith(shot.actor);
    test::addLayer(s, "overlap", {"bone_1"}, {{"lag", 5.0}});
    layers::LayerContext context = layers::LayerContext::bare(*shot.actor, s.layers[0]);
    context.cuts = {48};
    for (bool cut : {true, false}) {
        if (!cut) context.cuts.clear();
        const layers::Filtered made = layers::run(*layers::findKind("overlap"), context, shot.below, {});
        double most = 0;
        for (int f = 0; f < shot.below.frames(); ++f)
            most = std::max(most, made.joints[0].second[static_cast<std::size_t>(f)].r.angularDistance(shot.below.at(1, f).r));
        CHECK((cut ? most < 1e-6 : most > 0.5));
    }
}

TEST_CASE("what was asked and what came of it is told in words, of a walk") {
    const auto said = [](const char* kind, const scene::Values& values, double fps = 24) {
        scene::Scene s = test::otterScene();
        test::play(s, "Walk");
        test::setRate(s, fps);
        const std::string id = test::addLayer(s, kind, {"head"}, values);
        const pipeline::Evaluation e = test::evaluate(s);
        return measure::askedAndGot(*layers::findKind(kind), s, s.actors[0], s.layers[0], e.layer(id)->settings, *e.below(id),
                                    *e.above(id));
    };
    for (double fps : {12.0, 24.0, 60.0}) {
        CHECK(said("overlap", {{"lag", 4.0}}, fps) == "lags 4.0 frames, asked 4");
        CHECK(said("overlap", {{"lag", 2.5}, {"travel", 0.0}}, fps) == "lags 2.5 frames, asked 2.5");
        CHECK(said("overlap", {{"lag", 1.0}, {"after", std::string("own")}}, fps) == "lags 1.0 frames, asked 1");
    }
    // Half of it mixed in is not what was asked, and that is told too.
    CHECK(said("overlap", {{"lag", 4.0}, {"mix", 0.5}}) != "lags 4.0 frames, asked 4");
    CHECK(said("steady", {{"share", 0.6}, {"rate", 2.0}}) == "takes 60.0 % of what is faster than 2/s, asked 60");
    CHECK(said("steady", {{"share", 0.6}, {"rate", 2.0}, {"mix", 0.5}}) == "takes 30.0 % of what is faster than 2/s, asked 60");
    // In a loop of 28 frames the rate becomes that of one cycle.
    CHECK(said("sway", {{"rate", 1.0}, {"size", 5.0}}) == "0.86 times a second by 5 deg, asked 1 and 5");
}

TEST_CASE("while a hand moves the body Overlap comes late by its frames and Steady takes its share, from the past alone") {
    // The root turns to and fro; steps come faster than frames, as a hand's do.
    const auto turn = [](double t) { return 0.5 * std::sin(2 * kPi * 0.8 * t); };
    const std::string kind = GENERATE("overlap", "steady");
    INFO(kind);
    scene::Scene s = test::sceneWith(test::chainActor({}));
    const std::string id = test::addLayer(
        s, kind, {"bone_1"}, kind == "overlap" ? scene::Values{{"lag", 5.0}} : scene::Values{{"rate", 0.3}, {"share", 0.6}});
    REQUIRE(s.shot().fps == 24);
    pipeline::Evaluator evaluator;
    pipeline::Live live(s, s.actors[0].id, evaluator);
    const rig::Actor& actor = *s.actors[0].actor;
    const double dt = 1.0 / 60;
    const auto body = [&](int step) -> std::optional<pipeline::Live::Moment> {
        pipeline::Live::Moment m{actor.restPose(), 0, step * dt};
        m.locals[0].r = fromRotationVector(Vec3(turn(step * dt), 0, 0));
        return m;
    };
    live.start(dt, body);
    double off = 0, most = 0, still = 0;
    for (int step = 1; step < 400; ++step) {
        live.step();
        const double t = step * dt;
        if (t < 3) continue;
        const Quat world = live.result()[0].r * live.result()[1].r;
        const double is = rotationVector(world).x();
        off = std::max(off, std::abs(is - turn(t - 5.0 / 24)));
        most = std::max(most, std::abs(is));
        still = std::max(still, std::abs(turn(t)));
    }
    if (kind == "overlap")
        CHECK(degrees(off) < 0.6);
    else
        // 0.4 of what is fast, and what of it the spring still follows: |0.4 + 0.6 H|, H = 1 / (1 + i f / f0)^2.
        CHECK(most == Approx(0.35 * still).epsilon(0.06));
}
