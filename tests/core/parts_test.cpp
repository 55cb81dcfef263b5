// Parts, what is rigid, what is still stiff, and many chains at once.
#include <catch2/catch.hpp>
#include <set>

#include "demo/gltf_builder.h"
#include "demo/shapes.h"
#include "edit/edit.h"
#include "edit/operations.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "measure/check.h"
#include "measure/stiff.h"
#include "pipeline/open.h"
#include "rig/parts.h"
#include "rig/roles.h"
#include "scene/fit.h"
#include "tests/support/rigs.h"
#include "tests/support/zoo.h"

using namespace nutatio;
using test::kMocapFolder;
using test::kOtterFile;
using test::TempFolder;

namespace {

const rig::Part* find(const std::vector<rig::Part>& parts, const std::string& name) {
    for (const rig::Part& p : parts)
        if (p.name == name) return &p;
    return nullptr;
}

bool alike(const rig::Column& a, const rig::Column& b) {
    return a == b;
}

}  // namespace

TEST_CASE("roles are told by names on rigs from many hands, and by shape where there are none") {
    struct Rig {
        std::string file;
        const char *thigh, *foot, *hand, *head;
    };
    const Rig rigs[] = {{kOtterFile, "thigh_L", "foot_L", "hand_L", "head"},
                        {test::kDeckhandFile, "LeftLeg", "LeftFoot", "LeftHand", "Head"},
                        {kMocapFolder + "01_01.bvh", "LeftUpLeg", "LeftFoot", "LeftHand", "Head"},
                        {kMocapFolder + "Boxing_Toes.bvh", "LeftHip", "LeftAnkle", "LeftWrist", "Head"}};
    for (const Rig& r : rigs) {
        INFO(r.file);
        const auto actor = test::read(r.file);
        const rig::Roles named = rig::rolesOf(*actor);
        const auto label = [&](int j) { return j == rig::kNoJoint ? std::string() : actor->skeleton.label(j); };
        CHECK(named.byNames);
        CHECK(label(named.legs[0].upper) == r.thigh);
        CHECK(label(named.legs[0].end) == r.foot);
        CHECK(label(named.arms[0].end) == r.hand);
        CHECK(label(named.head) == r.head);
        CHECK(named.spine.size() >= 3);
        CHECK_FALSE(named.fourLegged);
        // The same rig without its names: limbs are where they were.
        auto nameless = std::make_shared<rig::Actor>(*actor);
        std::vector<rig::Joint> joints = actor->skeleton.joints();
        for (rig::Joint& j : joints) {
            j.name.clear();
            j.children.clear();
        }
        nameless->skeleton = rig::Skeleton(joints);
        nameless->finish();
        const rig::Roles shaped = rig::rolesOf(*nameless);
        CHECK_FALSE(shaped.byNames);
        REQUIRE(shaped.hasLegs());
        CHECK(shaped.hips == named.hips);
        for (std::size_t side : {0, 1}) {
            CHECK(actor->skeleton.isBelow(shaped.legs[side].end, named.legs[side].upper));
            REQUIRE(shaped.hasArms());
            CHECK(actor->skeleton.isBelow(shaped.arms[side].end, named.arms[side].upper));
        }
    }
}

TEST_CASE("four legs, head and tail are told by shape, however the file calls its joints, and though it lies") {
    TempFolder f;
    int tried = 0;
    for (unsigned number = 4; number < 4 + 40 * test::kBuilds; number += test::kBuilds) {
        const std::string said = test::writeAnimal(f / "a.glb", number);
        if (said.find("without length") != std::string::npos || said.find("uneven") != std::string::npos) continue;
        INFO(said);
        ++tried;
        const auto actor = test::read(f / "a.glb");
        const rig::Roles r = rig::rolesOf(*actor);
        REQUIRE(r.hasLegs());
        REQUIRE(r.hasArms());
        CHECK(r.fourLegged);
        // As zoo.cpp numbers them: hips, spines, neck, head.
        CHECK(r.hips == 0);
        REQUIRE(r.spine.size() >= 3);
        CHECK(r.head == static_cast<int>(r.spine.size()) + 1);
        CHECK(r.tail.size() == 5);
        for (const rig::Limb& l : r.legs) CHECK(actor->skeleton.joint(l.upper).parent == r.hips);
        for (const rig::Limb& l : r.arms) CHECK(actor->skeleton.joint(l.upper).parent == r.spine.back());
    }
    CHECK(tried > 15);
}

TEST_CASE("a face is of the head, and joints that move nothing are no part") {
    TempFolder f;
    demo::GltfBuilder b;
    demo::Surface skin;
    std::vector<Vec3> at;
    const auto joint = [&](const std::string& name, int parent, const Vec3& place, bool carries = true) {
        Xform x;
        x.t = parent < 0 ? place : Vec3(place - at[static_cast<std::size_t>(parent)]);
        const int j = b.node(name, parent, x);
        at.push_back(place);
        if (!carries) return j;
        demo::Surface box = demo::box(place, Vec3::Constant(0.05));
        demo::bindTo(box, j);
        skin.append(box);
        return j;
    };
    const int hips = joint("hips", -1, {0, 0.9, 0}), spine = joint("spine", hips, {0, 1.1, 0}),
              head = joint("head_01", spine, {0, 1.6, 0});
    joint("head_02", head, {0, 1.75, 0});
    for (const auto& [side, x] : {std::pair{"_L", 0.1}, {"_R", -0.1}}) {
        const std::string s = side;
        const int thigh = joint("thigh" + s, hips, {x, 0.85, 0}), shin = joint("shin" + s, thigh, {x, 0.45, 0.02});
        joint("foot" + s, shin, {x, 0.05, 0});
        const int arm = joint("arm" + s, spine, {2 * x, 1.4, 0}), fore = joint("forearm" + s, arm, {4 * x, 1.4, 0});
        joint("hand" + s, fore, {6 * x, 1.4, 0});
    }
    joint("jaw_02", joint("jaw_01", head, {0, 1.55, 0.04}), {0, 1.55, 0.08});
    int cape = spine;
    for (int k = 0; k < 3; ++k) cape = joint("cape_0" + std::to_string(k + 1), cape, {0, 1.3 - 0.2 * k, -0.2}, false);
    int tress = head;
    for (int k = 0; k < 3; ++k) tress = joint("tress_0" + std::to_string(k + 1), tress, {0, 1.7 - 0.1 * k, -0.1});
    b.mesh("body", skin);
    b.writeGlb(f / "a.glb");
    const auto actor = test::read(f / "a.glb");
    const std::vector<rig::Part> parts = rig::suggestedParts(*actor);
    CHECK_FALSE(find(parts, "cape"));
    REQUIRE(find(parts, "tress"));
    const rig::Part* face = find(parts, "head");
    REQUIRE(face);
    for (const char* name : {"head_01", "head_02", "jaw_01", "jaw_02"}) {
        INFO(name);
        CHECK(std::find(face->joints.begin(), face->joints.end(), actor->skeleton.find(name)) != face->joints.end());
    }
    CHECK_FALSE(find(parts, "jaw"));
    const std::vector<rig::Part> numbered = rig::partsOf(*actor);
    CHECK(find(numbered, "tress"));
    CHECK_FALSE(find(numbered, "jaw"));
    CHECK_FALSE(find(numbered, "head"));
}

TEST_CASE("parts are suggested from names and skeleton, each joint once") {
    const auto otter = test::read(kOtterFile);
    const std::vector<rig::Part> parts = rig::suggestedParts(*otter);
    const std::pair<const char*, rig::Sort> wanted[] = {
        {"tail", rig::Sort::Tail},      {"ear_L", rig::Sort::Ear},    {"ear_R", rig::Sort::Ear},
        {"scarf_L", rig::Sort::Strap},  {"skirt5", rig::Sort::Cloth}, {"left arm", rig::Sort::Limb},
        {"right leg", rig::Sort::Limb}, {"spine", rig::Sort::Spine},  {"whisker1a_L", rig::Sort::Hair},
        {"satchel", rig::Sort::Soft},   {"belly", rig::Sort::Soft}};
    for (const auto& [name, sort] : wanted) {
        INFO(name);
        const rig::Part* p = find(parts, name);
        REQUIRE(p);
        CHECK(p->sort == sort);
    }
    CHECK(find(parts, "tail")->joints.size() == 10);
    CHECK(find(parts, "ear_L")->joints.size() == 2);
    std::set<int> seen;
    for (const rig::Part& p : parts)
        for (int j : p.joints) CHECK(seen.insert(j).second);
    // What a hand holds is no part of the arm.
    for (int j : find(parts, "right arm")->joints) CHECK(otter->skeleton.label(j).find("pole") == std::string::npos);
    // Without names its chains are found still.
    rig::Actor nameless = *otter;
    std::vector<rig::Joint> joints = otter->skeleton.joints();
    for (rig::Joint& j : joints) {
        j.name.clear();
        j.children.clear();
    }
    nameless.skeleton = rig::Skeleton(joints);
    nameless.finish();
    int chains = 0;
    for (const rig::Part& p : rig::suggestedParts(nameless)) chains += p.sort == rig::Sort::Chain && p.joints.size() >= 3;
    CHECK(chains >= 3);
}

TEST_CASE("parts are accepted, renamed, merged, split, coloured and saved, what cannot be is refused") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    const auto part = [&](const std::string& name) -> const scene::Part* {
        for (const scene::Part& p : s.actors[0].parts)
            if (p.name == name) return &p;
        return nullptr;
    };
    const int accepted = edit::acceptParts(s, actor);
    CHECK(accepted >= 20);
    CHECK(edit::acceptParts(s, actor) == 0);
    REQUIRE(edit::carryOut(s, "rename-part:part=tail,name=rudder").ok());
    REQUIRE(part("rudder"));
    REQUIRE(edit::carryOut(s, "merge-parts:parts=skirt1+skirt2+skirt3").ok());
    CHECK(part("skirt1")->joints.size() == 9);
    CHECK_FALSE(part("skirt2"));
    REQUIRE(edit::carryOut(s, "split-part:part=rudder,joint=tail_06,name=tail tip").ok());
    CHECK(part("rudder")->joints.size() == 5);
    CHECK(part("tail tip")->joints.front() == "tail_06");
    REQUIRE(edit::carryOut(s, "colour-part:part=rudder,colour=5").ok());
    REQUIRE(edit::carryOut(s, "mark-rigid:part=head").ok());
    REQUIRE(edit::carryOut(s, "add-part:name=props,joints=pole+lantern").ok());
    REQUIRE(files::writeScene(s, f / "s.nutatio").ok());
    const auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().scene.actors[0].parts == s.actors[0].parts);
    CHECK(part("head")->rigid);
    // Names of joints are followed.
    REQUIRE(edit::carryOut(s, "rename-joint:joint=tail_06,name=tip").ok());
    CHECK(part("tail tip")->joints.front() == "tip");
    for (const char* bad :
         {"add-part:name=rudder,joints=belly", "add-part:name=x,joints=nobody", "rename-part:part=nothing,name=y",
          "merge-parts:parts=rudder", "split-part:part=rudder,joint=head,name=z", "split-part:part=rudder,joint=tail_01,name=z",
          "colour-part:part=rudder,colour=99", "mark-rigid:part=nothing"}) {
        const auto was = s.actors[0].parts;
        INFO(bad);
        CHECK_FALSE(edit::carryOut(s, bad).ok());
        CHECK(s.actors[0].parts == was);
    }
}

TEST_CASE("a rigid face that follows the hair is found, with joint, share and frames, and mended") {
    // The otter's jaw moves a little of the head in no clip; give an ear, which flicks, a share of the face.
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    REQUIRE(edit::carryOut(s, "add-part:name=face,joints=head").ok());
    REQUIRE(edit::carryOut(s, "mark-rigid:part=face").ok());
    const auto deformed = [&] {
        std::vector<measure::Finding> out;
        for (const measure::Finding& f : measure::check(s))
            if (f.kind == "deformed") out.push_back(f);
        return out;
    };
    const std::size_t before = deformed().size();
    // A stroke of the forearm's weights on the cheek: when the arm swings, so does the cheek.
    const rig::Surface surface = rig::Surface::of(*s.actors[0].actor);
    rig::Preparation paint{rig::Preparation::What::Paint, "forearm_L", {}, Vec3::Zero()};
    const int head = s.actors[0].actor->skeleton.find("head");
    Vec3 cheek = Vec3::Zero();
    for (std::uint32_t v = 0; v < surface.places.size(); ++v)
        if (surface.mainJoint(v) == head && surface.places[v].x() > cheek.x()) cheek = surface.places[v].cast<double>();
    paint.stroke = {rig::Brush::Set, 0.05, 0.3, false, {cheek}, {}};
    REQUIRE(edit::prepare(s, actor, paint));
    const std::vector<measure::Finding> found = deformed();
    REQUIRE(found.size() > before);
    const auto blamed =
        std::find_if(found.begin(), found.end(), [](const measure::Finding& f) { return f.joint == "forearm_L"; });
    REQUIRE(blamed != found.end());
    CHECK(blamed->first >= 0);
    CHECK(blamed->last > blamed->first);
    CHECK_FALSE(blamed->clip.empty());
    CHECK_THAT(blamed->sentence, Catch::Contains("face") && Catch::Contains("%") && Catch::Contains("forearm_L"));
    REQUIRE(blamed->repair.size() == 1);
    REQUIRE(edit::carryOut(s, blamed->repair.front()).ok());
    for (const measure::Finding& f : deformed()) CHECK(f.joint != "forearm_L");
    // A region made by a map is watched alike.
    REQUIRE(edit::carryOut(s, "mark-rigid:part=face,rigid=no").ok());
    REQUIRE(edit::carryOut(s, "add-map:name=mask,from=weights,joints=head").ok());
    REQUIRE(edit::carryOut(s, "mark-rigid:part=mask").ok());
    REQUIRE(edit::prepare(s, actor, paint));
    CHECK_FALSE(deformed().empty());
}

TEST_CASE("what is still stiff is listed, the largest first, and leaves the list when a layer moves it") {
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const auto named = [&](const std::string& name) {
        const std::vector<measure::Stiff> all = measure::stillStiff(s);
        for (std::size_t k = 1; k < all.size(); ++k) CHECK(all[k].size <= all[k - 1].size);
        return std::any_of(all.begin(), all.end(), [&](const measure::Stiff& x) { return x.name == name; });
    };
    CHECK(named("scarf_L"));
    CHECK(named("ear_L"));
    CHECK_FALSE(named("left leg"));
    const std::string id = edit::addLayer(s, "strand", s.actors[0].id, {"scarf_L_01"});
    CHECK_FALSE(named("scarf_L"));
    s.layer(id)->muted = true;
    CHECK(named("scarf_L"));
}

TEST_CASE("one layer drives many chains, one that is set apart moves by its own numbers, the rest as before") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    for (const char* kind : {"strand", "jiggle", "sway"}) {
        scene::Scene one = s;
        const std::vector<std::string> joints = std::string(kind) == "strand"
                                                    ? std::vector<std::string>{"skirt1_01", "skirt2_01", "skirt3_01", "tail_01"}
                                                    : std::vector<std::string>{"ear_L", "ear_R", "belly", "satchel"};
        const std::string id = edit::addLayer(one, kind, actor, joints);
        const std::string setting = std::string(kind) == "sway" ? "size" : "swing";
        if (std::string(kind) == "sway") one.layer(id)->set("size", 10.0);
        const auto even = test::evaluate(one);
        REQUIRE(edit::setApart(one, id, joints[1], setting, 7.0));
        const auto apart = test::evaluate(one);
        const rig::Skeleton& k = one.actors[0].actor->skeleton;
        for (std::size_t n = 0; n < joints.size(); ++n) {
            INFO(kind << " " << joints[n]);
            const int j = k.find(joints[n]);
            CHECK(alike(*even.actors[0].result->column(j), *apart.actors[0].result->column(j)) == (n != 1));
        }
        // As a layer of its own with that number moves it.
        scene::Scene alone = one;
        const auto split = edit::splitLayer(alone, id);
        REQUIRE(split);
        REQUIRE(split.value().size() == joints.size());
        const auto separate = test::evaluate(alone);
        const int j = k.find(joints[1]);
        if (std::string(kind) == "strand") {
            const rig::Column &a = *apart.actors[0].result->column(j), &b = *separate.actors[0].result->column(j);
            REQUIRE(a.size() == b.size());
            for (std::size_t n = 0; n < a.size(); ++n) CHECK(a[n].r.angularDistance(b[n].r) < 1e-6);
        }
        CHECK(std::as_const(alone).layer(split.value()[1])->number(setting) == 7.0);
        CHECK(std::as_const(alone).layer(split.value()[0])->number(setting) != 7.0);
        // And together again.
        REQUIRE(edit::mergeLayers(alone, split.value()));
        CHECK(alone.layers.size() == 1);
        CHECK(alone.layers[0].apart == one.layers[0].apart);
        CHECK(alone.layers[0].list(layers::findKind(kind)->target()) == joints);
        REQUIRE(files::writeScene(one, f / "s.nutatio").ok());
        const auto again = pipeline::open(f / "s.nutatio");
        REQUIRE(again.ok());
        CHECK(again.value().scene.layers[0].apart == one.layers[0].apart);
        const auto replayed = test::evaluate(again.value().scene);
        CHECK(alike(*replayed.actors[0].result->column(j), *apart.actors[0].result->column(j)));
        // Back with the rest.
        REQUIRE(edit::setApart(one, id, joints[1], setting, std::nullopt));
        CHECK(one.layers[0].apart.empty());
        // What is the same for all cannot differ, nor what it does not act on.
        CHECK_FALSE(edit::setApart(one, id, joints[1], "mix", 0.5).ok());
        CHECK_FALSE(edit::setApart(one, id, "head", setting, 0.5).ok());
        CHECK_FALSE(edit::setApart(one, id, joints[1], "nonsense", 0.5).ok());
    }
}

TEST_CASE("layers that are merged keep their wind, and what would be lost is refused") {
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    const std::string a = edit::addLayer(s, "strand", actor, {"tail_01"}), b = edit::addLayer(s, "strand", actor, {"scarf_L_01"});
    const std::string wind = edit::addWind(s, actor);
    s.wind(wind)->layers = {b};
    test::keyed(s, {scene::List::Layers, b}, "swing", {{0, 2}, {10, 4}});
    const scene::Scene was = s;
    const auto refused = edit::mergeLayers(s, {a, b});
    REQUIRE_FALSE(refused.ok());
    CHECK_THAT(refused.error().sentence, Catch::Contains("keys"));
    CHECK(s.layers.size() == 2);
    s.editShot().keys.clear();
    REQUIRE(edit::mergeLayers(s, {a, b}));
    CHECK(s.winds[0].layers == std::vector<std::string>{a});
    CHECK(s.winds[0].on);
    CHECK(was.winds[0].layers == std::vector<std::string>{b});
}

TEST_CASE("a helper for both sides that stands in the middle is told so") {
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const auto both = edit::addHelper(s, s.actors[0].id, "head", "nose", Vec3(0, 0.95, 0.2), 0.06, true);
    REQUIRE_FALSE(both.ok());
    CHECK_THAT(both.error().sentence, Catch::Contains("middle"));
    CHECK(s.actors[0].preparations.empty());
}

TEST_CASE("settings are copied with profiles and keys, and what a thing acts on is not") {
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    const std::string a = edit::addLayer(s, "strand", actor, {"tail_01"}), b = edit::addLayer(s, "strand", actor, {"scarf_L_01"});
    const std::string j = edit::addLayer(s, "jiggle", actor, {"belly"});
    const scene::Owner from{scene::List::Layers, a}, to{scene::List::Layers, b}, jiggle{scene::List::Layers, j};
    s.layer(a)->set("swing", 3.5);
    s.layer(a)->profiles["swing"] = {{0, 1}, {1, 0.5}};
    test::keyed(s, from, "gravity", {{0, 0.2}, {20, 0.9}});
    test::keyed(s, to, "drag", {{0, 0.2}});
    REQUIRE(edit::copySettings(s, from, {to, jiggle}));
    CHECK(std::as_const(s).layer(b)->number("swing") == 3.5);
    CHECK(std::as_const(s).layer(b)->profiles.at("swing").size() == 2);
    REQUIRE(s.shot().keysOf(to, "gravity"));
    CHECK(*s.shot().keysOf(to, "gravity") == *s.shot().keysOf(from, "gravity"));
    CHECK_FALSE(s.shot().keysOf(to, "drag"));
    CHECK(std::as_const(s).layer(b)->list("root") == std::vector<std::string>{"scarf_L_01"});
    CHECK(std::as_const(s).layer(j)->number("swing") == 3.5);
    CHECK(std::as_const(s).layer(j)->list("joint") == std::vector<std::string>{"belly"});
    CHECK_FALSE(edit::copySettings(s, from, {{scene::List::Actors, actor}}).ok());
}

TEST_CASE("pivots and stray weights that were found are mended by what their findings offer") {
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    const std::string actor = s.actors[0].id;
    std::vector<Affine> worlds;
    rig::worldTransforms(s.actors[0].actor->skeleton, s.actors[0].actor->restPose(), worlds);
    const Vec3 ear = worlds[static_cast<std::size_t>(s.actors[0].actor->skeleton.find("ear_L"))].t;
    REQUIRE(edit::movePivot(s, actor, "ear_L", ear + Vec3(0.6, 0, 0), true));
    rig::Preparation paint{rig::Preparation::What::Paint, "toe_L", {}, Vec3::Zero()};
    const rig::Surface surface = rig::Surface::of(*s.actors[0].actor);
    paint.stroke = {rig::Brush::Set, 0.03, 0.2, false, {surface.places[surface.nearest(Vec3(0, 1.3, 0.1))].cast<double>()}, {}};
    REQUIRE(edit::prepare(s, actor, paint));
    int mended = 0;
    for (const auto& [kind, joint] : {std::pair{"pivot", "ear_L"}, {"stray-weights", "toe_L"}}) {
        const auto about = [&, kind = std::string(kind), joint = std::string(joint)]() -> std::optional<measure::Finding> {
            for (const measure::Finding& f : measure::check(s))
                if (f.kind == kind && f.joint == joint) return f;
            return std::nullopt;
        };
        INFO(kind);
        const auto found = about();
        REQUIRE(found);
        REQUIRE(found->repair.size() == 1);
        REQUIRE(edit::carryOut(s, found->repair.front()).ok());
        CHECK_FALSE(about());
        ++mended;
    }
    CHECK(mended == 2);
}

TEST_CASE("trials move what of the body they are asked to, as large and as fast as asked, and close") {
    const auto otter = test::read(kOtterFile);
    std::vector<std::string> ids;
    for (const rig::TrialRole& r : rig::trialRoles(*otter)) ids.emplace_back(r.id);
    CHECK(ids == std::vector<std::string>{"head", "arms", "spine", "legs", "tail"});
    const rig::Roles roles = rig::rolesOf(*otter);
    const std::pair<const char*, std::set<int>> moved[] = {
        {"arms", {roles.arms[0].upper, roles.arms[0].lower, roles.arms[1].upper, roles.arms[1].lower}},
        {"legs", {roles.legs[0].upper, roles.legs[1].upper}},
        {"spine", {roles.spine.begin(), roles.spine.end()}},
        {"tail", {roles.tail.begin(), roles.tail.end()}}};
    const std::vector<Xform> stand = otter->restPose();
    for (const auto& [role, joints] : moved)
        for (const rig::TrialMove& m : rig::trialMoves()) {
            INFO(role << " " << m.id);
            rig::Trial trial{std::string(m.id), {}, role, 1, 1};
            const rig::Track track = rig::trialTrack(*otter, trial, stand, rig::trialGrid(trial, 24));
            for (int j = 0; j < otter->skeleton.size(); ++j) CHECK(track.holdsStill(j) == (joints.count(j) == 0));
            // The last frame is the first one again.
            const int j = *joints.begin();
            CHECK(track.at(j, 0).r.angularDistance(track.at(j, track.frames() - 1).r) < 1e-9);
            double most = 0, twice = 0;
            for (int f = 0; f < track.frames(); ++f)
                most = std::max(most, track.at(j, f).r.angularDistance(stand[static_cast<std::size_t>(j)].r));
            trial.size = 2;
            const rig::Track large = rig::trialTrack(*otter, trial, stand, rig::trialGrid(trial, 24));
            for (int f = 0; f < large.frames(); ++f)
                twice = std::max(twice, large.at(j, f).r.angularDistance(stand[static_cast<std::size_t>(j)].r));
            if (m.id != "spin") CHECK(twice > 1.3 * most);
            trial.speed = 2;
            CHECK(rig::trialGrid(trial, 24).frames < 0.6 * track.frames());
        }
    // Round never stops: every frame turns.
    rig::Trial round{"round", {}, "tail", 1, 1};
    const rig::Track track = rig::trialTrack(*otter, round, stand, rig::trialGrid(round, 24));
    for (int f = 1; f < track.frames(); ++f)
        CHECK(track.at(roles.tail[0], f).r.angularDistance(track.at(roles.tail[0], f - 1).r) > radians(0.1));
    // A prop has no body: no roles, and the whole moves.
    test::TempFolder folder;
    const auto beast = test::beastActor({});
    CHECK(rig::trialRoles(*beast).size() < 3);
    rig::Trial nod{"nod", {}, "wings", 1, 1};
    const rig::Track whole = rig::trialTrack(*beast, nod, beast->restPose(), rig::trialGrid(nod, 24));
    CHECK_FALSE(whole.holdsStill(beast->skeleton.roots().front()));
}

TEST_CASE("colliders of props are as the props are: a crate gets a box, a hook several capsules, a rod one") {
    TempFolder f;
    demo::GltfBuilder made;
    const int root = made.node("root", -1);
    const auto tube = [](const std::vector<Vec3>& way, double radius) {
        demo::Surface s;
        for (std::size_t k = 0; k < way.size(); ++k) {
            const Vec3 along = (way[std::min(k + 1, way.size() - 1)] - way[k > 0 ? k - 1 : 0]).normalized(),
                       u = anySquareTo(along), v = along.cross(u);
            for (int n = 0; n < 10; ++n) {
                const double a = 2 * kPi * n / 10;
                s.vertices.push_back({way[k] + radius * (std::cos(a) * u + std::sin(a) * v), Vec3::UnitY(), Vec3::Ones(), {}});
                if (k == 0) continue;
                const auto at = [&](std::size_t row, int column) {
                    return static_cast<std::uint32_t>(row * 10 + static_cast<std::size_t>(column % 10));
                };
                s.triangles.insert(s.triangles.end(),
                                   {at(k - 1, n), at(k, n), at(k, n + 1), at(k - 1, n), at(k, n + 1), at(k - 1, n + 1)});
            }
        }
        return s;
    };
    std::vector<Vec3> rod, hook;
    for (int k = 0; k <= 20; ++k) rod.emplace_back(0, 0.05 * k, 0);
    for (int k = 0; k <= 24; ++k) hook.emplace_back(0.3 * std::cos(kPi * k / 24), 0.3 * std::sin(kPi * k / 24), 0);
    demo::Surface crate;
    for (int x : {0, 1, 2})
        for (int y : {0, 1, 2})
            for (int z : {0, 1, 2})
                if (x != 1 || y != 1 || z != 1) crate.vertices.push_back({0.3 * Vec3(x, y, z), Vec3::UnitY(), Vec3::Ones(), {}});
    crate.triangles = {0, 1, 2, 3, 4, 5, 6, 7, 8, 17, 18, 19, 20, 21, 22, 23, 24, 25};
    for (const auto& [name, shape] : {std::pair{"rod", tube(rod, 0.04)}, {"hook", tube(hook, 0.04)}, {"crate", crate}})
        made.mesh(name, shape, false, root);
    made.writeGlb(f / "props.glb");
    const scene::Scene s = test::sceneWith(test::read(f / "props.glb"));
    const auto fitted = scene::fitColliders(s, s.actors[0], {}, 0.02);
    std::map<std::string, std::vector<scene::Collider>> of;
    for (const scene::Collider& c : fitted) of[c.mount.joint].push_back(c);
    REQUIRE(of["rod_mesh"].size() == 1);
    CHECK(of["rod_mesh"][0].shape() == scene::Shape::Capsule);
    REQUIRE(of["crate_mesh"].size() == 1);
    CHECK(of["crate_mesh"][0].shape() == scene::Shape::Box);
    CHECK((of["crate_mesh"][0].vector("size") - Vec3::Constant(0.6)).norm() < 1e-6);
    CHECK((of["crate_mesh"][0].vector("offset") - Vec3::Constant(0.3)).norm() < 1e-6);
    REQUIRE(of["hook_mesh"].size() >= 2);
    CHECK(of["hook_mesh"].size() <= 4);
    for (const scene::Collider& c : of["hook_mesh"]) CHECK(c.number("radius") < 0.15);
    std::set<std::string> ids;
    for (const scene::Collider& c : fitted) CHECK(ids.insert(c.id).second);
}
