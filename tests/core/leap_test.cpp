// Leaps by the legs, and bodies that move each other.
#include <catch2/catch.hpp>
#include <filesystem>

#include "edit/edit.h"
#include "edit/seal.h"
#include "files/scene_file.h"
#include "pipeline/live.h"
#include "rig/figure.h"
#include "rig/figure_limits.h"
#include "scene/seal.h"
#include "tests/support/rigs.h"

using namespace nutatio;

namespace {

const std::shared_ptr<const rig::Actor>& standing() {
    static const auto actor = [] {
        test::PersonSpec spec;
        spec.frames = 61;
        // Something must move for there to be a clip.
        spec.motion = [](double t, std::map<std::string, Xform>& locals) {
            locals["head"].r = fromRotationVector(Vec3(0, 0.01 * std::sin(3 * t), 0));
        };
        return test::personActor(spec);
    }();
    return actor;
}

/// A person who stands, simulated.
scene::Scene oneWho(const scene::Values& values) {
    scene::Scene s = test::sceneWith(standing());
    test::play(s, "Move");
    test::addLayer(s, "ragdoll", {}, {{"swing", 12.0}, {"friction", 1.0}});
    for (const auto& [k, v] : values) s.layers.edit(0).set(k, v);
    return s;
}

std::string leaps(scene::Scene& s, const scene::Values& values, double from, double to) {
    const std::string id = edit::addLayer(s, "act", s.actors[0].id, {"hips"});
    s.layer(id)->set("act", std::string("leap"));
    s.layer(id)->set("off", std::string("by its legs"));
    for (const auto& [k, v] : values) s.layer(id)->set(k, v);
    s.editShot().intervals[id] = {{from, to, 0, 0}};
    return id;
}

/// The centre of mass of an actor's figure by frame [m].
std::vector<Vec3> centres(const scene::Scene& s, const pipeline::Evaluation& e, std::size_t actor = 0) {
    const scene::ActorEntry& a = s.actors[actor];
    const auto figure = rig::figureOf(*a.actor);
    std::vector<Affine> rest, worlds;
    std::vector<Xform> pose;
    rig::worldTransforms(a.actor->skeleton, a.actor->restPose(), rest);
    std::vector<Vec3> out;
    const rig::Track& track = *e.actor(a.id)->result;
    for (int f = 0; f < track.frames(); ++f) {
        track.pose(f, pose);
        rig::worldTransforms(a.actor->skeleton, pose, worlds);
        Vec3 sum = Vec3::Zero();
        double all = 0;
        for (const rig::FigureSegment& g : figure->segments) {
            const auto j = static_cast<std::size_t>(g.joint);
            const double share = std::max(g.share, 1.0 / 300);
            sum += share * (worlds[j].t + rig::turnFromRest(worlds[j], rest[j]) * (g.centre - g.at));
            all += share;
        }
        out.push_back(scene::placementOf(a).toWorld(sum / all));
    }
    return out;
}

double highest(const std::vector<Vec3>& c) {
    double y = -1e30;
    for (const Vec3& p : c) y = std::max(y, p.y());
    return y;
}

std::string saidOf(const pipeline::Evaluation& e, const scene::Scene& s, const std::string& kind) {
    std::string out;
    for (const scene::Layer& l : s.layers)
        if (l.kind == kind)
            for (const std::string& r : e.layer(l.id)->remarks) out += r + "; ";
    return out;
}

}  // namespace

TEST_CASE("a leap by the legs crouches, then rises as high as it is asked to, from where its legs are straight") {
    for (const double height : {0.15, 0.3, 0.5}) {
        INFO(height);
        scene::Scene s = oneWho({});
        leaps(s, {{"height", height}, {"effort", 10.0}, {"crouch", 0.4}, {"crouch_frames", 8.0}}, 0.25, 2.0);
        const pipeline::Evaluation e = test::evaluate(s);
        INFO(saidOf(e, s, "ragdoll"));
        const std::vector<Vec3> c = centres(s, e);
        CHECK(std::abs(c[5].y() - c[0].y()) < 0.005);
        CHECK(c[14].y() < c[0].y() - 0.15);
        // It leaves a little above where it stood.
        const double rise = highest(c) - c[0].y();
        CHECK(rise > 0.9 * height);
        CHECK(rise < height + 0.12);
        CHECK(saidOf(e, s, "ragdoll").find("rises") == std::string::npos);
    }
}

TEST_CASE("a leap rises as high at any frame rate, and its act is told what came of it") {
    for (const double fps : {24.0, 30.0, 60.0}) {
        INFO(fps);
        scene::Scene s = oneWho({});
        test::setRate(s, fps);
        const std::string id = leaps(s, {{"height", 0.5}, {"effort", 10.0}, {"crouch", 0.4}}, 0.25, 2.0);
        const pipeline::Evaluation e = test::evaluate(s);
        const std::vector<Vec3> c = centres(s, e);
        CHECK(highest(c) - c[0].y() == Approx(0.5).margin(0.06));
        const std::vector<layers::Came> came = e.cameOf(id);
        REQUIRE(came.size() == 1);
        CHECK(came[0].text == "reached");
        CHECK_FALSE(came[0].less);
        CHECK(came[0].frame == std::lround(0.25 * fps));
    }
}

TEST_CASE("what goes limp falls alike at any frame rate until it hits the ground") {
    std::vector<std::vector<Vec3>> falls;
    for (const double fps : {24.0, 48.0, 120.0}) {
        scene::Scene s = oneWho({});
        test::setRate(s, fps);
        const std::string id = edit::addLayer(s, "act", s.actors[0].id, {"hips"});
        s.layer(id)->set("act", std::string("limp"));
        s.editShot().intervals[id] = {{0.5, 2.5, 0, 0}};
        const std::vector<Vec3> c = centres(s, test::evaluate(s));
        std::vector<Vec3>& fall = falls.emplace_back();
        for (int k = 0; k <= 10; ++k) fall.push_back(c[static_cast<std::size_t>(std::lround((0.5 + k / 24.0) * fps))]);
    }
    // It has fallen a good way by then.
    CHECK(falls[0].front().y() - falls[0].back().y() > 0.08);
    for (std::size_t k = 0; k < falls[0].size(); ++k) {
        INFO(k);
        CHECK((falls[1][k] - falls[0][k]).norm() < 0.005);
        CHECK((falls[2][k] - falls[0][k]).norm() < 0.005);
    }
}

TEST_CASE("what lies does not leap by its legs, and says so") {
    scene::Scene s = oneWho({{"strength", 0.0}, {"follow", 0.0}});
    const std::string id = leaps(s, {{"height", 0.5}}, 2.0, 2.5);
    const pipeline::Evaluation e = test::evaluate(s);
    INFO(saidOf(e, s, "ragdoll"));
    CHECK(saidOf(e, s, "ragdoll").find("finds no legs") != std::string::npos);
    REQUIRE(e.cameOf(id).size() == 1);
    CHECK(e.cameOf(id)[0].less);
}

TEST_CASE("legs that push no harder than they can fall short, and say by how much") {
    scene::Scene s = oneWho({});
    leaps(s, {{"height", 0.5}, {"effort", 1.6}, {"crouch", 0.3}}, 0.25, 2.0);
    const pipeline::Evaluation e = test::evaluate(s);
    const std::string said = saidOf(e, s, "ragdoll");
    INFO(said);
    CHECK(said.find("rises") != std::string::npos);
    CHECK(said.find("push no harder") != std::string::npos);
    // In two words on its lane.
    const std::vector<layers::Came> came = e.cameOf(s.layers.back().id);
    REQUIRE(came.size() == 1);
    CHECK(came[0].less);
    CHECK(came[0].text.find("cm short: effort") != std::string::npos);
    CHECK(highest(centres(s, e)) - centres(s, e)[0].y() < 0.35);
}

TEST_CASE("a deeper crouch goes lower, a longer one takes longer") {
    const auto lowest = [](double crouch, double frames, int* when) {
        scene::Scene s = oneWho({});
        leaps(s, {{"crouch", crouch}, {"crouch_frames", frames}}, 0.25, 2.0);
        const std::vector<Vec3> c = centres(s, test::evaluate(s));
        std::size_t at = 0;
        // Before it lands.
        for (std::size_t f = 0; f < 9 + static_cast<std::size_t>(frames); ++f)
            if (c[f].y() < c[at].y()) at = f;
        *when = static_cast<int>(at);
        return c[0].y() - c[at].y();
    };
    int deep = 0, flat = 0, slow = 0;
    const double down = lowest(0.45, 6, &deep);
    CHECK(lowest(0.15, 6, &flat) < 0.6 * down);
    lowest(0.45, 14, &slow);
    CHECK(slow > deep + 4);
}

TEST_CASE("a leap to a place takes hold of the floor: on a slick one it falls short, since its feet slip") {
    std::vector<double> far;
    for (const double friction : {1.2, 0.03}) {
        INFO(friction);
        scene::Scene s = oneWho({{"friction", friction}});
        const std::vector<Vec3> still = centres(s, test::evaluate(s));
        leaps(s,
              {{"leap", std::string("to the place")},
               {"place_x", still[0].x()},
               {"place_y", still[0].y()},
               {"place_z", still[0].z() + 0.8},
               {"effort", 8.0},
               {"crouch", 0.4}},
              0.25, 1.25);
        const pipeline::Evaluation e = test::evaluate(s);
        const std::string said = saidOf(e, s, "ragdoll");
        INFO(said);
        far.push_back(centres(s, e)[30].z() - still[0].z());
        CHECK((said.find("slip") != std::string::npos) == (friction < 0.1));
    }
    INFO(far[0] << " and " << far[1]);
    CHECK(far[0] == Approx(0.8).margin(0.08));
    CHECK(far[1] < 0.6);
}

TEST_CASE("a root that is scaled, a beast on four legs, and people that nobody here made leap by their legs too") {
    std::vector<std::pair<std::string, std::shared_ptr<const rig::Actor>>> actors{
        {"beast", test::beastActor({})}, {"beast, root scaled, z up", test::beastActor({.rootScale = 0.01, .zUp = true})}};
    test::PersonSpec scaled;
    scaled.rootScale = 100;
    scaled.frames = 61;
    scaled.motion = [](double t, std::map<std::string, Xform>& l) { l["head"].r = fromRotationVector(Vec3(0, 0.01 * t, 0)); };
    actors.emplace_back("person, root scaled", test::personActor(scaled));
    const std::filesystem::path bvh = std::filesystem::path(NUTATIO_THIRD_PARTY) / "BVH/01_01.bvh";
    if (std::filesystem::exists(bvh))
        actors.emplace_back("01_01.bvh", files::readActor(bvh).value());
    else
        WARN("01_01.bvh skipped: assimp-testmodels is not installed");
    for (const auto& [name, actor] : actors) {
        INFO(name);
        scene::Scene s = files::sceneOf(actor);
        edit::setRate(s, 24);
        const double tall = actor->height * scene::placementOf(s.actors[0]).metres;
        const std::string body = edit::addLayer(s, "ragdoll", s.actors[0].id, {});
        s.layer(body)->set("swing", 12.0);
        s.layer(body)->set("friction", 1.0);
        const std::string leap =
            edit::addLayer(s, "act", s.actors[0].id, {actor->skeleton.reference(actor->skeleton.roots().front())});
        s.layer(leap)->set("act", std::string("leap"));
        s.layer(leap)->set("off", std::string("by its legs"));
        s.layer(leap)->set("effort", 12.0);
        s.layer(leap)->set("height", 0.25 * tall);
        s.editShot().intervals[leap] = {{0.2, 1.2, 0, 0}};
        const pipeline::Evaluation e = test::evaluate(s);
        REQUIRE(e.layer(body)->problem.empty());
        INFO(saidOf(e, s, "ragdoll"));
        const std::vector<Vec3> c = centres(s, e);
        REQUIRE(c.size() > 24);
        double high = -1e30;
        for (std::size_t f = 5; f < 26; ++f) high = std::max(high, c[f].y());
        CHECK(high - c[4].y() > 0.06 * tall);
        CHECK(high - c[4].y() < 0.5 * tall);
    }
}

TEST_CASE("legs that stand on nothing move nobody: their forces are the body's own") {
    scene::Scene s = oneWho({{"gravity", 0.0}, {"follow", 0.0}, {"meets", std::string("nothing")}});
    leaps(s, {{"leap", std::string("to the place")}, {"place_y", 3.0}, {"effort", 6.0}}, 0.25, 2.0);
    const std::vector<Vec3> c = centres(s, test::evaluate(s));
    double moved = 0;
    for (const Vec3& p : c) moved = std::max(moved, (p - c[0]).norm());
    CHECK(moved < 2e-3);
}

TEST_CASE("a leap by the legs goes on from a seal in its midst with the same bits") {
    scene::Scene s = oneWho({});
    leaps(s, {{"height", 0.3}, {"effort", 6.0}}, 0.25, 2.0);
    const pipeline::Evaluation before = test::evaluate(s);
    for (const int to : {10, 15}) {
        INFO(to);
        scene::Scene kept = s;
        REQUIRE(edit::seal(kept, kept.layers[0].id, 0, to));
        CHECK(test::sameBits(*before.actors[0].result, *test::evaluate(kept).actors[0].result));
    }
}

TEST_CASE("a hand that pulls a limp body about lifts it by what it holds, and lets it fall") {
    scene::Scene s = oneWho({{"strength", 0.0}, {"follow", 0.0}});
    const rig::Actor& actor = *s.actors[0].actor;
    const int hand = actor.skeleton.find("left_hand"), hips = actor.skeleton.find("hips");
    pipeline::Evaluator evaluator;
    pipeline::Live live(s, s.actors[0].id, evaluator);
    const double dt = 1.0 / 60;
    live.start(dt, [&](int step) -> std::optional<pipeline::Live::Moment> {
        return pipeline::Live::Moment{actor.restPose(), 0, step * dt};
    });
    std::vector<Affine> worlds;
    const auto at = [&](int joint) -> Vec3 {
        rig::worldTransforms(actor.skeleton, live.result(), worlds);
        return worlds[static_cast<std::size_t>(joint)].t;
    };
    const Vec3 up = at(hand) + Vec3(0.2, 1.5, 0);
    for (int k = 0; k < 240; ++k) {
        live.pull(hand, up);
        live.step();
    }
    CHECK((at(hand) - up).norm() < 0.05);
    // It hangs: the rest of it below the hand.
    CHECK(at(hips).y() < at(hand).y() - 0.5);
    CHECK((at(hips) - up).head<1>().norm() < 0.35);
    for (int k = 0; k < 180; ++k) {
        live.pull(hand, std::nullopt);
        live.step();
    }
    CHECK(at(hips).y() < 0.3);
}

namespace {

/// Two who float, one pushed at the other.
scene::Scene twoWhoMeet(const char* others) {
    const scene::Values floating{{"gravity", 0.0}, {"follow", 0.0}, {"strength", 0.3}, {"others", std::string(others)}};
    scene::Scene s = oneWho(floating);
    files::addActor(s, standing());
    scene::ActorEntry& other = s.actors.edit(1);
    other.set("place_x", 0.9);
    for (std::size_t k = 0; k < 2; ++k) s.actors.edit(k).set("place_y", 3.0);
    test::play(s, "Move", 1);
    const std::string second = edit::addLayer(s, "ragdoll", other.id, {});
    for (const auto& [k, v] : floating) s.layer(second)->set(k, v);
    const std::string push = edit::addLayer(s, "act", s.actors[0].id, {"chest"});
    for (const auto& [k, v] : scene::Values{{"act", std::string("push")}, {"speed", 2.0}, {"heading", 90.0}})
        s.layer(push)->set(k, v);
    s.editShot().intervals[push] = {{0.125, 2.5, 0, 0}};
    return s;
}

}  // namespace

TEST_CASE("two bodies that meet share what moves them, and pass through each other where they are told to") {
    const scene::Scene s = twoWhoMeet("meets them");
    const pipeline::Evaluation e = test::evaluate(s);
    const std::vector<Vec3> a = centres(s, e, 0), b = centres(s, e, 1);
    // As heavy as each other: their common centre goes on as the push left it, whatever they do to one another.
    const auto common = [&](std::size_t f) -> Vec3 { return 0.5 * (a[f] + b[f]); };
    const Vec3 speed = common(6) - common(5);
    CHECK(speed.x() * 24 == Approx(1.0).epsilon(0.02));
    for (std::size_t f = 6; f < a.size(); ++f)
        REQUIRE((common(f) - common(5) - static_cast<double>(f - 5) * speed).norm() < 0.004 * static_cast<double>(f));
    CHECK((b.back() - b[0]).x() > 0.4);
    CHECK((a.back() - a[40]).x() < 0.8 * (a[6] - a[5]).x() * 20);

    const scene::Scene through = twoWhoMeet("passes through them");
    const std::vector<Vec3> still = centres(through, test::evaluate(through), 1);
    CHECK((still.back() - still[0]).norm() < 1e-3);
}

TEST_CASE("bodies that meet come out the same twice, and what stands below either of them is run before both") {
    const scene::Scene s = twoWhoMeet("meets them");
    const pipeline::Evaluation first = test::evaluate(s), again = test::evaluate(s);
    for (std::size_t k = 0; k < 2; ++k) CHECK(test::sameBits(*first.actors[k].result, *again.actors[k].result));
    // A layer between them that belongs to the other is run before both.
    scene::Scene between = s;
    const std::string sway = edit::addLayer(between, "sway", between.actors[1].id, {"head"});
    between.layers.move(between.layers.find([&](const scene::Layer& l) { return l.id == sway; }), 1);
    const pipeline::Evaluation e = test::evaluate(between);
    for (const scene::Layer& l : between.layers) {
        INFO(l.kind);
        CHECK(e.layer(l.id)->problem.empty());
    }
    CHECK_FALSE(test::sameBits(*first.actors[0].result, *e.actors[0].result));
}
