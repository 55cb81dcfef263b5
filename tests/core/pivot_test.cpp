// Chains of joints, pivots, locks, and steps of Prepare that are taken away again.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "edit/operations.h"
#include "files/scene_file.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "rig/helper.h"
#include "tests/support/posed.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
using test::kOtterFile;
using test::TempFolder;
using What = rig::Preparation::What;

namespace {

/// The satchel's strap on the otter's front: a place near its upper end.
Vec3 strapPlace(const rig::Actor& a) {
    const rig::Surface s = rig::Surface::of(a);
    const int front = a.skeleton.find("strap_front");
    Vec3 best = Vec3::Zero();
    for (std::uint32_t v = 0; v < s.places.size(); ++v)
        if (s.mainJoint(v) == front && (best.isZero() || s.places[v].y() > best.y())) best = s.places[v].cast<double>();
    REQUIRE_FALSE(best.isZero());
    return best;
}

/// How far the middle of the skin of `joint` goes when it turns by a quarter.
double swingOf(const rig::Actor& a, const std::string& joint, int& followers) {
    std::vector<Xform> locals = a.restPose();
    const rig::Surface s = rig::Surface::of(a);
    const int j = a.skeleton.find(joint);
    followers = 0;
    Vec3 middle = Vec3::Zero();
    for (std::uint32_t v = 0; v < s.places.size(); ++v)
        for (const auto& p : s.pulls(v))
            if (p.joint == j && p.weight > 0.5f) {
                ++followers;
                middle += s.places[v].cast<double>();
            }
    std::vector<Affine> worlds;
    rig::worldTransforms(a.skeleton, locals, worlds);
    return followers > 0 ? (middle / followers - worlds[static_cast<std::size_t>(j)].t).norm() : 0;
}

}  // namespace

TEST_CASE("a chain fitted through a piece of mesh is even, carries that piece alone, and leaves the rest pose as it was") {
    TempFolder f;
    const auto otter = test::read(kOtterFile);
    scene::Scene s = test::sceneWith(otter);
    const std::string actor = s.actors[0].id;
    const rig::Surface surface = rig::Surface::of(*otter);
    const Vec3 at = strapPlace(*otter);
    const std::vector<Vec3> row = rig::rowThrough(surface, surface.nearest(at), 4);
    REQUIRE(row.size() == 5);
    const auto made = edit::addChain(s, actor, {}, "strap_front_soft", row, 0);
    REQUIRE(made);
    CHECK(made.value() == std::vector<std::string>{"strap_front_soft_01", "strap_front_soft_02", "strap_front_soft_03",
                                                   "strap_front_soft_04", "strap_front_soft_end"});
    const rig::Actor& a = *s.actors[0].actor;
    // Each joint hangs on the one before; links are as long as one another, to a third.
    double least = 1e9, most = 0;
    for (std::size_t k = 1; k < made.value().size(); ++k) {
        const int j = a.skeleton.find(made.value()[k]);
        CHECK(a.skeleton.label(a.skeleton.joint(j).parent) == made.value()[k - 1]);
        const double length = a.skeleton.joint(j).rest.t.norm();
        least = std::min(least, length);
        most = std::max(most, length);
    }
    CHECK(most < 1.5 * least);
    CHECK(test::vertexDifference(*otter, otter->restPose(), a, a.restPose()) < 1e-5);
    // Every joint but the end has skin of its own near it, all of it of that piece.
    const rig::Surface now = rig::Surface::of(a);
    const int shell = now.shell[now.nearest(row[2])];
    for (std::size_t k = 0; k + 1 < made.value().size(); ++k) {
        int followers = 0;
        CHECK(swingOf(a, made.value()[k], followers) < 1.2 * most);
        CHECK(followers > 0);
    }
    for (std::uint32_t v = 0; v < now.places.size(); ++v)
        for (const auto& p : now.pulls(v))
            if (p.joint >= otter->skeleton.size()) CHECK(now.shell[v] == shell);
    // It swings as a strand, and the file that leaves deforms alike.
    edit::addLayer(s, "strand", actor, {"strap_front_soft_01"});
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    const auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().scene.actors[0].preparations == s.actors[0].preparations);
    const auto seen = test::evaluate(s);
    const int second = a.skeleton.find("strap_front_soft_02");
    CHECK_FALSE(seen.actors[0].result->column(second) == seen.actors[0].body->column(second));
    pipeline::Evaluator e;
    pipeline::BakeOptions options;
    options.tolerance = {0, 0};
    REQUIRE(pipeline::bake(s, options, f / "o.glb", e, {}).ok());
    test::checkValid(f / "o.glb");
    const auto out = test::read(f / "o.glb");
    const rig::Track played = rig::bodyTrack(*out, out->findClip(test::played(s)), seen.actors[0].result->grid());
    for (int frame : {0, 7, 20}) {
        std::vector<Xform> here, there;
        seen.actors[0].result->pose(frame, here);
        played.pose(frame, there);
        CHECK(test::vertexDifference(a, here, *out, there) < 1e-4 * out->height);
    }
}

TEST_CASE("a chain along a drawn line takes the skin beside the line, shared from joint to joint") {
    const auto otter = test::read(kOtterFile);
    scene::Scene s = test::sceneWith(otter);
    const std::string actor = s.actors[0].id;
    std::vector<Affine> worlds;
    rig::worldTransforms(otter->skeleton, otter->restPose(), worlds);
    const rig::Surface surface = rig::Surface::of(*otter);
    // Down the back, from the chest to the hips.
    std::vector<Vec3> line;
    for (const char* j : {"chest", "spine_02", "spine_01", "hips"})
        line.push_back(
            surface.places[surface.nearest(worlds[static_cast<std::size_t>(otter->skeleton.find(j))].t - Vec3(0, 0, 0.2))]
                .cast<double>());
    const std::vector<Vec3> row = rig::rowAlong(surface, line, 3, 0.06 * otter->height);
    REQUIRE(row.size() == 4);
    REQUIRE(edit::addChain(s, actor, {}, "ridge", row, 0.08));
    const rig::Actor& a = *s.actors[0].actor;
    const rig::Surface now = rig::Surface::of(a);
    const int first = a.skeleton.find("ridge_01");
    double given[3] = {};
    for (std::uint32_t v = 0; v < now.places.size(); ++v) {
        float sum = 0;
        for (const auto& p : now.pulls(v)) {
            sum += p.weight;
            if (p.joint >= first && p.joint < first + 3) given[p.joint - first] += p.weight;
            REQUIRE(p.joint != a.skeleton.find("ridge_end"));
        }
        REQUIRE(sum == Approx(1).margin(1e-4));
    }
    for (double g : given) CHECK(g > 3);
    // Nonsense is refused in words.
    for (const auto& bad :
         {edit::addChain(s, actor, {}, "ridge", row, 0.08), edit::addChain(s, actor, "nobody", "x", row, 0.08),
          edit::addChain(s, actor, {}, "x", {row[0], row[1]}, 0.08), edit::addChain(s, actor, {}, "x", {}, 0.08)}) {
        REQUIRE_FALSE(bad.ok());
        CHECK_FALSE(bad.error().sentence.empty());
    }
}

TEST_CASE("a pivot that is moved leaves the rest pose alone, and with keys kept every frame too") {
    TempFolder f;
    // A beast, as made and with its root scaled: lengths in the rig's own units.
    for (const double scale : {1.0, 0.01}) {
        const auto beast = test::beastActor({scale, false, true});
        scene::Scene s = test::sceneWith(beast);
        const std::string actor = s.actors[0].id;
        std::vector<Affine> worlds;
        rig::worldTransforms(beast->skeleton, beast->restPose(), worlds);
        for (const char* joint : {"trunk_2", "cape_1"}) {
            const Vec3 to =
                worlds[static_cast<std::size_t>(beast->skeleton.find(joint))].t + 0.05 * beast->height * Vec3(1, 0.5, -0.3);
            REQUIRE(edit::movePivot(s, actor, joint, to, true));
            const rig::Actor& a = *s.actors[0].actor;
            std::vector<Affine> now;
            rig::worldTransforms(a.skeleton, a.restPose(), now);
            CHECK((now[static_cast<std::size_t>(a.skeleton.find(joint))].t - to).norm() < 1e-9 * beast->height);
        }
        const rig::Actor& a = *s.actors[0].actor;
        CHECK(test::vertexDifference(*beast, beast->restPose(), a, a.restPose()) < 1e-5 * beast->height);
        for (std::size_t c = 0; c < a.clips.size(); ++c)
            for (double share : {0.0, 0.31, 0.77}) {
                const double t = a.clips[c].start + share * a.clips[c].seconds();
                std::vector<Xform> was = beast->restPose(), is = a.restPose();
                beast->clips[c].pose(t, was);
                a.clips[c].pose(t, is);
                CHECK(test::vertexDifference(*beast, was, a, is) < 2e-4 * beast->height);
            }
        // The file that leaves has the pivot, and moves alike in every one of its clips.
        pipeline::Evaluator e;
        REQUIRE(pipeline::bake(s, {}, f / "o.glb", e, {}).ok());
        test::checkValid(f / "o.glb");
        const auto out = test::read(f / "o.glb");
        for (std::size_t c = 0; c < out->clips.size(); ++c) {
            std::vector<Xform> was = beast->restPose(), is = out->restPose();
            const double t = out->clips[c].start + 0.4 * out->clips[c].seconds();
            beast->clips[c].pose(t, was);
            out->clips[c].pose(t, is);
            CHECK(test::vertexDifference(*beast, was, *out, is) < 2e-4 * beast->height);
        }
    }
}

TEST_CASE("a pivot that turns about its new place swings the mesh from there") {
    const auto beast = test::beastActor({});
    scene::Scene s = test::sceneWith(beast);
    std::vector<Affine> worlds;
    rig::worldTransforms(beast->skeleton, beast->restPose(), worlds);
    const int joint = beast->skeleton.find("trunk_3");
    const Vec3 to = worlds[static_cast<std::size_t>(joint)].t + Vec3(0, 0.1 * beast->height, 0);
    REQUIRE(edit::movePivot(s, s.actors[0].id, "trunk_3", to, false));
    const rig::Actor& a = *s.actors[0].actor;
    // Turned by hand, the new place stays where it is and the old one does not.
    std::vector<Xform> locals = a.restPose();
    locals[static_cast<std::size_t>(joint)].r = locals[static_cast<std::size_t>(joint)].r * fromRotationVector(Vec3(0.5, 0, 0));
    std::vector<Affine> turned;
    rig::worldTransforms(a.skeleton, locals, turned);
    CHECK((turned[static_cast<std::size_t>(joint)].t - to).norm() < 1e-9);
    const int below = a.skeleton.find("trunk_4");
    CHECK((turned[static_cast<std::size_t>(below)].t - worlds[static_cast<std::size_t>(below)].t).norm() > 0.02 * beast->height);
}

TEST_CASE("the pivot of a prop without a skin is moved by a joint that holds its mesh") {
    TempFolder f;
    const auto box = test::read(test::boxFile(f.path()));
    scene::Scene s = test::sceneWith(box);
    const std::string actor = s.actors[0].id;
    REQUIRE(edit::movePivot(s, actor, "lid", Vec3(0.5, 1, 0), false));
    const rig::Actor& a = *s.actors[0].actor;
    REQUIRE(a.skeleton.find("lid_mesh") != rig::kNoJoint);
    CHECK(test::vertexDifference(*box, box->restPose(), a, a.restPose()) < 1e-6);
    const int lid = a.skeleton.find("lid");
    std::vector<Xform> locals = a.restPose();
    locals[static_cast<std::size_t>(lid)].r = fromRotationVector(Vec3(0, 0, 1));
    std::vector<Affine> worlds;
    rig::worldTransforms(a.skeleton, locals, worlds);
    CHECK((worlds[static_cast<std::size_t>(lid)].t - Vec3(0.5, 1, 0)).norm() < 1e-9);
    pipeline::Evaluator e;
    REQUIRE(pipeline::bake(s, {}, f / "o.gltf", e, {}).ok());
    test::checkValid(f / "o.gltf");
    const auto out = test::read(f / "o.gltf");
    CHECK(test::vertexDifference(a, locals, *out, [&] {
              std::vector<Xform> same = out->restPose();
              same[static_cast<std::size_t>(out->skeleton.find("lid"))].r = fromRotationVector(Vec3(0, 0, 1));
              return same;
          }()) < 1e-6);
}

TEST_CASE("a joint made here hangs elsewhere where it stands, the file's own stay where they hang") {
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    REQUIRE(edit::carryOut(s, "add-helper:name=paunch,x=0,y=0.62,z=0.2,reach=0.15").ok());
    const auto before = s.actors[0].actor;
    REQUIRE(edit::carryOut(s, "hang-on:joint=paunch,onto=chest").ok());
    const rig::Actor& a = *s.actors[0].actor;
    CHECK(a.skeleton.label(a.skeleton.joint(a.skeleton.find("paunch")).parent) == "chest");
    CHECK(test::vertexDifference(*before, before->restPose(), a, a.restPose()) < 1e-5);
    for (const char* bad :
         {"hang-on:joint=paunch,onto=paunch", "hang-on:joint=ear_L,onto=chest", "hang-on:joint=paunch,onto=nobody"}) {
        const auto refused = edit::carryOut(s, bad);
        REQUIRE_FALSE(refused.ok());
        CHECK(s.actors[0].actor.get() == &a);
    }
}

TEST_CASE("a step of Prepare is taken away again with what rests on it, and nothing else") {
    const auto otter = test::read(kOtterFile);
    scene::Scene s = test::sceneWith(otter);
    const std::string actor = s.actors[0].id;
    for (const char* step : {"rename-joint:joint=tail_01,name=rudder", "add-helper:name=paunch,x=0,y=0.62,z=0.2,reach=0.15",
                             "add-helper:name=cheek,x=0.1,y=1.15,z=0.12,reach=0.05,joint=head",
                             "rename-joint:joint=paunch,name=belly_soft", "add-end:joint=tail_10,name=tail_tip,y=0.05"})
        REQUIRE(edit::carryOut(s, step).ok());
    edit::addLayer(s, "jiggle", actor, {"belly_soft"});
    edit::addLayer(s, "jiggle", actor, {"cheek"});
    edit::addLayer(s, "strand", actor, {"rudder"});
    edit::addCollider(s, actor, "cheek", scene::Shape::Sphere);
    // The belly goes, with its other name and the layer that had nothing else to move.
    REQUIRE(edit::removeJoint(s, actor, "belly_soft"));
    const rig::Skeleton& k = s.actors[0].actor->skeleton;
    CHECK(k.find("belly_soft") == rig::kNoJoint);
    CHECK(k.find("paunch") == rig::kNoJoint);
    CHECK(k.find("cheek") != rig::kNoJoint);
    CHECK(k.find("tail_tip") != rig::kNoJoint);
    CHECK(s.actors[0].preparations.size() == 3);
    REQUIRE(s.layers.size() == 2);
    CHECK(s.layers[0].list("joint") == std::vector<std::string>{"cheek"});
    CHECK(s.colliders.size() == 1);
    // A name that was given is taken back everywhere.
    REQUIRE(edit::unprepare(s, actor, 0));
    CHECK(s.layers[1].list("root") == std::vector<std::string>{"tail_01"});
    // All of it gone is the file again.
    REQUIRE(edit::unprepare(s, actor, 1));
    REQUIRE(edit::unprepare(s, actor, 0));
    CHECK(s.actors[0].actor->content == otter->content);
    CHECK(s.actors[0].actor->picture == otter->picture);
    CHECK(s.layers.size() == 1);
    CHECK(s.colliders.empty());
    CHECK_FALSE(edit::unprepare(s, actor, 0).ok());
    CHECK_FALSE(edit::removeJoint(s, actor, "ear_L").ok());
}

TEST_CASE("a clip that was recorded here survives a step that is taken away") {
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    REQUIRE(edit::carryOut(s, "add-helper:name=paunch,x=0,y=0.62,z=0.2,reach=0.15").ok());
    REQUIRE(edit::carryOut(s, "add-end:joint=tail_10,name=tail_tip,y=0.05").ok());
    rig::Clip clip;
    clip.name = "Tugged";
    clip.recorded = true;
    clip.end = 1;
    for (const char* joint : {"paunch", "tail_tip"}) {
        rig::Channel c;
        c.joint = s.actors[0].actor->skeleton.find(joint);
        c.path = rig::Path::Turn;
        c.width = 4;
        c.times = {0, 1};
        c.values = {0, 0, 0, 1, 1, 0, 0, 0};
        clip.channels.push_back(c);
    }
    edit::addClip(s, actor, clip);
    REQUIRE(edit::removeJoint(s, actor, "paunch"));
    const rig::Actor& a = *s.actors[0].actor;
    const int at = a.findClip("Tugged");
    REQUIRE(at >= 0);
    REQUIRE(a.clips[static_cast<std::size_t>(at)].channels.size() == 1);
    CHECK(a.clips[static_cast<std::size_t>(at)].channels[0].joint == a.skeleton.find("tail_tip"));
    CHECK(test::played(s) == "Tugged");
}

TEST_CASE("a joint made on one side is made on the other, a chain too") {
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    REQUIRE(edit::carryOut(s, "add-helper:name=cheek_L,x=0.1,y=1.15,z=0.12,reach=0.05,joint=head").ok());
    REQUIRE(edit::carryOut(s, "mirror-joint:joint=cheek_L").ok());
    const rig::Skeleton& k = s.actors[0].actor->skeleton;
    const int l = k.find("cheek_L"), r = k.find("cheek_R");
    REQUIRE(r != rig::kNoJoint);
    CHECK((k.joint(l).rest.t.cwiseAbs() - k.joint(r).rest.t.cwiseAbs()).norm() < 0.01);
    CHECK((k.joint(l).rest.t - k.joint(r).rest.t).norm() > 0.05);
    REQUIRE(edit::carryOut(s, "add-chain:name=curl_L,joint=head,through=0.1 1.2 0+0.14 1.15 0+0.16 1.1 0,reach=0.04").ok());
    REQUIRE(edit::carryOut(s, "mirror-joint:joint=curl_L_02").ok());
    CHECK(s.actors[0].actor->skeleton.find("curl_R_end") != rig::kNoJoint);
    REQUIRE(edit::carryOut(s, "add-helper:name=nose,x=0,y=1.15,z=0.2,reach=0.05,joint=head").ok());
    const auto refused = edit::carryOut(s, "mirror-joint:joint=nose");
    REQUIRE_FALSE(refused.ok());
    CHECK_THAT(refused.error().text(), Catch::Contains("nose_L"));
}

TEST_CASE("a locked joint keeps its weights under every brush, and the rest still sums to one") {
    const auto otter = test::read(kOtterFile);
    rig::Painter painter(*otter);
    const int head = otter->skeleton.find("head"), neck = otter->skeleton.find("neck"), jaw = otter->skeleton.find("jaw");
    const rig::Surface& surface = painter.surface();
    std::vector<float> before;
    std::uint32_t seam = 0;
    for (std::uint32_t v = 0; v < surface.places.size(); ++v) {
        before.push_back(painter.share(v, neck));
        if (painter.share(v, neck) > 0.3f && painter.share(v, head) > 0.3f) seam = v;
    }
    REQUIRE(seam > 0);
    rig::Stroke stroke{rig::Brush::Add, 0.1, 0.8, false, {surface.places[seam].cast<double>()}, {"neck"}};
    for (const rig::Brush brush : rig::kBrushes) {
        stroke.brush = brush;
        painter.stroke(jaw, stroke);
        painter.stroke(head, stroke);
    }
    float gained = 0;
    for (std::uint32_t v = 0; v < surface.places.size(); ++v) {
        CHECK(painter.share(v, neck) == Approx(before[v]).margin(1e-5));
        gained = std::max(gained, painter.share(v, jaw));
        float sum = 0;
        for (int j = 0; j < otter->skeleton.size(); ++j) sum += painter.share(v, j);
        REQUIRE(sum == Approx(1).margin(1e-4));
    }
    CHECK(gained > 0.1f);
    // The same stroke without the lock takes from the neck.
    stroke.locked.clear();
    stroke.brush = rig::Brush::Add;
    painter.stroke(jaw, stroke);
    CHECK(painter.share(seam, neck) < before[seam] - 0.05f);
}
