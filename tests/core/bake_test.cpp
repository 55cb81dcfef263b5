// Hand-off: what comes out, against what went in.
#include "pipeline/bake.h"

#include <array>
#include <catch2/catch.hpp>
#include <cstdio>

#include "files/bytes.h"
#include "files/gltf_reader.h"
#include "files/scene_file.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
using files::Json;
using test::checkValid;
using test::TempFolder;
namespace fs = std::filesystem;

namespace {

test::ChainSpec dancing() {
    test::ChainSpec s;
    s.bones = 5;
    s.motion = [](double t) {
        Xform x;
        x.t = Vec3(0.3 * std::sin(6 * t), 0, 0);
        x.r = fromRotationVector(Vec3(0, 0.8 * std::sin(4 * t), 0));
        return x;
    };
    return s;
}

Json jsonOf(const fs::path& path) {
    const std::string bytes = test::textOf(path);
    if (bytes.substr(0, 4) != "glTF") return Json::parse(bytes);
    std::uint32_t n = 0;
    std::memcpy(&n, bytes.data() + 12, 4);
    return Json::parse(bytes.substr(20, n));
}

pipeline::BakeReport bakeTo(const scene::Scene& s, const fs::path& out, const pipeline::BakeOptions& o = {}) {
    pipeline::Evaluator e;
    auto r = pipeline::bake(s, o, out, e, {});
    if (!r) FAIL(r.error().text());
    return r.value();
}

/// Every member of `before` stands in `after` with the same value, but for what hand-off may touch.
void checkUntouched(const Json& before, const Json& after) {
    for (const auto& [key, value] : before.items()) {
        INFO(key);
        if (key == "animations") continue;
        REQUIRE(after.contains(key));
        if (key == "accessors" || key == "bufferViews") {
            for (std::size_t i = 0; i < value.size(); ++i) CHECK((after[key][i] == value[i]));
        } else if (key == "buffers") {
            for (std::size_t i = 1; i < value.size(); ++i) CHECK((after[key][i] == value[i]));
        } else if (key == "nodes") {
            for (std::size_t i = 0; i < value.size(); ++i) {
                // An animated node may not keep a matrix; nothing else of a node may change.
                Json was = value[i], is = after[key][i];
                if (was.contains("matrix") && !is.contains("matrix")) {
                    was.erase("matrix");
                    for (const char* part : {"translation", "rotation", "scale"}) is.erase(part);
                }
                CHECK((was == is));
            }
        } else {
            CHECK((after[key] == value));
        }
    }
}

}  // namespace

TEST_CASE("keys on every frame give back the simulated motion to single precision") {
    scene::Scene s = test::sceneWith(test::chainActor(dancing()));
    test::addLayer(s, "strand", {"bone_2"}, {{"gravity", 0.5}});
    TempFolder f;
    pipeline::BakeOptions o;
    o.tolerance = {0, 0};
    const pipeline::BakeReport report = bakeTo(s, f / "out.glb", o);
    CHECK(report.clips.at(0).joints == 5);  // bone_2 to bone_5, and the end that reaches beyond them
    CHECK(report.clips[0].keys == 5 * 48);
    const auto again = test::read(f / "out.glb");
    const pipeline::Evaluation e = test::evaluate(s);
    const rig::Track& want = *e.actors[0].result;
    const rig::Track got = rig::bodyTrack(*again, 0, want.grid());
    for (int j = 0; j < want.joints(); ++j)
        for (int k = 0; k < want.frames(); ++k) {
            REQUIRE(got.at(j, k).r.angularDistance(want.at(j, k).r) < 1e-6);
            REQUIRE((got.at(j, k).t - want.at(j, k).t).norm() < 1e-6);
        }
    checkValid(f / "out.glb");
}

TEST_CASE("reduced keys stay within the tolerance and are fewer") {
    scene::Scene s = test::sceneWith(test::chainActor(dancing()));
    test::addLayer(s, "strand", {"bone_2"});
    test::addLayer(s, "jiggle", {"bone_1"}, {{"move", std::string("xyz")}, {"turn", std::string()}});
    TempFolder f;
    pipeline::BakeOptions o;
    o.tolerance = {0.5, 0.001};
    const pipeline::BakeReport r = bakeTo(s, f / "out.glb", o);
    CHECK(r.clips[0].keys < r.clips[0].framesKeys / 2);
    const auto again = test::read(f / "out.glb");
    const pipeline::Evaluation e = test::evaluate(s);
    const rig::Track& want = *e.actors[0].result;
    const rig::Track got = rig::bodyTrack(*again, 0, want.grid());
    for (int j = 0; j < want.joints(); ++j)
        for (int k = 0; k < want.frames(); ++k) {
            REQUIRE(degrees(got.at(j, k).r.angularDistance(want.at(j, k).r)) < 0.5001);
            REQUIRE((got.at(j, k).t - want.at(j, k).t).norm() < 0.00101 * again->height);
        }
}

TEST_CASE("a straight run needs two keys, a still one two, a corner three") {
    rig::Column c(11);
    for (int k = 0; k < 11; ++k) c[static_cast<std::size_t>(k)].r = fromRotationVector(Vec3(0, 0.1 * k, 0));
    CHECK(pipeline::keyFrames(c, rig::Path::Turn, 1e-4, 1) == std::vector<int>{0, 10});
    CHECK(pipeline::keyFrames(c, rig::Path::Move, 1, 1e-9) == std::vector<int>{0, 10});
    for (int k = 0; k < 11; ++k) c[static_cast<std::size_t>(k)].t.x() = std::abs(k - 4);
    CHECK(pipeline::keyFrames(c, rig::Path::Move, 1, 1e-6) == std::vector<int>{0, 4, 10});
    CHECK(pipeline::keyFrames(rig::Column(1), rig::Path::Move, 1, 1) == std::vector<int>{0});
}

TEST_CASE("everything but the animation comes back unchanged, from .glb and .gltf, into either") {
    // A document full of what Nutatio does not know.
    demo::GltfBuilder b;
    const int root = b.node("root", -1), tip = b.node("tip", root, {Vec3(0, 0.5, 0), Quat::Identity(), Vec3::Ones()});
    b.node("light", tip);
    demo::Surface surface;
    for (const Vec3& p : {Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(0, 1, 0)}) {
        demo::Vertex v;
        v.place = p;
        v.weights = {{root, 1.0}};
        surface.vertices.push_back(v);
    }
    surface.triangles = {0, 1, 2};
    b.mesh("m", surface);
    std::vector<std::vector<Xform>> frames(30, std::vector<Xform>(4));
    for (std::size_t k = 0; k < frames.size(); ++k) {
        frames[k][1].t = Vec3(0, 0.5, 0);
        frames[k][0].t.x() = std::sin(0.5 * static_cast<double>(k));
        frames[k][2].r = fromRotationVector(Vec3(0, 0.1 * static_cast<double>(k), 0));
    }
    b.clip("First", 24, frames);
    b.clip("Second", 24, frames);
    b.json()["extras"] = {{"note", "keep me"}, {"deep", {1, 2.5, nullptr, true}}};
    b.json()["extensionsUsed"] = {"KHR_lights_punctual", "EXAMPLE_unknown"};
    b.json()["extensions"] = {{"EXAMPLE_unknown", {{"a", 1}}},
                              {"KHR_lights_punctual", {{"lights", Json::array({{{"type", "point"}}})}}}};
    b.json()["nodes"][static_cast<std::size_t>(tip)]["extras"] = {{"id", 1e-7}};
    b.json()["cameras"] = Json::array({{{"type", "perspective"}, {"perspective", {{"yfov", 0.7}, {"znear", 0.1}}}}});
    TempFolder f;
    b.writeGltf(f / "in.gltf");
    demo::GltfBuilder copy = b;
    copy.json()["buffers"][0].erase("uri");
    copy.writeGlb(f / "in.glb");
    for (const char* in : {"in.gltf", "in.glb"})
        for (const char* out : {"out.gltf", "out.glb"}) {
            INFO(in << " -> " << out);
            scene::Scene s = test::sceneWith(test::read(f / in));
            test::addLayer(s, "strand", {"tip"});
            pipeline::BakeOptions o;
            o.clip = "Second";
            bakeTo(s, f / out, o);
            const Json before = jsonOf(f / in), after = jsonOf(f / out);
            checkUntouched(before, after);
            CHECK(after["animations"][0] == before["animations"][0]);
            CHECK(after["animations"][1]["name"] == "Second");
            // Channels of joints that no layer moved keep their curves, byte for byte.
            const auto source = test::read(f / in), baked = test::read(f / out);
            for (std::size_t i = 0; i < before["bufferViews"].size(); ++i) {
                const std::size_t from = before["bufferViews"][i]["byteOffset"], n = before["bufferViews"][i]["byteLength"];
                CHECK(std::equal(source->source.buffers[0]->begin() + static_cast<long>(from),
                                 source->source.buffers[0]->begin() + static_cast<long>(from + n),
                                 baked->source.buffers[0]->begin() + static_cast<long>(from)));
            }
            CHECK(baked->clips[1].seconds() == Approx(source->clips[1].seconds()));
            checkValid(f / out);
        }
}

TEST_CASE("a new name writes a clip beside the source's, which stays as it was") {
    const auto actor = test::chainActor(dancing());
    TempFolder f;
    scene::Scene s = test::sceneWith(actor);
    test::addLayer(s, "strand", {"bone_2"});
    pipeline::BakeOptions o;
    o.clip = "Move";
    o.beside = "Move with tail";
    bakeTo(s, f / "out.glb", o);
    const auto again = test::read(f / "out.glb");
    REQUIRE(again->clips.size() == 2);
    CHECK(again->clips[0].channels.size() == actor->clips[0].channels.size());
    CHECK(again->clips[1].name == "Move with tail");
    CHECK(again->clips[1].channels.size() > actor->clips[0].channels.size());
}

TEST_CASE("a layer that is muted, mixed to nothing or cannot act changes nothing") {
    TempFolder f;
    for (int how = 0; how < 3; ++how) {
        scene::Scene s = test::sceneWith(test::chainActor(dancing()));
        test::addLayer(s, "strand", {how == 2 ? "nobody" : "bone_2"});
        if (how == 0) s.layers.edit(0).muted = true;
        if (how == 1) s.layers.edit(0).values["mix"] = 0.0;
        const pipeline::BakeReport r = bakeTo(s, f / "out.glb");
        CHECK(r.clips[0].keys == 0);
        CHECK(r.warnings.size() == (how == 2 ? 1u : 0u));
        const Json before = Json::parse(*s.actors[0].actor->source.text), after = jsonOf(f / "out.glb");
        CHECK((after == before));
    }
}

TEST_CASE("a range bakes its frames and leaves the others to the body") {
    scene::Scene s = test::sceneWith(test::chainActor(dancing()));
    test::addLayer(s, "strand", {"bone_2"});
    TempFolder f;
    pipeline::BakeOptions o;
    o.tolerance = {0, 0};
    o.firstFrame = 10;
    o.lastFrame = 20;
    bakeTo(s, f / "out.glb", o);
    const auto again = test::read(f / "out.glb");
    const pipeline::Evaluation e = test::evaluate(s);
    const rig::Track got = rig::bodyTrack(*again, 0, e.actors[0].body->grid());
    const int j = again->skeleton.find("bone_3");
    CHECK(got.at(j, 8).r.angularDistance(e.actors[0].body->at(j, 8).r) < 1e-6);
    CHECK(got.at(j, 9).r.angularDistance(e.actors[0].result->at(j, 9).r) < 1e-6);
    CHECK(got.at(j, 20).r.angularDistance(e.actors[0].body->at(j, 20).r) < 1e-6);
    o.lastFrame = 500;
    pipeline::Evaluator ev;
    CHECK_THAT(pipeline::bake(s, o, f / "x.glb", ev, {}).error().text(), Catch::Contains("10:500"));
}

TEST_CASE("rest poses, clips of one frame and nodes with matrices hand off and validate") {
    TempFolder f;
    SECTION("no clip: a still shot is made") {
        demo::GltfBuilder b;
        const int root = b.node("root", -1);
        b.node("tip", root, {Vec3(1, 0, 0), Quat::Identity(), Vec3::Ones()});
        b.writeGlb(f / "in.glb");
        scene::Scene s = test::sceneWith(test::read(f / "in.glb"));
        test::addLayer(s, "strand", {"root"}, {{"gravity", 1.0}, {"preroll", 0.0}});
        bakeTo(s, f / "out.glb");
        const auto again = test::read(f / "out.glb");
        REQUIRE(again->clips.size() == 1);
        CHECK(again->clips[0].seconds() == Approx(scene::kStillSeconds));
        checkValid(f / "out.glb");
    }
    SECTION("a document without nodes comes back as it was") {
        test::put(f / "in.gltf", R"({"asset": {"version": "2.0"}, "extras": {"note": "empty"}})");
        bakeTo(test::sceneWith(test::read(f / "in.gltf")), f / "out.gltf");
        CHECK(jsonOf(f / "out.gltf") == jsonOf(f / "in.gltf"));
        CHECK(test::read(f / "out.gltf")->skeleton.size() == 0);
    }
    SECTION("a clip of one key, after zero") {
        test::ChainSpec spec;
        spec.frames = 1;
        scene::Scene s = test::sceneWith(test::chainActor(spec));
        test::addLayer(s, "strand", {"bone_1"}, {{"gravity", 1.0}});
        const auto r = bakeTo(s, f / "out.glb");
        CHECK(r.clips.at(0).frames == 1);
        checkValid(f / "out.glb");
    }
    SECTION("a moved node that held a matrix is given its parts instead") {
        demo::GltfBuilder b;
        const int root = b.node("root", -1), mid = b.node("mid", root);
        b.node("tip", mid, {Vec3(0.4, 0, 0), Quat::Identity(), Vec3::Ones()});
        b.json()["nodes"][static_cast<std::size_t>(mid)]["matrix"] = {2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 2, 0, 0, 1, 0, 1};
        b.writeGlb(f / "in.glb");
        scene::Scene s = test::sceneWith(test::read(f / "in.glb"));
        test::addLayer(s, "strand", {"mid"}, {{"gravity", 1.0}});
        bakeTo(s, f / "out.glb");
        const Json node = jsonOf(f / "out.glb")["nodes"][static_cast<std::size_t>(mid)];
        CHECK_FALSE(node.contains("matrix"));
        CHECK(node["scale"] == Json({2.0, 2.0, 2.0}));
        checkValid(f / "out.glb");
    }
}

TEST_CASE("files that a .gltf refers to come along into another folder, and never over another file") {
    TempFolder f;
    fs::create_directories(f / "in/tex");
    fs::create_directories(f / "out");
    demo::GltfBuilder b;
    const int root = b.node("root", -1);
    b.node("tip", root, {Vec3(1, 0, 0), Quat::Identity(), Vec3::Ones()});
    b.floats({1, 2, 3}, 1, true);
    b.json()["images"] = Json::array({{{"uri", "tex/a%20b.png"}}});
    b.writeGltf(f / "in/a.gltf");
    Json j = jsonOf(f / "in/a.gltf");
    files::writeAtomically(f / "in/data.bin", b.buffer().data(), b.buffer().size());
    j["buffers"][0]["uri"] = "data.bin";
    test::put(f / "in/a.gltf", j.dump(2));
    test::put(f / "in/tex/a b.png", "picture");
    scene::Scene s = test::sceneWith(test::read(f / "in/a.gltf"));
    test::addLayer(s, "strand", {"root"}, {{"gravity", 1.0}});
    bakeTo(s, f / "out/b.gltf");
    CHECK(test::textOf(f / "out/tex/a b.png") == "picture");
    CHECK(test::textOf(f / "out/data.bin") == test::textOf(f / "in/data.bin"));
    CHECK(test::read(f / "out/b.gltf")->clips.size() == 1);
    test::put(f / "out/data.bin", "somebody else's");
    bakeTo(s, f / "out/c.gltf");
    CHECK(test::textOf(f / "out/data.bin") == "somebody else's");
    // The buffer came under another name, and what refers to it found it.
    CHECK(jsonOf(f / "out/c.gltf")["buffers"][0]["uri"] != "data.bin");
    CHECK(test::read(f / "out/c.gltf")->clips.size() == 1);
}

TEST_CASE("third-party files bake, re-open and validate on every clip") {
    const fs::path models = NUTATIO_THIRD_PARTY;
    if (!fs::exists(models)) {
        WARN("skipped: assimp-testmodels is not installed");
        return;
    }
    TempFolder f;
    struct Case {
        const char* file;
        const char* root;
        bool valid;  // the source itself validates with 0 errors
    };
    for (const Case& c :
         {Case{"glTF2/simple_skin/simple_skin.gltf", "#1", true},
          Case{"glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb", "#0", true},
          Case{"glTF2/BoxTextured-glTF-Binary/BoxTextured.glb", "#0", true}, Case{"BVH/Boxing_Toes.bvh", "LeftShoulder", true}}) {
        INFO(c.file);
        scene::Scene s = test::sceneWith(test::read(models / c.file));
        test::addLayer(s, "strand", {c.root}, {{"gravity", 0.3}});
        const pipeline::BakeReport report = bakeTo(s, f / "out.glb");
        const auto again = test::read(f / "out.glb");
        CHECK(again->skeleton.size() == s.actors[0].actor->skeleton.size());
        CHECK(again->clips.size() == std::max<std::size_t>(report.clips[0].joints > 0 ? 1 : 0, s.actors[0].actor->clips.size()));
        if (s.actors[0].actor->source.format != rig::SourceDocument::Format::Bvh)
            checkUntouched(Json::parse(*s.actors[0].actor->source.text), jsonOf(f / "out.glb"));
        if (c.valid) checkValid(f / "out.glb");
    }
}

TEST_CASE("a BVH comes back as BVH with only the strand's joints changed") {
    const fs::path source = fs::path(NUTATIO_THIRD_PARTY) / "BVH/Boxing_Toes.bvh";
    if (!fs::exists(source)) {
        WARN("skipped: assimp-testmodels is not installed");
        return;
    }
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(source));
    test::addLayer(s, "strand", {"LeftElbow"}, {{"tip", std::string("LeftWrist")}});
    pipeline::BakeOptions o;
    o.fps =
        (static_cast<double>(s.actors[0].actor->clips[0].channels[0].times.size()) - 1) / s.actors[0].actor->clips[0].seconds();
    bakeTo(s, f / "out.bvh", o);
    const auto a = s.actors[0].actor, b = test::read(f / "out.bvh");
    REQUIRE(b->clips[0].channels.size() == a->clips[0].channels.size());
    for (std::size_t k = 0; k < a->clips[0].channels.size(); ++k) {
        const std::string& joint = a->skeleton.joint(a->clips[0].channels[k].joint).name;
        const bool same = a->clips[0].channels[k].values == b->clips[0].channels[k].values;
        INFO(joint);
        CHECK(same == (joint != "LeftElbow" && joint != "LeftWrist"));
    }
}

TEST_CASE("baking stops when asked and leaves no file") {
    scene::Scene s = test::sceneWith(test::chainActor(dancing()));
    test::addLayer(s, "strand", {"bone_2"});
    TempFolder f;
    pipeline::Evaluator e;
    Cancel cancel;
    cancel.ask();
    CHECK_THROWS_AS(pipeline::bake(s, {}, f / "out.glb", e, cancel), Cancelled);
    CHECK(fs::is_empty(f.path()));
}

TEST_CASE("what cannot be baked is said in one sentence") {
    scene::Scene s = test::sceneWith(test::chainActor(dancing()));
    test::addLayer(s, "strand", {"bone_2"});
    TempFolder f;
    pipeline::Evaluator e;
    const auto said = [&](const pipeline::BakeOptions& o, const fs::path& out) {
        return pipeline::bake(s, o, out, e, {}).error().text();
    };
    pipeline::BakeOptions o;
    o.clip = "Fly";
    CHECK_THAT(said(o, f / "a.glb"), Catch::Contains("no clip \"Fly\""));
    CHECK_THAT(said({}, f / "a.fbx"), Catch::Contains(".glb or .gltf"));
    CHECK_THAT(said({}, f / "a.bvh"), Catch::Contains("came from a BVH"));
    CHECK_THAT(said({}, f / "no/such/folder.glb"), Catch::Contains("cannot be written"));
    o = {};
    o.actor = "moth";
    CHECK_THAT(said(o, f / "a.glb"), Catch::Contains("no actor \"moth\""));
}

TEST_CASE("what is baked is what the preview shows, whatever other clips play beside it") {
    scene::Scene s = test::sceneWith(test::chainActor(dancing()));
    test::addLayer(s, "strand", {"bone_1"}, {{"gravity", 1.0}});
    test::ChainSpec longer = dancing();
    longer.frames = 131;
    files::addActor(s, test::chainActor(longer));
    const pipeline::Evaluation preview = test::evaluate(s);
    TempFolder f;
    pipeline::BakeOptions o;
    o.actor = s.actors[0].id;
    o.tolerance = {0, 0};
    bakeTo(s, f / "out.glb", o);
    const auto out = test::read(f / "out.glb");
    const rig::Track baked = rig::bodyTrack(*out, 0, rig::FrameGrid::covering(out->clips[0], 24));
    REQUIRE(baked.frames() == preview.actors[0].result->frames());
    double most = 0;
    for (int j = 0; j < baked.joints(); ++j)
        for (int k = 0; k < baked.frames(); ++k)
            most = std::max(most, degrees(baked.at(j, k).r.angularDistance(preview.actors[0].result->at(j, k).r)));
    INFO(most << " degrees");
    CHECK(most < 1e-3);
}
