// Layers on real skeletons: any rig, any frame rate, any setting.
#include <catch2/catch.hpp>
#include <random>

#include "files/scene_file.h"
#include "layers/bodily.h"
#include "layers/joint_worlds.h"
#include "layers/meeting.h"
#include "layers/mover.h"
#include "layers/registry.h"
#include "layers/run.h"
#include "measure/response.h"
#include "physics/oscillator.h"
#include "pipeline/open.h"
#include "scene/items.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using test::TempFolder;

namespace {

test::ChainSpec hopping(double fps = 24) {
    test::ChainSpec s;
    s.fps = fps;
    s.frames = static_cast<int>(2 * fps) + 1;
    s.motion = [](double t) {
        Xform x;
        x.t = Vec3(0.2 * std::sin(5 * t), 0.1 * std::abs(std::sin(3 * t)), 0);
        x.r = fromRotationVector(Vec3(0, std::sin(2.5 * t), 0.3 * std::sin(4 * t)));
        return x;
    };
    return s;
}

/// World places of the last joint with the layer, at the scene's frames.
std::vector<Vec3> tipWith(const scene::Scene& s) {
    const pipeline::Evaluation e = test::evaluate(s);
    return test::worldPlaces(*s.actors[0].actor, *e.actors[0].result, s.actors[0].actor->skeleton.find("end"));
}

/// What must stand on the joint that moves itself to have an effect; a person, on its chest.
const char* targetFor(const scene::SettingSpec& spec, const layers::LayerKind* kind = nullptr) {
    if (kind && kind->setting("poise")) return "chest";
    if (kind && kind->setting("contacts")) return "bone_3";
    return spec.id.substr(0, 4) == "more" || spec.id == "late" || spec.id == "about_frame" ? "root" : "bone_2";
}

/// The id under which a row's value stands: of a channel, that of a joint.
std::string idOf(const scene::SettingSpec& spec, const char* joint) {
    return spec.each == scene::Each::Joint ? scene::channelId(spec.id, joint) : std::string(spec.id);
}

/// Every joint's transforms over the shot, one joint after another.
std::vector<Xform> tipFrames(const scene::Scene& s) {
    const pipeline::Evaluation e = test::evaluate(s);
    const rig::Track& t = *e.actors[0].result;
    std::vector<Xform> out;
    for (int j = 0; j < t.joints(); ++j)
        for (int f = 0; f < t.frames(); ++f) out.push_back(t.at(j, f));
    return out;
}

}  // namespace

TEST_CASE("every kind of the registry: default scene, saved, loaded, the same, random settings finite") {
    const unsigned seed = 5;
    INFO("seed " << seed);
    std::mt19937 noise(seed);
    TempFolder f;
    demo::GltfBuilder b;  // on disk, for the scene file to refer to
    int parent = b.node("root", -1);
    for (int i = 1; i < 6; ++i)
        parent = b.node("bone_" + std::to_string(i), parent, {Vec3(0, 0.2, 0.1), Quat::Identity(), Vec3::Ones()});
    std::vector<std::vector<Xform>> frames(20, std::vector<Xform>(6, {Vec3(0, 0.2, 0.1), Quat::Identity(), Vec3::Ones()}));
    for (std::size_t k = 0; k < frames.size(); ++k)
        frames[k][0] = {Vec3(std::sin(static_cast<double>(k)), 0, 0),
                        fromRotationVector(Vec3(0, 0.4 * std::sin(2.0 * static_cast<double>(k)), 0)), Vec3::Ones()};
    b.clip("c", 24, frames);
    b.writeGlb(f / "rig.glb");
    REQUIRE(layers::kinds().size() >= 2);
    for (const layers::LayerKind* kind : layers::kinds()) {
        INFO(kind->id);
        const char* joint = targetFor({}, kind);
        CHECK(kind->setting("mix") != nullptr);
        CHECK(kind->setting(kind->target()) != nullptr);
        scene::Scene s = test::sceneWith(test::read(f / "rig.glb"));
        test::addLayer(s, std::string(kind->id), {"bone_2"});
        // A chain has nothing to stand on.
        if (kind->problem(*s.actors[0].actor, s.layers[0])) {
            test::writePerson(f / "person.glb", {});
            s = test::sceneWith(test::read(f / "person.glb"));
            test::addLayer(s, std::string(kind->id), {});
        }
        REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
        auto again = files::readScene(f / "s.nutatio");
        REQUIRE(again.ok());
        CHECK(layers::settle(again.value()).empty());
        CHECK(again.value().layers[0].values == s.layers[0].values);
        const pipeline::Evaluation before = test::evaluate(s), after = test::evaluate(again.value());
        const rig::Track& body = *before.actors[0].body;
        for (int j = 0; j < body.joints(); ++j)
            for (int k = 0; k < body.frames(); ++k)
                REQUIRE(before.actors[0].result->at(j, k) == after.actors[0].result->at(j, k));
        for (int trial = 0; trial < test::draws(150); ++trial) {
            for (const scene::SettingSpec& spec : kind->settings)
                if (spec.type == scene::SettingType::Number) {
                    const double u = static_cast<double>(noise()) / 4294967295.0;
                    const int end = static_cast<int>(noise() % 4);
                    s.layers.edit(0).values[idOf(spec, joint)] = end == 0 ? spec.range.low
                                                                 : end == 1
                                                                     ? spec.range.high
                                                                     : spec.range.low + u * (spec.range.high - spec.range.low);
                } else if (spec.type == scene::SettingType::Axes) {
                    s.layers.edit(0).values[std::string(spec.id)] = std::string(noise() % 2 ? "xz" : "y");
                }
            const pipeline::Evaluation e = test::evaluate(s);
            for (int j = 0; j < body.joints(); ++j)
                for (int k = 0; k < body.frames(); ++k) REQUIRE(e.actors[0].result->at(j, k).isFinite());
        }
    }
}

namespace {
/// A hopping chain under a layer of the kind, with wind, a body in its way, a cut, and whatever else can be carried on.
scene::Scene busy(const layers::LayerKind& kind) {
    scene::Scene s = test::sceneWith(test::chainActor(hopping()));
    test::addLayer(s, std::string(kind.id), {"bone_1"});
    for (const auto& [id, value] :
         {std::pair{"gravity", 0.6}, {"sag", 0.6}, {"stretch", 0.2}, {"felt_travel", 0.7}, {"felt_turn", 0.8}, {"radius", 0.05}})
        if (kind.setting(id)) s.layers.edit(0).set(id, value);
    if (kind.setting("move")) s.layers.edit(0).values["move"] = std::string("xyz");
    s.winds.push_back(scene::newWind(s, s.actors[0]));
    s.colliders.push_back(scene::newCollider(s, s.actors[0], 0, scene::Shape::Sphere));
    s.colliders.edit(0).set("radius", 0.15);
    s.colliders.edit(0).setVector("offset", Vec3(0, -0.2, 0.4));
    return s;
}

struct Stepped {
    const rig::Track& body;
    layers::Mover& mover;
    std::vector<Xform> out;

    layers::PoseView at(int f) const { return {body, std::min(f, body.frames() - 1), f / body.grid().fps}; }
    void start(int f) { mover.start(body.grid().dt(), at(f), at(f + 1)); }
    std::vector<Xform>& step(int f) {
        mover.step(body.grid().dt(), at(f), at(f + 1));
        out.resize(mover.joints().size());
        mover.write(at(f), out);
        return out;
    }
};
}  // namespace

TEST_CASE("a mover that is started anew and given the state of another goes on with the same bits") {
    for (const layers::LayerKind* kind : layers::kinds()) {
        if (!kind->simulated) continue;
        INFO(kind->id);
        const scene::Scene s = busy(*kind);
        const auto body = test::evaluate(s).actors[0].body;
        layers::LayerContext context = layers::LayerContext::bare(*s.actors[0].actor, s.layers[0]);
        if (kind->meets && kind->meets->bodies) {
            context.colliders.push_back(
                {&s.colliders[0], std::make_shared<const scene::Resolved>(s.colliders[0], scene::colliderTable())});
        }
        context.winds.push_back({&s.winds[0], std::make_shared<const scene::Resolved>(s.winds[0], scene::windTable())});
        context.cuts = {30};
        for (int handed : {1, 13, 29, 30, 31}) {
            INFO("handed over at frame " << handed);
            layers::Movers one = kind->simulated->movers(context, {*body, 0}), two = kind->simulated->movers(context, {*body, 0});
            Stepped first{*body, *one.front(), {}}, second{*body, *two.front(), {}};
            first.start(0);
            for (int f = 1; f <= handed; ++f) first.step(f);
            second.start(handed);
            second.mover.setState(first.mover.state());
            CHECK(second.mover.state() == first.mover.state());
            for (int f = handed + 1; f < body->frames(); ++f) REQUIRE(first.step(f) == second.step(f));
        }
        // Without it, it does not: there was something to carry.
        layers::Movers one = kind->simulated->movers(context, {*body, 0}), two = kind->simulated->movers(context, {*body, 0});
        Stepped first{*body, *one.front(), {}}, second{*body, *two.front(), {}};
        first.start(0);
        for (int f = 1; f <= 13; ++f) first.step(f);
        second.start(13);
        CHECK(first.step(14) != second.step(14));
    }
}

TEST_CASE("a strand's state that was altered is made whole: turns unit, joints at the ends of their links") {
    physics::StrandDef def;
    def.gravity = Vec3(0, -9.81, 0);
    test::Bench b(test::straightLinks(5, 0.5, Vec3::UnitZ()), def, 1 / 120.0);
    b.start();
    b.step(30);
    std::vector<double> state;
    b.strand.batch().appendState(0, state);
    std::mt19937 noise(3);
    for (double& v : state) v += 0.02 * (static_cast<double>(noise() % 1000) / 1000 - 0.5);
    CHECK(b.strand.batch().takeState(0, state).empty());
    for (std::size_t i = 1; i < 5; ++i) {
        CHECK(std::abs(b.strand.turn(i).norm() - 1) < 1e-12);
        const Vec3 way = b.strand.place(i) - b.strand.place(i - 1);
        CHECK((way.normalized() - b.strand.turn(i - 1) * Vec3::UnitZ()).norm() < 1e-9);
    }
    b.step(600);
    CHECK(b.strand.end(4).allFinite());
}

TEST_CASE("each setting is described well enough to be shown") {
    for (const layers::LayerKind* kind : layers::kinds())
        for (const scene::SettingSpec& s : kind->settings) {
            INFO(kind->id << "." << s.id);
            CHECK_FALSE(s.label.empty());
            CHECK(s.help.size() > 20);
            CHECK(s.help.back() == '.');
            if (s.type != scene::SettingType::Number) continue;
            CHECK(s.range.low < s.range.high);
            CHECK(s.soft.low >= s.range.low);
            CHECK(s.soft.high <= s.range.high);
            CHECK(s.start >= s.range.low);
            CHECK(s.start <= s.range.high);
        }
}

namespace {
/// What needs a morph target, a region, a size that changes or a bend is in touchup_test.cpp.
bool isElsewhere(const scene::SettingSpec& spec) {
    return spec.each == scene::Each::Morph || spec.each == scene::Each::Handle || spec.id.substr(0, 8) == "handles_" ||
           spec.id == "more_size" || spec.id == "straighten" || spec.id.substr(0, 6) == "crouch" ||
           (spec.id == "effort" && spec.unit == scene::Unit::Times);  // of leaps: see leap_test.cpp
}

/// Gives a setting something to act on, and the value that it is changed to.
double readyFor(const layers::LayerKind& kind, const scene::SettingSpec& spec, scene::Scene& s) {
    const std::string id(spec.id);
    scene::Values& values = s.layers.edit(0).values;
    const auto starts = [&](const char* with) { return id.rfind(with, 0) == 0; };
    const auto one = [&](std::initializer_list<const char*> ids) {
        return std::any_of(ids.begin(), ids.end(), [&](const char* k) { return id == k; });
    };
    if (one({"preroll", "bounces", "end", "pull_tilt", "pull_heading"}))
        values[kind.setting("gravity") ? "gravity" : "sag"] = 1.0;
    if (id == "pull_heading") values["pull_tilt"] = 40.0;
    if (one({"gravity", "heavier"}) && kind.setting("carried")) {
        values["carried"] = 0.0;
        values[std::string(kind.target())] = std::vector<std::string>{"root"};
    }
    if (id == "catch") s.winds.push_back(scene::newWind(s, s.actors[0]));
    if (id == "travel") values["move"] = std::string("xyz");
    if (id == "group") values["form"] = std::string("noise");
    if (id == "phase_step") values[std::string(kind.target())] = std::vector<std::string>{"bone_2", "bone_3"};
    if (id == "twist") values["stiff_twist"] = 0.0;
    if (id == "stretch_swing") values["stretch"] = 0.3;
    if (id == "radius") {
        s.colliders.push_back(scene::newCollider(s, s.actors[0], 1, scene::Shape::Sphere));
        s.colliders.edit(0).set("radius", 0.3);
        s.colliders.edit(0).setVector("offset", Vec3(0, 0.34, 0.8));
        values["gravity"] = -2.0;
    }
    if (id == "push_out") {
        s.colliders.push_back(scene::newCollider(s, s.actors[0], 1, scene::Shape::Sphere));
        s.colliders.edit(0).set("radius", 0.2);  // its own pose stands in it
        s.colliders.edit(0).setVector("offset", Vec3(0, 0.05, 0.6));
    }
    if (std::any_of(kind.settings.begin(), kind.settings.end(),
                    [](const auto& row) { return row.type == scene::SettingType::Clip; })) {
        values[std::string(kind.target())] = std::vector<std::string>{"root"};
        if (id == "mix") values["late"] = 6.0;
    }
    if (kind.byHand) {
        const std::string joint = targetFor(spec);
        values[std::string(kind.target())] = std::vector<std::string>{joint};
        if (one({"pose", "mix", "amount", "held_back"})) values["turn_x@" + joint] = 30.0;
        if (id == "about_frame") {
            values["about"] = std::string("frame");
            values["more_turn@" + joint] = -1.0;
        }
        if (id == "shows") values["drawings"] = std::vector<std::string>{joint};
        if (starts("low_")) values["pose"] = -1.0;
        if (starts("more_")) values["about"] = std::string("rest");
        if (id == "about_frame") return 9;
        if (id == "shows") return 2;
        return spec.start == 1 ? 0.3 : 0.3 + spec.start;
    }
    if (kind.setting("poise")) {
        // A person who turns and leaps, one arm out.
        const double effort = 1, poise = 1;
        test::PersonSpec person;
        person.frames = 49;
        person.motion = [](double t, std::map<std::string, Xform>& locals) {
            const double u = std::clamp((t - 0.9) / 0.5, 0.0, 1.0);
            locals["hips"].t += Vec3(0.3 * eased(t), 0.6 * u * (1 - u) + 0.02 * std::sin(30 * t), 0);
            locals["hips"].r = fromRotationVector(Vec3(0, 1.2 * eased(2 * t - 0.4), 0.2 * eased(t)));
            locals["right_upper_arm"].r = fromRotationVector(Vec3(0, 0, -1.2));
        };
        s = test::sceneWith(test::personActor(person));
        test::addLayer(s, std::string(kind.id), {}, {{"effort", effort}, {"poise", poise}});
        s.layers.edit(0).values["push"] = 4.0;
        s.layers.edit(0).values["turns_from"] = id == "turns_from" ? 20.0 : 30.0;
        return id == "turns_from" ? 200 : id == "mix" ? 0.3 : spec.start + 0.5 * (spec.soft.high - spec.start);
    }
    if (kind.setting("follow") && one({"floor", "friction", "bounce", "freer"})) {
        // What follows its pose stands where that stands, be it below the floor: it is let go.
        values["follow"] = 0.0;
        values["strength"] = 0.0;
        if (id == "freer") values["bounces"] = 0.0;
    }
    if (kind.setting("takeoff")) {
        // It is thrown, and comes down.
        values["lift"] = 0.5;
        values["speed"] = 2.0;
        values[std::string(kind.target())] = std::vector<std::string>{"root"};
        if (one({"takeoff", "lands"})) values["air"] = std::string("is held");
        if (id == "floor") return -0.4;
    }
    if (kind.setting("lets_go")) {
        // It is let go of within the shot.
        s.editShot().intervals[s.layers[0].id] = {{0.1, 1.5, 0, 0}};
        return id == "mix" ? 0.3 : 20;
    }
    if (kind.setting("contacts")) {
        // It stands where it is low, however fast it goes.
        values[std::string(kind.target())] = std::vector<std::string>{"bone_3"};
        values["still"] = 20.0;
        values["near"] = 0.1;
        return id == "still" ? 0.05 : id == "near" ? 0.01 : id == "mix" ? 0.3 : spec.start + 0.5 * (spec.soft.high - spec.start);
    }
    if (kind.act) {
        // Somebody has to carry it out.
        for (const layers::LayerKind* carrier : layers::kinds())
            if (layers::actsOut(*carrier))
                test::addLayer(s, std::string(carrier->id), {"root"}, {{"meets", std::string("nothing")}});
        scene::Values& act = s.layers.edit(0).values;
        act["act"] = std::string(one({"speed", "heading", "rise"})        ? "push"
                                 : one({"height", "spin"})                ? "leap"
                                 : one({"place_x", "place_y", "place_z"}) ? "look"
                                                                          : "reach");
        act["turning"] = std::string(id == "spin" ? "turns as asked" : "turns on");
        act["starts"] = std::string(id == "near" ? "when near" : "on time");
        if (id == "near") act["place_x"] = 1.0;
        if (one({"force", "mix"})) act["place_x"] = 20.0;
        return id == "mix" ? 0.3 : id == "near" ? 2 : spec.start + 0.4;
    }
    if (starts("move_") || starts("share_")) values["move"] = std::string("xyz");
    if (starts("turn_") || starts("move_")) return spec.range.high * 0.001;
    if (one({"bend", "twist"})) return id == "bend" ? 5.0 : 0.0;
    const double changed = spec.start + 0.4 * (spec.soft.high - spec.start) + 0.2;
    return id == "mix" || starts("share_") || changed > spec.range.high ? 0.3 : changed;
}
}  // namespace

TEST_CASE("each number of a table has an effect on the motion") {
    int which = 0;
    for (const layers::LayerKind* kind : layers::kinds())
        for (const scene::SettingSpec& spec : kind->settings) {
            if (spec.type != scene::SettingType::Number || isElsewhere(spec) || !test::tries(which++)) continue;
            INFO(kind->id << "." << spec.id);
            scene::Scene s = test::sceneWith(test::chainActor(hopping()));
            test::addLayer(s, std::string(kind->id), {"bone_2"}, {{"preroll", 0.0}});
            const double changed = readyFor(*kind, spec, s);
            const std::vector<Xform> before = tipFrames(s);
            s.layers.edit(0).values[idOf(spec, targetFor(spec, kind))] = changed;
            const std::vector<Xform> after = tipFrames(s);
            double most = 0;
            for (std::size_t k = 0; k < before.size(); ++k)
                most = std::max({most, (before[k].t - after[k].t).norm(), before[k].r.angularDistance(after[k].r),
                                 (before[k].s - after[k].s).norm()});
            CHECK(most > 1e-5);
        }
}

TEST_CASE("keys and profiles count wherever the table allows them") {
    int which = 0;
    for (const layers::LayerKind* kind : layers::kinds())
        for (const scene::SettingSpec& spec : kind->settings) {
            if ((!spec.keyable && !spec.profiled) || isElsewhere(spec) || !test::tries(which++)) continue;
            INFO(kind->id << "." << spec.id);
            scene::Scene s = test::sceneWith(test::chainActor(hopping()));
            test::addLayer(s, std::string(kind->id), {"bone_2"}, {{"preroll", 0.0}});
            const std::string id = idOf(spec, targetFor(spec, kind));
            const double changed = readyFor(*kind, spec, s);
            const auto differs = [&](const scene::Scene& other) {
                const std::vector<Xform> a = tipFrames(s), b = tipFrames(other);
                double most = 0;
                for (std::size_t k = 0; k < a.size(); ++k)
                    most = std::max({most, (a[k].t - b[k].t).norm(), a[k].r.angularDistance(b[k].r), (a[k].s - b[k].s).norm()});
                return most > 1e-5;
            };
            if (spec.keyable) {
                scene::Scene keyed = s;
                test::keyed(keyed, test::layerAt(s), id, {{0, spec.start}, {10, changed}});
                CHECK(differs(keyed));
                // Keys that all say the plain value change nothing, not a bit.
                scene::Scene flat = s;
                const double plain = s.layers[0].number(id);
                test::keyed(flat, test::layerAt(s), id, {{0, plain}, {10, plain}});
                const std::vector<Xform> a = tipFrames(s), b = tipFrames(flat);
                for (std::size_t k = 0; k < a.size(); ++k) REQUIRE(a[k] == b[k]);
            }
            if (spec.profiled) {
                s.layers.edit(0).values[std::string(spec.id)] = spec.id == "twist" ? 2.0 : spec.id == "stretch" ? 0.1 : changed;
                if (spec.id == "stretch") s.layers.edit(0).values["gravity"] = 4.0;
                scene::Scene shaped = s;
                shaped.layers.edit(0).profiles[std::string(spec.id)] = {{0, 0.4}, {0.5, 1.6}, {1, 0.2}};
                CHECK(differs(shaped));
            }
        }
}

TEST_CASE("settings mean the same at 12 and at 120 frames a second") {
    for (const char* kind : {"strand", "jiggle"}) {
        INFO(kind);
        std::vector<std::vector<Vec3>> runs;
        for (double fps : {12.0, 24.0, 120.0}) {
            scene::Scene s = test::sceneWith(test::chainActor(hopping(120)));
            test::setRate(s, fps);
            test::addLayer(s, kind, {"bone_1"}, {{"gravity", 0.3}, {"preroll", 0.0}});
            runs.push_back(tipWith(s));
        }
        double moved = 0, apart12 = 0, apart24 = 0;
        for (std::size_t k = 0; k < 24; ++k) {
            moved = std::max(moved, (runs[2][k * 10] - runs[2][0]).norm());
            apart12 = std::max(apart12, (runs[0][k] - runs[2][k * 10]).norm());
            apart24 = std::max(apart24, (runs[1][2 * k] - runs[2][k * 10]).norm());
        }
        // What is left is how well frames tell of the motion between them, so it shrinks with their distance.
        INFO("moved " << moved << ", apart " << apart12 << " and " << apart24);
        CHECK(apart12 < 0.12 * moved);
        CHECK(apart24 < 0.035 * moved);
    }
}

TEST_CASE("the same rig ten thousand times larger swings alike") {
    const auto scaled = [](double k) {
        test::ChainSpec s = hopping();
        s.length = 0.2 * k;
        const auto small = s.motion;
        s.motion = [=](double t) {
            Xform x = small(t);
            x.t *= k;
            return x;
        };
        scene::Scene scene = test::sceneWith(test::chainActor(s));
        test::addLayer(scene, "strand", {"bone_1"}, {{"drag", 0.5}});
        return tipWith(scene);
    };
    const std::vector<Vec3> mouse = scaled(0.01), whale = scaled(100);
    // Single precision of the file is all that tells them apart.
    for (std::size_t k = 0; k < mouse.size(); ++k) CHECK((1e4 * mouse[k] - whale[k]).norm() < 0.02);
}

TEST_CASE("a strand moves alike under any arrangement of parents") {
    // The same world motion: plain; under a Z-up armature in centimetres; under a mirrored one.
    const auto rigUnder = [](const Xform& above) {
        demo::GltfBuilder b;
        const int armature = b.node("armature", -1, above);
        const Affine inverse = above.affine().inverse();
        const auto local = [&](const Vec3& world) { return inverse.m * world; };
        const int root = b.node("root", armature);
        int parent = root;
        for (int i = 1; i <= 4; ++i)
            parent = b.node("bone_" + std::to_string(i), parent,
                            {i == 1 ? Vec3(0, 0, 0) : local(Vec3(0.02, -0.05, 0.25)), Quat::Identity(), Vec3::Ones()});
        b.node("end", parent, {local(Vec3(0.02, -0.05, 0.25)), Quat::Identity(), Vec3::Ones()});
        std::vector<std::vector<Xform>> frames;
        for (int k = 0; k < 40; ++k) {
            std::vector<Xform> pose(7);
            pose[0] = above;
            for (std::size_t i = 3; i < 7; ++i) pose[i].t = local(Vec3(0.02, -0.05, 0.25));
            pose[1].t = inverse.apply(Vec3(0.3 * std::sin(0.25 * k), 0.1 * std::cos(0.4 * k), 0));
            // Turning about the world's y, said in the armature's axes.
            pose[1].r = rotationOf(inverse.m * fromRotationVector(Vec3(0, 0.6 * std::sin(0.2 * k), 0)).toRotationMatrix() *
                                   above.affine().m);
            frames.push_back(pose);
        }
        b.clip("c", 24, frames);
        TempFolder f;
        b.writeGlb(f / "a.glb");
        scene::Scene s = test::sceneWith(test::read(f / "a.glb"));
        test::addLayer(s, "strand", {"bone_1"}, {{"gravity", 0.6}, {"swing", 1.3}});
        return tipWith(s);
    };
    const std::vector<Vec3> plain = rigUnder({});
    const std::vector<Vec3> zUp = rigUnder({Vec3(1, 2, 3), fromRotationVector(Vec3(-kPi / 2, 0, 0)), Vec3(0.01, 0.01, 0.01)});
    const std::vector<Vec3> mirrored = rigUnder({Vec3::Zero(), fromRotationVector(Vec3(0, 0.7, 0)), Vec3(-2, 2, 2)});
    double moved = 0;
    for (std::size_t k = 0; k < plain.size(); ++k) {
        moved = std::max(moved, (plain[k] - plain[0]).norm());
        CHECK((plain[k] - zUp[k]).norm() < 2e-4);
        CHECK((plain[k] - mirrored[k]).norm() < 2e-4);
    }
    CHECK(moved > 0.2);
}

TEST_CASE("joints of a strand keep their distance, and nothing above its root moves") {
    scene::Scene s = test::sceneWith(test::chainActor(hopping()));
    test::addLayer(s, "strand", {"bone_2"}, {{"gravity", 1.0}, {"swing", 0.5}});
    const pipeline::Evaluation e = test::evaluate(s);
    const rig::Skeleton& k = s.actors[0].actor->skeleton;
    CHECK(e.actors[0].result->column(k.find("root")) == e.actors[0].body->column(k.find("root")));
    CHECK(e.actors[0].result->column(k.find("bone_1")) == e.actors[0].body->column(k.find("bone_1")));
    for (int j = k.find("bone_2"); j <= k.find("bone_4"); ++j) {
        const auto a = test::worldPlaces(*s.actors[0].actor, *e.actors[0].result, j),
                   b = test::worldPlaces(*s.actors[0].actor, *e.actors[0].result, j + 1);
        for (std::size_t f = 0; f < a.size(); ++f) CHECK((b[f] - a[f]).norm() == Approx(0.25).epsilon(1e-5));
    }
}

TEST_CASE("tip and end length say where a strand stops") {
    scene::Scene s = test::sceneWith(test::chainActor(hopping()));
    test::addLayer(s, "strand", {"bone_1"}, {{"tip", std::string("bone_2")}});
    pipeline::Evaluation e = test::evaluate(s);
    const rig::Skeleton& k = s.actors[0].actor->skeleton;
    CHECK(e.actors[0].result->column(k.find("bone_2")) != e.actors[0].body->column(k.find("bone_2")));
    CHECK(e.actors[0].result->column(k.find("bone_3")) == e.actors[0].body->column(k.find("bone_3")));
    s.layers.edit(0).values["tip"] = std::string();
    s.layers.edit(0).values["end"] = 0.0;
    e = test::evaluate(s);
    CHECK(e.actors[0].result->column(k.find("bone_4")) != e.actors[0].body->column(k.find("bone_4")));
    CHECK(e.actors[0].result->column(k.find("end")) == e.actors[0].body->column(k.find("end")));
}

TEST_CASE("felt travel and felt turn of nothing carry the strand stiffly") {
    scene::Scene s = test::sceneWith(test::chainActor(hopping()));
    test::addLayer(s, "strand", {"bone_1"}, {{"felt_travel", 0.0}, {"felt_turn", 0.0}});
    const pipeline::Evaluation e = test::evaluate(s);
    const rig::Skeleton& k = s.actors[0].actor->skeleton;
    for (int f = 0; f < e.actors[0].body->frames(); ++f)
        for (int j = 0; j < k.size(); ++j)
            CHECK(e.actors[0].body->at(j, f).r.angularDistance(e.actors[0].result->at(j, f).r) < 1e-6);
    // With gravity it hangs the world's way even so: gravity is not the body's.
    s.layers.edit(0).values["gravity"] = 1.0;
    s.layers.edit(0).values["swing"] = 0.7;
    const std::vector<Vec3> hung = tipWith(s), root = test::worldPlaces(*s.actors[0].actor, *test::evaluate(s).actors[0].body, 0);
    CHECK((hung[40] - root[40]).y() < -0.3);
}

TEST_CASE("shares felt link by link mean what one share for all means, and fade towards an end that feels nothing") {
    const auto actor = test::chainActor(hopping());
    const rig::Skeleton& k = actor->skeleton;
    for (const auto& [travel, turn] : {std::pair{0.0, 0.0}, {0.4, 1.0}, {1.0, 0.3}, {0.3, 0.5}, {1.5, 1.2}}) {
        INFO("travel " << travel << ", turn " << turn);
        scene::Scene s = test::sceneWith(test::chainActor(hopping(120)));
        test::addLayer(s, "strand", {"bone_1"},
                       {{"felt_travel", travel}, {"felt_turn", turn}, {"drag", 1.0}, {"gravity", 0.2}, {"preroll", 0.0}});
        const std::vector<Vec3> one = tipWith(s),
                                body = test::worldPlaces(*s.actors[0].actor, *test::evaluate(s).actors[0].body, k.find("end"));
        for (const char* id : {"felt_travel", "felt_turn"}) s.layers.edit(0).profiles[id] = {{0, 1}, {1, 1}};
        const std::vector<Vec3> each = tipWith(s);
        double apart = 0, moved = 0;
        for (std::size_t f = 0; f < one.size(); ++f) {
            apart = std::max(apart, (one[f] - each[f]).norm());
            moved = std::max(moved, (one[f] - body[f]).norm());
        }
        INFO("apart " << apart << " of " << moved << " added");
        CHECK(apart < 0.02 * std::max(moved, 0.1));
    }
    // The whole of it at the root, nothing at the tip: between the two.
    const auto added = [&](const scene::Profile& profile) {
        scene::Scene s = test::sceneWith(test::chainActor(hopping()));
        test::addLayer(s, "strand", {"bone_1"}, {{"preroll", 0.0}});
        for (const char* id : {"felt_travel", "felt_turn"}) s.layers.edit(0).profiles[id] = profile;
        const std::vector<Vec3> tip = tipWith(s),
                                body = test::worldPlaces(*s.actors[0].actor, *test::evaluate(s).actors[0].body, k.find("end"));
        double most = 0;
        for (std::size_t f = 0; f < tip.size(); ++f) most = std::max(most, (tip[f] - body[f]).norm());
        return most;
    };
    const double whole = added({}), fading = added({{0, 1}, {1, 0}}), none = added({{0, 0}, {1, 0}});
    CHECK(fading < 0.8 * whole);
    CHECK(fading > 0.1 * whole);
    CHECK(none < 0.02 * whole);
}

TEST_CASE("a loop closes: the last frame is the first one again") {
    test::ChainSpec spec = hopping();
    spec.frames = 49;
    spec.motion = [](double t) {
        Xform x;
        x.t.x() = 0.2 * std::sin(2 * kPi * t);
        x.r = fromRotationVector(Vec3(0, 0.7 * std::sin(kPi * t), 0));
        return x;
    };
    for (const char* kind : {"strand", "jiggle"}) {
        scene::Scene s = test::sceneWith(test::chainActor(spec));
        test::addLayer(s, kind, {"bone_1"}, {{"preroll", 4.0}, {"bounces", 1.0}});
        const std::vector<Vec3> tip = tipWith(s);
        double moved = 0;
        for (const Vec3& p : tip) moved = std::max(moved, (p - tip[0]).norm());
        INFO(kind << ": open by " << (tip.front() - tip.back()).norm() / moved << " of the motion");
        CHECK((tip.front() - tip.back()).norm() < 1e-3 * moved);
    }
}

TEST_CASE("as many seconds of pre-roll leave a swing in the same place at any rate") {
    test::ChainSpec spec;
    spec.frames = 25;
    spec.motion = [](double t) {
        Xform x;
        x.t.x() = 0.2 * std::sin(2 * kPi * t);
        return x;
    };
    for (const char* kind : {"strand", "jiggle"}) {
        std::vector<Vec3> first;
        for (double fps : {24.0, 30.0, 60.0}) {
            scene::Scene s = test::sceneWith(test::chainActor(spec));
            s.editShot().fps = fps;
            test::addLayer(s, kind, {"bone_1"}, {{"swing", 1.5}, {"bounces", 4.0}});
            first.push_back(tipWith(s).front());
        }
        INFO(kind);
        // Of a chain a metre long.
        CHECK((first[1] - first[0]).norm() < 0.002);
        CHECK((first[2] - first[0]).norm() < 0.002);
    }
}

TEST_CASE("pre-roll that an older scene tells in frames is as long as it was at 24 of them a second") {
    test::TempFolder f;
    scene::Scene s = test::otterScene();
    const std::string id = test::addLayer(s, "strand", {"tail_01"}, {{"preroll", 18.0}});
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    std::string text = test::textOf(f / "s.nutatio");
    const std::string now = "\"version\": " + std::to_string(files::kSceneVersion);
    REQUIRE(text.find(now) != std::string::npos);
    text.replace(text.find(now), now.size(), "\"version\": 2");
    test::put(f / "old.nutatio", text);
    const auto old = pipeline::open(f / "old.nutatio");
    REQUIRE(old.ok());
    CHECK(old.value().scene.layer(id)->number("preroll") == Approx(0.75));
    CHECK(pipeline::open(f / "s.nutatio").value().scene.layer(id)->number("preroll") == Approx(18));
}

TEST_CASE("colliders on joints keep strands out") {
    test::ChainSpec spec;
    spec.way = Vec3(0, -1, 0);
    spec.bones = 6;
    spec.length = 0.1;
    spec.frames = 60;
    spec.motion = [](double t) {
        Xform x;
        x.t = Vec3(0.5 * std::sin(4 * t), 0, 0);
        return x;
    };
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::addLayer(s, "strand", {"bone_1"}, {{"gravity", 1.0}, {"swing", 0.8}});
    const auto deepest = [&](const scene::Collider& c) {
        const pipeline::Evaluation e = test::evaluate(s);
        double most = 0;
        std::vector<Xform> pose;
        std::vector<Affine> worlds;
        // A plane that the pose stands in has let go of it after a while.
        for (int f = c.shape() == scene::Shape::Plane ? 24 : 1; f < e.actors[0].result->frames(); ++f) {
            e.actors[0].result->pose(f, pose);
            rig::worldTransforms(s.actors[0].actor->skeleton, pose, worlds);
            const physics::Body b = layers::bodyOf(scene::numbersOf(c), layers::placeCollider(scene::numbersOf(c), worlds[0]));
            for (std::size_t j = 1; j + 1 < worlds.size(); ++j)
                most = std::max(most, -physics::nearest(b, worlds[j].t, worlds[j + 1].t - worlds[j].t).distance);
        }
        return most;
    };
    for (const scene::Shape shape : {scene::Shape::Sphere, scene::Shape::Capsule, scene::Shape::Box, scene::Shape::Plane}) {
        scene::Collider c = scene::newCollider(s, s.actors[0], 0, shape);
        c.set("radius", 0.12);
        c.set("radius_end", 0.12);
        c.set("length", 0.3);
        c.setVector("size", Vec3(0.24, 0.4, 0.24));
        c.setVector("offset", shape == scene::Shape::Plane ? Vec3(0, -0.5, 0) : Vec3(0.16, -0.3, 0));
        c.setVector("turn", shape == scene::Shape::Plane ? Vec3(0, 0, 0) : Vec3(90, 0, 0));
        INFO(scene::shapeName(shape));
        s.colliders = {};
        CHECK(deepest(c) > 0.03);
        s.colliders = {c};
        s.layers.edit(0).values["push_out"] = shape == scene::Shape::Plane ? 1.0 : 0.0;
        CHECK(deepest(c) < 0.05 * 0.12);
        // Switched off, or on a joint that is not there, it is as if it were not.
        s.colliders.edit(0).on = false;
        CHECK(deepest(c) > 0.03);
        s.colliders.edit(0).on = true;
        s.colliders.edit(0).mount.joint = "gone";
        CHECK(deepest(c) > 0.03);
    }
}

TEST_CASE("a jiggling joint rings at the asked rate after its body stops") {
    test::ChainSpec spec;
    spec.bones = 1;
    spec.frames = 120;
    spec.motion = [](double t) {
        Xform x;
        x.t.x() = 0.4 * std::min(t, 0.5);  // moves, then stops dead
        return x;
    };
    for (const char* how : {"move", "turn"}) {
        scene::Scene s = test::sceneWith(test::chainActor(spec));
        test::addLayer(s, "jiggle", {"bone_1"},
                       {{"swing", 3.0},
                        {"bounces", 6.0},
                        {"move", std::string(how[0] == 'm' ? "xyz" : "")},
                        {"turn", std::string(how[0] == 't' ? "xyz" : "")}});
        const pipeline::Evaluation e = test::evaluate(s);
        const auto with = test::worldPlaces(*s.actors[0].actor, *e.actors[0].result, 2),
                   without = test::worldPlaces(*s.actors[0].actor, *e.actors[0].body, 2);
        std::vector<double> x;
        for (std::size_t k = 16; k < with.size(); ++k) x.push_back((with[k] - without[k]).x());
        const test::Swing got = test::swingOf(x, 1 / 24.0);
        INFO(how << ": " << got.f);
        CHECK(got.f == Approx(3).epsilon(0.01));
    }
}

TEST_CASE("jiggle moves along its chosen axes only") {
    scene::Scene s = test::sceneWith(test::chainActor(hopping()));
    test::addLayer(s, "jiggle", {"bone_1"}, {{"move", std::string("x")}, {"turn", std::string()}, {"sag", 1.0}});
    const pipeline::Evaluation e = test::evaluate(s);
    const int j = s.actors[0].actor->skeleton.find("bone_1");
    double along = 0;
    for (int f = 0; f < e.actors[0].body->frames(); ++f) {
        const Xform &a = e.actors[0].body->at(j, f), &b = e.actors[0].result->at(j, f);
        CHECK(std::abs((b.t - a.t).y()) < 1e-8);  // the joint's turn is read from single precision
        CHECK(std::abs((b.t - a.t).z()) < 1e-8);
        CHECK(a.r.coeffs() == b.r.coeffs());
        along = std::max(along, std::abs((b.t - a.t).x()));
    }
    CHECK(along > 1e-3);
}

TEST_CASE("what stands in a layer's way is said") {
    const auto actor = test::chainActor(hopping());
    const auto problem = [&](const char* kind, const scene::Values& values) {
        scene::Scene s = test::sceneWith(actor);
        test::addLayer(s, kind, {}, values);
        return layers::findKind(kind)->problem(*actor, s.layers[0]).value_or("");
    };
    using List = std::vector<std::string>;
    CHECK_THAT(problem("strand", {}), Catch::Contains("no root"));
    CHECK_THAT(problem("strand", {{"root", List{"nobody"}}}), Catch::Contains("nobody"));
    CHECK_THAT(problem("strand", {{"root", List{"bone_2"}}, {"tip", std::string("bone_1")}}),
               Catch::Contains("does not hang below"));
    CHECK_THAT(problem("strand", {{"root", List{"bone_1", "bone_3"}}}), Catch::Contains("hang on one another"));
    CHECK(problem("strand", {{"root", List{"bone_1"}}}).empty());
    CHECK_THAT(problem("jiggle", {{"joint", List{"bone_1"}}, {"turn", std::string()}}), Catch::Contains("neither"));
    CHECK_THAT(problem("jiggle", {}), Catch::Contains("no joint"));
}

TEST_CASE("values are read from text as the command line gives them") {
    const auto actor = test::chainActor(hopping());
    const layers::LayerKind& strand = *layers::findKind("strand");
    const layers::LayerKind& jiggle = *layers::findKind("jiggle");
    CHECK(std::get<double>(layers::parseValue(*strand.setting("swing"), "2.5", *actor).value()) == 2.5);
    CHECK(std::get<std::string>(layers::parseValue(*jiggle.setting("turn"), "zx", *actor).value()) == "xz");
    CHECK(std::get<std::string>(layers::parseValue(*jiggle.setting("turn"), "none", *actor).value()).empty());
    CHECK(std::get<std::vector<std::string>>(layers::parseValue(*jiggle.setting("joint"), "bone_1+#3", *actor).value()).size() ==
          2);
    for (const auto& [id, text] : {std::pair{"swing", "fast"},
                                   {"swing", "61"},
                                   {"swing", "-1"},
                                   {"swing", "nan"},
                                   {"swing", "2x"},
                                   {"root", "bone_9"},
                                   {"tip", "bone_9"}}) {
        INFO(id << "=" << text);
        CHECK_FALSE(layers::parseValue(*strand.setting(id), text, *actor).ok());
    }
    CHECK_FALSE(layers::parseValue(*jiggle.setting("turn"), "xw", *actor).ok());
}

TEST_CASE("a new layer is named after its part") {
    scene::Scene s = test::sceneWith(test::chainActor(hopping()));
    CHECK(layers::newLayer(*layers::findKind("strand"), s, s.actors[0], {"bone_1"}).name == "bone");
    CHECK(layers::newLayer(*layers::findKind("strand"), s, s.actors[0], {"#3"}).name == "bone");
    CHECK(layers::newLayer(*layers::findKind("strand"), s, s.actors[0], {"gone"}).name == "gone");
    test::addLayer(s, "strand", {"bone_1"});
    CHECK(layers::newLayer(*layers::findKind("strand"), s, s.actors[0], {"bone_1"}).id != s.layers[0].id);
}

TEST_CASE("the Scope measures what was asked, for both kinds") {
    const auto actor = test::chainActor(hopping());
    const std::vector<Xform> rest = actor->restPose();
    for (const char* kind : {"strand", "jiggle"})
        for (double f : {0.5, 2.0, 5.0})
            for (double bounces : {0.7, 3.0, 12.0}) {
                scene::Scene s = test::sceneWith(actor);
                test::addLayer(s, kind, {"bone_1"}, {{"swing", f}, {"bounces", bounces}});
                const auto r = measure::response(*layers::findKind(kind), layers::LayerContext::bare(*actor, s.layers[0]), rest);
                REQUIRE(r);
                INFO(kind << " f " << f << " bounces " << bounces << " -> " << r->swing << " " << r->bounces);
                CHECK(r->swing == Approx(f).epsilon(0.01));
                CHECK(r->bounces == Approx(bounces).epsilon(0.03));
                CHECK(r->settles);
                CHECK(r->overshoot > 0);
                // The last sample above 5 % comes before the envelope's end, at most half a swing earlier; a strand's tip whips
                // about half as far again as its first mode, which takes it a little longer.
                const double asked = physics::restTime(f, physics::dampingRatio(bounces));
                CHECK(r->restTime <= asked * 1.1 + (kind[0] == 's' ? 0.3 / f : 0));
                CHECK(r->restTime >= asked * 0.85 - 0.55 / f);
            }
}

TEST_CASE("the Scope's sag is the closed form's") {
    // One horizontal joint of length L: theta / cos(theta) = g / (L w^2).
    demo::GltfBuilder b;
    const int root = b.node("root", -1);
    b.node("end", b.node("arm", root), {Vec3(0.5, 0, 0), Quat::Identity(), Vec3::Ones()});
    TempFolder f;
    b.writeGlb(f / "a.glb");
    const auto actor = test::read(f / "a.glb");
    scene::Scene s = test::sceneWith(actor);
    test::addLayer(s, "strand", {"arm"}, {{"swing", 2.0}, {"gravity", 1.0}, {"end", 0.0}});
    const auto r =
        measure::response(*layers::findKind("strand"), layers::LayerContext::bare(*actor, s.layers[0]), actor->restPose());
    REQUIRE(r);
    double theta = 0;
    const double w = 4 * kPi, asked = kEarthGravity / (0.5 * w * w);
    for (int k = 0; k < 100; ++k) theta -= (theta - asked * std::cos(theta)) / (1 + asked * std::sin(theta));
    CHECK(r->sag == Approx(theta).epsilon(0.01));
    CHECK(r->sagIsAngle);
    // A joint that moves sags by g / w^2.
    test::addLayer(s, "jiggle", {"arm"}, {{"swing", 2.0}, {"sag", 1.0}, {"move", std::string("y")}, {"turn", std::string()}});
    const auto m =
        measure::response(*layers::findKind("jiggle"), layers::LayerContext::bare(*actor, s.layers[1]), actor->restPose());
    REQUIRE(m);
    CHECK_FALSE(m->sagIsAngle);
    CHECK(m->sag == Approx(kEarthGravity / (w * w)).epsilon(0.01));
}
