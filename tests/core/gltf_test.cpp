// glTF in: what must read, and what must be refused in one sentence.
#include <catch2/catch.hpp>
#include <chrono>

#include "files/bytes.h"
#include "files/gltf_reader.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using files::Json;
using test::TempFolder;

namespace {

/// A skinned, animated two-joint document to be spoiled or varied.
Json sample() {
    demo::GltfBuilder b;
    const int root = b.node("root", -1);
    Xform x;
    x.t = Vec3(0, 1, 0);
    const int tip = b.node("tip", root, x);
    demo::Surface s;
    for (const Vec3& p : {Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(0, 1, 0)}) {
        demo::Vertex v;
        v.place = p;
        v.weights = {{p.y() > 0 ? tip : root, 1.0}};
        s.vertices.push_back(v);
    }
    s.triangles = {0, 1, 2};
    b.mesh("skin", s);
    std::vector<std::vector<Xform>> frames(3, {Xform{}, x, Xform{}});
    frames[1][1].r = fromRotationVector(Vec3(0, 0, 1));
    b.clip("Nod", 24, frames);
    TempFolder f;
    b.writeGltf(f / "a.gltf");
    return Json::parse(test::textOf(f / "a.gltf"));
}

Result<std::shared_ptr<const rig::Actor>> readJson(const Json& j) {
    TempFolder f;
    test::put(f / "a.gltf", j.dump());
    return files::readGltf(f / "a.gltf");
}

void refused(const Json& j, const std::string& place, const std::string& words) {
    const auto r = readJson(j);
    INFO(place << " / " << words);
    REQUIRE_FALSE(r.ok());
    CHECK_THAT(r.error().text(), Catch::Contains("a.gltf") && Catch::Contains(place) && Catch::Contains(words));
    CHECK(r.error().text().find('\n') == std::string::npos);
}

}  // namespace

TEST_CASE("a small skinned document reads whole") {
    const auto r = readJson(sample());
    REQUIRE(r.ok());
    const rig::Actor& a = *r.value();
    CHECK(a.skeleton.size() == 3);
    CHECK(a.meshes.at(0).primitives.at(0).positions.size() == 3);
    CHECK(a.skins.at(0).joints.size() == 2);
    CHECK(a.clips.at(0).name == "Nod");
    CHECK(a.clips.at(0).seconds() == Approx(2 / 24.0));
    CHECK(a.height == Approx(1.0));
    CHECK(a.isSkinJoint[1]);
    CHECK_FALSE(a.isSkinJoint[2]);
}

TEST_CASE("skinning moves vertices with their joints") {
    const auto r = readJson(sample());
    REQUIRE(r.ok());
    const rig::Actor& a = *r.value();
    std::vector<Xform> pose = a.restPose();
    std::vector<Affine> worlds;
    rig::PosedVertices out;
    pose[1].t = Vec3(0, 5, 0);
    rig::worldTransforms(a.skeleton, pose, worlds);
    rig::poseVertices(a, a.instances[0], a.meshes[0].primitives[0], worlds, {}, out);
    CHECK((out.positions[2] - Vec3f(0, 5, 0)).norm() < 1e-6f);
    CHECK((out.positions[1] - Vec3f(1, 0, 0)).norm() < 1e-6f);
}

TEST_CASE("quantised, normalised, sparse and missing data are read as the specification says") {
    Json j = sample();
    rig::Bytes data;
    const auto view = [&](const void* p, std::size_t n) {
        const std::size_t at = data.size();
        const auto* b = static_cast<const std::uint8_t*>(p);
        data.insert(data.end(), b, b + n);
        data.resize((data.size() + 3) / 4 * 4);
        j["bufferViews"].push_back({{"buffer", 1}, {"byteOffset", at}, {"byteLength", n}});
        return j["bufferViews"].size() - 1;
    };
    const std::int8_t bytes[12] = {127, 0, 0, 0, -127, -128, 64, 0, 0, 127, 127, 0};
    j["accessors"].push_back(
        {{"bufferView", view(bytes, 12)}, {"componentType", 5120}, {"normalized", true}, {"count", 3}, {"type", "VEC3"}});
    j["bufferViews"].back()["byteStride"] = 4;
    const std::size_t quantised = j["accessors"].size() - 1;
    const std::uint8_t at[1] = {2};
    const float value[3] = {7, 8, 9};
    const std::size_t iview = view(at, 1), vview = view(value, 12);
    j["accessors"].push_back(
        {{"componentType", 5126},
         {"count", 3},
         {"type", "VEC3"},
         {"sparse",
          {{"count", 1}, {"indices", {{"bufferView", iview}, {"componentType", 5121}}}, {"values", {{"bufferView", vview}}}}}});
    const std::size_t sparse = j["accessors"].size() - 1;
    j["buffers"].push_back({{"byteLength", data.size()},
                            {"uri", "data:application/octet-stream;base64," + files::base64(data.data(), data.size())}});
    j["extensionsRequired"] = {"KHR_mesh_quantization"};
    j["meshes"][0]["primitives"][0]["attributes"] = {{"POSITION", quantised}};
    j["meshes"][0]["primitives"][0]["targets"] = Json::array({{{"POSITION", sparse}}});
    j["nodes"][2].erase("skin");
    const auto r = readJson(j);
    INFO((r.ok() ? "" : r.error().text()));
    REQUIRE(r.ok());
    const rig::Primitive& p = r.value()->meshes[0].primitives[0];
    CHECK((p.positions[0] - Vec3f(1, 0, 0)).norm() < 1e-6f);
    CHECK(p.positions[1].y() == -1.0f);  // -128 of a signed byte is -1, not a little more
    CHECK((p.morphs.at(0).positions[2] - Vec3f(7, 8, 9)).norm() == 0);
    CHECK(p.morphs[0].positions[0].norm() == 0);
    CHECK(p.normals.size() == 3);  // made, since the file has none
}

TEST_CASE("strange but lawful documents read") {
    SECTION("no animation, no mesh, no scene") {
        Json j{{"asset", {{"version", "2.0"}}}, {"nodes", Json::array({{{"name", "only"}}})}};
        const auto r = readJson(j);
        REQUIRE(r.ok());
        CHECK(r.value()->clips.empty());
        CHECK(r.value()->height > 0);
    }
    SECTION("nothing at all but a version") {
        CHECK(readJson({{"asset", {{"version", "2.0"}}}}).ok());
    }
    SECTION("joints that are children of the mesh, in an armature turned on its side and in centimetres") {
        Json j = sample();
        j["nodes"].push_back({{"name", "armature"},
                              {"rotation", {-std::sqrt(0.5), 0, 0, std::sqrt(0.5)}},
                              {"scale", {0.01, 0.01, 0.01}},
                              {"children", {2}}});
        j["nodes"][2]["children"] = {0};
        j["scenes"][0]["nodes"] = {3};
        const auto r = readJson(j);
        REQUIRE(r.ok());
        CHECK(r.value()->skeleton.joint(0).parent == 2);
        CHECK(r.value()->skeleton.roots() == std::vector<int>{3});
    }
    SECTION("a clip that starts late, and one of no length") {
        Json j = sample();
        rig::Bytes late(24);
        const float times[3] = {5, 6, 7};
        std::memcpy(late.data(), times, 12);
        j["buffers"].push_back({{"byteLength", 12}, {"uri", "data:;base64," + files::base64(late.data(), 12)}});
        j["bufferViews"].push_back({{"buffer", 1}, {"byteLength", 12}});
        j["accessors"].push_back(
            {{"bufferView", j["bufferViews"].size() - 1}, {"componentType", 5126}, {"count", 3}, {"type", "SCALAR"}});
        for (Json& s : j["animations"][0]["samplers"]) s["input"] = j["accessors"].size() - 1;
        const auto r = readJson(j);
        REQUIRE(r.ok());
        CHECK(r.value()->clips[0].start == 5);
        CHECK(r.value()->clips[0].end == 7);
    }
    SECTION("a matrix on a node comes apart; a sheared one is said") {
        Json j = sample();
        j["nodes"][0]["matrix"] = {0, 2, 0, 0, -2, 0, 0, 0, 0, 0, 2, 0, 5, 6, 7, 1};
        const auto r = readJson(j);
        REQUIRE(r.ok());
        CHECK((r.value()->skeleton.joint(0).rest.s - Vec3(2, 2, 2)).norm() < 1e-12);
        CHECK(r.value()->warnings.empty());
        j["nodes"][0]["matrix"] = {1, 0, 0, 0, 0.7, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1};
        CHECK(readJson(j).value()->warnings.size() == 1);
    }
    SECTION("a missing picture is a warning, not the end") {
        Json j = sample();
        j["images"] = Json::array({{{"uri", "gone.png"}}});
        const auto r = readJson(j);
        REQUIRE(r.ok());
        CHECK_THAT(r.value()->warnings.at(0), Catch::Contains("gone.png"));
    }
    SECTION("unnamed clips are called by their number") {
        Json j = sample();
        j["animations"][0].erase("name");
        const auto r = readJson(j);
        REQUIRE(r.ok());
        CHECK(r.value()->findClip("#0") == 0);
        CHECK(r.value()->clipLabel(0) == "#0");
    }
}

TEST_CASE("broken documents are refused with the file, the place and what is wrong") {
    Json j = sample();
    const auto spoiled = [&](auto how) {
        Json copy = j;
        how(copy);
        return copy;
    };
    refused(spoiled([](Json& d) { d.erase("asset"); }), "asset", "missing");
    refused(spoiled([](Json& d) { d["asset"]["version"] = "1.0"; }), "asset.version", "glTF 1.0");
    refused(spoiled([](Json& d) { d["nodes"] = 7; }), "nodes", "list");
    refused(spoiled([](Json& d) { d["nodes"][1]["children"] = {0}; }), "nodes[", "ancestor");
    refused(spoiled([](Json& d) { d["nodes"][0]["children"] = {0}; }), "nodes[0]", "ancestor");
    refused(spoiled([](Json& d) { d["nodes"][2]["children"] = {1}; }), "children[0]", "two nodes");
    refused(spoiled([](Json& d) { d["nodes"][0]["children"] = {99}; }), "nodes[0].children[0]", "no node 99");
    refused(spoiled([](Json& d) { d["nodes"][0]["children"] = {-1}; }), "nodes[0].children[0]", "whole number");
    refused(spoiled([](Json& d) { d["nodes"][0]["children"] = {1.5}; }), "nodes[0].children[0]", "whole number");
    refused(spoiled([](Json& d) { d["nodes"][0]["rotation"] = {0, 0, 0, 0}; }), "nodes[0].rotation", "no length");
    refused(spoiled([](Json& d) { d["nodes"][0]["translation"] = {0, "x", 0}; }), "nodes[0].translation[1]", "number");
    refused(spoiled([](Json& d) { d["nodes"][0]["scale"] = {1, 1}; }), "nodes[0].scale", "3 numbers");
    refused(spoiled([](Json& d) { d["nodes"][0]["name"] = 5; }), "nodes[0].name", "text");
    refused(spoiled([](Json& d) { d["nodes"][2]["mesh"] = 4; }), "nodes[2].mesh", "no mesh 4");
    refused(spoiled([](Json& d) { d["skins"][0]["joints"] = {0}; }), "nodes[2]", "bound to joint 1");
    refused(spoiled([](Json& d) { d["skins"][0]["joints"] = Json::array(); }), "skins[0]", "no joints");
    refused(spoiled([](Json& d) { d["buffers"][0]["byteLength"] = 1u << 30; }), "buffers[0]", "cut short");
    refused(spoiled([](Json& d) { d["buffers"][0]["uri"] = "nowhere.bin"; }), "buffers[0].uri", "nowhere.bin");
    refused(spoiled([](Json& d) { d["buffers"][0]["uri"] = "data:text/plain;base64,!!!"; }), "buffers[0].uri", "base64");
    refused(spoiled([](Json& d) { d["buffers"][0].erase("uri"); }), "buffers[0]", "no data");
    refused(spoiled([](Json& d) { d["bufferViews"][0]["byteLength"] = 1u << 24; }), "bufferViews[0]", "past the end");
    refused(spoiled([](Json& d) { d["bufferViews"][0]["byteOffset"] = 18446744073709551615ull; }), "bufferViews[0]",
            "past the end");
    refused(spoiled([](Json& d) { d["accessors"][0]["count"] = 40000000; }), "accessors[0]", "past the end");
    refused(spoiled([](Json& d) { d["accessors"][0]["count"] = 9e15; }), "accessors[0]", "more than can be real");
    refused(spoiled([](Json& d) { d["accessors"][0]["componentType"] = 1; }), "componentType", "none of glTF's");
    refused(spoiled([](Json& d) { d["accessors"][0]["type"] = "VEC9"; }), "type", "none of glTF's");
    refused(spoiled([](Json& d) { d["animations"][0]["channels"][0]["sampler"] = 9; }), "channels[0].sampler", "no sampler 9");
    refused(spoiled([](Json& d) { d["animations"][0]["channels"][0]["target"]["path"] = "wobble"; }), "target.path", "wobble");
    refused(spoiled([](Json& d) { d["animations"][0]["samplers"][0]["interpolation"] = "SOON"; }), "interpolation", "SOON");
    refused(spoiled([](Json& d) { d["animations"][0]["samplers"][0]["output"] = d["animations"][0]["samplers"][0]["input"]; }),
            "output", "numbers");
    refused(spoiled([](Json& d) { d["extensionsRequired"] = {"KHR_draco_mesh_compression"}; }), "extensionsRequired[0]",
            "KHR_draco_mesh_compression");
    refused(spoiled([](Json& d) { d["scene"] = 3; }), "scene", "no scene 3");
}

TEST_CASE("numbers that are none are refused where they stand") {
    Json j = sample();
    const float bad[3] = {std::numeric_limits<float>::quiet_NaN(), 0, 0};
    j["buffers"].push_back({{"byteLength", 12}, {"uri", "data:;base64," + files::base64(bad, 12)}});
    j["bufferViews"].push_back({{"buffer", 1}, {"byteLength", 12}});
    j["accessors"].push_back(
        {{"bufferView", j["bufferViews"].size() - 1}, {"componentType", 5126}, {"count", 3}, {"type", "SCALAR"}});
    j["animations"][0]["samplers"][0]["input"] = j["accessors"].size() - 1;
    refused(j, "accessors[", "not a finite number");
}

TEST_CASE("hostile files end in a sentence, fast and small") {
    TempFolder f;
    const auto refusedText = [&](const std::string& text, const std::string& words) {
        test::put(f / "a.gltf", text);
        const auto r = files::readGltf(f / "a.gltf");
        REQUIRE_FALSE(r.ok());
        CHECK_THAT(r.error().text(), Catch::Contains(words));
    };
    refusedText("", "not valid JSON");
    refusedText("{\"asset\"", "not valid JSON");
    refusedText("[]", "not a glTF");
    refusedText("{\"asset\":{\"version\":\"2.0\"},\"a\":1e999}", "JSON");
    refusedText(std::string(3000000, '['), "200 deep");
    std::string nested;
    for (int i = 0; i < 100000; ++i) nested += "{\"a\":";
    refusedText(nested, "200 deep");
    // A node chain a hundred thousand long, and one of three thousand.
    for (int n : {100000, 3000}) {
        Json d{{"asset", {{"version", "2.0"}}}, {"nodes", Json::array()}};
        for (int i = 0; i < n; ++i) d["nodes"].push_back(i + 1 < n ? Json{{"children", {i + 1}}} : Json::object());
        refusedText(d.dump(), n == 100000 ? "more than 65536 entries" : "deep");
    }
}

TEST_CASE("a binary file cut at any byte is refused, never read past its end") {
    demo::GltfBuilder b;
    b.node("a", -1);
    b.clip("c", 24, {{Xform{}}, {Xform{Vec3(1, 0, 0), Quat::Identity(), Vec3::Ones()}}});
    TempFolder f;
    b.writeGlb(f / "whole.glb");
    const std::string whole = test::textOf(f / "whole.glb");
    REQUIRE(files::readGltf(f / "whole.glb").ok());
    for (std::size_t n = 0; n < whole.size(); n += 7) {
        test::put(f / "cut.glb", whole.substr(0, n));
        INFO("cut at " << n);
        CHECK_FALSE(files::readGltf(f / "cut.glb").ok());
    }
    // Bytes changed at random: read or refused, but never a crash (the sanitize build watches).
    for (std::size_t n = 0; n < whole.size(); n += 3) {
        std::string bent = whole;
        bent[n] = static_cast<char>(bent[n] ^ 0x5a);
        test::put(f / "bent.glb", bent);
        const auto r = files::readGltf(f / "bent.glb");
        if (!r.ok()) CHECK_FALSE(r.error().sentence.empty());
    }
}

TEST_CASE("files that are not there, or are folders, get a sentence") {
    TempFolder f;
    CHECK_THAT(files::readGltf(f / "none.glb").error().text(), Catch::Contains("none.glb") && Catch::Contains("no such file"));
    CHECK_THAT(files::readGltf(f.path()).error().text(), Catch::Contains("folder"));
}
