// The command line as other people's scripts see it: exit codes, one line of error, JSON on stdout.
#include "cli/commands.h"

#include <catch2/catch.hpp>
#include <fstream>
#include <sstream>

#include "files/json.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using files::Json;
using test::kOtterFile;
using test::TempFolder;

namespace {

const std::string kDemo = test::kDemoFolder + "lake-landing.nutatio";

struct Ran {
    int code;
    std::string out, err;
    Json json() const { return Json::parse(out); }
};

Ran run(std::vector<std::string> arguments) {
    std::ostringstream out, err;
    const int code = cli::run(std::move(arguments), out, err);
    return {code, out.str(), err.str()};
}

void oneLine(const Ran& r, int code, const std::string& words) {
    INFO(r.err);
    CHECK(r.code == code);
    CHECK(r.out.empty());
    CHECK(std::count(r.err.begin(), r.err.end(), '\n') == 1);
    CHECK_THAT(r.err, Catch::Contains(words));
}

}  // namespace

TEST_CASE("info tells what is in a file, in words and in JSON") {
    const Ran words = run({"info", kOtterFile});
    CHECK(words.code == 0);
    CHECK_THAT(words.out, Catch::Contains("joints") && Catch::Contains("Turn and stop"));
    const Json j = run({"info", kOtterFile, "--json"}).json();
    CHECK(j["kind"] == "gltf");
    CHECK(j["clips"].size() == 3);
    CHECK(j["joints"].size() >= 90);
    CHECK(j["seconds"] == Approx(4.0));
    CHECK(j["warnings"].empty());
    const Json s = run({"info", "--json", kDemo}).json();
    CHECK(s["kind"] == "scene");
    CHECK(s["actors"].size() == 2);
    CHECK(s["layers"].size() == 3);
}

TEST_CASE("describe lists every kind and setting in three forms") {
    const Json all = run({"describe", "--json"}).json();
    REQUIRE(all.size() >= 2);
    for (const Json& kind : all)
        for (const Json& s : kind["settings"]) {
            CHECK(s.contains("id"));
            CHECK(s.contains("help"));
            if (s["type"] == "number") CHECK(s["range"].size() == 2);
        }
    CHECK_THAT(run({"describe", "strand"}).out, Catch::Contains("swing") && Catch::Contains("0 to 60"));
    CHECK_THAT(run({"describe", "jiggle", "--markdown"}).out, Catch::Contains("| `joint` |"));
    oneLine(run({"describe", "cloth"}), 2, "no layer kind \"cloth\"");
}

TEST_CASE("bake writes every clip, one clip, or a new clip, and says what it did") {
    TempFolder f;
    const std::string out = (f / "o.glb").string();
    const Ran all = run({"bake", kOtterFile, "--layer", "strand:root=tail_01,swing=2,bounces=3,gravity=1,drag=0.2", "--layer",
                         "jiggle:joint=ear_L+ear_R,turn=xyz,swing=4,bounces=2", "--out", out, "--json"});
    INFO(all.err);
    REQUIRE(all.code == 0);
    const Json said = all.json();
    REQUIRE(said["clips"].size() == 3);
    for (const Json& c : said["clips"]) {
        CHECK(c["joints"] == 12);
        CHECK(c["keys"].get<int>() < c["keysWithoutReduction"].get<int>());
    }
    const Json one = run({"bake", kOtterFile, "--layer", "strand:root=tail_01", "--clip", "Walk", "--as", "Walk soft",
                          "--tolerance", "0", "--out", out, "--json"})
                         .json();
    CHECK(one["clips"].size() == 1);
    CHECK(one["clips"][0]["name"] == "Walk soft");
    CHECK(one["clips"][0]["keys"] == one["clips"][0]["keysWithoutReduction"]);
    CHECK(run({"info", out, "--json"}).json()["clips"].size() == 4);
    CHECK(run({"bake", kDemo, "--out", out, "--clip", "Idle", "--range", "5:20", "--fps", "30"}).code == 0);
    // A value with a comma of its own.
    CHECK(run({"bake", kOtterFile, "--layer", "balance:air=falls\\, in its own time", "--clip", "Walk", "--out", out}).code == 0);
    CHECK(run({"info", out}).code == 0);
}

TEST_CASE("the command line bakes the same bits as the library evaluates") {
    TempFolder f;
    const std::string a = (f / "a.glb").string(), b = (f / "b.glb").string();
    CHECK(run({"bake", kDemo, "--out", a}).code == 0);
    CHECK(run({"bake", kDemo, "--out", b}).code == 0);
    CHECK(test::textOf(a) == test::textOf(b));
}

TEST_CASE("measure tells the answer to a push of each layer") {
    const Json m = run({"measure", kDemo, "--json"}).json();
    REQUIRE(m.size() == 3);
    CHECK(m[0]["layer"] == "tail");
    CHECK(m[0]["swing"] == Approx(1.6).epsilon(0.01));
    CHECK(m[0]["restFrames"].get<double>() > 5);
    CHECK(m[0].contains("sagDeg"));
    CHECK_THAT(run({"measure", kOtterFile, "--layer", "strand:root=#0,swing=3"}).out, Catch::Contains("swings/s"));
}

TEST_CASE("bad arguments exit with 2 and one line") {
    TempFolder f;
    const std::string out = (f / "o.glb").string();
    const auto bake = [&](std::vector<std::string> more) {
        std::vector<std::string> a{"bake", kOtterFile, "--out", out};
        a.insert(a.end(), more.begin(), more.end());
        return run(a);
    };
    oneLine(bake({}), 2, "--layer");
    oneLine(bake({"--layer", "cloth:root=tail_01"}), 2, "cloth");
    oneLine(bake({"--layer", "strand:root=nobody"}), 2, "nobody");
    oneLine(bake({"--layer", "strand:root=tail_01,speed=2"}), 2, "no setting \"speed\"");
    oneLine(bake({"--layer", "strand:root=tail_01,swing=99"}), 2, "outside 0 to 60");
    oneLine(bake({"--layer", "strand:root=tail_01,swing"}), 2, "key=value");
    oneLine(bake({"--layer", "strand:swing=2"}), 2, "no root");
    oneLine(bake({"--layer", "strand:root=tail_01", "--clip", "Fly"}), 2, "Fly");
    oneLine(bake({"--layer", "strand:root=tail_01", "--range", "9"}), 2, "--range");
    oneLine(bake({"--layer", "strand:root=tail_01", "--clip", "Walk", "--range", "9:900"}), 2, "9:900");
    oneLine(bake({"--layer", "strand:root=tail_01", "--fps", "0.1"}), 2, "--fps");
    oneLine(bake({"--layer", "strand:root=tail_01", "--tolerance", "-1"}), 2, "tolerance");
    oneLine(bake({"--layer", "strand:root=tail_01", "--as", "New"}), 2, "--clip");
    oneLine(bake({"--layer", "strand:root=tail_01", "--tolerance", "nan"}), 2, "tolerance");
    oneLine(bake({"--layer", "strand:root=tail_01,swing=2,swing=3"}), 2, "\"swing\" is given twice");
    oneLine(bake({"--layer", "strand:root=tail_01", "--actor", "nobody"}), 2, "no actor \"nobody\"");
    oneLine(run({"bake", kDemo, "--out", out, "--actor", "nobody"}), 2, "no actor \"nobody\"");
    oneLine(run({"measure", kDemo, "--actor", "nobody"}), 2, "no actor \"nobody\"");
    CHECK(run({}).code == 2);
    CHECK(run({"fly"}).code == 2);
    CHECK(run({"info"}).code == 2);
    CHECK(run({"--help"}).code == 0);
    CHECK_FALSE(std::filesystem::exists(out));
}

TEST_CASE("bad input exits with 3 and one line that names the file and the place") {
    TempFolder f;
    test::put(f / "a.gltf", "{\"asset\":{\"version\":\"2.0\"},\"nodes\":[{\"children\":[4]}]}");
    oneLine(run({"info", (f / "a.gltf").string()}), 3, "a.gltf: nodes[0].children[0]: there is no node 4");
    oneLine(run({"info", (f / "none.glb").string()}), 3, "no such file");
    test::put(f / "a.txt", "hello");
    oneLine(run({"info", (f / "a.txt").string()}), 3, ".nutatio");
    test::put(f / "b.bvh", "HIERARCHY\n");
    oneLine(run({"measure", (f / "b.bvh").string()}), 3, "b.bvh: line");
    test::put(f / "c.nutatio", "{}");
    oneLine(run({"bake", (f / "c.nutatio").string(), "--out", (f / "x.glb").string()}), 3, "not a Nutatio scene");
    // Names in a file may hold anything; the error stays one line.
    test::put(f / "d.gltf", "{\"asset\":{\"version\":\"2.0\\n\\nx\"},\"extensionsRequired\":[\"A\\nB\"]}");
    oneLine(run({"info", (f / "d.gltf").string()}), 3, "extensionsRequired");
    oneLine(run({"bake", kDemo, "--out", (f / "no/o.glb").string()}), 3, "cannot be written");
}

TEST_CASE("BVH goes in and comes out as BVH or glTF") {
    TempFolder f;
    test::put(f / "a.bvh",
              "HIERARCHY\nROOT A\n{\nOFFSET 0 0 0\nCHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\nJOINT "
              "B\n{\nOFFSET 0 1 0\nCHANNELS 3 Zrotation Xrotation Yrotation\nEnd "
              "Site\n{\nOFFSET 0 1 0\n}\n}\n}\nMOTION\nFrames: 4\nFrame Time: 0.05\n0 0 0 0 0 0 0 0 0\n1 0 0 0 0 0 0 0 0\n0 0 0 "
              "9 0 0 0 0 0\n0 0 0 0 0 0 0 0 0\n");
    const std::string in = (f / "a.bvh").string();
    REQUIRE(run({"bake", in, "--layer", "strand:root=B", "--out", (f / "b.bvh").string()}).code == 0);
    CHECK_THAT(test::textOf(f / "b.bvh"), Catch::Contains("Frames: 4\nFrame Time: 0.05") && Catch::Contains("\n1 0 0 0 0 0 "));
    REQUIRE(run({"bake", in, "--layer", "strand:root=B", "--out", (f / "b.glb").string()}).code == 0);
    CHECK(run({"info", (f / "b.glb").string(), "--json"}).json()["clips"][0]["seconds"] == Approx(0.15));
    oneLine(run({"bake", kOtterFile, "--layer", "strand:root=tail_01", "--out", (f / "c.bvh").string()}), 3, "BVH");
}

TEST_CASE("choices, keys and profiles are told of by describe and refused in one line when wrong") {
    const Json strand = run({"describe", "strand", "--json"}).json()[0];
    const auto setting = [&](const char* id) -> const Json& {
        for (const Json& s : strand["settings"])
            if (s["id"] == id) return s;
        FAIL(id);
        return strand;
    };
    CHECK(setting("cuts")["choices"] == Json({"found", "marked", "none"}));
    CHECK(setting("cuts")["default"] == "found");
    CHECK(setting("swing")["keyable"] == true);
    CHECK(setting("swing")["profiled"] == true);
    CHECK(setting("end")["keyable"] == false);
    TempFolder f;
    const std::string out = (f / "o.glb").string();
    oneLine(run({"bake", kOtterFile, "--out", out, "--layer", "strand:root=tail_01,cuts=often"}), 2, "found, marked, none");
    oneLine(run({"bake", kOtterFile, "--out", out, "--layer", "strand:root=tail_01,twist=900"}), 2, "outside 0 to 180");
    CHECK(run({"bake", kOtterFile, "--out", out, "--clip", "Walk", "--layer",
               "strand:root=tail_01,stretch=0.1,stiff_first=3,twist=20,cuts=none,radius=0.02"})
              .code == 0);
    CHECK(run({"info", out}).code == 0);
}

TEST_CASE("a scene's winds and pins count on the command line too") {
    TempFolder f;
    const auto scene = [&](const std::string& winds) {
        test::put(f / "s.nutatio",
                  R"({"format": "nutatio-scene", "version": 1, "actors": [{"id": "o", "file": ")" + kOtterFile +
                      R"(", "clip": "Idle"}], "winds": [)" + winds +
                      R"(], "layers": [{"id": "t", "kind": "strand", "actor": "o", "settings": {"root": ["scarf_L_01"]}}]})");
        return (f / "s.nutatio").string();
    };
    const std::string calm = (f / "calm.glb").string(), blown = (f / "blown.glb").string();
    REQUIRE(run({"bake", scene(""), "--out", calm, "--clip", "Idle"}).code == 0);
    REQUIRE(run({"bake", scene(R"({"id": "w", "speed": 8})"), "--out", blown, "--clip", "Idle"}).code == 0);
    CHECK(run({"info", scene(R"({"id": "w"})"), "--json"}).json()["winds"] == 1);
    CHECK(test::textOf(calm) != test::textOf(blown));
    oneLine(run({"bake", scene(R"({"id": "w", "speed": -8})"), "--out", blown}), 3, "winds[0].speed");
}

TEST_CASE("an output that cannot be written in full is no success, the version is told") {
    std::ostringstream err;
    std::ofstream full("/dev/full");
    REQUIRE(full.good());
    CHECK(cli::run({"info", kOtterFile, "--json"}, full, err) == 3);
    CHECK_THAT(err.str(), Catch::Contains("could not be written"));
    const Ran version = run({"--version"});
    CHECK(version.code == 0);
    CHECK_THAT(version.out, Catch::StartsWith("nutatio-cli ") && Catch::Contains("."));
}

TEST_CASE("a scene without an actor that can be read is bad input, one actor of several is a warning") {
    TempFolder f;
    Json j = Json::parse(test::textOf(kDemo));
    const std::string assets = test::sourceFolder() + "/demo/assets/";
    for (Json& a : j["actors"]) a["file"] = assets + "gone.glb";
    test::put(f / "s.nutatio", j.dump());
    oneLine(run({"bake", (f / "s.nutatio").string(), "--out", (f / "o.glb").string()}), 3, "gone.glb");
    j["actors"][0]["file"] = kOtterFile;
    test::put(f / "s.nutatio", j.dump());
    const Ran some = run({"bake", (f / "s.nutatio").string(), "--out", (f / "o.glb").string()});
    CHECK(some.code == 0);
    CHECK_THAT(some.err, Catch::Contains("warning:") && Catch::Contains("gone.glb"));
}

TEST_CASE("a shot that its file's size does not allow is bad input, not bad arguments") {
    TempFolder f;
    test::put(
        f / "long.bvh",
        "HIERARCHY\nROOT r\n{\nOFFSET 0 1 0\nCHANNELS 3 Xrotation Yrotation Zrotation\nJOINT k\n{\nOFFSET 0 1 0\nCHANNELS 3 "
        "Xrotation Yrotation Zrotation\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\n}\nMOTION\nFrames: 2\nFrame Time: 80000\n0 0 0 0 0 0\n9 "
        "9 "
        "9 9 9 9\n");
    oneLine(run({"bake", (f / "long.bvh").string(), "--layer", "strand:root=k", "--out", (f / "o.glb").string()}), 3,
            "more than a file of its size may ask for");
    CHECK_FALSE(std::filesystem::exists(f / "o.glb"));
}

TEST_CASE("edit alone lists the operations, and tells the ids of what others made") {
    const Ran all = run({"edit"});
    CHECK(all.code == 0);
    CHECK_THAT(all.out, Catch::Contains("add-layer") && Catch::Contains("remove-clip"));
    CHECK(run({"edit", "--json"}).json().size() > 50);
    TempFolder f;
    const std::string out = (f / "s.nutatio").string();
    const Ran made = run({"edit", kOtterFile, "--do", "add-layer:kind=strand,joints=tail_01,id=rudder", "--do",
                          "add-wind:", "--do", "set:thing=rudder,setting=swing,value=2", "--out", out, "--json"});
    REQUIRE(made.code == 0);
    const Json ids = made.json()["made"];
    REQUIRE(ids.size() == 2);
    CHECK(ids[0]["id"] == "rudder");
    CHECK(ids[0]["list"] == "layers");
    CHECK(ids[1]["list"] == "winds");
    CHECK_THAT(run({"edit", kOtterFile, "--do", "add-wind:id=breeze", "--out", out}).out, Catch::Contains("made breeze (winds)"));
    oneLine(run({"edit", out, "--do", "set:thing=breze,setting=speed,value=2", "--out", out}), 2, "is it breeze");
    oneLine(run({"edit", kOtterFile, "--do", "pose-first:clip=Idle,hold=1,ease=2147483647", "--out", out}), 2, "whole number");
}

TEST_CASE("a scene is edited by named operations, in order, and a wrong one changes nothing") {
    TempFolder f;
    const std::string in = test::kOtterFile, out = (f / "s.nutatio").string();
    const auto made = run({"edit", in, "--do", "add-layer:kind=strand,joints=tail_01+tail_02,name=rudder", "--do",
                           "set:thing=rudder-strand,setting=swing,value=2.5", "--out", out});
    // The id was made from the joint's name; the name was given after.
    CHECK(made.code == 2);
    CHECK_THAT(made.err, Catch::Contains("rudder-strand"));
    CHECK_FALSE(std::filesystem::exists(out));
    const auto done =
        run({"edit", in, "--do", "add-layer:kind=strand,joints=tail_01+tail_02,name=rudder", "--do",
             "set:thing=tail-strand,setting=swing,value=2.5", "--do", "key:thing=layers:tail-strand,setting=mix,frame=5", "--do",
             "fit-colliders:", "--do", "rate:fps=30", "--out", out});
    REQUIRE(done.code == 0);
    const auto info = run({"info", out, "--json"});
    const files::Json j = files::Json::parse(info.out);
    CHECK(j["fps"] == 30.0);
    CHECK(j["layers"][0]["name"] == "rudder");
    CHECK(j["colliders"].get<int>() > 3);
    CHECK(j["shots"].size() == 3);
    const files::Json scene = files::Json::parse(test::textOf(out));
    CHECK(scene["layers"][0]["settings"]["swing"] == 2.5);
    CHECK(scene["shots"][0]["keys"]["layers"]["tail-strand"]["mix"][0][0].get<double>() == Approx(4 / 24.0));
    for (const auto& [text, says] : {std::pair{"fly:", "no operation"},
                                     {"set:thing=nobody,setting=a,value=1", "nothing called"},
                                     {"rename:thing=tail-strand", "wants name="},
                                     {"rate:fps=0", "between 1 and 1000"},
                                     {"cut:frame=1", "after the first"},
                                     {"set:thing=tail-strand,setting=swing,value=9e9", "outside"}}) {
        INFO(text);
        const auto bad = run({"edit", out, "--do", text, "--out", out});
        CHECK(bad.code == 2);
        CHECK_THAT(bad.err, Catch::Contains(says));
    }
    CHECK(test::textOf(out) == scene.dump(2) + "\n");
    CHECK_THAT(run({"edit", in}).out, Catch::Contains("move-layer"));
}

TEST_CASE("check: the findings as text and JSON, 1 when something is broken and not left") {
    TempFolder f;
    const Ran clean = run({"check", kOtterFile});
    CHECK(clean.code == 0);
    CHECK_THAT(clean.out, Catch::Contains("zero-length") && Catch::Contains("chain_01"));
    const Json root = run({"check", kOtterFile, "--json"}).json();
    REQUIRE(root["findings"].size() > 3);
    for (const auto& finding : root["findings"]) {
        CHECK(finding.contains("kind"));
        CHECK_THAT(std::string(finding["sentence"]), Catch::EndsWith("."));
        const std::string severity = finding["severity"];  // ids that scripts rely on
        CHECK((severity == "note" || severity == "look" || severity == "broken"));
    }
    demo::GltfBuilder b;
    const int root0 = b.node("a", -1);
    const int flat = b.node("flat", root0, {Vec3(0, 1, 0), Quat::Identity(), Vec3::Zero()});
    b.node("tip", flat, {Vec3(0, 1, 0), Quat::Identity(), Vec3::Ones()});
    b.writeGlb(f / "flat.glb");
    const Ran broken = run({"check", (f / "flat.glb").string()});
    CHECK(broken.code == 1);
    CHECK_THAT(broken.out, Catch::Contains("broken") && Catch::Contains("flat"));
    // What was seen and left breaks nothing.
    REQUIRE(run({"edit", (f / "flat.glb").string(), "--do", "leave:finding=scale|flat|,leave=yes", "--out",
                 (f / "left.nutatio").string()})
                .code == 0);
    CHECK(run({"check", (f / "left.nutatio").string()}).code == 0);
    CHECK(run({"check", (f / "gone.glb").string()}).code == 3);
}

TEST_CASE("loops classes clips and tells how the layers of each shot close, in words and in JSON") {
    const Ran words = run({"loops", kOtterFile, "--layer", "strand:root=tail_01,swing=1,bounces=4"});
    CHECK(words.code == 0);
    CHECK_THAT(words.out,
               Catch::Contains("Walk: closes") && Catch::Contains("Turn and stop: open") && Catch::Contains("laps, seam"));
    const Json j = run({"loops", kDemo, "--json"}).json();
    CHECK(j["clips"].size() >= 3);
    REQUIRE_FALSE(j["closed"].empty());
    for (const Json& each : j["closed"]) {
        CHECK(each["laps"] > 1);
        if (each["blended"] == 0) CHECK(each["after"] < 1e-4);
    }
    oneLine(run({"loops", "/no/such.glb"}), 3, "/no/such.glb");
}

TEST_CASE("a scene's takes are told by info, with how they differ") {
    TempFolder f;
    // A scene names files of its own folder alone.
    std::filesystem::copy(test::kDemoFolder + "assets", f / "assets", std::filesystem::copy_options::recursive);
    std::filesystem::copy(kDemo, f / "demo.nutatio");
    const std::string out = (f / "takes.nutatio").string();
    const Ran edited = run({"edit", (f / "demo.nutatio").string(), "--do", "keep-take:name=as it was", "--do",
                            "set:thing=layers:tail,setting=swing,value=3", "--do", "loop:way=closed", "--out", out});
    const Json j = run({"info", out, "--json"}).json();
    const Ran words = run({"info", out});
    REQUIRE(edited.code == 0);
    REQUIRE(j["takes"].size() == 1);
    CHECK(j["takes"][0]["name"] == "as it was");
    CHECK_THAT(words.out, Catch::Contains("take as it was") && Catch::Contains("tail: swing rate 3"));
}
