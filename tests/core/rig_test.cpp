#include <catch2/catch.hpp>

#include "base/hash.h"
#include "rig/clip.h"
#include "rig/skeleton.h"
#include "rig/track.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using namespace nutatio::rig;

namespace {
Skeleton skeletonOf(std::initializer_list<std::pair<const char*, int>> joints) {
    std::vector<Joint> list;
    for (const auto& [name, parent] : joints) {
        Joint j;
        j.name = name;
        j.parent = parent;
        list.push_back(j);
    }
    return Skeleton(list);
}
Channel curve(Path path, Interpolation how, std::vector<float> times, std::vector<float> values) {
    Channel c;
    c.path = path;
    c.interpolation = how;
    c.width = path == Path::Turn ? 4 : 3;
    c.times = std::move(times);
    c.values = std::move(values);
    return c;
}
}  // namespace

TEST_CASE("rotation vectors go there and back, to the half turn and past nothing") {
    for (double angle : {0.0, 1e-12, 1e-6, 0.3, 2.0, 3.1, kPi - 1e-9}) {
        const Vec3 v = angle * Vec3(1, -2, 0.5).normalized();
        CHECK((rotationVector(fromRotationVector(v)) - v).norm() < 1e-9);
    }
    // The longer way round comes back as the shorter one.
    CHECK(rotationVector(fromRotationVector(Vec3(0, 0, 2 * kPi - 0.5))).z() == Approx(-0.5));
}

TEST_CASE("the arc between opposite directions is still a half turn") {
    const Quat q = arc(Vec3::UnitY(), -Vec3::UnitY());
    CHECK((q * Vec3::UnitY() + Vec3::UnitY()).norm() < 1e-12);
    CHECK((arc(Vec3::UnitX(), Vec3(1, 1e-9, 0).normalized()) * Vec3::UnitX()).norm() == Approx(1));
}

TEST_CASE("an affine of move, turn and scale comes apart into them, mirrored ones too") {
    Xform x;
    x.t = Vec3(1, 2, 3);
    x.r = fromRotationVector(Vec3(0.4, -1.2, 2));
    for (const Vec3& s : {Vec3(2, 3, 0.5), Vec3(-2, 3, 0.5), Vec3(0.01, 0.01, 0.01)}) {
        x.s = s;
        bool sheared = true;
        const Xform y = decompose(x.affine(), &sheared);
        CHECK_FALSE(sheared);
        CHECK((y.affine().m - x.affine().m).norm() < 1e-12);
        CHECK((y.t - x.t).norm() == 0);
    }
    Affine shear;
    shear.m << 1, 0.5, 0, 0, 1, 0, 0, 0, 1;
    bool sheared = false;
    (void)decompose(shear, &sheared);
    CHECK(sheared);
}

TEST_CASE("joints are named by name, and by #number where a name is missing or shared") {
    const Skeleton s = skeletonOf({{"hips", -1}, {"", 0}, {"arm", 0}, {"arm", 2}, {"#1", 3}});
    CHECK(s.reference(0) == "hips");
    CHECK(s.reference(1) == "#1");
    CHECK(s.reference(2) == "#2");
    CHECK(s.reference(3) == "#3");
    CHECK(s.find("arm") == 2);
    CHECK(s.find("#3") == 3);
    CHECK(s.find("#1") == 4);  // a joint that is really called so comes first
    CHECK(s.find("#99") == kNoJoint);
    CHECK(s.find("#") == kNoJoint);
    CHECK(s.find("") == kNoJoint);
    CHECK(s.find("#1x") == kNoJoint);
}

TEST_CASE("parents come before children whatever order the file has them in") {
    const Skeleton s = skeletonOf({{"c", 2}, {"a", -1}, {"b", 1}});
    CHECK(s.order() == std::vector<int>{1, 2, 0});
    CHECK(s.path(1, 0) == std::vector<int>{1, 2, 0});
    CHECK(s.path(0, 1).empty());
    CHECK(s.isBelow(0, 1));
    CHECK_FALSE(s.isBelow(1, 0));
    CHECK(s.subtree(2) == std::vector<int>{2, 0});
}

TEST_CASE("step, linear and cubic curves are read as glTF defines them") {
    double v[3];
    const Channel step = curve(Path::Move, Interpolation::Step, {1, 2}, {0, 0, 0, 10, 0, 0});
    step.sample(1.99, v);
    CHECK(v[0] == 0);
    step.sample(2.0, v);
    CHECK(v[0] == 10);
    const Channel linear = curve(Path::Move, Interpolation::Linear, {1, 3}, {0, 0, 0, 10, 0, 0});
    for (const auto& [t, x] : {std::pair{0.0, 0.0}, {1.5, 2.5}, {3.0, 10.0}, {9.0, 10.0}}) {
        linear.sample(t, v);
        CHECK(v[0] == Approx(x));
    }
    // A cubic with slopes that make it a straight line, keys two seconds apart: slopes are per second.
    const Channel cubic =
        curve(Path::Move, Interpolation::Cubic, {0, 2}, {0, 0, 0, 1, 0, 0, 5, 0, 0, 5, 0, 0, 11, 0, 0, 0, 0, 0});
    cubic.sample(0.5, v);
    CHECK(v[0] == Approx(1 + 5 * 0.5));
    cubic.sample(2, v);
    CHECK(v[0] == 11);
}

TEST_CASE("turns blend the short way and come out unit, from keys that are not") {
    double v[4];
    // Two keys that stand for nearly the same turn, with opposite signs, the second of length 3.
    const float h = std::sqrt(0.5f);
    const Channel c = curve(Path::Turn, Interpolation::Linear, {0, 1}, {0, 0, 0, 1, 0, -3 * h, 0, -3 * h});
    c.sample(0.5, v);
    CHECK(v[1] == Approx(std::sin(kPi / 8)));
    CHECK(v[3] == Approx(std::cos(kPi / 8)));
    const Channel nothing = curve(Path::Turn, Interpolation::Linear, {0}, {0, 0, 0, 0});
    nothing.sample(0, v);
    CHECK(v[3] == 1);
}

TEST_CASE("keys at one time make a jump, not a division by nothing") {
    double v[3];
    const Channel c = curve(Path::Move, Interpolation::Linear, {0, 1, 1, 2}, {0, 0, 0, 1, 0, 0, 5, 0, 0, 6, 0, 0});
    for (double t : {0.0, 0.999, 1.0, 1.5, 2.0}) {
        c.sample(t, v);
        CHECK(std::isfinite(v[0]));
    }
    c.sample(1.0, v);
    CHECK(v[0] == 5);
}

TEST_CASE("the frame grid covers a clip from its own start, whole frames and ragged ends") {
    Clip c;
    c.start = 2;
    c.end = 3;
    CHECK(FrameGrid::covering(c, 24).frames == 25);
    CHECK(FrameGrid::covering(c, 24).time(0) == 2);
    CHECK(FrameGrid::covering(c, 24).time(24) == Approx(3));
    c.end = 2.01;
    const FrameGrid ragged = FrameGrid::covering(c, 24);
    CHECK(ragged.frames == 2);
    CHECK(ragged.time(1) == Approx(2.01));  // the last frame is held at the clip's end
    c.end = 2;
    CHECK(FrameGrid::covering(c, 24).frames == 1);
    // Times are single precision: 70 frames at 30 fps must not become 71.
    c.start = 0;
    c.end = static_cast<double>(static_cast<float>(70 / 30.0));
    CHECK(FrameGrid::covering(c, 30).frames == 71);
}

TEST_CASE("columns of joints that hold still are kept once and shared") {
    test::ChainSpec spec;
    spec.bones = 3;
    spec.motion = [](double t) {
        Xform x;
        x.t.x() = t;
        return x;
    };
    const auto actor = test::chainActor(spec);
    const Track body = bodyTrack(*actor, 0, FrameGrid::covering(actor->clips[0], 24));
    CHECK_FALSE(body.holdsStill(0));
    for (int j = 1; j < body.joints(); ++j) CHECK(body.holdsStill(j));
    Track above = body;
    above.replace(2, Column(static_cast<std::size_t>(body.frames())));
    CHECK(above.column(1) == body.column(1));
    CHECK(above.ownBytes(&body) == static_cast<std::size_t>(body.frames()) * sizeof(Xform));
}

TEST_CASE("a loop is a shot that ends where it began") {
    test::ChainSpec spec;
    spec.frames = 25;
    spec.motion = [](double t) {
        Xform x;
        x.t.x() = 0.2 * std::sin(2 * kPi * t);
        return x;
    };
    const auto loop = test::chainActor(spec);
    CHECK(bodyTrack(*loop, 0, FrameGrid::covering(loop->clips[0], 24)).closes(*loop));
    spec.motion = [](double t) {
        Xform x;
        x.t.x() = t;
        return x;
    };
    const auto travel = test::chainActor(spec);
    CHECK_FALSE(bodyTrack(*travel, 0, FrameGrid::covering(travel->clips[0], 24)).closes(*travel));
}

TEST_CASE("content keys tell order, length and value apart") {
    const auto key = [](auto... parts) {
        Hasher h;
        (h.text(parts), ...);
        return h.done();
    };
    CHECK(key("ab", "c") != key("a", "bc"));
    CHECK(key("a") != key("a", ""));
    CHECK(key("a", "b") != key("b", "a"));
    CHECK(key("a", "b") == key("a", "b"));
    CHECK(Hasher().real(0.0).done() == Hasher().real(-0.0).done());
    CHECK(Hasher().real(1.0).done() != Hasher().real(std::nextafter(1.0, 2.0)).done());
}
