#include "files/bvh.h"

#include <catch2/catch.hpp>

#include "tests/support/rigs.h"

using namespace nutatio;
using test::TempFolder;

namespace {

const std::string kHead = R"(HIERARCHY
ROOT Hips
{
  OFFSET 0 90 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT Spine One
  {
    OFFSET 0 40 0
    CHANNELS 3 Yrotation Zrotation Xrotation
    End Site
    {
      OFFSET 0 35 0
    }
  }
}
)";
const std::string kMotion =
    "MOTION\nFrames: 3\nFrame Time: 0.04\n0 90 0 0 0 0 0 0 0\n1 90 0 10 20 30 40 50 60\n2 90 0 0 0 0 0 0 0\n";

Result<std::shared_ptr<const rig::Actor>> readText(const std::string& text) {
    TempFolder f;
    test::put(f / "a.bvh", text);
    return files::readBvh(f / "a.bvh");
}

Quat about(int axis, double deg) {
    return Quat(Eigen::AngleAxisd(radians(deg), Vec3::Unit(axis)));
}

void refused(const std::string& text, const std::string& place, const std::string& words) {
    const auto r = readText(text);
    INFO(words);
    REQUIRE_FALSE(r.ok());
    CHECK_THAT(r.error().text(), Catch::Contains("a.bvh") && Catch::Contains(place) && Catch::Contains(words));
}

}  // namespace

TEST_CASE("joints, names with spaces, end sites, orders and times are read") {
    const auto r = readText(kHead + kMotion);
    REQUIRE(r.ok());
    const rig::Actor& a = *r.value();
    REQUIRE(a.skeleton.size() == 3);
    CHECK(a.skeleton.joint(1).name == "Spine One");
    CHECK(a.skeleton.joint(2).name == "Spine One_end");
    CHECK(a.clips.at(0).seconds() == Approx(0.08));
    std::vector<Xform> pose = a.restPose();
    a.clips[0].pose(0.04, pose);
    CHECK(pose[0].t.x() == Approx(1));
    CHECK(pose[0].r.angularDistance(about(2, 10) * about(0, 20) * about(1, 30)) < 1e-6);
    CHECK(pose[1].r.angularDistance(about(1, 40) * about(2, 50) * about(0, 60)) < 1e-6);
}

TEST_CASE("a byte-order mark, CRLF, tabs and lower case change nothing") {
    std::string text = kHead + kMotion;
    std::string crlf = "\xEF\xBB\xBF";
    for (char c : text) crlf += c == '\n' ? "\r\n" : std::string(1, c);
    const auto r = readText(crlf);
    REQUIRE(r.ok());
    CHECK(r.value()->skeleton.joint(1).name == "Spine One");
    for (char& c : text) c = static_cast<char>(c == ' ' ? '\t' : std::tolower(c));
    CHECK(readText(text).ok());
}

TEST_CASE("the unit is guessed from the figure's height") {
    const auto scaled = [](double k) {
        std::string t = kHead;
        const auto swap = [&](const std::string& a, double v) {
            t.replace(t.find(a), a.size(), a.substr(0, a.find("0 ") + 2) + std::to_string(v * k) + " 0");
        };
        swap("OFFSET 0 40 0", 80);
        swap("OFFSET 0 35 0", 90);
        return readText(t + "MOTION\nFrames: 0\nFrame Time: 0.04\n");
    };
    CHECK(scaled(0.01).value()->metresPerUnit == 1.0);  // metres
    CHECK(scaled(1.0).value()->metresPerUnit == 0.01);  // centimetres
    CHECK(scaled(1 / 2.54).value()->metresPerUnit == 0.0254);
    CHECK(scaled(10).value()->metresPerUnit == 0.001);
}

TEST_CASE("broken BVH files are refused with the line") {
    refused("", "line 1", "HIERARCHY");
    refused("HIERARCHY\nROOT a\n{\nOFFSET 0 0\n}\n", "line 5", "number");
    refused("HIERARCHY\nMOTION\n", "line 2", "no joints");
    refused(kHead + "MOTION\nFrames: 9\nFrame Time: 0.04\n1 2 3\n", "line", "cut short");
    refused(kHead + "MOTION\nFrames: 999999999999\nFrame Time: 0.04\n", "line", "cut short");
    refused(kHead + "MOTION\nFrames: -1\nFrame Time: 0.04\n", "line", "whole");
    refused(kHead + "MOTION\nFrames: 3\nFrame Time: 0\n", "line", "above 0");
    refused(kHead + "MOTION\nFrames: 1\nFrame Time: 0.04\n0 90 0 0 nan 0 0 0 0\n", "line 19", "usable");
    refused(kHead + "MOTION\nFrames: 1\nFrame Time: 0.04\n0 90 0 0 x 0 0 0 0\n", "line 19", "\"x\"");
    refused(kHead + "MOTION\nFrames: 1\nFrame Time: 0.04\n0 1e400 0 0 0 0 0 0 0\n", "line 19", "usable");
    std::string deep = "HIERARCHY\nROOT a\n{\n";
    for (int i = 0; i < 100000; ++i) deep += "JOINT b\n{\n";
    refused(deep, "line", "deep");
    refused("HIERARCHY\nROOT a\n{\nCHANNELS 3 Xrotation Wrotation Yrotation\n}", "line 4", "Wrotation");
}

TEST_CASE("motion written back keeps untouched joints to the digit and turns touched ones") {
    TempFolder f;
    test::put(f / "a.bvh", kHead + kMotion);
    const auto actor = test::read(f / "a.bvh");
    const rig::FrameGrid g = rig::FrameGrid::covering(actor->clips[0], 25);
    REQUIRE(g.frames == 3);
    const rig::Track body = rig::bodyTrack(*actor, 0, g);
    rig::Track moved = body;
    rig::Column c;
    for (int k = 0; k < 3; ++k) {
        Xform x = body.at(1, k);
        x.r = about(0, 170 + 20 * k) * about(1, 10);
        c.push_back(x);
    }
    moved.replace(1, c);
    REQUIRE(files::writeBvh(*actor, body, moved, f / "b.bvh").ok());
    const std::string text = test::textOf(f / "b.bvh");
    CHECK_THAT(text, Catch::Contains("\n1 90 0 10 20 30 "));  // the root's own digits
    CHECK_THAT(text, Catch::StartsWith(kHead.substr(0, kHead.size() - 1)));
    const auto again = test::read(f / "b.bvh");
    std::vector<Xform> pose = again->restPose();
    double last = 0;
    for (int k = 0; k < 3; ++k) {
        again->clips[0].pose(0.04 * k, pose);
        CHECK(pose[1].r.angularDistance(c[static_cast<std::size_t>(k)].r) < 1e-5);
        last = pose[1].r.w();
    }
    CHECK(std::isfinite(last));
    demo::GltfBuilder b;
    b.node("a", -1);
    b.writeGlb(f / "c.glb");
    CHECK_FALSE(files::writeBvh(*test::read(f / "c.glb"), body, moved, f / "d.bvh").ok());
}
