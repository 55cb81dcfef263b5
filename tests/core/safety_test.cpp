// Nothing lost, nothing wrong: hand-offs over one another, hostile and newer files, motion at its extremes.
#include <sys/file.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>
#include <catch2/catch.hpp>
#include <fstream>
#include <set>

#include "files/bytes.h"
#include "files/gltf_reader.h"
#include "files/scene_file.h"
#include "layers/feels.h"
#include "layers/registry.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "rig/record.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
using files::Json;
using test::kOtterFile;
using test::TempFolder;
namespace fs = std::filesystem;

namespace {

std::set<std::string> filesIn(const fs::path& folder) {
    std::set<std::string> out;
    for (const auto& e : fs::directory_iterator(folder)) out.insert(e.path().filename().string());
    return out;
}

pipeline::BakeReport bake(const scene::Scene& s, const fs::path& out, const pipeline::BakeOptions& o = {}) {
    pipeline::Evaluator e;
    auto r = pipeline::bake(s, o, out, e, {});
    if (!r) FAIL(r.error().text());
    return r.value();
}

/// A rig of `joints` nodes in a line; nodes may be changed before it is read.
std::shared_ptr<const rig::Actor> lineActor(int joints, const std::function<void(Json&)>& change,
                                            const std::function<Xform(int)>& motion) {
    demo::GltfBuilder b;
    int parent = -1;
    for (int j = 0; j < joints; ++j) {
        Xform x;
        if (j > 0) x.t = Vec3(0, 0, 0.2);
        parent = b.node("j" + std::to_string(j), parent, x);
    }
    change(b.json());
    std::vector<std::vector<Xform>> frames;
    for (int f = 0; f < 25; ++f) {
        std::vector<Xform> pose(static_cast<std::size_t>(joints));
        for (std::size_t j = 1; j < pose.size(); ++j) pose[j].t = Vec3(0, 0, 0.2);
        pose[1] = motion(f);
        frames.push_back(pose);
    }
    b.clip("Go", 24, frames);
    TempFolder f;
    b.writeGltf(f / "line.gltf");
    return test::read(f / "line.gltf");
}

Json smallScene(const fs::path& actor) {
    return {
        {"format", "nutatio-scene"},
        {"version", 1},
        {"actors", Json::array({{{"id", "o"}, {"file", actor.string()}, {"clip", "Walk"}}})},
        {"layers", Json::array({{{"id", "tail"}, {"kind", "strand"}, {"actor", "o"}, {"settings", {{"root", {"tail_01"}}}}}})}};
}

Result<pipeline::Opened> openJson(const fs::path& path, const Json& j) {
    test::put(path, j.dump());
    return pipeline::open(path);
}

/// What `work` adds to the most memory that this process has held so far [MB].
double grows(const std::function<void()>& work) {
    const auto most = [] {
        rusage u{};
        getrusage(RUSAGE_SELF, &u);
        return static_cast<double>(u.ru_maxrss) / 1024;
    };
    const double before = most();
    work();
    return most() - before;
}

}  // namespace

TEST_CASE("hand-offs of one file onto itself, again and again, and into one folder lose nothing") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    test::addLayer(s, "strand", {"tail_01"});
    bake(s, f / "o.gltf");
    const auto first = test::read(f / "o.gltf");
    CHECK(first->clips.size() == 3);
    // The file that came out is opened and handed off over itself: what it refers to stays as it was, whoever still reads it.
    scene::Scene next = test::sceneWith(first);
    test::addLayer(next, "strand", {"ear_L"});
    const auto was = filesIn(f.path());
    std::map<std::string, std::string> bytes;
    for (const std::string& name : was)
        if (name != "o.gltf") bytes[name] = test::textOf(f / name);
    REQUIRE(bytes.size() == 2);
    for (int round = 0; round < 3; ++round) {
        bake(next, f / "o.gltf");
        for (const auto& [name, text] : bytes) CHECK(test::textOf(f / name) == text);
        const auto again = test::read(f / "o.gltf");
        test::checkValid(f / "o.gltf");
        REQUIRE(again->clips.size() == 3);
        // The motion of the first hand-off is still in it, and the second one's too.
        const auto moves = [&](const rig::Actor& a, const char* joint) {
            return std::any_of(a.clips[0].channels.begin(), a.clips[0].channels.end(), [&](const rig::Channel& c) {
                return c.joint == a.skeleton.find(joint) && c.path == rig::Path::Turn && c.times.size() > 4;
            });
        };
        CHECK(moves(*again, "tail_05"));
        CHECK(moves(*again, "ear_L"));
    }
    // The first file's reader, who kept it open, can hand it off again too.
    bake(next, f / "p.gltf");
    CHECK(test::read(f / "p.gltf")->clips.size() == 3);
}

TEST_CASE("a buffer of somebody else's is never written over, and memory is what is handed off") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    test::addLayer(s, "strand", {"tail_01"});
    bake(s, f / "a.gltf");
    for (const char* name : {"b.bin", "b.motion.bin", "b-motion.bin"}) test::put(f / name, "mine");
    bake(s, f / "b.gltf");
    for (const char* name : {"b.bin", "b.motion.bin", "b-motion.bin"}) CHECK(test::textOf(f / name) == "mine");
    // A buffer that is exported again after opening: the hand-off holds what was opened.
    scene::Scene opened = test::sceneWith(test::read(f / "a.gltf"));
    test::addLayer(opened, "strand", {"ear_L"});
    const Json a = Json::parse(test::textOf(f / "a.gltf"));
    const std::string buffer = a["buffers"][0]["uri"];
    const std::string spoiled(test::textOf(f / buffer).size(), '\0');
    test::put(f / buffer, spoiled);
    bake(opened, f / "c.gltf");
    CHECK(test::textOf(f / buffer) == spoiled);
    const auto c = test::read(f / "c.gltf");
    CHECK(c->height == Approx(opened.actors[0].actor->height));
    // Gone altogether: the same.
    fs::remove(f / buffer);
    bake(opened, f / "d.gltf");
    CHECK(test::read(f / "d.gltf")->height == Approx(opened.actors[0].actor->height));
}

TEST_CASE("names that look like escapes can be read again, permissions and links stay") {
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    test::addLayer(s, "strand", {"tail_01"});
    for (const char* name : {"per%41.gltf", "a b#c?.gltf", "\xc3\xb6tter.gltf"}) {
        INFO(name);
        bake(s, f / name);
        CHECK(test::read(f / name)->clips.size() == 3);
        test::checkValid(f / name);
    }
    CHECK(files::percentEncoded("per%41 ä/b.bin") == "per%2541%20%C3%A4/b.bin");
    CHECK(files::percentDecoded(files::percentEncoded("per%41 ä/b.bin")) == "per%41 ä/b.bin");
    test::put(f / "old.glb", "old");
    REQUIRE(chmod((f / "old.glb").c_str(), 0640) == 0);
    fs::create_symlink("old.glb", f / "link.glb");
    bake(s, f / "link.glb");
    CHECK(fs::is_symlink(f / "link.glb"));
    CHECK(test::read(f / "old.glb")->clips.size() == 3);
    struct stat seen {};
    REQUIRE(stat((f / "old.glb").c_str(), &seen) == 0);
    CHECK((seen.st_mode & 07777) == 0640);
}

TEST_CASE("what a killed run left half written is cleared away, what is being written is not") {
    TempFolder f;
    test::put(f / ".nutatio-unfinished-abc123", "half");
    files::writeAtomically(f / "a.txt", "whole", 5);
    CHECK(filesIn(f.path()) == std::set<std::string>{"a.txt"});
    // One that another process holds stays.
    test::put(f / ".nutatio-unfinished-held00", "half");
    int ready[2], done[2];
    REQUIRE(pipe(ready) == 0);
    REQUIRE(pipe(done) == 0);
    const pid_t child = fork();
    if (child == 0) {
        const std::string path = (f / ".nutatio-unfinished-held00").string();
        FILE* held = fopen(path.c_str(), "r+");
        char byte = held && flock(fileno(held), LOCK_EX) == 0 ? 'y' : 'n';
        (void)!write(ready[1], &byte, 1);
        (void)!read(done[0], &byte, 1);
        _exit(0);
    }
    char byte = 0;
    REQUIRE(read(ready[0], &byte, 1) == 1);
    REQUIRE(byte == 'y');
    files::writeAtomically(f / "b.txt", "whole", 5);
    CHECK(filesIn(f.path()).count(".nutatio-unfinished-held00") == 1);
    CHECK(write(done[1], &byte, 1) == 1);
}

TEST_CASE("a glTF may name files in its own folder and below it only") {
    TempFolder f;
    fs::create_directories(f / "in/below");
    test::put(f / "secret.txt", std::string(64, 's'));
    fs::create_symlink("../secret.txt", f / "in/link.bin");
    test::put(f / "in/below/data.bin", std::string(64, 'd'));
    const auto with = [&](const std::string& uri) {
        const Json j{{"asset", {{"version", "2.0"}}}, {"buffers", Json::array({{{"byteLength", 8}, {"uri", uri}}})}};
        test::put(f / "in/a.gltf", j.dump());
        return files::readGltf(f / "in/a.gltf");
    };
    for (const std::string& uri :
         {std::string("../secret.txt"), std::string("%2e%2e/secret.txt"), std::string("below/../../secret.txt"),
          (f / "secret.txt").string(), std::string("link.bin"), std::string("/dev/zero")}) {
        INFO(uri);
        const auto r = with(uri);
        REQUIRE_FALSE(r.ok());
        CHECK_THAT(r.error().text(), Catch::Contains("buffers[0].uri") && Catch::Contains("outside"));
    }
    CHECK(with("below/data.bin").ok());
    CHECK(with("./below/../below/data.bin").ok());
}

TEST_CASE("what a small file may ask for in memory is bounded by its size") {
    TempFolder f;
    SECTION("accessors of zeros that have no data") {
        Json j{{"asset", {{"version", "2.0"}}}};
        for (int k = 0; k < 200; ++k) {
            j["accessors"].push_back({{"componentType", 5126}, {"count", 1 << 22}, {"type", "VEC4"}});
            j["meshes"].push_back({{"primitives", Json::array({{{"attributes", {{"POSITION", k}}}}})}});
        }
        for (Json& a : j["accessors"]) a["type"] = "VEC3";
        test::put(f / "a.gltf", j.dump());
        const double mb = grows([&] {
            const auto r = files::readGltf(f / "a.gltf");
            REQUIRE_FALSE(r.ok());
            CHECK_THAT(r.error().text(), Catch::Contains("accessors[") && Catch::Contains("more memory than its size allows"));
        });
        CHECK(mb < 200);
    }
    SECTION("one accessor that ten thousand primitives share") {
        Json j{{"asset", {{"version", "2.0"}}}};
        const std::string data(120000, '\0');
        j["buffers"] =
            Json::array({{{"byteLength", data.size()}, {"uri", "data:;base64," + files::base64(data.data(), data.size())}}});
        j["bufferViews"] = Json::array({{{"buffer", 0}, {"byteLength", data.size()}}});
        j["accessors"] = Json::array({{{"bufferView", 0}, {"componentType", 5126}, {"count", 10000}, {"type", "VEC3"}}});
        Json primitives = Json::array();
        for (int k = 0; k < 10000; ++k) primitives.push_back({{"attributes", {{"POSITION", 0}}}});
        j["meshes"] = Json::array({{{"primitives", primitives}}});
        test::put(f / "a.gltf", j.dump());
        const double mb = grows([&] {
            const auto r = files::readGltf(f / "a.gltf");
            REQUIRE_FALSE(r.ok());
            CHECK_THAT(r.error().text(), Catch::Contains("more memory than its size allows"));
        });
        CHECK(mb < 400);
    }
    SECTION("one file that three hundred actors name is read once") {
        fs::copy(kOtterFile, f / "otter.glb");
        Json j{{"format", "nutatio-scene"}, {"version", 1}};
        for (int k = 0; k < 300; ++k) {
            Json a{{"id", "o" + std::to_string(k)}, {"file", "otter.glb"}};
            // A clip of its own each: what is drawn is still shared.
            a["recorded"] = Json::array(
                {{{"name", "r"},
                  {"channels",
                   Json::array({{{"joint", "hips"}, {"path", "move"}, {"times", {0, 1}}, {"values", {0, 0, 0, 1, 0, 0}}}})}}});
            j["actors"].push_back(a);
        }
        const double mb = grows([&] {
            const auto opened = openJson(f / "s.nutatio", j);
            REQUIRE(opened.ok());
            CHECK(opened.value().scene.actors.size() == 300);
            CHECK(&*opened.value().scene.actors[0].actor->meshes == &*opened.value().scene.actors[299].actor->meshes);
        });
        CHECK(mb < 300);
    }
    SECTION("more layers than a scene can have") {
        Json j = smallScene(kOtterFile);
        for (int k = 0; k < 5000; ++k)
            j["layers"].push_back({{"id", "l" + std::to_string(k)}, {"kind", "strand"}, {"actor", "o"}});
        const auto opened = openJson(f / "s.nutatio", j);
        REQUIRE_FALSE(opened.ok());
        CHECK_THAT(opened.error().text(), Catch::Contains("layers") && Catch::Contains("more than 4096"));
    }
}

TEST_CASE("a clip that lasts for ever in a small file is refused in one sentence, and a sensible one is not") {
    const auto lasting = [](float seconds) {
        demo::GltfBuilder b;
        int parent = -1;
        for (int j = 0; j < 6; ++j)
            parent = b.node("j" + std::to_string(j), parent, {Vec3(0, 0, j ? 0.2 : 0), Quat::Identity(), Vec3::Ones()});
        std::vector<std::vector<Xform>> frames(2, std::vector<Xform>(6));
        for (auto& pose : frames)
            for (std::size_t j = 1; j < 6; ++j) pose[j].t = Vec3(0, 0, 0.2);
        for (std::size_t j = 0; j < 5; ++j) frames[1][j].r = fromRotationVector(Vec3(0.5, 0, 0));
        b.clip("Long", 1 / seconds, frames);
        TempFolder f;
        b.writeGlb(f / "long.glb");
        return test::read(f / "long.glb");
    };
    TempFolder f;
    for (const float seconds : {80000.0f, 86400.0f}) {
        scene::Scene s = test::sceneWith(lasting(seconds));
        test::addLayer(s, "strand", {"j1"});
        pipeline::Evaluator e;
        const auto r = pipeline::bake(s, {}, f / "out.glb", e, {});
        REQUIRE_FALSE(r.ok());
        CHECK_THAT(r.error().text(), Catch::Contains("long.glb") && Catch::Contains("more than a file of its size may ask for"));
        CHECK_FALSE(fs::exists(f / "out.glb"));
        CHECK_THROWS_AS(e.evaluate(s, {}), Failure);
    }
    scene::Scene s = test::sceneWith(lasting(600));
    test::addLayer(s, "strand", {"j1"});
    CHECK(bake(s, f / "out.glb").clips[0].frames == 14401);
}

TEST_CASE("a BVH whose frames lie aeons apart is refused") {
    TempFolder f;
    test::put(f / "slow.bvh",
              "HIERARCHY\nROOT r\n{\nOFFSET 0 1 0\nCHANNELS 1 Xposition\nJOINT k\n{\nOFFSET 0 1 0\nCHANNELS "
              "0\n}\n}\nMOTION\nFrames: 5\n"
              "Frame Time: 1e11\n1\n1\n1\n1\n1\n");
    const auto r = files::readActor(f / "slow.bvh");
    REQUIRE_FALSE(r.ok());
    CHECK_THAT(r.error().text(), Catch::Contains("line 14") && Catch::Contains("more than a day"));
}

TEST_CASE("a parent of scale 0, mirrored or flat, gives motion that is finite under every kind") {
    for (const Vec3& scale : {Vec3(0, 0, 0), Vec3(1, 0, 1), Vec3(-1, 0, 2), Vec3(1e-200, 1, 1)}) {
        const auto actor = lineActor(
            6,
            [&](Json& j) {
                j["nodes"][1]["scale"] = {scale.x(), scale.y(), scale.z()};
            },
            [&](int f) {
                Xform x;
                x.t = Vec3(0.1 * std::sin(0.5 * f), 0, 0.2);
                x.s = scale;
                return x;
            });
        for (const layers::LayerKind* kind : layers::kinds()) {
            INFO(kind->id << " under scale " << scale.transpose());
            scene::Scene s = test::sceneWith(actor);
            test::addLayer(s, std::string(kind->id), {"j2"}, {{"move", std::string("xyz")}, {"stretch", 0.3}, {"squash", 1.0}});
            s.actors.edit(0).trial = {};
            const auto e = test::evaluate(s);
            CHECK(e.actors[0].layers[0].problem.find("grows") == std::string::npos);
            for (int j = 0; j < actor->skeleton.size(); ++j)
                for (int f = 0; f < e.actors[0].result->frames(); ++f) REQUIRE(e.actors[0].result->at(j, f).isFinite());
            TempFolder f;
            pipeline::Evaluator again;
            CHECK(pipeline::bake(s, {}, f / "out.glb", again, {}).ok());
        }
    }
    CHECK(Affine{Mat3::Zero(), Vec3(1, 2, 3)}.inverse().m.isZero());
    // Where there is a way back it is the way back.
    const Affine a{(Mat3() << 0, -2, 0, 2, 0, 0, 0, 0, 3).finished(), Vec3(1, 2, 3)};
    CHECK((a.inverse().apply(a.apply(Vec3(4, 5, 6))) - Vec3(4, 5, 6)).norm() < 1e-12);
}

TEST_CASE("a loop is a loop whatever its root's scale") {
    for (double scale : {1.0, 0.01, 100.0}) {
        const auto seam = [&](double metres) {
            return lineActor(
                4,
                [&](Json& j) {
                    j["nodes"][0]["scale"] = {scale, scale, scale};
                },
                [&](int f) {
                    Xform x;
                    // In the root's own units: the world sees `scale` times as much.
                    x.t = Vec3(0.1 * std::sin(2 * kPi * f / 24) + (f == 24 ? metres / scale : 0), 0, 0.2);
                    return x;
                });
        };
        INFO("scale " << scale);
        const auto closes = [](const rig::Actor& a) {
            return rig::bodyTrack(a, 0, rig::FrameGrid::covering(a.clips[0], 24)).closes(a);
        };
        const double height = seam(0)->height;
        CHECK(closes(*seam(0.001 * height)));
        CHECK_FALSE(closes(*seam(0.004 * height)));
    }
}

TEST_CASE("whatever a scene asks for, it opens, saves and opens again, and only finite keys are written") {
    TempFolder f;
    const auto with = [&](const std::function<void(Json&)>& how) {
        Json j = smallScene(kOtterFile);
        how(j);
        return openJson(f / "s.nutatio", j);
    };
    const std::pair<const char*, std::function<void(Json&)>> extremes[] = {
        {"wind speed",
         [](Json& j) {
             j["winds"] = Json::array({{{"id", "w"}, {"speed", 1e300}, {"swirlSize", 1e300}, {"reach", 1e300}}});
         }},
        {"wind place",
         [](Json& j) {
             j["winds"] = Json::array({{{"id", "w"}, {"place", {1e300, -1e300, 1e20}}, {"seed", 1e300}}});
         }},
        {"pin offset",
         [](Json& j) {
             j["pins"] = Json::array({{{"id", "p"}, {"actor", "o"}, {"joint", "tail_05"}, {"offset", {1e300, 0, 0}}}});
         }},
        {"collider",
         [](Json& j) {
             j["colliders"] = Json::array({{{"id", "c"},
                                            {"actor", "o"},
                                            {"joint", "hips"},
                                            {"shape", "capsule"},
                                            {"radius", 1e300},
                                            {"length", 1e300},
                                            {"size", {1e300, 1, 1}},
                                            {"offset", {0, 1e300, 0}},
                                            {"turn", {1e300, 0, 0}},
                                            {"friction", 1e300}}});
         }},
        {"profile",
         [](Json& j) {
             j["layers"][0]["profiles"]["swing"] = {{0, 1e300}, {1, 1e300}};
         }},
        {"keys",
         [](Json& j) {
             j["layers"][0]["keys"]["gravity"] = {{1, 1e300}, {5, -1e300}};
         }},
        {"settings",
         [](Json& j) {
             for (const char* id : {"swing", "gravity", "end_weight", "drag"}) j["layers"][0]["settings"][id] = 1e300;
         }},
    };
    for (const auto& [name, how] : extremes) {
        INFO(name);
        const auto opened = with(how);
        REQUIRE(opened.ok());
        CHECK_FALSE(opened.value().warnings.empty());
        bake(opened.value().scene, f / "out.glb");
        const auto written = test::read(f / "out.glb");
        for (const rig::Clip& c : written->clips)
            for (const rig::Channel& ch : c.channels)
                CHECK(std::all_of(ch.values.begin(), ch.values.end(), [](float v) { return std::isfinite(v); }));
        REQUIRE(files::writeScene(opened.value().scene, f / "again.nutatio").ok());
        const auto again = pipeline::open(f / "again.nutatio");
        REQUIRE(again.ok());
        CHECK(again.value().warnings.empty());
    }
    // Numbers that no scene can mean are refused where they stand.
    const auto recorded = [](double v) {
        return [v](Json& j) {
            j["actors"][0]["recorded"] = Json::array(
                {{{"name", "r"},
                  {"channels",
                   Json::array({{{"joint", "hips"}, {"path", "move"}, {"times", {0, 1}}, {"values", {0, 0, 0, v, 0, 0}}}})}}});
        };
    };
    const auto far = with(recorded(-1e308));
    REQUIRE_FALSE(far.ok());
    CHECK_THAT(far.error().text(), Catch::Contains("recorded[0].channels[0].values"));
    CHECK(with(recorded(1e3)).ok());
}

TEST_CASE("a hand-off looks at what it writes: nothing that is not finite leaves") {
    TempFolder f;
    const auto actor = test::read(kOtterFile);
    files::NewClip clip;
    clip.source = 0;
    rig::Channel c;
    c.times = {0, 1};
    c.values = {0, 0, 0, std::numeric_limits<float>::infinity(), 0, 0};
    clip.channels = {c};
    test::put(f / "out.glb", "old");
    const auto r = files::writeGltf(*actor, {clip}, f / "out.glb");
    REQUIRE_FALSE(r.ok());
    CHECK_THAT(r.error().text(), Catch::Contains("out.glb") && Catch::Contains("not finite"));
    CHECK(test::textOf(f / "out.glb") == "old");
    scene::Scene s = test::sceneWith(actor);
    s.winds.push_back(scene::newWind(s, s.actors[0]));
    s.winds.edit(0).set("speed", std::nan(""));
    const auto saved = files::writeScene(s, f / "s.nutatio");
    REQUIRE_FALSE(saved.ok());
    CHECK_THAT(saved.error().text(), Catch::Contains("winds[0].settings.speed"));
    CHECK_FALSE(fs::exists(f / "s.nutatio"));
}

TEST_CASE("a newer scene opens but for what is not understood, which the next saving gives back") {
    TempFolder f;
    fs::create_directories(f / "deep");
    fs::copy(kOtterFile, f / "otter.glb");
    Json j = smallScene("otter.glb");
    j["actors"].push_back({{"id", "gone"}, {"file", "elsewhere/gone.glb"}, {"clip", "Run"}, {"mood", 3}});
    j["colliders"] = Json::array({{{"id", "ring"}, {"actor", "o"}, {"joint", "hips"}, {"shape", "torus"}, {"hole", 0.3}},
                                  {{"id", "ball"}, {"actor", "o"}, {"joint", "hips"}, {"shape", "sphere"}}});
    Json& layer = j["layers"][0];
    layer["settings"]["glows"] = true;
    layer["settings"]["swing"] = {{"of", "chest"}};
    layer["settings"]["meets"] = "everything";
    layer["keys"]["glow"] = {{1, 0.5}, {9, 2.5}};
    layer["keys"]["root"] = {{1, 1}};
    layer["profiles"]["glow"] = {{0, 1}, {1, 0.5}};
    const Json was = layer;
    j["layers"].push_back({{"id", "far"}, {"kind", "strand"}, {"actor", "gone"}, {"settings", {{"root", {"x"}}}}});
    auto opened = openJson(f / "s.nutatio", j);
    REQUIRE(opened.ok());
    scene::Scene& s = opened.value().scene;
    CHECK(s.actors.size() == 1);
    CHECK(s.colliders.size() == 1);
    CHECK(s.layers[0].number("swing") == 2);
    std::string said;
    for (const std::string& w : opened.value().warnings) said += w + "\n";
    for (const char* word : {"gone.glb", "torus", "glows", "Swing rate", "everything", "\"glow\" cannot have keys"})
        CHECK_THAT(said, Catch::Contains(word));
    CHECK(test::evaluate(s).actors[0].result->frames() == 29);
    REQUIRE(files::writeScene(s, f / "deep/t.nutatio").ok());
    const Json k = Json::parse(test::textOf(f / "deep/t.nutatio"));
    CHECK(k["layers"][0]["settings"]["glows"] == true);
    CHECK(k["layers"][0]["settings"]["swing"] == was["settings"]["swing"]);
    CHECK(k["layers"][0]["settings"]["meets"] == "everything");
    // Keys of version 1 stood at frames of 24 a second; they are the shot's now, in seconds.
    const Json& keys = k["shots"][0]["keys"]["layers"][std::string(s.layers[0].id)];
    CHECK(keys["glow"] == Json({{0.0, 0.5}, {8 / 24.0, 2.5}}));
    CHECK(keys["root"] == Json({{0.0, 1.0}}));
    CHECK(k["layers"][0]["profiles"]["glow"] == was["profiles"]["glow"]);
    CHECK(k["layers"][1]["actor"] == "gone");
    CHECK(k["actors"][1]["mood"] == 3);
    CHECK(k["actors"][1]["file"] == "../elsewhere/gone.glb");
    CHECK(k["colliders"][1]["hole"] == 0.3);
    // What a person sets here takes the place of what was not understood.
    s.layers.edit(0).values["swing"] = 3.5;
    REQUIRE(files::writeScene(s, f / "deep/t.nutatio").ok());
    CHECK(Json::parse(test::textOf(f / "deep/t.nutatio"))["layers"][0]["settings"]["swing"] == 3.5);
    // Nothing new takes the name of what is kept.
    CHECK(s.freshId("gone") != "gone");
    CHECK(s.freshId("ring") != "ring");
    // The actor comes back with its file.
    fs::create_directories(f / "elsewhere");
    fs::copy(kOtterFile, f / "elsewhere/gone.glb");
    Json back = Json::parse(test::textOf(f / "deep/t.nutatio"));
    back["actors"][1]["clip"] = "Walk";
    test::put(f / "deep/t.nutatio", back.dump());
    const auto whole = pipeline::open(f / "deep/t.nutatio");
    REQUIRE(whole.ok());
    CHECK(whole.value().scene.actors.size() == 2);
}

TEST_CASE("two thousand layers get ids of their own, and both ways of summing a strand's links agree") {
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    std::set<std::string> ids;
    for (int k = 0; k < 2000; ++k) ids.insert(test::addLayer(s, "jiggle", {"ear_L"}));
    CHECK(ids.size() == 2000);
    for (int n : {63, 65, 400}) {
        test::Bench b(test::straightLinks(n, 1, Vec3(0, 0, 1)), {}, 1.0 / 120);
        const double sigma = b.strand.batch().modeFactor(0);
        INFO(n << " links: sigma " << sigma);
        // Both ways of summing meet: sigma grows smoothly with the links.
        test::Bench fewer(test::straightLinks(n - 2, 1, Vec3(0, 0, 1)), {}, 1.0 / 120);
        const double step = sigma / fewer.strand.batch().modeFactor(0);
        CHECK(step > 1);
        CHECK(step == Approx(static_cast<double>(n) / (n - 2)).epsilon(0.01));
    }
}

TEST_CASE("no link stretches beyond its limit, however it is thrown") {
    auto links = test::straightLinks(4, 1, Vec3(0, -1, 0));
    for (physics::LinkDef& l : links) l.stretch = 0.2;
    physics::StrandDef def;
    def.swing = 1;
    def.stretchSwing = 1;
    def.gravity = Vec3(0, -200, 0);
    test::Bench b(links, def, 1.0 / 120);
    b.start();
    for (int k = 0; k < 600; ++k) {
        b.base.place0 = b.base.place1;
        b.base.place1 = Vec3(0, 0.5 * std::sin(k * 0.4), 0);
        b.base.velocityEnd = Vec3(0, 0.2 * 120 * std::cos(k * 0.4), 0);
        b.step();
        for (std::size_t i = 0; i < 4; ++i) {
            REQUIRE(b.strand.batch().stretchOf(0, i) <= 1.2 + 1e-12);
            REQUIRE(b.strand.batch().stretchOf(0, i) >= 0.8 - 1e-12);
        }
    }
}

TEST_CASE("a jiggle without stops stays within sight of its body") {
    test::ChainSpec spec;
    spec.motion = [](double t) { return Xform{Vec3(30 * std::sin(3 * t), 0, 0), Quat::Identity(), Vec3::Ones()}; };
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::addLayer(s, "jiggle", {"bone_2"}, {{"move", std::string("xyz")}, {"swing", 0.05}, {"sag", 20.0}, {"bounces", 60.0}});
    const auto e = test::evaluate(s);
    const auto with = test::worldPlaces(*s.actors[0].actor, *e.actors[0].result, 2),
               without = test::worldPlaces(*s.actors[0].actor, *e.actors[0].body, 2);
    double most = 0;
    for (std::size_t f = 0; f < with.size(); ++f) most = std::max(most, (with[f] - without[f]).norm());
    CHECK(most > 1.0 * s.actors[0].actor->height);
    CHECK(most < 7.0 * s.actors[0].actor->height);
}

TEST_CASE("a pose that stands inside a body is told, and can be pushed out") {
    scene::Scene s = test::sceneWith(test::beastActor({}));
    test::play(s, "Idle");
    test::addLayer(s, "strand", {"cape_1"});
    scene::Collider c = scene::newCollider(s, s.actors[0], s.actors[0].actor->skeleton.find("chest"), scene::Shape::Sphere);
    c.setVector("offset", Vec3::Zero());
    c.set("radius", 0.25);
    s.colliders = {c};
    const auto e = test::evaluate(s);
    REQUIRE(e.layer(s.layers[0].id)->remarks.size() == 1);
    CHECK_THAT(e.layer(s.layers[0].id)->remarks[0], Catch::Contains("starts inside \"chest\"") && Catch::Contains("mm"));
    const auto reach = [&](const pipeline::Evaluation& of) {
        const auto places =
            test::worldPlaces(*s.actors[0].actor, *of.actors[0].result, s.actors[0].actor->skeleton.find("cape_3"));
        return (places.back() - Vec3(0, 1.2, 0)).norm();
    };
    s.layers.edit(0).values["push_out"] = 12.0;
    CHECK(reach(test::evaluate(s)) > reach(e) + 0.01);
    TempFolder f;
    CHECK_THAT(bake(s, f / "x.glb").warnings.at(0), Catch::Contains("starts inside"));
}
