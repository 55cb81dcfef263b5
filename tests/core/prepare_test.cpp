// What is done to an actor before anything moves it, from the edit to the file that is handed off.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "edit/operations.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "measure/check.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "rig/figure.h"
#include "rig/mass.h"
#include "rig/roles.h"
#include "rig/surface.h"
#include "tests/support/posed.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"
#include "tests/support/zoo.h"

using namespace nutatio;
using test::kOtterFile;
using test::TempFolder;

namespace {

const rig::Skeleton& skeleton(const scene::Scene& s) {
    return s.actors[0].actor->skeleton;
}

}  // namespace

TEST_CASE("an end joint swings, is saved, opened and handed off, and the file validates") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    const int before = skeleton(s).size();
    const int tail = skeleton(s).find("tail_10");
    REQUIRE(edit::prepare(s, actor, {rig::Preparation::What::AddEnd, "tail_10", "tail_end", Vec3(0, 0.05, 0)}).ok());
    REQUIRE(skeleton(s).size() == before + 1);
    const int end = skeleton(s).find("tail_end");
    CHECK(end == before);
    CHECK(skeleton(s).joint(end).parent == tail);
    // With an end of its own the last joint swings though nothing reaches beyond the end.
    const std::string id = edit::addLayer(s, "strand", actor, {"tail_01"});
    s.layer(id)->set("end", 0.0);
    const auto seen = test::evaluate(s);
    CHECK_FALSE(seen.actors[0].result->column(tail) == seen.actors[0].body->column(tail));
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().warnings.empty());
    CHECK(again.value().scene.actors[0].preparations == s.actors[0].preparations);
    const auto replayed = test::evaluate(again.value().scene);
    for (int k = 0; k < seen.actors[0].result->frames(); k += 5)
        CHECK(seen.actors[0].result->at(tail, k) == replayed.actors[0].result->at(tail, k));
    pipeline::Evaluator e;
    for (const char* name : {"o.glb", "o.gltf"}) {
        REQUIRE(pipeline::bake(s, {}, f / name, e, {}).ok());
        const auto out = test::read(f / name);
        const int there = out->skeleton.find("tail_end");
        REQUIRE(there != rig::kNoJoint);
        CHECK(out->skeleton.joint(there).parent == out->skeleton.find("tail_10"));
        CHECK((out->skeleton.joint(there).rest.t - Vec3(0, 0.05, 0)).norm() < 1e-6);
        test::checkValid(f / name);
    }
    // The source is as it was.
    CHECK(test::read(kOtterFile)->skeleton.size() == before);
}

TEST_CASE("a renamed joint keeps all that refers to it, and leaves under its new name") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    edit::addLayer(s, "strand", actor, {"tail_01"});
    edit::addLayer(s, "jiggle", actor, {"ear_L", "ear_R"});
    edit::addCollider(s, actor, "ear_L", scene::Shape::Sphere);
    const auto before = test::evaluate(s);
    REQUIRE(edit::prepare(s, actor, {rig::Preparation::What::Rename, "tail_01", "rudder", Vec3::Zero()}).ok());
    REQUIRE(edit::prepare(s, actor, {rig::Preparation::What::Rename, "ear_L", "left ear", Vec3::Zero()}).ok());
    CHECK(s.layers[0].list("root") == std::vector<std::string>{"rudder"});
    CHECK(s.layers[1].list("joint") == std::vector<std::string>{"left ear", "ear_R"});
    CHECK(s.colliders[0].mount.joint == "left ear");
    const auto after = test::evaluate(s);
    for (int j = 0; j < skeleton(s).size(); ++j)
        for (int k = 0; k < 29; k += 7) REQUIRE(before.actors[0].result->at(j, k) == after.actors[0].result->at(j, k));
    pipeline::Evaluator e;
    REQUIRE(pipeline::bake(s, {}, f / "o.glb", e, {}).ok());
    const auto out = test::read(f / "o.glb");
    CHECK(out->skeleton.find("rudder") != rig::kNoJoint);
    CHECK(out->skeleton.find("tail_01") == rig::kNoJoint);
    test::checkValid(f / "o.glb");
    // What cannot be done says why and changes nothing.
    const scene::Scene was = s;
    for (const rig::Preparation& bad : {rig::Preparation{rig::Preparation::What::Rename, "nobody", "x", Vec3::Zero()},
                                        {rig::Preparation::What::Rename, "rudder", "hips", Vec3::Zero()},
                                        {rig::Preparation::What::Rename, "rudder", "", Vec3::Zero()},
                                        {rig::Preparation::What::AddEnd, "rudder", "hips", Vec3::Zero()}}) {
        const auto done = edit::prepare(s, actor, bad);
        REQUIRE_FALSE(done.ok());
        CHECK_FALSE(done.error().sentence.empty());
        CHECK(s.actors[0].actor == was.actors[0].actor);
    }
}

TEST_CASE("joints that were dropped from a selection are left out of the strand, with all that hangs on them") {
    scene::Scene s = test::sceneWith(test::beastActor({}));
    const rig::Skeleton& k = skeleton(s);
    // A tree: the whole cape but one joint in the middle of it.
    std::vector<std::string> chosen;
    for (int j : k.subtree(k.find("cape_1")))
        if (!(j == k.find("cape_4") || k.isBelow(j, k.find("cape_4")))) chosen.push_back(k.reference(j));
    const std::string id = edit::addLayer(s, "strand", s.actors[0].id, chosen);
    const auto moved = layers::findKind("strand")->moves(*s.actors[0].actor, *std::as_const(s).layer(id));
    CHECK(moved.size() == 3);
    // The same by hand, of a chain that runs on.
    s.layers.clear();
    test::addLayer(s, "strand", {"trunk_1"}, {{"without", std::vector<std::string>{"trunk_4"}}});
    const auto e = test::evaluate(s);
    CHECK_FALSE(e.actors[0].result->column(k.find("trunk_2")) == e.actors[0].body->column(k.find("trunk_2")));
    CHECK(e.actors[0].result->column(k.find("trunk_4")) == e.actors[0].body->column(k.find("trunk_4")));
    CHECK(e.actors[0].result->column(k.find("trunk_5")) == e.actors[0].body->column(k.find("trunk_5")));
}

TEST_CASE("a BVH says that it cannot take joints that were added") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(test::kDeckhandFile));
    const std::string joint = skeleton(s).label(skeleton(s).size() - 1);
    REQUIRE(edit::prepare(s, s.actors[0].id, {rig::Preparation::What::AddEnd, joint, "more", Vec3(0, 5, 0)}).ok());
    test::addLayer(s, "jiggle", {joint});
    pipeline::Evaluator e;
    const auto refused = pipeline::bake(s, {}, f / "o.bvh", e, {});
    REQUIRE_FALSE(refused.ok());
    CHECK_THAT(refused.error().text(), Catch::Contains("joints that were added"));
    REQUIRE(pipeline::bake(s, {}, f / "o.glb", e, {}).ok());
    CHECK(test::read(f / "o.glb")->skeleton.find("more") != rig::kNoJoint);
}

namespace {

/// The point of a joint's own skin that lies farthest along `way`.
Vec3 outermost(const rig::Actor& a, const std::string& joint, const Vec3& way) {
    const rig::Surface s = rig::Surface::of(a);
    Vec3 best = Vec3::Zero();
    double most = -1e300;
    for (std::uint32_t v = 0; v < s.places.size(); ++v)
        if (a.skeleton.label(s.mainJoint(v)) == joint)
            if (const double d = way.dot(s.places[v].cast<double>()); d > most) {
                most = d;
                best = s.places[v].cast<double>();
            }
    REQUIRE(most > -1e300);
    return best;
}

/// The largest distance between vertices of two actors, each posed by a track of its own [units].
double vertexDifference(const rig::Actor& a, const rig::Track& ta, const rig::Actor& b, const rig::Track& tb, int frame) {
    std::vector<Xform> x, y;
    ta.pose(frame, x);
    tb.pose(frame, y);
    return test::vertexDifference(a, x, b, y);
}

}  // namespace

TEST_CASE("a helper joint takes the skin around it and leaves the rest pose as it was") {
    const auto otter = test::read(kOtterFile);
    scene::Scene s = test::sceneWith(otter);
    const Vec3 front = outermost(*otter, "spine_01", Vec3::UnitZ());
    const auto made = edit::addHelper(s, s.actors[0].id, {}, "paunch", front - Vec3(0, 0, 0.04), 0.15, false);
    REQUIRE(made);
    CHECK(made.value() == std::vector<std::string>{"paunch"});
    const rig::Actor& a = *s.actors[0].actor;
    const int joint = a.skeleton.find("paunch");
    REQUIRE(joint != rig::kNoJoint);
    CHECK(a.isSkinJoint[static_cast<std::size_t>(joint)]);
    const rig::Track rest = rig::bodyTrack(*otter, -1, {}), now = rig::bodyTrack(a, -1, {});
    CHECK(vertexDifference(*otter, rest, a, now, 0) < 1e-5);
    // What follows it hangs together around it: much there, nothing of the hands, weights still sum to 1.
    const rig::Surface surface = rig::Surface::of(a);
    float most = 0;
    int followers = 0;
    for (std::uint32_t v = 0; v < surface.places.size(); ++v) {
        float sum = 0, share = 0;
        for (const auto& p : surface.pulls(v)) {
            sum += p.weight;
            if (p.joint == joint) share = p.weight;
        }
        REQUIRE(sum == Approx(1).margin(1e-4));
        REQUIRE(surface.pulls(v).size() <= 8);
        if (share == 0) continue;
        ++followers;
        most = std::max(most, share);
        CHECK((surface.places[v].cast<double>() - front).norm() < 0.16 * a.height);
        const std::string main = a.skeleton.label(surface.mainJoint(v));
        CHECK(main.find("hand") == std::string::npos);
        CHECK(main.find("arm") == std::string::npos);
    }
    CHECK(most > 0.9f);
    CHECK(followers > 30);
    // It may not have a name that is taken, hang on nothing, or reach nowhere.
    CHECK_FALSE(edit::addHelper(s, s.actors[0].id, {}, "paunch", front, 0.1, false).ok());
    CHECK_FALSE(edit::addHelper(s, s.actors[0].id, "nobody", "new", front, 0.1, false).ok());
    CHECK_FALSE(edit::addHelper(s, s.actors[0].id, {}, "new", front, 0, false).ok());
}

TEST_CASE("helpers with a jiggle, and on both sides, are saved, handed off, valid, and deform the same when opened again") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    const Vec3 front = outermost(*s.actors[0].actor, "spine_01", Vec3::UnitZ());
    REQUIRE(edit::addHelper(s, actor, {}, "paunch", front - Vec3(0, 0, 0.04), 0.15, false));
    const Vec3 cheek = outermost(*s.actors[0].actor, "head", Vec3(0.8, -0.2, 0.5));
    const auto cheeks = edit::addHelper(s, actor, "head", "cheek", cheek, 0.05, true);
    REQUIRE(cheeks);
    CHECK(cheeks.value() == std::vector<std::string>{"cheek_L", "cheek_R"});
    const rig::Skeleton& k = skeleton(s);
    const Vec3 l = k.joint(k.find("cheek_L")).rest.t, r = k.joint(k.find("cheek_R")).rest.t;
    CHECK((l.cwiseAbs() - r.cwiseAbs()).norm() < 0.01);
    CHECK((l - r).norm() > 0.05);
    edit::addLayer(s, "jiggle", actor, {"paunch"});
    edit::addLayer(s, "jiggle", actor, {"cheek_L", "cheek_R"});
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().warnings.empty());
    CHECK(again.value().scene.actors[0].preparations == s.actors[0].preparations);
    const pipeline::Evaluation here = test::evaluate(s), there = test::evaluate(again.value().scene);
    const rig::Track& moved = *here.actors[0].result;
    CHECK(vertexDifference(*s.actors[0].actor, moved, *again.value().scene.actors[0].actor, *there.actors[0].result, 9) == 0);
    double swung = 0;
    for (int frame = 0; frame < moved.frames(); ++frame)
        swung = std::max(swung, moved.at(k.find("paunch"), frame).r.angularDistance(Quat::Identity()) +
                                    (moved.at(k.find("paunch"), frame).t - k.joint(k.find("paunch")).rest.t).norm());
    CHECK(swung > 1e-3);
    pipeline::Evaluator e;
    for (const char* name : {"o.glb", "o.gltf"}) {
        pipeline::BakeOptions options;
        options.tolerance = {0, 0};
        REQUIRE(pipeline::bake(s, options, f / name, e, {}).ok());
        test::checkValid(f / name);
        const auto out = test::read(f / name);
        CHECK(out->skeleton.find("cheek_R") != rig::kNoJoint);
        const int clip = out->findClip(test::played(s));
        REQUIRE(clip >= 0);
        const rig::Track played = rig::bodyTrack(*out, clip, moved.grid());
        double most = 0;
        for (int frame = 0; frame < moved.frames(); frame += 3)
            most = std::max(most, vertexDifference(*s.actors[0].actor, moved, *out, played, frame));
        INFO(name << ": largest vertex difference " << most << " units of " << out->height);
        CHECK(most < 1e-4 * out->height);
    }
}

namespace {

/// The point of the surface nearest to a place.
std::uint32_t pointAt(const rig::Surface& s, const Vec3& place) {
    std::uint32_t best = 0;
    for (std::uint32_t v = 1; v < s.places.size(); ++v)
        if ((s.places[v].cast<double>() - place).norm() < (s.places[best].cast<double>() - place).norm()) best = v;
    return best;
}

void checkSums(const rig::Actor& a) {
    for (const rig::Mesh& m : a.meshes)
        for (const rig::Primitive& p : m.primitives)
            for (const rig::Influence& f : p.influences) {
                float sum = 0;
                for (float w : f.weight) sum += w;
                REQUIRE(sum == Approx(1).margin(1e-4));
            }
}

}  // namespace

TEST_CASE("a brush adds, takes, sets, smooths and sharpens weights, they sum to 1, and no gap is crossed") {
    const auto otter = test::read(kOtterFile);
    const Vec3 front = outermost(*otter, "spine_01", Vec3::UnitZ());
    const int joint = otter->skeleton.find("chest");
    const double h = otter->height;
    rig::Painter painter(*otter);
    const std::uint32_t point = pointAt(painter.surface(), front);
    const float before = painter.share(point, joint);
    painter.dab(joint, rig::Brush::Add, front, 0.1 * h, 0.5);
    const float added = painter.share(point, joint);
    CHECK(added == Approx(before + 0.5f * (1 - before)).margin(0.02));
    painter.dab(joint, rig::Brush::Take, front, 0.1 * h, 0.5);
    CHECK(painter.share(point, joint) == Approx(0.5f * added).margin(0.02));
    painter.dab(joint, rig::Brush::Set, front, 0.1 * h, 0.8);
    CHECK(painter.share(point, joint) == Approx(0.8f).margin(0.03));
    // Nothing beyond the radius, and nothing of what is near but not joined to it.
    rig::Painter wide(*otter);
    wide.dab(joint, rig::Brush::Set, front, 0.1 * h, 1);
    for (std::uint32_t v = 0; v < wide.surface().places.size(); ++v) {
        const bool far = (wide.surface().places[v].cast<double>() - front).norm() > 0.1 * h;
        const bool apart = wide.surface().shell[v] != wide.surface().shell[point];
        float was = 0;
        for (const auto& p : wide.surface().pulls(v))
            if (p.joint == joint) was = p.weight;
        if (far || apart) REQUIRE(wide.share(v, joint) == was);
    }
    // Smoothing levels neighbours, sharpening parts them.
    const auto roughness = [&](const rig::Painter& p) {
        double sum = 0;
        for (const auto& e : p.surface().edges)
            if ((p.surface().places[e[0]].cast<double>() - front).norm() < 0.08 * h)
                sum += std::abs(p.share(e[0], joint) - p.share(e[1], joint));
        return sum;
    };
    const double rough = roughness(wide);
    for (int k = 0; k < 6; ++k) wide.dab(joint, rig::Brush::Smooth, front, 0.12 * h, 1);
    const double smooth = roughness(wide);
    CHECK(smooth < 0.95 * rough);
    for (int k = 0; k < 3; ++k) wide.dab(joint, rig::Brush::Sharpen, front, 0.12 * h, 1);
    CHECK(roughness(wide) > smooth);
    checkSums(*wide.painted());
    // What one joint has wholly goes back to what carries it.
    painter.dab(joint, rig::Brush::Set, front, 0.1 * h, 1);
    painter.dab(joint, rig::Brush::Set, front, 0.1 * h, 1);
    painter.dab(joint, rig::Brush::Take, front, 0.1 * h, 1);
    CHECK(painter.share(point, joint) < 0.05f);
    checkSums(*painter.painted());
}

TEST_CASE("strokes are kept as strokes: saved, replayed, mirrored, handed off and valid") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    const auto otter = s.actors[0].actor;
    const Vec3 cheek = outermost(*otter, "head", Vec3(0.9, -0.2, 0.4));
    const auto paint = [&](const std::string& joint, rig::Brush brush, double strength, bool mirrored) {
        rig::Preparation edit{rig::Preparation::What::Paint, joint, {}, Vec3::Zero()};
        edit.stroke = {brush, 0.05, strength, mirrored, {cheek, cheek + Vec3(0, 0.01, 0)}, {}};
        return edit::prepare(s, actor, edit);
    };
    REQUIRE(paint("ear_L", rig::Brush::Add, 0.6, true).ok());
    REQUIRE(paint("ear_L", rig::Brush::Smooth, 0.5, true).ok());
    CHECK_FALSE(paint("nobody", rig::Brush::Add, 0.6, false).ok());
    CHECK_FALSE(paint("ear_L", rig::Brush::Add, 7, false).ok());
    const rig::Actor& a = *s.actors[0].actor;
    checkSums(a);
    // The other ear got as much of the other cheek.
    const auto gained = [&](const std::string& joint) {
        const rig::Surface now = rig::Surface::of(a), was = rig::Surface::of(*otter);
        double sum = 0;
        const int j = a.skeleton.find(joint);
        for (std::uint32_t v = 0; v < now.places.size(); ++v) {
            for (const auto& p : now.pulls(v)) sum += p.joint == j ? p.weight : 0;
            for (const auto& p : was.pulls(v)) sum -= p.joint == j ? p.weight : 0;
        }
        return sum;
    };
    CHECK(gained("ear_L") > 1);
    CHECK(gained("ear_R") == Approx(gained("ear_L")).epsilon(0.1));
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().warnings.empty());
    CHECK(again.value().scene.actors[0].preparations == s.actors[0].preparations);
    edit::addLayer(s, "jiggle", actor, {"ear_L", "ear_R"});
    edit::addLayer(again.value().scene, "jiggle", actor, {"ear_L", "ear_R"});
    const pipeline::Evaluation here = test::evaluate(s);
    const rig::Track& moved = *here.actors[0].result;
    // Strokes that followed one another are replayed in one go: to rounding the same.
    CHECK(vertexDifference(a, moved, *again.value().scene.actors[0].actor, moved, 9) < 1e-5);
    pipeline::Evaluator e;
    pipeline::BakeOptions options;
    options.tolerance = {0, 0};
    REQUIRE(pipeline::bake(s, options, f / "o.glb", e, {}).ok());
    test::checkValid(f / "o.glb");
    const auto out = test::read(f / "o.glb");
    const rig::Track played = rig::bodyTrack(*out, out->findClip(test::played(s)), moved.grid());
    CHECK(vertexDifference(a, moved, *out, played, 12) < 1e-4 * out->height);
    // A file that asks for a brush of another version is told of, not lost.
    std::string text = test::textOf(f / "s.nutatio");
    text.replace(text.find("\"smooth\""), 8, "\"comb\"");
    test::put(f / "t.nutatio", text);
    auto strange = pipeline::open(f / "t.nutatio");
    REQUIRE_FALSE(strange.ok());
    CHECK_THAT(strange.error().text(), Catch::Contains("comb") && Catch::Contains("prepared[1]"));
}

TEST_CASE("how tall it is, is told, and gravity follows while the file's units stay") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    const std::string fall = edit::addLayer(s, "fall", actor, {});
    s.layer(fall)->set("lift", 0.5);
    const auto touch = [&](const scene::Scene& scene) {
        const auto e = test::evaluate(scene);
        int frame = 0;
        REQUIRE(std::sscanf(e.layer(fall)->said.c_str(), "touches first at frame %d", &frame) == 1);
        return std::pair(frame, e.actors[0].result->at(skeleton(scene).find("root"), 3).t.y());
    };
    const auto own = touch(s);
    REQUIRE(edit::carryOut(s, "stand-tall:metres=4").ok());
    CHECK(s.actors[0].actor->height * scene::placementOf(s.actors[0]).metres == Approx(4));
    // Half a metre takes as long to fall, and is less of the file's units.
    const auto tall = touch(s);
    CHECK(tall.first == own.first);
    CHECK(std::abs(tall.second) < std::abs(own.second));
    // Told anew it takes the place of what was told.
    REQUIRE(edit::carryOut(s, "stand-tall:metres=2").ok());
    CHECK(s.actors[0].preparations.size() == 1);
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().scene.actors[0].actor->metresPerUnit == Approx(2 / s.actors[0].actor->height));
    pipeline::Evaluator e;
    REQUIRE(pipeline::bake(s, {}, f / "o.glb", e, {}).ok());
    const auto out = test::read(f / "o.glb");
    CHECK(out->height == Approx(s.actors[0].actor->height));
    CHECK(out->metresPerUnit == 1);
    for (const char* wrong : {"stand-tall:metres=-1", "stand-tall:metres=1e9", "stand-tall:metres=tall"}) {
        INFO(wrong);
        CHECK_FALSE(edit::carryOut(s, wrong).ok());
        CHECK(s.actors[0].preparations.size() == 1);
    }
    REQUIRE(edit::carryOut(s, "stand-tall:metres=0").ok());
    CHECK(s.actors[0].preparations.empty());
    CHECK(touch(s) == own);
}

TEST_CASE("a giant on two legs is told by the check, and stands as a person when that is mended") {
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    int which = 0;
    for (const auto& [metres, likely] : {std::pair{3.86, 1.7}, {170.0, 1.7}, {18.0, 1.8}, {0.068, 1.7}, {5.9, 1.8}}) {
        if (!test::tries(which++)) continue;
        INFO(metres);
        REQUIRE(edit::standTall(s, actor, metres).ok());
        const auto found = measure::check(s);
        const auto f = std::find_if(found.begin(), found.end(), [](const measure::Finding& x) { return x.kind == "unit"; });
        REQUIRE(f != found.end());
        REQUIRE(f->repair.size() == 1);
        REQUIRE(edit::carryOut(s, f->repair[0]).ok());
        CHECK(s.actors[0].actor->height * s.actors[0].actor->metresPerUnit == Approx(likely).epsilon(0.01));
        const auto after = measure::check(s);
        CHECK(std::none_of(after.begin(), after.end(), [](const measure::Finding& x) { return x.kind == "unit"; }));
    }
}

TEST_CASE("an animal of a size that none has is told by the check, one of a giraffe's size is not") {
    TempFolder folder;
    test::writeAnimal(folder / "a.glb", 4);  // on four legs
    scene::Scene s = test::sceneWith(test::read(folder / "a.glb"));
    const std::string actor = s.actors[0].id;
    REQUIRE(rig::rolesOf(*s.actors[0].actor).fourLegged);
    int which = 0;
    for (const auto& [metres, likely] : {std::pair{110.0, 1.1}, {0.011, 1.1}, {600.0, 0.6}, {5.0, 0.0}, {0.1, 0.0}}) {
        if (!test::tries(which++)) continue;
        INFO(metres);
        REQUIRE(edit::standTall(s, actor, metres).ok());
        const auto found = measure::check(s);
        const auto f = std::find_if(found.begin(), found.end(),
                                    [](const measure::Finding& x) { return x.kind == "unit" && !x.repair.empty(); });
        if (likely == 0) {
            CHECK(f == found.end());
            continue;
        }
        REQUIRE(f != found.end());
        CHECK(f->sentence.find("four legs") != std::string::npos);
        REQUIRE(edit::carryOut(s, f->repair[0]).ok());
        CHECK(s.actors[0].actor->height * s.actors[0].actor->metresPerUnit == Approx(likely).epsilon(0.01));
    }
}

TEST_CASE("what a joint is, is told where it is found wrong, saved, and taken back") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    const auto roles = [&] { return rig::rolesOf(*s.actors[0].actor); };
    const rig::Roles found = roles();
    REQUIRE(edit::carryOut(s, "tell-role:joint=neck,role=head").ok());
    CHECK(roles().head == skeleton(s).find("neck"));
    // One head: said of another joint it is no longer said of this one.
    REQUIRE(edit::carryOut(s, "tell-role:joint=chest,role=head").ok());
    CHECK(roles().head == skeleton(s).find("chest"));
    CHECK(s.actors[0].preparations.size() == 1);
    // A limb is told by its top, or by its end.
    for (const char* joint : {"upper_arm_L", "hand_L"}) {
        REQUIRE(edit::tellRole(s, actor, joint, "left leg").ok());
        CHECK(roles().legs[0].end == skeleton(s).find("hand_L"));
        CHECK_FALSE(roles().arms[0].found());
    }
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    CHECK(pipeline::open(f / "s.nutatio").value().scene.actors[0].actor->told == s.actors[0].actor->told);
    CHECK_FALSE(edit::tellRole(s, actor, "chest", "wheel").ok());
    CHECK_FALSE(edit::tellRole(s, actor, "nobody", "head").ok());
    for (const char* joint : {"chest", "hand_L"}) REQUIRE(edit::tellRole(s, actor, joint, "").ok());
    CHECK(roles().head == found.head);
    CHECK(roles().arms[0].chain == found.arms[0].chain);
    // What is not of the body weighs nothing, and is no segment of it.
    REQUIRE(edit::tellRole(s, actor, "tail_01", "not of the body").ok());
    const int tail = skeleton(s).find("tail_05");
    CHECK(rig::massesOf(*s.actors[0].actor).share[static_cast<std::size_t>(tail)] == 0);
    CHECK(rig::figureOf(*s.actors[0].actor)->find(tail) < 0);
}
