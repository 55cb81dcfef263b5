// Fitted colliders, trials, reach, recorded clips, feels, lag in the shot, and settings found for a dragged answer.
#include <catch2/catch.hpp>
#include <random>

#include "base/calm.h"
#include "files/scene_file.h"
#include "layers/feels.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "measure/in_shot.h"
#include "measure/tune.h"
#include "physics/oscillator.h"
#include "pipeline/bake.h"
#include "rig/reach.h"
#include "rig/record.h"
#include "rig/trial.h"
#include "scene/fit.h"
#include "tests/support/rigs.h"

using namespace nutatio;

TEST_CASE("shares are kept low about where they have to be, never above what they may be, in a loop round its ends") {
    std::vector<double> may(21, 1.0);
    may[0] = 0.2;
    may[20] = 0.2;
    may[9] = 0.5;
    for (const bool round : {false, true}) {
        const std::vector<double> is = calmLow(may, 2, round);
        for (std::size_t f = 0; f < may.size(); ++f) CHECK(is[f] <= may[f] + 1e-12);
        for (std::size_t f = 1; f < may.size(); ++f) CHECK(std::abs(is[f] - is[f - 1]) < 0.2);
        CHECK(is[9] == Approx(0.5));
        CHECK(is[14] == Approx(1));
    }
    // The last frame of a loop is its first: what holds there holds on both sides.
    std::vector<double> loop(21, 1.0);
    loop[19] = 0;
    CHECK(calmLow(loop, 2, true)[0] == Approx(calmLow(loop, 2, true)[20]));
    CHECK(calmLow(loop, 2, true)[1] < 1);
    CHECK(calmLow(loop, 2, false)[1] == Approx(1));
}
using test::kOtterFile;
using test::TempFolder;

namespace {

std::vector<Affine> worldsOf(const rig::Actor& a, const std::vector<Xform>& pose) {
    std::vector<Affine> w;
    rig::worldTransforms(a.skeleton, pose, w);
    return w;
}

}  // namespace

TEST_CASE("fitted capsules hold the limbs they were fitted to, and mirror one another") {
    scene::Scene s = test::otterScene();
    const rig::Actor& a = *s.actors[0].actor;
    test::addLayer(s, "strand", {"tail_01"});
    const auto fitted = scene::fitColliders(s, s.actors[0], layers::swungJoints(s, s.actors[0]), 0.02);
    const auto worlds = worldsOf(a, a.restPose());
    const auto of = [&](const char* joint) -> const scene::Collider* {
        for (const scene::Collider& c : fitted)
            if (c.mount.joint == joint) return &c;
        return nullptr;
    };
    for (const char* joint : {"head", "chest", "upper_arm_L", "upper_arm_R", "thigh_L", "thigh_R", "shin_L"}) {
        INFO(joint);
        REQUIRE(of(joint));
        CHECK(of(joint)->number("radius") > 0.01 * a.height);
        CHECK(of(joint)->number("radius") < 0.3 * a.height);
    }
    for (const scene::Collider& c : fitted) CHECK(c.mount.joint.rfind("tail", 0) != 0);  // a strand swings it
    // Most of what a thigh alone moves lies inside its capsule or near its surface.
    const int thigh = a.skeleton.find("thigh_L");
    const physics::Body body =
        layers::bodyOf(scene::numbersOf(*of("thigh_L")),
                       layers::placeCollider(scene::numbersOf(*of("thigh_L")), worlds[static_cast<std::size_t>(thigh)]));
    rig::PosedVertices posed;
    int inside = 0, all = 0;
    for (const rig::MeshInstance& in : a.instances)
        for (const rig::Primitive& p : a.meshes[static_cast<std::size_t>(in.mesh)].primitives) {
            rig::poseVertices(a, in, p, worlds, {}, posed);
            for (std::size_t v = 0; v < p.influences.size(); ++v)
                if (in.skin >= 0 && a.skins[static_cast<std::size_t>(in.skin)].joints[p.influences[v].joint[0]] == thigh &&
                    p.influences[v].weight[0] > 0.8f) {
                    ++all;
                    inside += physics::nearest(body, posed.positions[v].cast<double>(), Vec3::Zero()).distance < 0.02 * a.height;
                }
        }
    INFO(inside << " of " << all);
    REQUIRE(all > 50);
    CHECK(inside > 0.85 * all);
    const auto ends = [&](const scene::Collider& c) {
        const physics::Body b = layers::bodyOf(
            scene::numbersOf(c),
            layers::placeCollider(scene::numbersOf(c), worlds[static_cast<std::size_t>(a.skeleton.find(c.mount.joint))]));
        return std::pair(b.a, b.b);
    };
    const double middle = worlds[static_cast<std::size_t>(a.skeleton.find("hips"))].t.x();
    for (const char* limb : {"thigh", "shin", "foot"}) {
        const auto* l = of((std::string(limb) + "_L").c_str());
        const auto* r = of((std::string(limb) + "_R").c_str());
        if (!l || !r) continue;
        INFO(limb);
        CHECK(l->number("radius") == Approx(r->number("radius")).epsilon(1e-6));
        CHECK(std::abs(ends(*l).first.x() - middle) == Approx(std::abs(ends(*r).first.x() - middle)).margin(1e-3 * a.height));
    }
    // Fitting again adds nothing: every joint has one now.
    for (const scene::Collider& c : fitted) s.colliders.push_back(c);
    CHECK(scene::fitColliders(s, s.actors[0], layers::swungJoints(s, s.actors[0]), 0.02).empty());
    // An actor without a mesh has nothing to fit to.
    scene::Scene bare = files::sceneOf(test::read(test::kDeckhandFile));
    CHECK(scene::fitColliders(bare, bare.actors[0], {}, 0.02).empty());
}

TEST_CASE("a trial on top of a clip is as long as that, and adds its move to it") {
    scene::Scene s = test::otterScene();
    test::play(s, "Walk");
    const rig::Actor& a = *s.actors[0].actor;
    pipeline::Evaluator evaluator;
    const pipeline::TrackPtr walk = evaluator.bodyOf(s, s.shot(), s.actors[0]);
    rig::Trial t;
    t.move = "nod";
    t.joint = "head";
    t.onTop = true;
    s.actors.edit(0).trial = t;
    CHECK(s.frames(s.shot()) == walk->frames());
    const pipeline::TrackPtr both = evaluator.bodyOf(s, s.shot(), s.actors[0]);
    REQUIRE(both->frames() == walk->frames());
    const int head = a.skeleton.find("head"), thigh = a.skeleton.find("thigh_L");
    double most = 0;
    for (int f = 0; f < walk->frames(); ++f) {
        CHECK(both->at(thigh, f) == walk->at(thigh, f));
        most = std::max(most, both->at(head, f).r.angularDistance(walk->at(head, f).r));
    }
    CHECK(most > radians(5));
    // In place of the clip legs stand still, and the shot is as long as the trial.
    s.actors.edit(0).trial.onTop = false;
    const pipeline::TrackPtr alone = evaluator.bodyOf(s, s.shot(), s.actors[0]);
    CHECK(alone->holdsStill(thigh));
    CHECK(alone->frames() != walk->frames());
}

TEST_CASE("every trial loops, moves any rig, and moves a joint alone when asked") {
    for (const std::string& file : {kOtterFile, test::kDeckhandFile, test::sourceFolder() + "/demo/assets/jetty.glb"}) {
        const auto actor = test::read(file);
        const int last = actor->skeleton.size() - 1;
        for (const rig::TrialMove& m : rig::trialMoves())
            for (const bool whole : {true, false}) {
                INFO(file << " " << m.id << " whole " << whole);
                rig::Trial t;
                t.move = m.id;
                if (!whole) t.joint = actor->skeleton.reference(last);
                const rig::FrameGrid g = rig::trialGrid(t, 24);
                const rig::Track track = rig::trialTrack(*actor, t, actor->restPose(), g);
                CHECK(track.closes(*actor));
                double most = 0;
                std::vector<Xform> pose;
                for (int f = 0; f < track.frames(); ++f) {
                    track.pose(f, pose);
                    const auto w = worldsOf(*actor, pose), rest = worldsOf(*actor, actor->restPose());
                    for (std::size_t j = 0; j < w.size(); ++j) {
                        REQUIRE(pose[j].isFinite());
                        most = std::max({most, (w[j].t - rest[j].t).norm() / actor->height, (w[j].m - rest[j].m).norm()});
                        // What is not below the moved joint stays.
                        if (!whole && static_cast<int>(j) != last) REQUIRE((w[j].t - rest[j].t).norm() < 1e-9 * actor->height);
                    }
                }
                CHECK(most > 0.005);
                // Size scales it, speed shortens it.
                rig::Trial quick = t;
                quick.speed = 2;
                CHECK(rig::trialGrid(quick, 24).frames < g.frames);
                if (file != kOtterFile) break;
            }
    }
    // A trial replaces the clip while it is on, for evaluation; hand-off bakes the clip all the same.
    scene::Scene s = test::otterScene();
    test::addLayer(s, "strand", {"tail_01"});
    const auto walk = test::evaluate(s);
    s.actors.edit(0).trial.move = "hop";
    const auto hop = test::evaluate(s);
    CHECK(hop.actors[0].body->frames() == rig::trialGrid(s.actors[0].trial, 24).frames);
    CHECK(hop.actors[0].body->frames() != walk.actors[0].body->frames());
    CHECK(s.frames(s.shot()) == hop.actors[0].body->frames());
    TempFolder f;
    pipeline::Evaluator e;
    pipeline::BakeOptions o;
    o.clip = "Walk";
    const auto baked = pipeline::bake(s, o, f / "o.glb", e, {});
    REQUIRE(baked.ok());
    CHECK(baked.value().clips[0].frames == walk.actors[0].body->frames());
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    CHECK(files::readScene(f / "s.nutatio").value().actors[0].trial.move.empty());
}

TEST_CASE("reach brings a joint to a place that its bones can reach, and as near as they can to one beyond") {
    const auto actor = test::chainActor({.bones = 4, .length = 0.25});
    const int end = actor->skeleton.find("end");
    std::vector<Xform> pose = actor->restPose();
    const Vec3 elbow = worldsOf(*actor, pose)[static_cast<std::size_t>(actor->skeleton.find("bone_3"))].t;
    for (const Vec3& target : {Vec3(elbow + Vec3(0.2, 0.1, 0.3)), Vec3(elbow + Vec3(-0.3, 0, 0.2))}) {
        pose = actor->restPose();
        rig::reach(actor->skeleton, pose, end, target, 2);
        const auto w = worldsOf(*actor, pose);
        CHECK((w[static_cast<std::size_t>(end)].t - target).norm() < 0.01);
        // Bones keep their lengths, and those above the two that turn stay.
        CHECK((w[static_cast<std::size_t>(actor->skeleton.find("bone_3"))].t - elbow).norm() < 1e-12);
        CHECK((w[static_cast<std::size_t>(end)].t - w[static_cast<std::size_t>(actor->skeleton.find("bone_4"))].t).norm() ==
              Approx(0.25));
    }
    pose = actor->restPose();
    rig::reach(actor->skeleton, pose, end, elbow + Vec3(5, 0, 0), 2);
    CHECK((worldsOf(*actor, pose)[static_cast<std::size_t>(end)].t - elbow - Vec3(0.5, 0, 0)).norm() < 0.02);
    rig::reach(actor->skeleton, pose, 0, Vec3(1, 2, 3));
    CHECK(worldsOf(*actor, pose)[0].t == Vec3(1, 2, 3));
}

TEST_CASE("poses that were lived through become a clip: true to the frame, and free of jitter") {
    const auto actor = test::chainActor({.bones = 3});
    std::mt19937 noise(4);
    std::vector<std::vector<Xform>> samples;
    const auto place = [](double t) { return 0.5 * std::sin(2 * kPi * 0.5 * t); };
    for (int k = 0; k <= 120; ++k) {
        std::vector<Xform> pose = actor->restPose();
        // A slow sway, with a millimetre of trembling on top.
        pose[0].t.x() = place(k / 60.0) + 0.001 * (static_cast<double>(noise() % 2001) - 1000) / 1000;
        samples.push_back(pose);
    }
    const rig::Clip clip = rig::clipOfSamples(*actor, samples, 60, 24, "Tug 1");
    CHECK(clip.seconds() == Approx(2.0));
    REQUIRE(clip.channels.size() == 1);  // only the root moved, and only along
    CHECK(clip.channels[0].times.size() == 49);
    double off = 0, raw = 0;
    for (int f = 2; f < 47; ++f) {
        double v[3];
        clip.channels[0].sample(f / 24.0, v);
        off = std::max(off, std::abs(v[0] - place(f / 24.0)));
        raw = std::max(raw, std::abs(samples[static_cast<std::size_t>(f * 60 / 24)][0].t.x() - place(std::floor(f * 2.5) / 60)));
    }
    INFO(off << " of " << raw);
    CHECK(off < 0.8 * raw);
    // It is a clip like others: played, baked as a new one, saved with the scene.
    scene::Scene s = test::otterScene();
    std::vector<std::vector<Xform>> shake;
    for (int k = 0; k <= 60; ++k) {
        shake.push_back(s.actors[0].actor->restPose());
        shake.back()[static_cast<std::size_t>(s.actors[0].actor->skeleton.find("hips"))].r =
            fromRotationVector(Vec3(0, 0.4 * std::sin(0.2 * k), 0));
    }
    s.actors.edit(0).actor = rig::withClip(*s.actors[0].actor, rig::clipOfSamples(*s.actors[0].actor, shake, 60, 24, "Tug 1"));
    test::play(s, "Tug 1");
    test::addLayer(s, "strand", {"tail_01"});
    const auto played = test::evaluate(s);
    CHECK(played.actors[0].body->frames() == 25);
    TempFolder f;
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    auto again = files::readScene(f / "s.nutatio");
    REQUIRE(again.ok());
    const auto replayed = test::evaluate(again.value());
    for (int j = 0; j < played.actors[0].result->joints(); ++j)
        for (int k = 0; k < 25; ++k) REQUIRE(played.actors[0].result->at(j, k) == replayed.actors[0].result->at(j, k));
    pipeline::Evaluator e;
    pipeline::BakeOptions o;
    o.clip = "Tug 1";
    REQUIRE(pipeline::bake(s, o, f / "o.glb", e, {}).ok());
    const auto out = test::read(f / "o.glb");
    const int clipOut = out->findClip("Tug 1");
    REQUIRE(clipOut >= 0);
    CHECK(out->clips.size() == s.actors[0].actor->clips.size());
    const rig::Track body =
        rig::bodyTrack(*out, clipOut, rig::FrameGrid::covering(out->clips[static_cast<std::size_t>(clipOut)], 24));
    for (const char* joint : {"hips", "tail_04"}) {
        const int j = out->skeleton.find(joint);
        for (int k = 0; k < 25; k += 6)
            CHECK(body.at(j, k).r.angularDistance(played.actors[0].result->at(j, k).r) < radians(0.2));
    }
}

TEST_CASE("feels: enough of them, each within its table, each moving in its own way") {
    std::vector<std::string> names;
    std::vector<layers::FeelMotion> motions;
    for (const layers::Feel& f : layers::builtInFeels()) {
        INFO(f.name);
        const layers::LayerKind* kind = layers::findKind(f.kind);
        REQUIRE(kind);
        CHECK(f.about.back() == '.');
        for (const auto& [id, value] : f.values) {
            const scene::SettingSpec* spec = kind->setting(id);
            REQUIRE(spec);
            CHECK(spec->feel);
            if (const double* v = std::get_if<double>(&value)) CHECK(scene::clampTo(*spec, *v) == *v);
        }
        for (const auto& [id, profile] : f.profiles) CHECK(kind->setting(id)->profiled);
        const layers::FeelMotion m = layers::feelMotion(f);
        REQUIRE(m.frames.size() == 72);
        for (const auto& points : m.frames)
            for (const Vec3& p : points) {
                REQUIRE(p.allFinite());
                REQUIRE(p.norm() < 4);
            }
        // It loops without a step: the last frame leads to the first as its neighbours lead to one another.
        const auto last = (m.frames.back().back() - m.frames.front().back()).norm();
        double usual = 0;
        for (std::size_t k = 1; k < m.frames.size(); ++k)
            usual = std::max(usual, (m.frames[k].back() - m.frames[k - 1].back()).norm());
        CHECK(last <= 1.05 * usual);
        for (std::size_t o = 0; o < motions.size(); ++o)
            if (motions[o].frames[0].size() == m.frames[0].size()) {
                double differs = 0;
                for (std::size_t k = 0; k < 72; ++k)
                    differs = std::max(differs, (motions[o].frames[k].back() - m.frames[k].back()).norm());
                INFO("like " << names[o]);
                CHECK(differs > 0.01);
            }
        names.push_back(f.name);
        motions.push_back(m);
    }
    CHECK(names.size() >= 12);
}

TEST_CASE("a feel is applied, recognised, saved and read, a broken one says where") {
    scene::Scene s = test::otterScene();
    test::addLayer(s, "strand", {"tail_01"}, {{"preroll", 0.416667}, {"felt_turn", 0.5}});
    test::keyed(s, test::layerAt(s), "swing", {{0, 1.0}, {5, 2.0}});
    test::keyed(s, test::layerAt(s), "mix", {{0, 1.0}, {5, 0.5}});
    scene::Layer& l = s.layers.edit(0);
    const layers::Feel& whip = *std::find_if(layers::builtInFeels().begin(), layers::builtInFeels().end(),
                                             [](const auto& f) { return f.name == "Whip"; });
    CHECK_FALSE(layers::hasFeel(l, whip));
    layers::applyFeel(whip, s, l.id);
    CHECK(layers::hasFeel(l, whip));
    CHECK(l.number("swing") == 1.1);
    CHECK(l.number("preroll") == 0.416667);  // when it starts is no feel
    CHECK(l.number("felt_turn") == 0.5);
    CHECK(l.list("root") == std::vector<std::string>{"tail_01"});
    CHECK(s.shot().keysOf(test::layerAt(s), "swing") == nullptr);
    CHECK(s.shot().keysOf(test::layerAt(s), "mix") != nullptr);
    l.values["bounces"] = 3.25;
    CHECK_FALSE(layers::hasFeel(l, whip));
    TempFolder f;
    std::vector<std::string> said;
    REQUIRE(layers::writeFeel(layers::feelOf(l, "Mine"), f / "own" / "mine.json").ok());
    const auto read = layers::feelsIn(f / "own", said);
    REQUIRE(read.size() == 1);
    CHECK(said.empty());
    CHECK(read[0].name == "Mine");
    CHECK(read[0].own);
    CHECK(layers::hasFeel(l, read[0]));
    CHECK(layers::feelsIn(f / "nowhere", said).empty());
    const std::pair<const char*, const char*> broken[] = {
        {R"({"format": "nutatio-feel", "name": "A", "kind": "strand", "settings": {"root": 3}})", "settings.root"},
        {R"({"format": "nutatio-feel", "name": "A", "kind": "cloud", "settings": {}})", "kind"},
        {R"({"format": "other"})", "not a feel"},
        {R"({"format": "nutatio-feel", "name": "A", "kind": "strand", "settings": {"swing": "fast"}})", "settings.swing"},
        {R"({"format": )", "broken.json"}};
    for (const auto& [text, says] : broken) {
        test::put(f / "broken.json", text);
        const auto bad = layers::readFeel(f / "broken.json", said);
        INFO(text);
        REQUIRE_FALSE(bad.ok());
        CHECK(bad.error().text().find(says) != std::string::npos);
        CHECK(bad.error().text().find('\n') == std::string::npos);
    }
    test::put(f / "wild.json", R"({"format": "nutatio-feel", "name": "A", "kind": "strand", "settings": {"swing": 1000}})");
    const auto wild = layers::readFeel(f / "wild.json", said);
    REQUIRE(wild.ok());
    CHECK(std::get<double>(wild.value().values.at("swing")) == 60.0);
    CHECK(said.size() == 1);
}

TEST_CASE("a feel means the same on a mouse and on a whale") {
    const layers::Feel& feel = layers::builtInFeels()[5];
    std::vector<double> swings;
    for (double length : {0.005, 0.25, 10.0}) {
        scene::Scene s = test::sceneWith(test::chainActor({.bones = 5, .length = length}));
        test::addLayer(s, "strand", {"bone_1"});
        layers::applyFeel(feel, s.layers.edit(0));
        const auto r = measure::response(*layers::findKind("strand"), layers::LayerContext::bare(*s.actors[0].actor, s.layers[0]),
                                         s.actors[0].actor->restPose());
        REQUIRE(r);
        swings.push_back(r->swing);
    }
    CHECK(swings[0] == Approx(swings[1]).epsilon(0.01));
    CHECK(swings[2] == Approx(swings[1]).epsilon(0.01));
}

TEST_CASE("lag is measured to a fraction of a frame, in loops and in shots") {
    for (const bool loops : {true, false})
        for (const double lag : {0.0, 2.0, 3.4, -1.7}) {
            std::vector<float> a, b;
            const double period = loops ? 36 : 31;
            for (int k = 0; k <= 72; ++k) {
                a.push_back(static_cast<float>(std::sin(2 * kPi * k / period)));
                b.push_back(static_cast<float>(0.6 * std::sin(2 * kPi * (k - lag) / period)));
            }
            double likeness = 0;
            const double got = measure::lagOf(a, b, loops, &likeness);
            INFO("loops " << loops << " lag " << lag << " got " << got);
            CHECK(got == Approx(lag).margin(0.12));
            CHECK(likeness > 0.97);
        }
}

TEST_CASE("in the shot, a part lags behind the body as a spring behind what carries it") {
    // Carried at W = r w, a spring whose damper works against its carrier lags atan2(2 zeta r, 1 - r^2) - atan(2 zeta r) of phase
    // and swings sqrt((1 + 4 zeta^2 r^2) / ((1 - r^2)^2 + 4 zeta^2 r^2)) times as far.
    test::ChainSpec spec{.bones = 4, .way = Vec3(0, -1, 0), .frames = 97};
    spec.motion = [](double t) {
        Xform x;
        x.t.x() = 0.3 * std::sin(2 * kPi * 0.5 * t);
        return x;
    };
    for (const double swing : {0.7, 1.0, 2.0, 8.0})
        for (const double bounces : {0.0, 1.0}) {
            scene::Scene s = test::sceneWith(test::chainActor(spec));
            test::addLayer(s, "jiggle", {"bone_1"},
                           {{"swing", swing},
                            {"bounces", bounces},
                            {"move", std::string("xyz")},
                            {"turn", std::string()},
                            {"preroll", 8.33333}});
            const auto e = test::evaluate(s);
            const measure::InShot got = measure::inShot(*s.actors[0].actor, *e.actors[0].body, *e.actors[0].result);
            const double r = 0.5 / swing, d = 2 * physics::dampingRatio(bounces) * r;
            const double lag = (std::atan2(d, 1 - r * r) - std::atan(d)) / (2 * kPi) * 48;
            const double ratio = std::sqrt((1 + d * d) / ((1 - r * r) * (1 - r * r) + d * d));
            INFO("swing " << swing << " bounces " << bounces << ": " << got.lagFrames << " of " << lag << ", " << got.ratio
                          << " of " << ratio);
            CHECK(got.moves);
            CHECK(got.lagFrames == Approx(lag).margin(0.15));
            CHECK(got.ratio == Approx(ratio).epsilon(0.02));
        }
}

TEST_CASE("the settings follow a dragged answer, by measurement") {
    scene::Scene s = test::otterScene();
    test::addLayer(s, "strand", {"tail_01"}, {{"swing", 1.6}, {"bounces", 1.6}, {"gravity", 0.3}});
    test::addLayer(s, "jiggle", {"ear_L"}, {{"swing", 4.0}, {"bounces", 2.0}});
    for (const scene::Layer& start : s.layers) {
        const layers::LayerKind& kind = *layers::findKind(start.kind);
        const auto pose = s.actors[0].actor->restPose();
        const auto before = measure::response(kind, layers::LayerContext::bare(*s.actors[0].actor, start), pose);
        REQUIRE(before);
        for (const auto& [over, time] : {std::pair{0.75, 1.3}, {1.15, 0.8}, {0.65, 1.0}}) {
            measure::Wanted w;
            w.overshoot = over * before->overshoot;
            w.peakTime = time * before->peakTime;
            scene::Layer after = start;
            for (const auto& [id, v] : measure::settingsFor(kind, layers::LayerContext::bare(*s.actors[0].actor, start), pose, w))
                after.values[id] = v;
            const auto r = measure::response(kind, layers::LayerContext::bare(*s.actors[0].actor, after), pose);
            INFO(start.kind << " asked " << w.overshoot << " at " << w.peakTime << ", got " << r->overshoot << " at "
                            << r->peakTime);
            CHECK(r->overshoot == Approx(w.overshoot).margin(0.03));
            CHECK(r->peakTime == Approx(w.peakTime).epsilon(0.06));
        }
        for (double sag : {2.0, 0.5, 0.0}) {
            measure::Wanted w;
            const double asked = w.sag = sag * radians(4);
            scene::Layer after = start;
            for (const auto& [id, v] : measure::settingsFor(kind, layers::LayerContext::bare(*s.actors[0].actor, start), pose, w))
                after.values[id] = v;
            const auto r = measure::response(kind, layers::LayerContext::bare(*s.actors[0].actor, after), pose);
            INFO(start.kind << " sag asked " << degrees(asked) << " got " << degrees(r->sag));
            CHECK(r->sag == Approx(asked).margin(radians(0.15)));
        }
    }
}

TEST_CASE("keys run smoothly through their values and never beyond them, profiles are straight between points") {
    const scene::Keys keys{{0, 1}, {10, 3}, {20, 3}, {30, 2}};
    CHECK(scene::keyedAt(keys, -5) == 1);
    CHECK(scene::keyedAt(keys, 40) == 2);
    double before = 1;
    for (double f = 0; f <= 30; f += 0.25) {
        const double v = scene::keyedAt(keys, f);
        CHECK(v >= 1 - 1e-12);
        CHECK(v <= 3 + 1e-12);
        if (f <= 10) CHECK(v >= before - 1e-12);
        if (f >= 10 && f <= 20) CHECK(v == Approx(3));
        before = v;
    }
    scene::Keys put;
    scene::putKey(put, 5, 1);
    scene::putKey(put, 2, 2);
    scene::putKey(put, 5, 3);
    CHECK(put == scene::Keys{{2, 2}, {5, 3}});
    const scene::Profile p{{0, 2}, {0.5, 1}, {1, 0}};
    CHECK(scene::profileAt(p, 0.25) == Approx(1.5));
    CHECK(scene::profileAt(p, 1) == 0);
    CHECK(scene::profileAt({}, 0.3) == 1);
}

TEST_CASE("the Scope can watch one joint of a strand, or another of a jiggle's") {
    scene::Scene s = test::otterScene();
    test::addLayer(s, "strand", {"tail_01"});
    test::addLayer(s, "jiggle", {"ear_L", "tail_04"});
    const rig::Actor& a = *s.actors[0].actor;
    const auto at = [&](std::size_t layer, const char* joint) {
        const auto r = measure::response(*layers::findKind(s.layers[layer].kind), layers::LayerContext::bare(a, s.layers[layer]),
                                         a.restPose(), {}, joint ? a.skeleton.find(joint) : rig::kNoJoint);
        REQUIRE(r);
        return *r;
    };
    CHECK(at(0, "tail_01").curve == at(0, nullptr).curve);  // the root stands for its strand
    // A link near the root follows sooner and overshoots less than the tip that it throws about.
    CHECK(at(0, "tail_02").overshoot < 0.8 * at(0, nullptr).overshoot);
    CHECK(at(0, "tail_02").swing == Approx(at(0, nullptr).swing).epsilon(0.02));
    CHECK(at(0, "tail_10").curve == at(0, nullptr).curve);
    CHECK(at(0, "tail_10").joint == a.skeleton.find("tail_10"));
    CHECK(at(0, "head").joint == rig::kNoJoint);
    CHECK(at(0, "head").curve == at(0, nullptr).curve);  // not the strand's: its end is watched
    CHECK(at(1, "ear_L").curve == at(1, nullptr).curve);
}
