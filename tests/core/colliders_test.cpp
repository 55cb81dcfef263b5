#include "physics/colliders.h"

#include <catch2/catch.hpp>
#include <random>

using namespace nutatio;
using namespace nutatio::physics;

namespace {
/// Each of its numbers between -1 and 1.
Vec3 anyVector(std::mt19937& noise) {
    const auto one = [&] { return (static_cast<double>(noise() % 2001) - 1000) / 1000; };
    const double x = one(), y = one();
    return {x, y, one()};
}
}  // namespace

TEST_CASE("the nearest point of a bone to a capsule is the nearest of many tried") {
    std::mt19937 noise(3);
    const auto any = [&]() -> Vec3 { return anyVector(noise); };
    for (int trial = 0; trial < 300; ++trial) {
        Body b;
        b.a = any();
        b.b = trial % 5 == 0 ? b.a : any();
        b.radiusA = b.radiusB = 0.1;
        const Vec3 p = any(), v = any();
        double tried = 1e9;
        for (int i = 0; i <= 60; ++i)
            for (int k = 0; k <= 60; ++k) tried = std::min(tried, (p + v * (i / 60.0) - (b.a + (b.b - b.a) * (k / 60.0))).norm());
        const Contact c = nearest(b, p, v);
        INFO("trial " << trial);
        CHECK(c.distance + b.radiusA <= tried + 1e-9);
        CHECK(c.distance + b.radiusA >= tried - 0.06);
        CHECK(c.lever >= 0);
        CHECK(c.lever <= 1);
        // Along the normal, at that distance, lies the surface.
        const Vec3 on = p + c.lever * v - c.distance * c.normal;
        CHECK(nearest(b, on, Vec3::Zero()).distance == Approx(0).margin(1e-12));
    }
}

TEST_CASE("parallel bones and bones of no length have a nearest point too") {
    Body b;
    b.b = Vec3(0, 1, 0);
    b.radiusA = b.radiusB = 0.2;
    CHECK(nearest(b, Vec3(1, 0, 0), Vec3(0, 1, 0)).distance == Approx(0.8));
    CHECK(nearest(b, Vec3(1, 0.5, 0), Vec3::Zero()).distance == Approx(0.8));
    CHECK(nearest(b, Vec3(0, 0.5, 0), Vec3::Zero()).normal.norm() == Approx(1.0));
}

TEST_CASE("a plane is met by the lower end of a bone") {
    Body b;
    b.kind = Body::Kind::Plane;
    b.a = Vec3(3, 1, 5);
    CHECK(nearest(b, Vec3(0, 2, 0), Vec3(0, -3, 0)).distance == Approx(-2.0));
    CHECK(nearest(b, Vec3(0, 2, 0), Vec3(0, -3, 0)).lever == 1.0);
    CHECK(nearest(b, Vec3(0, -1, 0), Vec3(0, 3, 0)).lever == 0.0);
}

TEST_CASE("a turning capsule's surface speed is that of the nearest point") {
    Body b;
    b.a = Vec3(0, 0, 0);
    b.b = Vec3(2, 0, 0);
    b.spin = Vec3(0, 0, 2);
    b.radiusA = b.radiusB = 0.1;
    CHECK(nearest(b, Vec3(1, 1, 0), Vec3(0, 1, 0)).velocity.y() == Approx(2.0));
}

TEST_CASE("a capsule of two radii is the nearest of many balls along its axis") {
    std::mt19937 noise(8);
    const auto any = [&]() -> Vec3 { return anyVector(noise); };
    for (int trial = 0; trial < 300; ++trial) {
        Body b;
        b.a = any();
        b.b = any();
        b.radiusA = 0.05 + 0.001 * static_cast<double>(noise() % 200);
        b.radiusB = 0.05 + 0.001 * static_cast<double>(noise() % 200);
        // A radius that grows faster than the axis is long makes one ball swallow the other; nobody draws that.
        if (std::abs(b.radiusB - b.radiusA) > 0.5 * (b.b - b.a).norm()) continue;
        const Vec3 p = any();
        double tried = 1e9;
        for (int k = 0; k <= 400; ++k) {
            const double t = k / 400.0;
            tried = std::min(tried, (p - (b.a + t * (b.b - b.a))).norm() - (b.radiusA + t * (b.radiusB - b.radiusA)));
        }
        INFO("trial " << trial);
        // For a point the answer is exact.
        CHECK(nearest(b, p, Vec3::Zero()).distance == Approx(tried).margin(2e-3));
        // For a bone it is at most that of any of its points, to the two rounds that it is sought in.
        const Vec3 v = any();
        double along = 1e9;
        for (int k = 0; k <= 60; ++k) along = std::min(along, nearest(b, p + v * (k / 60.0), Vec3::Zero()).distance);
        CHECK(nearest(b, p, v).distance == Approx(along).margin(0.03));
    }
}

TEST_CASE("a box is met at its faces, edges and corners, and deepest inside by the nearest face") {
    Body b;
    b.kind = Body::Kind::Box;
    b.half = Vec3(0.5, 0.2, 0.3);
    CHECK(nearest(b, Vec3(0, 1, 0), Vec3::Zero()).distance == Approx(0.8));
    CHECK(nearest(b, Vec3(0, 1, 0), Vec3::Zero()).normal.y() == Approx(1));
    CHECK(nearest(b, Vec3(0.9, 0.5, 0), Vec3::Zero()).distance == Approx(0.5));
    CHECK(nearest(b, Vec3(0.7, 0.4, 0.4), Vec3::Zero()).distance == Approx(0.3));
    CHECK(nearest(b, Vec3(0.05, 0.15, 0), Vec3::Zero()).distance == Approx(-0.05));
    CHECK(nearest(b, Vec3(0.05, -0.15, 0), Vec3::Zero()).normal.y() == Approx(-1));
    // A bone through it is deepest in its middle.
    const Contact through = nearest(b, Vec3(-0.2, 0.4, 0), Vec3(0.4, -0.6, 0));
    CHECK(through.distance < -0.19);
    CHECK(through.lever == Approx(2.0 / 3).margin(0.01));
    std::mt19937 noise(9);
    const auto any = [&]() -> Vec3 { return anyVector(noise); };
    for (int trial = 0; trial < 300; ++trial) {
        b.a = 0.3 * any();
        b.turn = fromRotationVector(3 * any());
        const Vec3 p = 1.5 * any(), v = any();
        double least = 1e9;
        for (int k = 0; k <= 200; ++k) least = std::min(least, nearest(b, p + v * (k / 200.0), Vec3::Zero()).distance);
        INFO("trial " << trial);
        CHECK(nearest(b, p, v).distance <= least + 1e-3);
        CHECK(nearest(b, p, v).distance >= least - 0.01);
    }
}

TEST_CASE("a box that spins carries its surface along") {
    Body b;
    b.kind = Body::Kind::Box;
    b.half = Vec3(1, 1, 1);
    b.velocity = Vec3(0.5, 0, 0);
    b.spin = Vec3(0, 0, 3);
    // At the middle of the +x face the surface goes up at 3 x 1.
    const Contact c = nearest(b, Vec3(1.2, 0, 0), Vec3::Zero());
    CHECK(c.velocity.x() == Approx(0.5));
    CHECK(c.velocity.y() == Approx(3));
}
