// Whole bodies in a scene: how they are set up, chase, fall and act.
#include <tbb/global_control.h>

#include <catch2/catch.hpp>
#include <filesystem>

#include "demo/gltf_builder.h"
#include "edit/edit.h"
#include "files/scene_file.h"
#include "layers/ragdoll/hanging.h"
#include "layers/registry.h"
#include "pipeline/live.h"
#include "rig/figure.h"
#include "rig/figure_limits.h"
#include "rig/outer.h"
#include "tests/support/against_clip.h"
#include "tests/support/rigs.h"

using namespace nutatio;

namespace {

const std::shared_ptr<const rig::Actor>& otterActor() {
    static const auto actor = files::readActor(test::sourceFolder() + "/demo/assets/otter.glb").value();
    return actor;
}

/// The otter in one of its clips with a body simulated.
scene::Scene otterBody(const char* clip, const scene::Values& values, const std::string& kind = "ragdoll") {
    scene::Scene s = files::sceneOf(otterActor());
    edit::playClip(s, s.actors[0].id, clip);
    const std::string id = edit::addLayer(s, kind, s.actors[0].id, {"hips"});
    for (const auto& [k, v] : values) s.layer(id)->set(k, v);
    return s;
}

std::string actOn(scene::Scene& s, const std::string& joint, const scene::Values& values, double from, double to, double in = 0,
                  double out = 0) {
    const std::string id = edit::addLayer(s, "act", s.actors[0].id, {joint});
    for (const auto& [k, v] : values) s.layer(id)->set(k, v);
    s.editShot().intervals[id] = {{from, to, in, out}};
    return id;
}

/// World places [m] of a joint over the shot, of the result or of the body alone.
std::vector<Vec3> placesOf(const scene::Scene& s, const pipeline::Evaluation& e, const std::string& joint, bool body = false) {
    const scene::ActorEntry& a = s.actors[0];
    std::vector<Vec3> out =
        test::worldPlaces(*a.actor, body ? *e.actors[0].body : *e.actors[0].result, a.actor->skeleton.find(joint));
    for (Vec3& p : out) p = scene::placementOf(a).toWorld(p);
    return out;
}

/// The worst that joints of the body are turned off the clip in a frame [deg], parents' turns taken out.
double worstOff(const scene::Scene& s, const pipeline::Evaluation& e, int frame) {
    const scene::ActorEntry& a = s.actors[0];
    const rig::Skeleton& skeleton = a.actor->skeleton;
    double worst = 0;
    for (int j = 0; j < skeleton.size(); ++j)
        worst = std::max(worst, degrees(e.actors[0].result->at(j, frame).r.angularDistance(e.actors[0].body->at(j, frame).r)));
    return worst;
}

/// Lowest point of its mesh, of its segments' capsules without one, in a frame above the ground [m].
double lowestOf(const scene::Scene& s, const rig::Track& track, int frame) {
    const scene::ActorEntry& a = s.actors[0];
    std::vector<Xform> pose;
    track.pose(frame, pose);
    if (!a.actor->instances.empty()) return test::lowestOf(a, pose);
    std::vector<Affine> worlds, rest;
    rig::worldTransforms(a.actor->skeleton, pose, worlds);
    rig::worldTransforms(a.actor->skeleton, a.actor->restPose(), rest);
    const scene::Placement placement = scene::placementOf(a);
    double low = 1e30;
    for (const rig::FigureSegment& g : rig::figureOf(*a.actor)->segments) {
        const auto j = static_cast<std::size_t>(g.joint);
        const Quat turn = rig::turnFromRest(worlds[j], rest[j]);
        for (const Vec3& end : {g.endA, g.endB})
            low = std::min(low, placement.toWorld(worlds[j].t + turn * (end - g.at)).y() - placement.metres * g.radius);
    }
    return low;
}

}  // namespace

TEST_CASE("the otter's body is told from skeleton, mesh and clips: trunk, head and limbs, left like right") {
    const auto figure = rig::figureOf(*otterActor());
    const rig::Skeleton& s = otterActor()->skeleton;
    for (const char* joint : {"hips", "chest", "head", "upper_arm_L", "forearm_R", "hand_L", "thigh_R", "shin_L", "foot_R"}) {
        INFO(joint);
        CHECK(figure->find(s.find(joint)) >= 0);
    }
    // Fingers, tail and scarf ride along.
    const int tail = s.find("tail_04");
    REQUIRE(figure->segmentOf[static_cast<std::size_t>(tail)] >= 0);
    CHECK(figure->segments[static_cast<std::size_t>(figure->segmentOf[static_cast<std::size_t>(tail)])].joint == tail);
    double all = 0;
    for (std::size_t i = 0; i < figure->segments.size(); ++i) {
        const rig::FigureSegment &g = figure->segments[i], &o = figure->segments[static_cast<std::size_t>(figure->fellow[i])];
        all += g.share;
        CHECK(g.share == o.share);
        CHECK(g.radius == o.radius);
        CHECK(g.swingA == o.swingA);
        CHECK(g.radius > 0.005);
        CHECK(g.parent < static_cast<int>(i));
    }
    CHECK(all == Approx(1).epsilon(0.02));
}

TEST_CASE("every pose of every clip lies within the ranges that were found") {
    const auto figure = rig::figureOf(*otterActor());
    std::vector<Affine> rest, worlds;
    rig::worldTransforms(otterActor()->skeleton, otterActor()->restPose(), rest);
    for (const rig::Clip& c : *otterActor()->clips)
        for (double t = c.start; t <= c.end; t += 0.1) {
            std::vector<Xform> pose = otterActor()->restPose();
            c.pose(t, pose);
            rig::worldTransforms(otterActor()->skeleton, pose, worlds);
            for (const rig::FigureSegment& g : figure->segments) {
                if (g.parent < 0) continue;
                const auto j = static_cast<std::size_t>(g.joint),
                           p = static_cast<std::size_t>(figure->segments[static_cast<std::size_t>(g.parent)].joint);
                const Quat local = rig::turnFromRest(worlds[p], rest[p]).conjugate() * rig::turnFromRest(worlds[j], rest[j]);
                Quat swing;
                double twist = 0;
                rig::splitTurn(g.middle.conjugate() * local, g.axis, swing, twist);
                const Vec3 v = rotationVector(swing);
                INFO(otterActor()->skeleton.label(g.joint) << " in " << c.name << " at " << t);
                CHECK(std::hypot(v.dot(g.side) / g.swingA, v.dot(g.axis.cross(g.side)) / g.swingB) < 1.05);
                CHECK(std::abs(twist) < g.twist + 0.05);
            }
        }
}

TEST_CASE("a stiff body does what its clip does, at its start values it stays near") {
    const scene::Scene stiff = otterBody("Walk", {{"swing", 40.0}, {"bounces", 0.0}, {"meets", std::string("nothing")}});
    const pipeline::Evaluation e = test::evaluate(stiff);
    for (int f = 0; f < e.actors[0].result->frames(); ++f) CHECK(worstOff(stiff, e, f) < 2);
    const scene::Scene usual = otterBody("Idle", {});
    const pipeline::Evaluation still = test::evaluate(usual);
    for (int f = 0; f < still.actors[0].result->frames(); f += 4) CHECK(worstOff(usual, still, f) < 3);
    // And the looser it is, the farther behind it comes.
    double before = 0;
    for (double swing : {20.0, 8.0, 3.0}) {
        const scene::Scene s = otterBody("Walk", {{"swing", swing}, {"meets", std::string("nothing")}});
        const pipeline::Evaluation now = test::evaluate(s);
        double sum = 0;
        for (int f = 0; f < now.actors[0].result->frames(); ++f) sum += worstOff(s, now, f);
        CHECK(sum > before);
        before = sum;
    }
}

TEST_CASE("a limp otter falls two metres, lies on the floor and stays there") {
    scene::Scene s = otterBody("Idle", {{"strength", 0.0}, {"follow", 0.0}});
    s.actors.edit(0).set("place_y", 2.0);
    const pipeline::Evaluation e = test::evaluate(s);
    const rig::Track& t = *e.actors[0].result;
    const double height = otterActor()->height * otterActor()->metresPerUnit;
    CHECK(lowestOf(s, t, 0) > 1.9);
    // 2 m take 0.64 s: at 24 frames a second it falls freely for 15 frames.
    const std::vector<Vec3> hips = placesOf(s, e, "hips");
    CHECK(hips[0].y() - hips[12].y() == Approx(0.5 * kEarthGravity * 0.25).epsilon(0.1));
    double deepest = 0;
    for (int f = 0; f < t.frames(); ++f) deepest = std::max(deepest, -lowestOf(s, t, f));
    CHECK(deepest < 0.025 * height);
    CHECK(-lowestOf(s, t, t.frames() - 1) < 0.018 * height);
    const auto last = static_cast<std::size_t>(t.frames() - 1);
    CHECK(hips[last].y() < 0.3 * height);
    CHECK((hips[last] - hips[last - 1]).norm() < 1e-3);
}

TEST_CASE("strands above a body that lies on a floor of its own lie on that floor, too") {
    scene::Scene s = otterBody("Idle", {{"strength", 0.0}, {"follow", 0.0}});
    s.layers.edit(0).set("floor", 0.1);
    const std::string strand = edit::addLayer(s, "strand", s.actors[0].id, {"tail_01"});
    s.layer(strand)->set("gravity", 1.0);
    s.layer(strand)->set("radius", 0.0);
    const double tall = otterActor()->height * otterActor()->metresPerUnit;
    const auto lowest = [&] {
        const pipeline::Evaluation e = test::evaluate(s);
        double low = 1e30;
        const rig::Skeleton& skeleton = otterActor()->skeleton;
        for (int j : skeleton.subtree(skeleton.find("tail_01"))) {
            const std::vector<Vec3> at = placesOf(s, e, skeleton.label(j));
            for (std::size_t f = at.size() / 2; f < at.size(); ++f) low = std::min(low, at[f].y());
        }
        return low;
    };
    CHECK(lowest() > 0.1 - 0.01 * tall);
    // One that passes through it hangs beyond.
    s.layer(strand)->set("passes", std::vector<std::string>{s.layers[0].id + " floor"});
    CHECK(lowest() < 0.1 - 0.02 * tall);
}

TEST_CASE("what a body wears is laid on the floor that rises under it, evenly, and left alone above it") {
    const auto actor = otterActor();
    const auto figure = rig::figureOf(*actor);
    const std::vector<int> joints = layers::ragdoll::hangingFrom(*actor, *figure);
    const int skirt = actor->skeleton.find("skirt1_01");
    REQUIRE(std::count(joints.begin(), joints.end(), skirt) == 1);
    const layers::ragdoll::Hanging hanging(*actor, *figure, {}, joints);
    const std::vector<Xform> pose = actor->restPose();
    std::vector<Affine> worlds, segments;
    rig::worldTransforms(actor->skeleton, pose, worlds);
    for (const rig::FigureSegment& g : figure->segments) segments.push_back(worlds[static_cast<std::size_t>(g.joint)]);
    // A body that has come down by `sinks` under an animation that goes on where it was.
    const auto laid = [&](double sinks) {
        std::vector<Affine> low = segments;
        for (Affine& w : low) w.t.y() -= sinks;
        std::vector<Xform> out(joints.size());
        hanging.lay(layers::PoseView(pose, 0, 0), low, 0, out);
        return std::pair{low, out};
    };
    /// The lowest outer vertex of what hangs on the skirt's joints.
    const auto lowest = [&](const std::pair<std::vector<Affine>, std::vector<Xform>>& at) {
        std::vector<Xform> p = pose;
        for (std::size_t k = 0; k < joints.size(); ++k) p[static_cast<std::size_t>(joints[k])] = at.second[k];
        const int on = figure->segmentOf[static_cast<std::size_t>(skirt)];
        double low = 1e300;
        for (const rig::OuterPoint& o : *rig::outerPointsOf(*actor)) {
            if (o.joint != skirt && !actor->skeleton.isBelow(o.joint, skirt)) continue;
            Affine w = p[static_cast<std::size_t>(o.joint)].affine();
            for (int j = actor->skeleton.joint(o.joint).parent; figure->find(j) != on; j = actor->skeleton.joint(j).parent)
                w = p[static_cast<std::size_t>(j)].affine() * w;
            low = std::min(low, (at.first[static_cast<std::size_t>(on)] * w).apply(o.at).y());
        }
        return low;
    };
    const auto ofSkirt = [&](std::size_t k) { return joints[k] == skirt || actor->skeleton.isBelow(joints[k], skirt); };
    const double hem = lowest(laid(0));
    REQUIRE(hem > 0);
    const auto far = laid(0.9 * hem);
    for (std::size_t k = 0; k < joints.size(); ++k)
        if (ofSkirt(k)) CHECK(far.second[k].r.angularDistance(pose[static_cast<std::size_t>(joints[k])].r) == 0);
    const double root = worlds[static_cast<std::size_t>(skirt)].t.y();
    auto before = far;
    for (double sinks = hem; sinks < root - 0.05 * actor->height; sinks += 0.002 * actor->height) {
        INFO("sunk by " << sinks << " of " << root);
        const auto now = laid(sinks);
        CHECK(lowest(now) > -0.005 * actor->height);
        for (std::size_t k = 0; k < joints.size(); ++k)
            if (ofSkirt(k)) CHECK(degrees(now.second[k].r.angularDistance(before.second[k].r)) < 12);
        before = now;
    }
}

TEST_CASE("a body falls and lies on rigs that are scaled, lie on their backs, have two skins or no names") {
    std::vector<double> heights;
    for (const test::BeastSpec& spec : {test::BeastSpec{}, test::BeastSpec{100}, test::BeastSpec{1, true},
                                        test::BeastSpec{1, false, false}, test::BeastSpec{0.01, true, true, true}}) {
        INFO(spec.rootScale << (spec.zUp ? ", z up" : "") << (spec.named ? "" : ", no names")
                            << (spec.twoSkins ? ", two skins" : ""));
        scene::Scene s = test::sceneWith(test::beastActor(spec));
        edit::playClip(s, s.actors[0].id, "Idle");
        scene::ActorEntry& a = s.actors.edit(0);
        a.set("place_y", 1.0);
        const auto figure = rig::figureOf(*a.actor);
        CHECK(figure->segments.size() >= 5);
        const std::string id = edit::addLayer(s, "ragdoll", s.actors[0].id, {});
        s.layer(id)->set("follow", 0.0);
        s.layer(id)->set("strength", 0.0);
        s.editShot().loop = scene::Loop::Once;
        const pipeline::Evaluation e = test::evaluate(s);
        REQUIRE(e.layer(id)->problem.empty());
        const double size = figure->height * scene::placementOf(s.actors[0]).metres;
        double deepest = 0;
        for (int f = 0; f < e.actors[0].result->frames(); ++f) deepest = std::max(deepest, -lowestOf(s, *e.actors[0].result, f));
        // One that lies on its back in the file is as tall there as it is thick. Skin at a joint that is thrown about in the
        // touch is a frame late.
        CHECK(deepest < 0.022 * (s.actors[0].actor->high - s.actors[0].actor->low).maxCoeff() * size / figure->height);
        heights.push_back(lowestOf(s, *e.actors[0].result, e.actors[0].result->frames() - 1) / size);
    }
    for (double h : heights) CHECK(h < 0.05);
}

TEST_CASE("an arm that is set looser hangs while the rest keeps its pose, and may be keyed so") {
    scene::Scene s = otterBody("Idle", {{"swing", 12.0}, {"carried", 1.0}, {"meets", std::string("nothing")}});
    s.layers.edit(0).values["looser@upper_arm_L"] = 1.0;
    const pipeline::Evaluation e = test::evaluate(s);
    const auto moved = [&](const pipeline::Evaluation& of, const char* joint, int frame) {
        const int j = otterActor()->skeleton.find(joint);
        return degrees(of.actors[0].result->at(j, frame).r.angularDistance(of.actors[0].body->at(j, frame).r));
    };
    CHECK(moved(e, "upper_arm_L", 40) > 15);
    CHECK(moved(e, "upper_arm_R", 40) < 3);
    CHECK(moved(e, "thigh_L", 40) < 3);
    scene::Scene keyed = s;
    test::keyed(keyed, {scene::List::Layers, keyed.layers[0].id}, "looser@upper_arm_L", {{0, 0.0}, {20, 0.0}, {24, 1.0}});
    const pipeline::Evaluation k = test::evaluate(keyed);
    CHECK(moved(k, "upper_arm_L", 18) < 3);
    CHECK(moved(k, "upper_arm_L", 44) > 10);
}

TEST_CASE("a body lies on a slope of set pieces where they grip and slides where they are slick") {
    const auto slides = [&](double friction) {
        scene::Scene s = otterBody("Idle", {{"strength", 0.2}, {"follow", 0.0}, {"meets", std::string("all")}, {"floor", -50.0}});
        const std::string floor = edit::addPiece(s, "floor");
        s.actor(floor)->set("friction", friction);
        s.actor(floor)->set("turn_z", 15.0);
        s.actor(s.actors[0].id)->set("place_y", 0.2);
        const pipeline::Evaluation e = test::evaluate(s);
        const std::vector<Vec3> hips = placesOf(s, e, "hips");
        return (hips.back() - hips[hips.size() - 13]).norm();
    };
    CHECK(slides(0.9) < 0.02);
    CHECK(slides(0.02) > 0.3);
}

TEST_CASE("acts: a leap lands where it is to, a push throws, a hand reaches and holds on") {
    SECTION("leap to a place") {
        scene::Scene s = otterBody("Idle", {{"swing", 10.0}, {"follow", 0.0}, {"strength", 1.0}});
        actOn(s, "hips",
              {{"act", std::string("leap")},
               {"leap", std::string("to the place")},
               {"place_x", 0.9},
               {"place_y", 0.55},
               {"place_z", 0.2}},
              0.25, 1.0);
        const pipeline::Evaluation e = test::evaluate(s);
        const std::vector<Vec3> hips = placesOf(s, e, "hips");
        double high = 0;
        for (std::size_t f = 6; f <= 24; ++f) high = std::max(high, hips[f].y());
        CHECK(high > hips[5].y() + 0.2);
        CHECK(std::abs(hips[24].x() - 0.9) < 0.12);
    }
    SECTION("a push, whether the root was free or led by its clip") {
        for (const double follow : {0.0, 1.0}) {
            scene::Scene s = otterBody("Idle", {{"swing", 10.0}, {"follow", follow}});
            actOn(s, "chest", {{"act", std::string("push")}, {"speed", 3.0}, {"heading", 90.0}}, 0.25, 1.5, 0.2);
            const pipeline::Evaluation e = test::evaluate(s);
            const std::vector<Vec3> hips = placesOf(s, e, "hips");
            CHECK(std::abs(hips[5].x() - hips[0].x()) < 0.02);
            CHECK(hips[30].x() - hips[5].x() > 0.4);
        }
    }
    SECTION("reach, and what is out of reach is told") {
        for (const bool far : {false, true}) {
            scene::Scene s = otterBody("Idle", {{"swing", 6.0}, {"meets", std::string("nothing")}});
            const pipeline::Evaluation alone = test::evaluate(s);
            const Vec3 from = placesOf(s, alone, "hand_R")[0];
            const Vec3 to = far ? Vec3(2, 2, 2) : Vec3(from + Vec3(0.05, 0.12, 0.08));
            const std::string id = actOn(
                s, "hand_R",
                {{"act", std::string("reach")}, {"place_x", to.x()}, {"place_y", to.y()}, {"place_z", to.z()}, {"force", 3.0}},
                0.2, 1.8, 0.5, 0.2);
            const pipeline::Evaluation e = test::evaluate(s);
            const Vec3 wrist = placesOf(s, e, "hand_R")[36];
            const auto& said = e.layer(s.layers[0].id)->remarks;
            const bool told =
                std::any_of(said.begin(), said.end(), [](const auto& r) { return r.find("short of") != std::string::npos; });
            CHECK(told == far);
            const std::vector<layers::Came> came = e.cameOf(id);
            REQUIRE(came.size() == 1);
            CHECK(came[0].less == far);
            CHECK(came[0].text.find(far ? "cm short: too far" : "reached") != std::string::npos);
            // The palm is there; the wrist is a hand away.
            if (!far) CHECK((wrist - to).norm() < 0.09);
            if (far) CHECK((wrist - from).norm() < 0.7);
            CHECK(e.layer(id)->idle.empty());
        }
    }
    SECTION("a head looks to the side, and a chest that does it with it turns a part of the way") {
        const auto turned = [](const std::vector<std::string>& who) {
            scene::Scene s = otterBody("Idle", {{"swing", 6.0}, {"meets", std::string("nothing")}});
            const std::string id = actOn(
                s, "head", {{"act", std::string("look")}, {"place_x", 2.6}, {"place_y", 0.9}, {"place_z", 1.5}, {"force", 5.0}},
                0.2, 3.0, 0.4, 0.2);
            s.layer(id)->values["joint"] = who;
            const pipeline::Evaluation e = test::evaluate(s);
            const auto yaw = [&](const char* joint) {
                const auto facing = [&](const rig::Track& t) {
                    std::vector<Xform> pose;
                    std::vector<Affine> worlds;
                    t.pose(60, pose);
                    rig::worldTransforms(otterActor()->skeleton, pose, worlds);
                    const Vec3 ahead =
                        rotationOf(worlds[static_cast<std::size_t>(otterActor()->skeleton.find(joint))].m) * Vec3(Vec3::UnitZ());
                    return degrees(std::atan2(ahead.x(), ahead.z()));
                };
                return facing(*e.actors[0].result) - facing(*e.actors[0].body);
            };
            return std::pair(yaw("chest"), yaw("head"));
        };
        const auto alone = turned({"head"}), both = turned({"chest", "head"});
        INFO(alone.first << " " << alone.second << ", with the chest " << both.first << " " << both.second);
        // As far as it is asked to, by the neck for the most part.
        CHECK(alone.second == Approx(degrees(std::atan2(2.6, 1.5))).margin(6));
        CHECK(alone.first < 0.4 * alone.second);
        CHECK(both.first > alone.first + 8);
        CHECK(both.second > both.first + 8);
    }
    SECTION("a hand holds on to what is there while the body falls, and lets go when the act is over") {
        scene::Scene s = otterBody("Idle", {{"strength", 0.05}, {"follow", 0.0}, {"meets", std::string("nothing")}});
        actOn(s, "hand_R", {{"act", std::string("hold")}, {"force", 50.0}}, 0.0, 1.0);
        const pipeline::Evaluation e = test::evaluate(s);
        const std::vector<Vec3> hand = placesOf(s, e, "hand_R");
        CHECK((hand[22] - hand[2]).norm() < 0.12);
        CHECK(hand[22].y() - hand[40].y() > 0.5);
    }
}

TEST_CASE("limp lets go, recover comes back to the clip without a jump") {
    scene::Scene s = otterBody("Idle", {{"swing", 12.0}, {"meets", std::string("all")}});
    actOn(s, "hips", {{"act", std::string("limp")}}, 0.25, 1.25, 0.1, 0.0);
    actOn(s, "hips", {{"act", std::string("recover")}}, 1.25, 2.0);
    const pipeline::Evaluation e = test::evaluate(s);
    const std::vector<Vec3> hips = placesOf(s, e, "hips"), clip = placesOf(s, e, "hips", true);
    const auto off = [&](std::size_t f) { return (hips[f] - clip[f]).norm(); };
    CHECK(off(5) < 0.01);
    CHECK(off(28) > 0.15);
    // It lies, and takes longer to get up than it was given: no faster than that.
    const std::vector<std::string>& said = e.layer(s.layers[0].id)->remarks;
    CHECK(std::any_of(said.begin(), said.end(),
                      [](const std::string& r) { return r.find("comes back to its animation over") != std::string::npos; }));
    CHECK(off(48) > 0.01);
    CHECK(off(80) < 1e-6);
    CHECK(worstOff(s, e, 80) < 0.05);
    for (int f = 0; f < 80; ++f)
        CHECK(lowestOf(s, *e.actors[0].result, f) > std::min(-0.02, lowestOf(s, *e.actors[0].body, f) - 0.02));
    // No jump: a step is no larger than twice those beside it, and none is large.
    for (std::size_t f = 30; f < 79; ++f) {
        const double step = (hips[f] - hips[f - 1]).norm(),
                     beside = std::max((hips[f + 1] - hips[f]).norm(), (hips[f - 1] - hips[f - 2]).norm());
        CHECK(step < 2.5 * beside + 0.003);
    }
}

TEST_CASE("an act after another, on touch and near wait for what they wait for") {
    scene::Scene s = otterBody("Idle", {{"swing", 10.0}, {"follow", 0.0}});
    s.actors.edit(0).set("place_y", 0.6);
    const std::string limp = actOn(s, "hips", {{"act", std::string("limp")}, {"starts", std::string("on touch")}}, 0.0, 2.0);
    const pipeline::Evaluation e = test::evaluate(s);
    const int arm = otterActor()->skeleton.find("spine_01");
    const auto bent = [&](int f) {
        return degrees(e.actors[0].result->at(arm, f).r.angularDistance(e.actors[0].body->at(arm, f).r));
    };
    // Stiff in the air, limp once it has landed.
    CHECK(bent(6) < 2);
    double most = 0;
    for (int f = 20; f < 48; ++f) most = std::max(most, bent(f));
    CHECK(most > 4);
    // What never becomes due is told.
    scene::Scene never = s;
    never.layer(limp)->set("starts", std::string("when near"));
    never.layer(limp)->set("place_x", 30.0);
    const pipeline::Evaluation waits = test::evaluate(never);
    const auto& said = waits.layer(never.layers[0].id)->remarks;
    CHECK(std::any_of(said.begin(), said.end(), [](const auto& r) { return r.find("never due") != std::string::npos; }));
    // And an act that nobody carries out says so.
    never.layers.edit(0).muted = true;
    const pipeline::Evaluation none = test::evaluate(never);
    CHECK(none.layer(limp)->idle.find("carry it out") != std::string::npos);
}

TEST_CASE("a body's motion is the same stepped live, baked again and with another number of threads") {
    scene::Scene s = otterBody("Walk", {{"strength", 0.3}, {"follow", 0.5}});
    actOn(s, "hand_L", {{"act", std::string("reach")}, {"place_y", 0.6}, {"place_z", 0.4}}, 0.1, 0.9, 0.2);
    const pipeline::Evaluation a = test::evaluate(s), b = test::evaluate(s);
    const rig::Track &one = *a.actors[0].result, &two = *b.actors[0].result;
    for (int j = 0; j < one.joints(); ++j)
        for (int f = 0; f < one.frames(); ++f) REQUIRE(one.at(j, f) == two.at(j, f));
    {
        tbb::global_control alone(tbb::global_control::max_allowed_parallelism, 1);
        const pipeline::Evaluation c = test::evaluate(s);
        for (int j = 0; j < one.joints(); ++j)
            for (int f = 0; f < one.frames(); ++f) REQUIRE(one.at(j, f) == c.actors[0].result->at(j, f));
    }
    pipeline::Evaluator evaluator;
    pipeline::Live live(s, s.actors[0].id, evaluator);
    const pipeline::TrackPtr body = a.actors[0].body;
    live.start(body->grid().dt(), [&](int step) {
        pipeline::Live::Moment m;
        body->pose(std::min(step, body->frames() - 1), m.locals);
        m.frame = std::min(step, body->frames() - 1);
        m.time = step * body->grid().dt();
        return std::optional(m);
    });
    for (int f = 1; f + 1 < one.frames(); ++f) {
        live.step();
        for (int j = 0; j < one.joints(); ++j) REQUIRE(live.result()[static_cast<std::size_t>(j)] == one.at(j, f));
    }
}

TEST_CASE("bodies are told and fall on characters that nobody here made") {
    const std::filesystem::path models = NUTATIO_THIRD_PARTY;
    if (!std::filesystem::exists(models / "BVH")) {
        WARN("skipped: assimp-testmodels is not installed");
        return;
    }
    for (const char* file : {"BVH/01_01.bvh", "BVH/Boxing_Toes.bvh", "glTF2/simple_skin/simple_skin.gltf",
                             "glTF2/BoxTextured-glTF-Binary/BoxTextured.glb"}) {
        INFO(file);
        const auto actor = files::readActor(models / file).value();
        const auto figure = rig::figureOf(*actor);
        REQUIRE_FALSE(figure->segments.empty());
        CHECK(figure->segments.size() <= 25);
        scene::Scene s = files::sceneOf(actor);
        // Minutes of motion: what a fall and what comes after it take is seconds.
        if (test::draws(4) < 4) edit::setRate(s, 6);
        const std::string id =
            edit::addLayer(s, "ragdoll", s.actors[0].id, {actor->skeleton.reference(figure->segments[0].joint)});
        s.layer(id)->set("strength", 0.0);
        s.layer(id)->set("follow", 0.0);
        const double size = figure->height * scene::placementOf(s.actors[0]).metres;
        s.layer(id)->set("floor", lowestOf(s, *test::evaluate(s).actors[0].body, 0) - 2.0);
        const pipeline::Evaluation e = test::evaluate(s);
        REQUIRE(e.layer(id)->problem.empty());
        double deepest = 0;
        const rig::Track& t = *e.actors[0].result;
        const int frames = std::min(t.frames(), 240);
        for (int f = 0; f < frames; ++f)
            if (test::tries(f)) deepest = std::max(deepest, s.layer(id)->number("floor") - lowestOf(s, t, f));
        INFO(file);
        CHECK(deepest < 0.01 * size);
        if (frames > 100) CHECK(lowestOf(s, t, frames - 1) - s.layer(id)->number("floor") < 0.1 * size);
    }
}
