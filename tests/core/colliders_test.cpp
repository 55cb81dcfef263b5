#include "physics/colliders.h"

#include <catch2/catch.hpp>
#include <random>

using namespace nutatio;
using namespace nutatio::physics;

TEST_CASE("the nearest point of a bone to a capsule is the nearest of many tried") {
    std::mt19937 noise(3);
    const auto any = [&]() -> Vec3 {
        return Vec3(static_cast<double>(noise() % 2001) - 1000, static_cast<double>(noise() % 2001) - 1000,
                    static_cast<double>(noise() % 2001) - 1000) /
               1000;
    };
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
