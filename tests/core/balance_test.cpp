// A body's weight: flights, crouches, turns, lean, counter-balance; on bodies that are built here and on mocap of nobody's.
#include <catch2/catch.hpp>

#include "layers/balance/balance_shown.h"
#include "layers/balance/weighing.h"
#include "layers/balance/weight_path.h"
#include "layers/registry.h"
#include "layers/run.h"
#include "measure/check.h"
#include "rig/roles.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using layers::balance::Weighed;

namespace {

struct Balanced {
    rig::Track below, above;
    layers::Filtered made;
};

Balanced balanced(const rig::Actor& actor, rig::Track below, const scene::Values& values, std::vector<int> cuts = {}) {
    scene::Layer layer;
    layer.id = "b";
    layer.kind = "balance";
    layer.values = scene::startValues(layers::findKind("balance")->settings);
    for (const auto& [id, v] : values) layer.values[id] = v;
    layers::LayerContext c = layers::LayerContext::bare(actor, layer);
    c.cuts = std::move(cuts);
    const Cancel never;
    Balanced out{below, below, layers::run(*layers::findKind("balance"), c, below, never)};
    for (auto& [joint, column] : out.made.joints) out.above.replace(joint, column);
    return out;
}

double footSlide(const rig::Actor& a, const Balanced& b) {
    double worst = 0;
    for (const rig::Limb& l : rig::rolesOf(a).legs) {
        const auto was = test::worldPlaces(a, b.below, l.end), is = test::worldPlaces(a, b.above, l.end);
        for (std::size_t f = 0; f < was.size(); ++f) {
            bool flies = false;
            for (const auto& x : b.made.noted<Weighed>()->flights)
                flies = flies || (static_cast<int>(f) >= x.from && static_cast<int>(f) <= x.to);
            if (!flies) worst = std::max(worst, (was[f] - is[f]).norm());
        }
    }
    return worst;
}
/// How many pops the check finds in a motion.
int popsIn(const rig::Actor& actor, const rig::Track& t) {
    rig::Clip clip;
    clip.name = "made";
    clip.end = (t.frames() - 1) / t.grid().fps;
    for (int j = 0; j < t.joints(); ++j)
        for (const rig::Path path : {rig::Path::Move, rig::Path::Turn}) {
            if (t.holdsStill(j)) continue;
            rig::Channel c;
            c.joint = j;
            c.path = path;
            c.width = path == rig::Path::Turn ? 4 : 3;
            Quat before = t.at(j, 0).r;
            for (int f = 0; f < t.frames(); ++f) {
                c.times.push_back(static_cast<float>(f / t.grid().fps));
                before = sameSide(t.at(j, f).r, before);
                for (int k = 0; k < c.width; ++k)
                    c.values.push_back(static_cast<float>(path == rig::Path::Turn ? before.coeffs()[k] : t.at(j, f).t[k]));
            }
            clip.channels.push_back(std::move(c));
        }
    auto alone = std::make_shared<rig::Actor>(actor);
    alone->clips.edit() = {std::move(clip)};
    alone->keyMotion();
    int pops = 0;
    for (const measure::Finding& f : measure::check(test::sceneWith(std::move(alone)))) pops += f.kind == "pop";
    return pops;
}

}  // namespace

namespace {

constexpr double kG = kEarthGravity;

/// Mocap of jumps and turns, at the size that its flights tell; and of boxing.
std::shared_ptr<rig::Actor> mocap(const std::string& file, double metresPerUnit) {
    auto actor = std::make_shared<rig::Actor>(*test::read(test::kMocapFolder + file));
    actor->metresPerUnit = metresPerUnit;
    return actor;
}

rig::Track clipOf(const rig::Actor& a, double fps) {
    return rig::bodyTrack(a, 0, rig::FrameGrid::covering(a.clips[0], fps));
}

layers::balance::Weighing weighed(const rig::Actor& actor, const rig::Track& track) {
    scene::Layer layer;
    layer.kind = "balance";
    layer.values = scene::startValues(layers::findKind("balance")->settings);
    const layers::LayerContext c = layers::LayerContext::bare(actor, layer);
    const Cancel never;
    return layers::balance::Weighing(c, layers::balance::Weights(c), track, {0, track.frames(), false}, never);
}

/// Only flights and their crouches, nothing of what is asked for besides.
const scene::Values kFlightsAlone{{"effort", 0.0}, {"poise", 0.0}};

/// The share of the time that two lists of flights have in common.
double inCommon(const std::vector<rig::Flight>& a, double fpsA, const std::vector<rig::Flight>& b, double fpsB) {
    double both = 0, either = 0;
    for (std::size_t k = 0; k < a.size(); ++k) {
        const double from = a[k].from / fpsA, to = a[k].to / fpsA, from2 = b[k].from / fpsB, to2 = b[k].to / fpsB;
        both += std::min(to, to2) - std::max(from, from2);
        either += std::max(to, to2) - std::min(from, from2);
    }
    return both / either;
}

/// How far a motion's pressure points lie outside of what stands within 0.3 s of the frame [m]; -1 where nothing does.
std::vector<double> outOfBalance(const Weighed& w, const std::vector<Vec3>& centre, double fps) {
    const rig::PlacePath path(centre, rig::Ends::Held);
    std::vector<double> out(centre.size(), -1);
    for (std::size_t f = 0; f < centre.size(); ++f) {
        if (w.support[f].empty()) continue;
        std::vector<Eigen::Vector2d> hull;
        const auto reach = static_cast<std::size_t>(0.3 * fps);
        for (std::size_t k = f < reach ? 0 : f - reach; k <= std::min(f + reach, centre.size() - 1); ++k)
            for (const Vec3& p : w.support[k]) hull.emplace_back(p.x(), p.z());
        hull = layers::balance::hullOf(std::move(hull));
        const auto fit = path.fit(static_cast<int>(f), 0.12 * fps, fps);
        const double k = (centre[f].y() - w.support[f][0].y()) / (kG + fit.acceleration.y());
        const Eigen::Vector2d p(centre[f].x() - k * fit.acceleration.x(), centre[f].z() - k * fit.acceleration.z());
        out[f] = (layers::balance::nearestIn(hull, p, 0) - p).norm();
    }
    return out;
}

}  // namespace

TEST_CASE("the offset that moves a pressure point does just that, and a shift that lasts is as large as it") {
    const double fps = 60, g = kG;
    std::vector<double> asked, height;
    for (int f = 0; f < 200; ++f) {
        asked.push_back(f > 80 && f < 120 ? 0.1 : 0.02 * std::sin(0.05 * f));
        height.push_back(0.9 + 0.1 * std::sin(0.1 * f));
    }
    const std::vector<double> d = layers::balance::offsetForPressure(asked, height, g, fps, false, false);
    for (std::size_t f = 1; f + 1 < d.size(); ++f) {
        const double bends = (d[f - 1] - 2 * d[f] + d[f + 1]) * fps * fps;
        CHECK(d[f] - height[f] / g * bends == Approx(asked[f]).margin(1e-9));
    }
    const std::vector<double> even =
        layers::balance::offsetForPressure(std::vector<double>(50, 0.07), std::vector<double>(50, 1.0), g, fps, false, false);
    for (double v : even) CHECK(v == Approx(0.07));
    // Held at an end it leaves from nothing there.
    CHECK(layers::balance::offsetForPressure(asked, height, g, fps, true, true).front() == 0);
}

TEST_CASE("a flight that is drawn too flat falls as things fall, between the same places, and the body dips for it") {
    for (double fps : {24.0, 60.0, 120.0}) {
        INFO(fps);
        // On the ground, a leap of 0.5 s that rises 0.12 m where it ought to rise 0.31, and on the ground again, going at 1 m/s.
        const int b = static_cast<int>(fps), e = b + static_cast<int>(0.5 * fps), n = static_cast<int>(2.5 * fps);
        std::vector<Vec3> way;
        for (int f = 0; f < n; ++f) {
            const double u = std::clamp(static_cast<double>(f - b) / (e - b), 0.0, 1.0);
            way.emplace_back(f / fps, 1 + 4 * 0.12 * u * (1 - u), 0);
        }
        const rig::PlacePath path(way, rig::Ends::Held);
        const std::vector<rig::Flight> flights{{b + 1, e - 1, 0}};
        const std::vector<Vec3> by = layers::balance::fallingOffsets(path, flights, kG, fps, 0.25);
        std::vector<Vec3> now;
        for (int f = 0; f < n; ++f) now.push_back(way[static_cast<std::size_t>(f)] + by[static_cast<std::size_t>(f)]);
        const rig::PlacePath made(now, rig::Ends::Held);
        CHECK(rig::pullOf(made, b, e, fps) == Approx(kG).epsilon(1e-9));
        CHECK(by[static_cast<std::size_t>(b)].norm() < 1e-12);
        CHECK(by[static_cast<std::size_t>(e)].norm() < 1e-12);
        double low = 1e9;
        for (const Vec3& p : now) low = std::min(low, p.y());
        CHECK(low < 0.97);
        // No jump in speed larger than the ground's push of a few g makes in a frame.
        for (int f = 1; f + 1 < n; ++f) {
            const auto k = static_cast<std::size_t>(f);
            CHECK((now[k - 1] - 2 * now[k] + now[k + 1]).norm() * fps * fps < 8 * kG);
        }
        CHECK(by.front().norm() == 0);
        CHECK(by.back().norm() == 0);
    }
}

TEST_CASE("fifteen percent of wind-up and twenty of carry-through are that, at any frame rate") {
    for (double fps : {12.0, 24.0, 120.0}) {
        INFO(fps);
        std::vector<double> heading;
        for (int f = 0; f < static_cast<int>(4 * fps); ++f) heading.push_back(radians(180) * eased((f / fps - 1.5) / 0.8));
        const auto turns = layers::balance::turningsOf(heading, fps, radians(30));
        REQUIRE(turns.size() == 1);
        CHECK(degrees(turns[0].angle) == Approx(180).margin(6));
        CHECK(turns[0].middle / fps == Approx(1.9).margin(0.03));
        double back = 0, on = 0;
        for (std::size_t f = 0; f < heading.size(); ++f) {
            const double t = layers::balance::counterTurn(turns[0], static_cast<double>(f), 0.15, 0.33 * fps, 0.2, 0.4 * fps);
            back = std::min(back, t);
            on = std::max(on, t);
        }
        CHECK(-back / turns[0].angle == Approx(0.15).epsilon(0.01));
        CHECK(on / turns[0].angle == Approx(0.2).epsilon(0.01));
    }
    // Who only sways does not turn.
    std::vector<double> sways;
    for (int f = 0; f < 100; ++f) sways.push_back(radians(8) * std::sin(0.4 * f));
    CHECK(layers::balance::turningsOf(sways, 24, radians(30)).empty());
}

TEST_CASE("an outline goes round its points, and the nearest place in it is inside") {
    const auto hull = layers::balance::hullOf({{0, 0}, {1, 0}, {1, 1}, {0, 1}, {0.5, 0.5}, {0.2, 0.9}});
    CHECK(hull.size() == 4);
    CHECK((layers::balance::nearestIn(hull, {0.4, 0.6}, 0) - Eigen::Vector2d(0.4, 0.6)).norm() == 0);
    CHECK((layers::balance::nearestIn(hull, {2, 0.5}, 0) - Eigen::Vector2d(1, 0.5)).norm() < 1e-12);
    CHECK((layers::balance::nearestIn(hull, {2, 0.5}, 0.1) - Eigen::Vector2d(1.05, 0.5)).norm() < 1e-12);
    CHECK((layers::balance::nearestIn({{1, 2}}, {5, 5}, 0.1) - Eigen::Vector2d(1, 2)).norm() == 0);
}

TEST_CASE("ten leaps of mocap are found at 24, 60 and 120 frames a second, fall nearly as things fall, and boxing has none") {
    const auto leaps = mocap("01_01.bvh", 0.0564);
    std::vector<layers::balance::Weighing> at;
    for (double fps : {24.0, 60.0, 120.0}) at.push_back(weighed(*leaps, clipOf(*leaps, fps)));
    for (const layers::balance::Weighing& w : at) {
        REQUIRE(w.flights.size() == 10);
        for (const rig::Flight& x : w.flights) CHECK(x.pull == Approx(kG).epsilon(0.12));
    }
    CHECK(inCommon(at[0].flights, 24, at[2].flights, 120) > 0.85);
    CHECK(inCommon(at[1].flights, 60, at[2].flights, 120) > 0.93);
    const auto boxing = mocap("Boxing_Toes.bvh", test::read(test::kMocapFolder + "Boxing_Toes.bvh")->metresPerUnit);
    CHECK(weighed(*boxing, clipOf(*boxing, 60)).flights.empty());
}

TEST_CASE("leaps that were flattened to 55 percent fall with 9.81 again, on feet that stay, without a pop") {
    const auto actor = mocap("01_01.bvh", 0.0564);
    for (double fps : {24.0, 120.0}) {
        INFO(fps);
        rig::Track flat = clipOf(*actor, fps);
        const layers::balance::Weighing is = weighed(*actor, flat);
        const int root = actor->skeleton.roots().front();
        rig::Column column = *flat.column(root);
        for (const rig::Flight& x : is.flights)
            for (int f = x.from; f <= x.to; ++f) {
                const int b = x.from - 1, e = x.to + 1;
                const double u = static_cast<double>(f - b) / (e - b);
                const auto high = [&](int g) { return is.centre[static_cast<std::size_t>(g)].y() / actor->metresPerUnit; };
                column[static_cast<std::size_t>(f)].t.y() -= 0.45 * (high(f) - (1 - u) * high(b) - u * high(e));
            }
        flat.replace(root, std::move(column));
        const Balanced b = balanced(*actor, flat, kFlightsAlone);
        // Of flat leaps in which feet still clear the floor all of the flight is found.
        int whole = 0;
        double slid = 0;
        for (const rig::Flight& x : is.flights)
            for (const auto& y : b.made.noted<Weighed>()->flights) {
                if (std::abs(x.from - y.from) > 0.05 * fps || std::abs(x.to - y.to) > 0.05 * fps) continue;
                ++whole;
                CHECK(y.before < 6.5);
                CHECK(y.after == Approx(kG).epsilon(0.005));
                for (const rig::Limb& l : rig::rolesOf(*actor).legs) {
                    const auto was = test::worldPlaces(*actor, b.below, l.end), now = test::worldPlaces(*actor, b.above, l.end);
                    for (int k = 1; k < 0.3 * fps; ++k)
                        for (int f : {y.from - k, y.to + k})
                            slid = std::max(slid, (was[static_cast<std::size_t>(f)] - now[static_cast<std::size_t>(f)]).norm());
                }
            }
        CHECK(whole >= 5);
        CHECK(actor->metresPerUnit * slid < 0.001);
        CHECK(popsIn(*actor, b.above) <= popsIn(*actor, b.below));
    }
}

TEST_CASE("a body that swings on a bar is in no flight and its hands stay") {
    for (double scale : {1.0, 0.01}) {
        test::PersonSpec spec;
        spec.fps = 60;
        spec.frames = 181;
        spec.rootScale = scale;
        // Let go at 60 degrees, stiffly, hands at 2.6 m.
        const Vec3 bar(0, 2.6, 0);
        std::vector<double> angle{radians(60)};
        double speed = 0;
        for (int k = 1; k <= 181 * 40; ++k) {
            const double h = 1 / (60.0 * 40);
            speed -= h * kG / 1.4 * std::sin(angle.back());
            angle.push_back(angle.back() + h * speed);
        }
        spec.motion = [&](double t, std::map<std::string, Xform>& locals) {
            // Arms up over its head, then all of it about the bar.
            for (const std::string side : {"left_", "right_"}) {
                locals[side + "upper_arm"].r = fromRotationVector(Vec3(-kPi + 0.1, 0, 0));
            }
            const Quat turn = fromRotationVector(Vec3(angle[static_cast<std::size_t>(std::lround(t * 2400))], 0, 0));
            const Vec3 hands(0, 1.96, 0.05);
            locals["hips"].t = bar + turn * (locals["hips"].t - hands);
            locals["hips"].r = turn;
        };
        const auto actor = test::personActor(spec);
        const rig::Track clip = clipOf(*actor, 60);
        const rig::Roles roles = rig::rolesOf(*actor);
        const layers::balance::Weighing is = weighed(*actor, clip);
        CHECK(is.flights.empty());
        CHECK(std::count(is.hangs.begin(), is.hangs.end(), true) > 170);
        const Balanced b = balanced(*actor, clip, {{"poise", 1.0}, {"hips", 0.5}, {"spine", 0.5}, {"path", 1.0}});
        double slides = 0, moved = 0;
        const auto hips0 = test::worldPlaces(*actor, b.below, roles.hips), hips1 = test::worldPlaces(*actor, b.above, roles.hips);
        for (const rig::Limb& arm : roles.arms) {
            const auto was = test::worldPlaces(*actor, b.below, arm.end), now = test::worldPlaces(*actor, b.above, arm.end);
            for (std::size_t f = 0; f < was.size(); ++f) {
                slides = std::max(slides, (was[f] - now[f]).norm());
                moved = std::max(moved, (hips0[f] - hips1[f]).norm());
            }
        }
        INFO("hands " << slides << ", hips " << moved);
        CHECK(slides < 1e-3 * actor->height);
        CHECK(moved > 1e-4 * actor->height);
    }
}

TEST_CASE("a boxer who is leant over is brought back over his feet by hips, spine and arms, and feet stay") {
    auto plain = mocap("Boxing_Toes.bvh", test::read(test::kMocapFolder + "Boxing_Toes.bvh")->metresPerUnit);
    // The lowest joint of the spine bent to the side all through.
    for (double lean : {20.0, 35.0}) {
        const rig::Roles roles = rig::rolesOf(*plain);
        REQUIRE(roles.spine.size() > 1);
        const int spine = roles.spine[1];
        rig::Track leant = clipOf(*plain, 24);
        rig::Column column(static_cast<std::size_t>(leant.frames()));
        for (int f = 0; f < leant.frames(); ++f) {
            column[static_cast<std::size_t>(f)] = leant.at(spine, f);
            Quat& r = column[static_cast<std::size_t>(f)].r;
            r = (r * fromRotationVector(Vec3(0, 0, radians(lean)))).normalized();
        }
        leant.replace(spine, std::move(column));
        const Balanced b = balanced(*plain, leant,
                                    {{"effort", 0.0},
                                     {"poise", 1.0},
                                     {"path", 0.0},
                                     {"lean", 0.0},
                                     {"hips", 0.3},
                                     {"spine", 0.5},
                                     {"arm_left", 0.1},
                                     {"arm_right", 0.1}});
        const Weighed& w = *b.made.noted<Weighed>();
        std::vector<Vec3> below = w.below, above = w.above;
        for (auto* path : {&below, &above})
            for (Vec3& p : *path) p *= plain->metresPerUnit;
        Weighed metres = w;
        for (auto& hull : metres.support)
            for (Vec3& p : hull) p *= plain->metresPerUnit;
        // For 0.8 s he ducks so far that nobody could stand: by more than 0.4 m no counter-balance brings him back.
        const std::vector<double> outside = outOfBalance(metres, below, 24), now = outOfBalance(metres, above, 24);
        double was = 0, is = 0;
        for (std::size_t f = 0; f < outside.size(); ++f)
            if (outside[f] >= 0 && outside[f] < 0.4) {
                was += outside[f];
                is += now[f];
            }
        CHECK(was / static_cast<double>(outside.size()) > 0.01);
        CHECK(is < 0.4 * was);
        CHECK(plain->metresPerUnit * footSlide(*plain, b) < 0.001);
    }
}

TEST_CASE("a balance that nobody would see is not made") {
    for (const bool sways : {false, true}) {
        INFO(sways);
        test::PersonSpec spec;
        spec.frames = 49;
        spec.motion = [sways](double t, std::map<std::string, Xform>& locals) {
            locals["hips"].r = fromRotationVector(Vec3(0, 0, (sways ? 0.25 : 2e-4) * std::sin(9 * t)));
        };
        scene::Scene s = test::sceneWith(test::personActor(spec));
        test::play(s, "Move");
        const std::string id = test::addLayer(s, "balance", {});
        const pipeline::Evaluation e = test::evaluate(s);
        REQUIRE(e.layer(id)->problem.empty());
        CHECK(test::sameBits(*e.actors[0].result, *e.actors[0].body) == !sways);
    }
}

TEST_CASE("a leap that hangs in the air takes the time that its height asks for, the shot stays as long, its ends as they were") {
    test::PersonSpec person;
    person.fps = 30;
    person.frames = 91;
    person.motion = [](double t, std::map<std::string, Xform>& locals) {
        // 0.3 m up in 0.8 s, where 0.49 do.
        const double u = std::clamp((t - 1.0) / 0.8, 0.0, 1.0);
        locals["hips"].t += Vec3(0, 4 * 0.3 * u * (1 - u), 0.2 * u);
    };
    const auto actor = test::personActor(person);
    const rig::Track clip = clipOf(*actor, 30);
    scene::Values own = kFlightsAlone;
    const Balanced kept = balanced(*actor, clip, own);
    own["air"] = std::string("falls, in its own time");
    const Balanced timed = balanced(*actor, clip, own);
    REQUIRE(kept.made.noted<Weighed>()->flights.size() == 1);
    REQUIRE(timed.made.noted<Weighed>()->flights.size() == 1);
    const auto &slow = kept.made.noted<Weighed>()->flights[0], &quick = timed.made.noted<Weighed>()->flights[0];
    CHECK(slow.to - slow.from + 2 == Approx(0.8 * 30).margin(2));
    CHECK(quick.to - quick.from + 2 == Approx(0.49 * 30).margin(2));
    CHECK(quick.after == Approx(kG).epsilon(0.005));
    // It rises as high as it was drawn, and not as its time in the air would throw it.
    const auto high = [&](const Balanced& b) {
        double most = 0;
        for (const Vec3& p : b.made.noted<Weighed>()->above)
            most = std::max(most, p.y() - b.made.noted<Weighed>()->above.front().y());
        return most;
    };
    CHECK(high(timed) == Approx(0.3).margin(0.03));
    CHECK(high(kept) == Approx(kG * 0.8 * 0.8 / 8).margin(0.08));
    REQUIRE(timed.above.frames() == clip.frames());
    for (int f : {0, 5, 85, 90})
        for (int j = 0; j < clip.joints(); ++j) {
            CHECK((timed.above.at(j, f).t - clip.at(j, f).t).norm() < 1e-9);
            CHECK(timed.above.at(j, f).r.angularDistance(clip.at(j, f).r) < 1e-7);
        }
    bool told = false;
    for (const std::string& r : timed.made.remarks) told = told || r.find("frames against the animation's") != std::string::npos;
    CHECK(told);
    // What is said of it is what was animated, and what it falls with now.
    for (const Balanced* b : {&kept, &timed}) {
        CHECK(b->made.noted<Weighed>()->flights[0].before == Approx(8 * 0.3 / (0.8 * 0.8)).epsilon(0.1));
        CHECK(b->made.said.rfind("1 flight (frames ", 0) == 0);
        CHECK(b->made.said.find("with 9.81 now") != std::string::npos);
    }
}

TEST_CASE("a hop that goes round is balanced without a seam, and one joint of the spine may take all of a turn") {
    test::PersonSpec person;
    person.fps = 24;
    person.frames = 25;
    person.motion = [](double t, std::map<std::string, Xform>& locals) {
        const double u = std::clamp((t - 0.3) / 0.4, 0.0, 1.0);
        locals["hips"].t += Vec3(0, 4 * 0.12 * u * (1 - u), 0);
        locals["hips"].r = fromRotationVector(Vec3(0, 0.05 * std::sin(2 * kPi * t), 0));
    };
    const auto actor = test::personActor(person);
    scene::Scene s = test::sceneWith(actor);
    test::addLayer(s, "balance", {}, {{"effort", 1.0}, {"poise", 1.0}});
    const pipeline::Evaluation e = test::evaluate(s);
    REQUIRE(e.layer(s.layers[0].id)->noted<Weighed>()->flights.size() == 1);
    const rig::Track& t = *e.actors[0].result;
    const int last = t.frames() - 1;
    for (int j = 0; j < t.joints(); ++j) {
        CHECK((t.at(j, 0).t - t.at(j, last).t).norm() < 1e-6);
        CHECK(t.at(j, 0).r.angularDistance(t.at(j, last).r) < 1e-6);
    }
    // Half a turn: what the chest takes the lower spine leaves.
    test::PersonSpec turner;
    turner.frames = 73;
    turner.motion = [](double seconds, std::map<std::string, Xform>& locals) {
        locals["hips"].r = fromRotationVector(Vec3(0, radians(150) * eased((seconds - 1) / 0.7), 0));
    };
    const auto turning = test::personActor(turner);
    const rig::Track clip = clipOf(*turning, 24);
    const auto most = [&](const scene::Values& values, const char* joint) {
        const Balanced b = balanced(*turning, clip, values);
        double out = 0;
        const int j = turning->skeleton.find(joint);
        for (int f = 0; f < clip.frames(); ++f) out = std::max(out, degrees(b.above.at(j, f).r.angularDistance(clip.at(j, f).r)));
        return out;
    };
    const scene::Values even{{"effort", 1.0}, {"poise", 0.0}, {"wind_up", 0.2}, {"carry", 0.0}};
    scene::Values chest = even;
    chest["takes_turns@spine"] = -1.0;
    CHECK(most(even, "chest") == Approx(15).margin(2));
    CHECK(most(even, "spine") == Approx(15).margin(2));
    CHECK(most(chest, "chest") == Approx(30).margin(3));
    CHECK(most(chest, "spine") < 0.5);
}
