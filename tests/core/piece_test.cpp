// Set pieces: bodies without a file, that are seen, met, moved, saved and handed off.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "edit/gauges.h"
#include "edit/operations.h"
#include "files/scene_file.h"
#include "files/set_piece.h"
#include "layers/registry.h"
#include "physics/oscillator.h"
#include "pipeline/bake.h"
#include "pipeline/live.h"
#include "pipeline/open.h"
#include "rig/parts.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
using test::TempFolder;

namespace {

/// By the divergence theorem: right only when the surface is closed and faces outwards.
double volumeOf(const rig::Actor& a) {
    double v = 0;
    for (const rig::Primitive& p : a.meshes[0].primitives)
        for (std::size_t k = 0; k < p.triangles.size(); k += 3) {
            const Vec3 x = p.positions[p.triangles[k]].cast<double>(), y = p.positions[p.triangles[k + 1]].cast<double>(),
                       z = p.positions[p.triangles[k + 2]].cast<double>();
            v += x.dot(y.cross(z)) / 6;
        }
    return v;
}

/// A limp strand that lies level 0.9 m up, over the origin, along +z.
scene::Scene limp() {
    test::ChainSpec spec;
    spec.bones = 6;
    spec.length = 0.1;
    spec.frames = 73;
    // It hardly moves, so that the clip has a channel.
    spec.motion = [](double t) { return Xform{Vec3(0, 0.9, -0.3 + 1e-6 * t), Quat::Identity(), Vec3::Ones()}; };
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::addLayer(s, "strand", {"bone_1"},
                   {{"swing", 0.0}, {"gravity", 1.0}, {"drag", 2.0}, {"bounces", 1.0}, {"preroll", 0.0}});
    return s;
}

scene::Owner ownerOf(const std::string& piece) {
    return {scene::List::Actors, piece};
}

std::vector<Vec3> tips(const scene::Scene& s) {
    const auto e = test::evaluate(s);
    return test::worldPlaces(*s.actors[0].actor, *e.actors[0].result, s.actors[0].actor->skeleton.find("end"));
}

/// Stepped by hand the first actor moves as it was evaluated, to the same bits.
void sameByHand(const scene::Scene& s, const pipeline::Evaluation& e) {
    pipeline::Evaluator evaluator;
    pipeline::Live live(s, s.actors[0].id, evaluator);
    const rig::Track& below = *e.actors[0].body;
    live.start(1.0 / 24, [&](int step) -> std::optional<pipeline::Live::Moment> {
        pipeline::Live::Moment m;
        m.frame = std::min(step, below.frames() - 1);
        below.pose(m.frame, m.locals);
        m.time = step / 24.0;
        return m;
    });
    // What comes after the last frame the bake takes from the loop's beginning.
    for (int f = 1; f + 1 < below.frames(); ++f) {
        live.step();
        INFO("frame " << f);
        for (int j = 0; j < below.joints(); ++j)
            REQUIRE(live.result()[static_cast<std::size_t>(j)] == e.actors[0].result->at(j, f));
    }
}

}  // namespace

TEST_CASE("each form is closed, faces outwards and has the size that was asked for") {
    const double w = 0.8, h = 0.6, d = 1.5, across = 0.3, length = 1.1, r = 0.5 * across;
    const std::map<std::string, std::pair<double, Vec3>> wanted{
        {"floor", {w * d * 0.004 * (0.5 * w + 0.5 * d), Vec3(w, 0.004 * (0.5 * w + 0.5 * d), d)}},
        {"block", {w * h * d, Vec3(w, h, d)}},
        {"ramp", {0.5 * w * h * d, Vec3(w, h, d)}},
        {"steps", {w * h * d * (1 + 2 + 3 + 4 + 5) / 25.0, Vec3(w, h, d)}},
        {"ball", {4.0 / 3 * kPi * r * r * r, Vec3(across, across, across)}},
        {"bar", {kPi * r * r * (length - across) + 4.0 / 3 * kPi * r * r * r, Vec3(across, length, across)}}};
    CHECK(scene::pieceForms().size() == wanted.size());
    for (const std::string_view form : scene::pieceForms()) {
        INFO(form);
        scene::Scene s;
        const std::string id = edit::addPiece(s, form);
        REQUIRE(s.actors.size() == 1);
        for (const auto& [setting, value] :
             {std::pair{"size_x", w}, {"size_y", h}, {"size_z", d}, {"across", across}, {"length", length}, {"steps", 5.0}})
            edit::set(s, ownerOf(id), setting, value, 0);
        const rig::Actor& a = *s.actors[0].actor;
        const auto& [volume, size] = wanted.at(std::string(form));
        // Round bodies are made of flat faces: a little smaller than what they stand for.
        CHECK(volumeOf(a) == Approx(volume).epsilon(0.03));
        CHECK((a.high - a.low - size).norm() < 0.02 * size.norm());
        for (const rig::Primitive& p : a.meshes[0].primitives)
            for (const Vec3f& n : p.normals) REQUIRE(std::abs(n.norm() - 1) < 1e-5f);
        if (form != "ball" && form != "bar") CHECK(std::abs(form == "floor" ? a.high.y() : a.low.y()) < 1e-6);
    }
    scene::Scene s;
    CHECK(edit::addPiece(s, "castle").empty());
    CHECK(s.actors.empty());
}

TEST_CASE("a limp strand comes to lie on each form, and hangs straight down without it") {
    {
        // Alone it hangs at its full length below its root.
        CHECK(tips(limp()).back().y() == Approx(0.3).margin(0.02));
    }
    for (const std::string_view form : scene::pieceForms()) {
        INFO(form);
        scene::Scene s = limp();
        const std::string id = edit::addPiece(s, form);
        // Its top lies 0.75 m up below all of the strand.
        for (const auto& [setting, value] : {std::pair{"size_x", 1.0},
                                             {"size_y", form == "floor" ? 0.0 : 0.75},
                                             {"size_z", 4.0},
                                             {"across", 0.5},
                                             {"length", 4.0},
                                             {"steps", 1.0},
                                             {"place_x", 0.0},
                                             {"place_z", 0.0},
                                             {"turn_x", form == "bar" ? 90.0 : 0.0},
                                             {"turn_z", 0.0},
                                             {"friction", 1.0},
                                             {"place_y", form == "floor"                   ? 0.75
                                                         : form == "ball" || form == "bar" ? 0.5
                                                                                           : 0.0}})
            if (value > 0 || std::string_view(setting) != "size_y") edit::set(s, ownerOf(id), setting, value, 0);
        const std::vector<Vec3> lying = tips(s);
        // A ramp of 4 m rises to 0.75 m at z = 2; a ball of 0.5 m lets the tip slide off its side.
        const double least = form == "ramp" ? 0.75 * (lying.back().z() + 2) / 4 : form == "ball" ? 0.3 : 0.75;
        CHECK(lying.back().y() > least - 0.01);
        if (form != "ramp" && form != "ball") CHECK(lying.back().y() < 0.78);
        // Without a surface, or passed through, it is as if it was not there.
        const std::vector<Vec3> alone = tips(limp());
        scene::Scene none = s;
        edit::set(none, ownerOf(id), "surface", std::string("none"), 0);
        CHECK(tips(none) == alone);
        s.layers.edit(0).set("passes", std::vector<std::string>{id});
        CHECK(tips(s) == alone);
        // What is gone is passed by nobody.
        edit::remove(s, ownerOf(id));
        CHECK(s.actors.size() == 1);
        CHECK(s.layers[0].list("passes").empty());
    }
}

TEST_CASE("a keyed piece moves on the shot's clock, and pushes what it meets") {
    scene::Scene s = limp();
    const std::string id = edit::addPiece(s, "block");
    for (const auto& [setting, value] :
         {std::pair{"size_x", 0.4}, {"size_y", 0.7}, {"size_z", 4.0}, {"place_y", 0.0}, {"place_z", 0.0}})
        edit::set(s, ownerOf(id), setting, value, 0);
    // From 1 m to the side it comes to stand where the strand hung.
    test::keyed(s, ownerOf(id), "place_x", {{0, 1.0}, {24, 1.0}, {48, 0.0}});
    const auto e = test::evaluate(s);
    const rig::Track& body = *e.actors[1].body;
    CHECK(body.at(0, 0).t.x() == Approx(1));
    CHECK(body.at(0, 36).t.x() == Approx(0.5).margin(0.01));
    CHECK(body.at(0, 60).t.x() == Approx(0));
    const std::vector<Vec3> pushed = tips(s);
    CHECK(std::abs(pushed[20].x()) < 0.01);
    CHECK(pushed.back().x() < -0.15);
    // At another rate it is the same motion; stepped by hand, the same bits.
    scene::Scene fast = s;
    test::setRate(fast, 48);
    CHECK(test::evaluate(fast).actors[1].body->at(0, 72).t.x() == Approx(0.5).margin(0.01));
    sameByHand(s, e);
}

TEST_CASE("sizes that are keyed: what is drawn is as large as was asked at every frame, in every form") {
    for (const std::string_view form : scene::pieceForms()) {
        INFO(form);
        scene::Scene s;
        const std::string id = edit::addPiece(s, form);
        const bool round = form == "ball" || form == "bar";
        const auto numbers = [&](const char* setting) { return s.actors[0].number(setting); };
        const Vec3 was = round ? Vec3(numbers("across"), numbers(form == "bar" ? "length" : "across"), numbers("across"))
                               : Vec3(numbers("size_x"), numbers("size_y"), numbers("size_z"));
        for (const char* setting : {"across", "length", "size_x", "size_y", "size_z"})
            test::keyed(s, ownerOf(id), setting,
                        {{0, numbers(setting)}, {24, 2 * numbers(setting)}, {36, 0.25 * numbers(setting)}});
        const auto e = test::evaluate(s);
        const rig::Actor& a = *s.actors[0].actor;
        for (const auto& [frame, times] : {std::pair{0, 1.0}, {24, 2.0}, {36, 0.25}}) {
            INFO("frame " << frame);
            const Xform x = e.actors[0].body->at(0, frame);
            // The slab of a floor stays as thin as it was.
            Vec3 wanted = times * was;
            if (form == "floor") wanted.y() = a.high.y() - a.low.y();
            CHECK((x.s.cwiseProduct(a.high - a.low) - wanted).norm() < 0.02 * wanted.norm());
        }
        // Where the last keys are taken away, the size that held there stays, and the mesh is made to it.
        for (const char* setting : {"across", "length", "size_x", "size_y", "size_z"})
            for (const int frame : {0, 36, 24}) edit::toggleKey(s, ownerOf(id), setting, frame);
        const Xform left = test::evaluate(s).actors[0].body->at(0, 24);
        CHECK(left.s == Vec3::Ones());
        const rig::Actor& now = *s.actors[0].actor;
        Vec3 wanted = 2 * was;
        if (form == "floor") wanted.y() = now.high.y() - now.low.y();
        CHECK((now.high - now.low - wanted).norm() < 0.02 * wanted.norm());
    }
}

TEST_CASE("a ball that grows pushes a strand aside, is handed off as it grows, and stepped by hand does the same") {
    scene::Scene s = limp();
    const std::string id = edit::addPiece(s, "ball");
    for (const auto& [setting, value] : {std::pair{"place_x", -0.3}, {"place_y", 0.45}, {"place_z", -0.3}, {"across", 0.2}})
        edit::set(s, ownerOf(id), setting, value, 0);
    test::keyed(s, ownerOf(id), "across", {{0, 0.2}, {36, 0.2}, {60, 0.9}, {72, 0.9}});
    const auto e = test::evaluate(s);
    const std::vector<Vec3> tip = tips(s);
    CHECK(std::abs(tip[35].x()) < 0.01);
    // Its centre is 0.3 m from the strand, and its radius becomes 0.45 m.
    const Vec3 centre(-0.3, 0.45, -0.3);
    CHECK((tip[72] - centre).norm() > 0.445);
    CHECK(tip[72].x() > 0.1);
    sameByHand(s, e);
    pipeline::Evaluator evaluator;
    TempFolder f;
    pipeline::BakeOptions o;
    o.actor = id;
    REQUIRE(pipeline::bake(s, o, f / "b.glb", evaluator, {}).ok());
    test::checkValid(f / "b.glb");
    const auto out = test::read(f / "b.glb");
    REQUIRE(out->clips.size() == 1);
    std::vector<Xform> pose = out->restPose();
    out->clips[0].pose(72 / 24.0, pose);
    CHECK((pose[0].s - Vec3::Constant(4.5)).norm() < 1e-3);
    CHECK((pose[0].t - centre).norm() < 1e-6);
}

TEST_CASE("a piece follows a gauge of the animation, bit for bit as if it was keyed, and of nothing that waits for it") {
    scene::Scene s = limp();
    const std::string id = edit::addPiece(s, "ball");
    for (const auto& [setting, value] : {std::pair{"place_x", -0.3}, {"place_y", 0.45}, {"place_z", -0.3}})
        edit::set(s, ownerOf(id), setting, value, 0);
    const std::string gauge = edit::addGauge(s, s.actors[0].id, "bone_1", "travel");
    REQUIRE_FALSE(gauge.empty());
    scene::Feed feed;
    feed.gauge = gauge;
    feed.response = {{0, 0.2}, {3e-6, 0.8}};
    for (const char* setting : {"across", "place_x"}) REQUIRE(edit::feed(s, ownerOf(id), setting, feed).ok());
    const auto e = test::evaluate(s);
    const auto settings = e.settingsOf(ownerOf(id));
    REQUIRE(settings);
    CHECK(settings->at("across", 0) == Approx(0.2));
    CHECK(settings->at("across", 72) == Approx(0.8).epsilon(0.01));
    scene::Scene keyed = s;
    for (const char* setting : {"across", "place_x"}) {
        edit::unfeed(keyed, ownerOf(id), setting);
        std::vector<std::pair<int, double>> all;
        for (int f = 0; f < settings->frames(); ++f) all.emplace_back(f, settings->at(setting, f));
        test::keyed(keyed, ownerOf(id), setting, all);
    }
    const auto same = test::evaluate(keyed);
    for (std::size_t a = 0; a < 2; ++a)
        for (int f = 0; f < e.actors[a].result->frames(); ++f)
            for (int j = 0; j < e.actors[a].result->joints(); ++j)
                REQUIRE(e.actors[a].result->at(j, f) == same.actors[a].result->at(j, f));
    CHECK(e.actors[1].body->at(0, 72).t.x() == Approx(0.8).epsilon(0.01));

    // Without its gauge it stands at its plain values.
    scene::Scene without = s;
    edit::remove(without, {scene::List::Gauges, gauge});
    CHECK(without.actors[1].feeds.empty());

    // Saved and opened again it is fed as before; the chain of the test has no file, so that it is asked of the piece alone.
    TempFolder f;
    scene::Scene alone = s;
    edit::remove(alone, {scene::List::Layers, alone.layers[0].id});
    alone.actors.erase(0);
    alone.gauges.erase(0);
    REQUIRE(files::writeScene(alone, f / "s.nutatio").ok());
    const auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().scene.actors[0].feeds == s.actors[1].feeds);

    const auto refusal = [&](const std::string& on, const std::string& after) {
        scene::Scene next = s;
        const std::string other = edit::addGauge(next, on, on == id ? std::string(scene::kPieceJoint) : "bone_1", "height");
        if (!after.empty()) REQUIRE(edit::readAfter(next, other, after).ok());
        feed.gauge = other;
        const auto done = edit::feed(next, ownerOf(id), "size_x", feed);
        return done ? std::string() : done.error().sentence;
    };
    CHECK(refusal(s.actors[0].id, "").empty());
    CHECK(refusal(s.actors[0].id, s.layers[0].id).find("stands before any layer acts") != std::string::npos);
    CHECK(refusal(id, "").find("would wait for itself") != std::string::npos);
}

TEST_CASE("a piece that is put where the animated pose goes pushes the strand out of it") {
    scene::Scene s = limp();
    s.layers.edit(0).set("swing", 2.0);
    s.layers.edit(0).set("gravity", 0.0);
    s.layers.edit(0).set("preroll", 1.0);
    const std::string id = edit::addPiece(s, "block");
    for (const auto& [setting, value] :
         {std::pair{"size_x", 0.3}, {"size_y", 1.4}, {"size_z", 0.3}, {"place_x", 0.1}, {"place_y", 0.0}, {"place_z", 0.1}})
        edit::set(s, ownerOf(id), setting, value, 0);
    const auto e = test::evaluate(s);
    const scene::ActorEntry& a = s.actors[0];
    for (const char* name : {"bone_5", "bone_6", "end"}) {
        const int j = a.actor->skeleton.find(name);
        const Vec3 pose = test::worldPlaces(*a.actor, *e.actors[0].body, j).back(),
                   is = test::worldPlaces(*a.actor, *e.actors[0].result, j).back();
        const auto inside = [](const Vec3& p) { return std::min(0.15 - std::abs(p.x() - 0.1), 0.15 - std::abs(p.z() - 0.1)); };
        INFO(name);
        if (name != std::string("end")) CHECK(inside(pose) > 0.02);
        CHECK(inside(is) < 0.005);
    }
}

TEST_CASE("a piece is saved without a file, hidden or not, what a file says of its size is bounded") {
    TempFolder f;
    scene::Scene s = limp();
    const std::string id = edit::addPiece(s, "steps");
    edit::set(s, ownerOf(id), "steps", 7.0, 0);
    edit::turnOn(s, ownerOf(id), false);
    CHECK(s.actor(id)->hidden);
    // The chain of the test has no file of its own.
    s.actors.erase(0);
    s.layers.erase(0);
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    const std::string text = test::textOf(f / "s.nutatio");
    CHECK(text.find("\"file\"") == std::string::npos);
    auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().warnings.empty());
    const scene::ActorEntry& a = again.value().scene.actors[0];
    CHECK(a.hidden);
    CHECK(a.values == s.actors[0].values);
    CHECK(a.actor->picture == s.actors[0].actor->picture);
    REQUIRE(files::writeScene(again.value().scene, f / "t.nutatio").ok());
    CHECK(test::textOf(f / "t.nutatio") == text);

    std::string hostile = text;
    const auto put = [&](const std::string& key, const std::string& value) {
        const std::size_t at = hostile.find("\"" + key + "\": "), end = hostile.find_first_of(",\n", at);
        REQUIRE(at != std::string::npos);
        hostile.replace(at, end - at, "\"" + key + "\": " + value);
    };
    put("steps", "1e9");
    put("size_x", "-5");
    put("size_y", "1e300");
    put("form", "\"castle\"");
    test::put(f / "h.nutatio", hostile);
    again = pipeline::open(f / "h.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().warnings.size() == 4);
    CHECK(again.value().scene.actors[0].actor->meshes[0].primitives[0].positions.size() < 1000);
    CHECK(test::evaluate(again.value().scene).actors[0].result->at(0, 0).isFinite());
}

TEST_CASE("set pieces are handed off only when they are asked for, where they stand, and validate") {
    TempFolder f;
    scene::Scene s = limp();
    for (const std::string_view form : scene::pieceForms()) {
        const std::string id = edit::addPiece(s, form);
        edit::set(s, ownerOf(id), "place_x", 1.5, 0);
        edit::set(s, ownerOf(id), "turn_y", 30.0, 0);
    }
    pipeline::Evaluator e;
    scene::Scene bare = s;
    bare.layers.erase(0);
    for (const scene::Scene* each : {&std::as_const(s), &std::as_const(bare)}) {
        REQUIRE(pipeline::bake(*each, {}, f / "o.glb", e, {}).ok());
        CHECK(test::read(f / "o.glb")->skeleton.find("bone_1") != rig::kNoJoint);
    }
    pipeline::BakeOptions o;
    for (const std::string_view form : scene::pieceForms()) {
        INFO(form);
        o.actor = form;
        for (const char* file : {"p.glb", "p.gltf"}) {
            REQUIRE(pipeline::bake(s, o, f / file, e, {}).ok());
            test::checkValid(f / file);
            const auto out = test::read(f / file);
            CHECK(out->clips.empty());
            const Xform rest = out->restPose()[0];
            CHECK(rest.t.x() == Approx(1.5));
            const double roll = form == "bar" ? 90 : 0;
            CHECK(degrees(rest.r.angularDistance(scene::turnOf(Vec3(0, 30, roll)))) < 0.01);
        }
    }
    o.actor = "block";
    test::keyed(s, ownerOf("block"), "place_x", {{0, 0.0}, {24, 2.0}});
    const auto report = pipeline::bake(s, o, f / "k.glb", e, {});
    REQUIRE(report.ok());
    test::checkValid(f / "k.glb");
    const auto out = test::read(f / "k.glb");
    REQUIRE(out->clips.size() == 1);
    CHECK(out->clips[0].name == s.shot().name);
    std::vector<Xform> pose = out->restPose();
    out->clips[0].pose(0.5, pose);
    CHECK(pose[0].t.x() == Approx(1).margin(0.01));
    CHECK(report.value().clips[0].keys < report.value().clips[0].framesKeys);
}

TEST_CASE("operations by name make, set, hide, copy and remove set pieces") {
    scene::Scene s = limp();
    for (const char* what : {"add-piece:form=ramp", "set:thing=ramp,setting=size_y,value=0.25", "switch:thing=ramp,on=no",
                             "duplicate:thing=ramp", "key:thing=ramp,setting=place_y,frame=5,value=0.5"})
        REQUIRE(edit::carryOut(s, what).ok());
    CHECK(s.actors.size() == 3);
    CHECK(s.actors[1].actor->high.y() == Approx(0.25));
    CHECK(s.actors[1].hidden);
    CHECK(s.actors[2].text("form") == "ramp");
    CHECK(s.shot().keysOf(ownerOf("ramp"), "place_y") != nullptr);
    REQUIRE(edit::carryOut(s, "remove:thing=ramp").ok());
    CHECK(s.actors.size() == 2);
    CHECK(s.shot().keysOf(ownerOf("ramp"), "place_y") == nullptr);
    CHECK_FALSE(edit::carryOut(s, "add-piece:form=castle").ok());
    CHECK_FALSE(edit::carryOut(s, "key:thing=ramp-2,setting=steps,frame=5").ok());
}

TEST_CASE("parts are joints that share a name but for a number, a prefix that all share is found") {
    const auto skeleton = [](std::vector<std::pair<std::string, int>> joints) {
        std::vector<rig::Joint> out;
        for (auto& [name, parent] : joints) out.push_back({name, parent, {}, {}});
        return rig::Skeleton(std::move(out));
    };
    const rig::Skeleton s = skeleton({{"hips", -1},
                                      {"tail_01", 0},
                                      {"tail_02", 1},
                                      {"tail_03", 2},
                                      {"ear_L", 0},
                                      {"hair1", 0},
                                      {"hair2", 5},
                                      {"hair3", 5},
                                      {"tail_04", 0},
                                      {"", 0},
                                      {"", 9}});
    const std::vector<rig::Part> parts = rig::partsOf(s);
    REQUIRE(parts.size() == 2);
    CHECK(parts[0].name == "tail");
    CHECK(parts[0].joints == std::vector<int>{1, 2, 3});
    CHECK(parts[1].name == "hair");
    CHECK(parts[1].joints == std::vector<int>{5, 6, 7});
    CHECK(rig::sharedPrefix(s).empty());
    CHECK(rig::sharedPrefix(
              skeleton({{"rig:hips", -1}, {"rig:spine", 0}, {"rig:head", 1}, {"rig:tail_a", 0}, {"rig:tail_b", 3}})) == "rig:");
    CHECK(rig::sharedPrefix(skeleton(
              {{"CB_Base_Hip", -1}, {"CB_Base_Leg", 0}, {"CB_Base_Arm", 0}, {"CB_Base_Head", 0}, {"prop", 0}})) == "CB_Base_");
    // Numbers say which one it is: they are no names.
    CHECK(rig::sharedPrefix(skeleton({{"bone_1", -1}, {"bone_2", 0}, {"bone_3", 1}, {"bone_4", 2}})).empty());
    // What is made from joints is called by what tells them apart.
    auto actor = std::make_shared<rig::Actor>();
    actor->skeleton = skeleton(
        {{"Deep_Rig:hips", -1}, {"Deep_Rig:spine", 0}, {"Deep_Rig:head", 1}, {"Deep_Rig:tail_01", 0}, {"Deep_Rig:tail_02", 3}});
    scene::Scene scene = test::sceneWith(actor);
    const std::string layer = edit::addLayer(scene, "strand", scene.actors[0].id, {"Deep_Rig:tail_01"});
    CHECK(std::as_const(scene).layer(layer)->name == "tail");
    CHECK(std::as_const(scene).layer(layer)->list("root") == std::vector<std::string>{"Deep_Rig:tail_01"});
    const std::string collider = edit::addCollider(scene, scene.actors[0].id, "Deep_Rig:head", scene::Shape::Sphere);
    CHECK(std::as_const(scene).collider(collider)->name == "head");
}
