// The strand solver against closed forms: the bars of core/physics/README.md.
#include "physics/strand.h"

#include <catch2/catch.hpp>
#include <random>

#include "physics/oscillator.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using namespace nutatio::physics;
using test::Bench;
using test::straightLinks;

namespace {

/// Tip's sideways place over time for a strand turned by a small angle and let go.
std::vector<double> ring(int n, double length, double f, double zeta, double h, double seconds) {
    StrandDef def;
    def.swing = f;
    def.zeta = zeta;
    Bench b(straightLinks(n, length, Vec3::UnitZ()), def, h);
    b.start(Quat(Eigen::AngleAxisd(0.01, Vec3::UnitX())));
    std::vector<double> x;
    for (int k = 0; k < static_cast<int>(seconds / h); ++k) {
        b.step();
        x.push_back(b.strand.end(static_cast<std::size_t>(n) - 1).y() / length);
    }
    return x;
}

/// Period of a pendulum of length L let go at angle a: 4 sqrt(L/g) K(sin a/2), K by the arithmetic-geometric mean.
double pendulumPeriod(double length, double angle) {
    double a = 1, b = std::cos(0.5 * angle);
    for (int k = 0; k < 20; ++k) {
        const double m = 0.5 * (a + b);
        b = std::sqrt(a * b);
        a = m;
    }
    return 2 * kPi * std::sqrt(length / kEarthGravity) / a;
}

double firstPeriod(const std::vector<double>& x, double h) {
    std::vector<double> zeros;
    for (std::size_t k = 1; k < x.size(); ++k)
        if ((x[k - 1] < 0) != (x[k] < 0)) zeros.push_back((static_cast<double>(k) - x[k] / (x[k] - x[k - 1])) * h);
    return 2 * (zeros.back() - zeros.front()) / static_cast<double>(zeros.size() - 1);
}

StrandDef free() {
    StrandDef d;
    d.swing = 0;
    d.zeta = 0;
    d.gravity = Vec3(0, -kEarthGravity, 0);
    return d;
}

}  // namespace

TEST_CASE("one joint swings at the asked rate and damping, at any frame rate") {
    // Must: f within 0.5 %, zeta within 2 %. The substep is what substepsFor makes of each frame rate.
    for (double fps : {12.0, 24.0, 60.0, 120.0})
        for (double f : {0.5, 2.0, 5.0, 12.0})
            for (double zeta : {0.02, 0.1, 0.3}) {
                const double dt = 1 / fps, h = dt / substepsFor(dt, f);
                const test::Swing s = test::swingOf(ring(1, 1.0, f, zeta, h, std::max(2.5, 6 / f)), h);
                INFO("fps " << fps << " f " << f << " zeta " << zeta << " -> " << s.f << " " << s.zeta);
                CHECK(s.f == Approx(f).epsilon(0.005));
                CHECK(s.zeta == Approx(zeta).epsilon(0.02));
            }
}

TEST_CASE("a joint let go follows the damped spring's exact answer, up to where it may not bounce") {
    // x / x0 = e^(-zeta w t) (cos w_d t + zeta w / w_d sin w_d t), and (1 + w t) e^(-w t) at zeta = 1. Must: 2 % in zeta.
    for (double fps : {12.0, 24.0, 120.0})
        for (double f : {0.5, 2.0, 12.0})
            for (double zeta : {0.4, 0.7, 0.9, 1.0}) {
                const double dt = 1 / fps, h = dt / substepsFor(dt, f), w = 2 * kPi * f, from = std::sin(-0.01);
                const std::vector<double> x = ring(1, 1.0, f, zeta, h, 1.5 / f);
                for (std::size_t k = 3; k < x.size(); k += 3) {
                    const double t = static_cast<double>(k + 1) * h, wd = w * std::sqrt(std::max(0.0, 1 - zeta * zeta));
                    const double exact = zeta < 1
                                             ? std::exp(-zeta * w * t) * (std::cos(wd * t) + zeta * w / wd * std::sin(wd * t))
                                             : (1 + w * t) * std::exp(-w * t);
                    INFO("fps " << fps << " f " << f << " zeta " << zeta << " t " << t);
                    REQUIRE(x[k] / from == Approx(exact).margin(0.02));
                }
            }
}

TEST_CASE("the first mode is the asked one for any number of joints and any size") {
    for (double length : {0.01, 1.0, 10.0})
        for (int n : {1, 2, 3, 5, 8, 16, 32}) {
            const double f = 1.5, zeta = 0.12, h = 1.0 / 120;
            std::vector<double> x = ring(n, length, f, zeta, h, 5.0);
            // Higher modes die within the first swing or two; the first one is read after that.
            x.erase(x.begin(), x.begin() + static_cast<long>(1.2 / h));
            const test::Swing s = test::swingOf(x, h);
            INFO("n " << n << " length " << length << " -> " << s.f << " " << s.zeta);
            CHECK(s.f == Approx(f).epsilon(0.01));
            CHECK(s.zeta == Approx(zeta).epsilon(0.02));
        }
}

TEST_CASE("a free pendulum keeps the period of the elliptic integral and never gains energy") {
    const double h = 1.0 / 120, angle = radians(60);
    Bench b(straightLinks(1, 1.0, -Vec3::UnitY()), free(), h);
    b.start(Quat(Eigen::AngleAxisd(angle, Vec3::UnitZ())));
    const double lowest = -kEarthGravity * 0.5, from = b.strand.energy() - lowest;
    std::vector<double> x;
    double most = 0;
    for (int k = 0; k < 20 * 120; ++k) {
        b.step();
        x.push_back(b.strand.end(0).x());
        most = std::max(most, b.strand.energy() - lowest);
    }
    const double left = (b.strand.energy() - lowest) / from;
    INFO("period " << firstPeriod({x.begin(), x.begin() + 1200}, h) << " of " << pendulumPeriod(1, angle) << ", energy left "
                   << left);
    CHECK(firstPeriod({x.begin(), x.begin() + 1200}, h) == Approx(pendulumPeriod(1, angle)).epsilon(0.002));
    CHECK(left > 0.97);
    CHECK(most < from * 1.001);
}

TEST_CASE("a hanging chain's first mode is the Bessel root's") {
    // f = j0,1 / (4 pi) sqrt(g / L), j0,1 = 2.404826 (D. Bernoulli 1738; Lamb, Higher Mechanics).
    const double h = 1.0 / 120, length = 1.0;
    Bench b(straightLinks(8, length, -Vec3::UnitY()), free(), h);
    b.start(Quat(Eigen::AngleAxisd(0.01, Vec3::UnitZ())));
    // Tip motion holds higher modes too, undamped; the first one is found by projecting on cosines near it.
    std::vector<double> x;
    for (int k = 0; k < 60 * 120; ++k) {
        b.step();
        x.push_back(b.strand.end(7).x());
    }
    const double expected = 2.404826 / (4 * kPi) * std::sqrt(kEarthGravity / length);
    double best = 0, at = 0;
    for (double f = 0.97 * expected; f < 1.03 * expected; f += 0.0004 * expected) {
        double c = 0, s = 0;
        for (std::size_t k = 0; k < x.size(); ++k) {
            const double window = 0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(k) / static_cast<double>(x.size()));
            c += window * x[k] * std::cos(2 * kPi * f * static_cast<double>(k) * h);
            s += window * x[k] * std::sin(2 * kPi * f * static_cast<double>(k) * h);
        }
        if (c * c + s * s > best) {
            best = c * c + s * s;
            at = f;
        }
    }
    INFO(at << " of " << expected);
    CHECK(at == Approx(expected).epsilon(0.01));
}

TEST_CASE("a horizontal joint sags to the balance of spring and weight") {
    // k theta = m g L cos(theta), k = m L^2 w^2: theta / cos(theta) = g / (L w^2).
    for (double f : {1.0, 2.0, 6.0, 12.0}) {
        StrandDef d;
        d.swing = f;
        d.zeta = 0.5;
        d.gravity = Vec3(0, -kEarthGravity, 0);
        Bench b(straightLinks(1, 0.5, Vec3::UnitZ()), d, 1.0 / 120);
        b.start();
        b.step(120 * 20);
        const double w = 2 * kPi * f, asked = kEarthGravity / (0.5 * w * w);
        double theta = 0;
        for (int k = 0; k < 200; ++k) theta -= (theta - asked * std::cos(theta)) / (1 + asked * std::sin(theta));
        const double got = std::asin(-b.strand.end(0).y() / 0.5);
        INFO("f " << f << ": " << degrees(got) << " of " << degrees(theta));
        CHECK(got == Approx(theta).epsilon(0.01));
    }
}

TEST_CASE("links keep their lengths through violent motion") {
    Bench b(straightLinks(8, 1.0, Vec3::UnitZ()), StrandDef{}, 1.0 / 120);
    b.start();
    std::mt19937 noise(11);
    const auto jolt = [&]() -> Vec3 {
        return 0.05 *
               Vec3(static_cast<double>(noise() % 201) - 100, static_cast<double>(noise() % 201) - 100,
                    static_cast<double>(noise() % 201) - 100) /
               100;
    };
    for (int k = 0; k < 1200; ++k) {
        b.base.place0 = b.base.place1;
        b.base.place1 += jolt();
        b.base.velocityEnd = (b.base.place1 - b.base.place0) * 120;
        b.step();
        for (std::size_t i = 0; i < 8; ++i) {
            const Vec3 from = i == 0 ? b.base.place1 : b.strand.end(i - 1);
            REQUIRE((b.strand.end(i) - from).norm() == Approx(0.125).epsilon(1e-12));
        }
    }
}

TEST_CASE("a still strand without gravity stays where it is for a minute") {
    Bench b(straightLinks(10, 1.0, Vec3(0.6, 0, 0.8)), StrandDef{}, 1.0 / 120);
    b.start();
    const Vec3 tip = b.strand.end(9);
    b.step(60 * 120);
    CHECK((b.strand.end(9) - tip).norm() < 1e-6);
}

TEST_CASE("nothing that can be set, and no motion of the base, breaks the strand") {
    const unsigned seed = 20260;
    INFO("seed " << seed);
    std::mt19937 noise(seed);
    const auto any = [&](double low, double high) { return low + (high - low) * static_cast<double>(noise()) / 4294967295.0; };
    for (int trial = 0; trial < test::draws(10000); ++trial) {
        const int n = 1 + static_cast<int>(noise() % 8);
        const double size = std::pow(10.0, any(-3, 2)), fps = any(6, 240);
        StrandDef d;
        d.swing = noise() % 4 ? any(0, 60) : 0;
        d.zeta = noise() % 3 ? any(0, 5) : 0;
        d.airDrag = noise() % 2 ? any(0, 200) : 0;
        d.gravity = Vec3(0, any(-200, 200), 0);
        d.bendLimit = noise() % 2 ? any(0.01, kPi) : kPi;
        d.endWeight = noise() % 2 ? any(0, 100) : 0;
        const double dt = 1 / fps, h = dt / substepsFor(dt, d.swing);
        std::vector<LinkDef> links = straightLinks(n, size, Vec3::UnitZ());
        // Every other strand uses all there is beside: stretch, twist limits, stiffness by axis, thickness, a profile.
        if (noise() % 2) {
            d.stiffU = any(0, 100);
            d.stiffTwist = any(0, 100);
            d.stretchSwing = any(0.1, 30);
            for (LinkDef& l : links) {
                l.stretch = noise() % 2 ? any(0, 1) : 0;
                l.twistLimit = any(0, kPi);
                l.radius = any(0, 0.3) * size;
                l.swing = any(0, 2.5);
                l.zeta = any(0, 3);
            }
        }
        double longest = 0;
        for (const LinkDef& l : links) longest += l.length * (1 + 1.05 * l.stretch);
        Bench b(links, d, h);
        if (noise() % 4 == 0)
            b.strand.batch().setPin(
                0, noise() % static_cast<unsigned>(n),
                {any(0, 1), Vec3(0, 0, any(0, 1) * size), size * Vec3(any(-9, 9), any(-9, 9), any(-9, 9)), Vec3::Zero()});
        if (noise() % 4 == 0)
            for (std::size_t i = 0; i < static_cast<std::size_t>(n); ++i)
                b.strand.batch().setAir(0, i, size * Vec3(any(-50, 50), any(-50, 50), 0), any(0, 100));
        if (noise() % 2) {
            Body body;
            body.radiusA = any(0.02, 0.5) * size;
            body.radiusB = any(0.02, 0.5) * size;
            body.a = Vec3(any(-1, 1), any(-1, 1), any(-1, 1)) * size;
            body.b = body.a + Vec3(any(-1, 1), any(-1, 1), any(-1, 1)) * size;
            body.half = body.radiusA * Vec3(1, 2, 0.5);
            body.friction = any(0, 2);
            body.kind = static_cast<Body::Kind>(noise() % 3);
            b.bodies.push_back(body);
        }
        b.start();
        for (int k = 0; k < 120; ++k) {
            const bool teleport = noise() % 40 == 0;
            b.base.place0 = b.base.place1;
            b.base.turn0 = b.base.turn1;
            b.base.place1 += size * (teleport ? 50 : 0.2) * Vec3(any(-1, 1), any(-1, 1), any(-1, 1));
            b.base.turn1 =
                (fromRotationVector(Vec3(any(-1, 1), any(-1, 1), any(-1, 1)) * (teleport ? 3 : 0.3)) * b.base.turn1).normalized();
            b.base.velocityEnd = (b.base.place1 - b.base.place0) / h;
            b.step();
        }
        for (std::size_t i = 0; i < static_cast<std::size_t>(n); ++i) {
            INFO("trial " << trial << " link " << i);
            REQUIRE(b.strand.end(i).allFinite());
            REQUIRE(b.strand.turn(i).coeffs().allFinite());
            REQUIRE((b.strand.end(i) - b.base.place1).norm() <= longest * (1 + 1e-6));
        }
        REQUIRE(std::isfinite(b.strand.energy()));
    }
}

TEST_CASE("the bend limit holds and takes the speed out of what would pass it") {
    StrandDef d = free();
    d.bendLimit = radians(20);
    Bench b(straightLinks(3, 0.9, Vec3::UnitZ()), d, 1.0 / 120);
    b.start();
    for (int k = 0; k < 600; ++k) {
        b.step();
        for (std::size_t i = 0; i < 3; ++i) {
            const Vec3 above = i == 0 ? Vec3(Vec3::UnitZ()) : Vec3(b.strand.turn(i - 1) * Vec3::UnitZ()),
                       here = b.strand.turn(i) * Vec3::UnitZ();
            REQUIRE(degrees(std::acos(std::min(1.0, above.dot(here)))) <= 20.001);
        }
    }
    // It hangs at the limit instead of bouncing on it for ever.
    const Vec3 rest = b.strand.end(2);
    b.step(60);
    CHECK((b.strand.end(2) - rest).norm() < 1e-3);
}

TEST_CASE("a link bends to each side as far as its stop there, in an ellipse between, and comes to an eased one slowly") {
    const double u = radians(30), backU = radians(60), v = radians(20), backV = radians(120);
    for (const double easeOver : {0.0, 0.1})
        for (int way = 0; way < 8; ++way) {
            // Pulled sideways from +z: about x (the first axis) by -y and +y, about y (the second) by +x and -x.
            const double a = 2 * kPi * way / 8;
            std::vector<LinkDef> links = straightLinks(1, 0.5, Vec3::UnitZ());
            links[0].axisU = Vec3::UnitX();
            links[0].stops = {u, backU, v, backV};
            links[0].easeOver = easeOver;
            StrandDef d = free();
            d.airDrag = 0;
            d.gravity = 60 * Vec3(std::cos(a), std::sin(a), 0) - Vec3(0, 0, 30);
            Bench b(links, d, 1.0 / 240);
            b.start();
            INFO(way << ", eased over " << easeOver << " s");
            double furthest = 0, hardest = 0, speed = 0;
            Vec3 was = b.strand.end(0);
            for (int k = 0; k < 480; ++k) {
                b.step();
                const Vec3 here = b.strand.turn(0) * Vec3::UnitZ(), axis = Vec3::UnitZ().cross(here);
                const double angle = std::atan2(axis.norm(), here.z());
                furthest = std::max(furthest, angle);
                const double now = (b.strand.end(0) - was).norm() * 240;
                was = b.strand.end(0);
                hardest = std::max(hardest, speed - now);
                speed = now;
                if (axis.norm() < 1e-6) continue;
                const Vec3 about = axis.normalized();
                const double cu = about.x() / std::tan(0.5 * (about.x() > 0 ? u : backU)),
                             cv = about.y() / std::tan(0.5 * (about.y() > 0 ? v : backV));
                REQUIRE(std::tan(0.5 * angle) * std::hypot(cu, cv) <= 1 + 1e-6);
            }
            if (way == 0) CHECK(furthest == Approx(v).epsilon(0.02));
            if (way == 2) CHECK(furthest == Approx(backU).epsilon(0.02));
            if (way == 4) CHECK(furthest == Approx(backV).epsilon(0.02));
            if (way == 6) CHECK(furthest == Approx(u).epsilon(0.02));
            // What stops dead loses its speed within a step; an eased one over its last tenth of a second.
            if (easeOver > 0)
                CHECK(hardest < 0.5);
            else
                CHECK(hardest > 1.5);
        }
}

TEST_CASE("bones stay out of a capsule that is swept through them") {
    // Must: a bone goes in by at most 5 % of the radius, at 1 to 10 m/s.
    for (double speed : {1.0, 3.0, 10.0}) {
        StrandDef d;
        d.swing = 1.5;
        d.zeta = 0.3;
        Bench b(straightLinks(8, 1.0, -Vec3::UnitY()), d, 1.0 / 120);
        b.start();
        Body body;
        body.radiusA = body.radiusB = 0.1;
        double deepest = 0;
        for (int k = 0; k < 240; ++k) {
            const double x = -0.6 + speed * k / 120.0;
            body.a = Vec3(x, -0.55, -0.4);
            body.b = Vec3(x, -0.55, 0.4);
            body.velocity = Vec3(speed, 0, 0);
            b.bodies = {body};
            b.step();
            for (std::size_t i = 0; i < 8; ++i) {
                const physics::Contact c = nearest(body, b.strand.place(i), b.strand.end(i) - b.strand.place(i));
                deepest = std::max(deepest, -c.distance / body.radiusA);
            }
        }
        INFO("speed " << speed << ": " << 100 * deepest << " % of the radius");
        CHECK(deepest < 0.05);
    }
}

TEST_CASE("a rope laid on a plane comes to rest on it") {
    StrandDef d = free();
    d.airDrag = 1;
    Bench b(straightLinks(10, 1.0, Vec3::UnitX()), d, 1.0 / 120);
    Body plane;
    plane.kind = Body::Kind::Plane;
    plane.a = Vec3(0, -0.3, 0);
    b.bodies = {plane};
    b.start();
    b.step(120 * 20);
    for (std::size_t i = 0; i < 10; ++i) CHECK(b.strand.end(i).y() > -0.3 - 1e-3);
    CHECK(b.strand.end(9).y() < -0.29);
}

TEST_CASE("an end weight slows a strand that hangs by gravity alone as a pendulum of its length") {
    // With all its weight at the tip, a hanging chain swings like a simple pendulum.
    StrandDef d = free();
    d.endWeight = 100;
    const double h = 1.0 / 120;
    Bench b(straightLinks(6, 1.0, -Vec3::UnitY()), d, h);
    b.start(Quat(Eigen::AngleAxisd(0.02, Vec3::UnitZ())));
    std::vector<double> x;
    for (int k = 0; k < 120 * 20; ++k) {
        b.step();
        x.push_back(b.strand.end(5).x());
    }
    CHECK(firstPeriod(x, h) == Approx(pendulumPeriod(1, 0.02)).epsilon(0.01));
}

TEST_CASE("air drag slows a swinging strand as exp(-gamma t / 2) slows a pendulum") {
    StrandDef d = free();
    d.airDrag = 0.4;
    const double h = 1.0 / 120;
    Bench b(straightLinks(1, 1.0, -Vec3::UnitY()), d, h);
    b.start(Quat(Eigen::AngleAxisd(0.02, Vec3::UnitZ())));
    double late = 0;
    for (int k = 0; k < 120 * 10; ++k) {
        b.step();
        if (k > 120 * 8) late = std::max(late, std::abs(b.strand.end(0).x()));
    }
    // The greatest swing after 8 s lies within one half period of it.
    const double at8 = 0.02 * std::exp(-0.2 * 8);
    CHECK(late < at8 * 1.02);
    CHECK(late > at8 * std::exp(-0.2 * 1.01) * 0.98);
}

TEST_CASE("a tree swings with both its arms, and like its mirror image") {
    // A stem with two arms to either side: symmetric, so the stem must not be thrown to one side.
    std::vector<LinkDef> links = straightLinks(1, 0.4, -Vec3::UnitY());
    for (double side : {-1.0, 1.0}) {
        LinkDef arm;
        arm.parent = 0;
        arm.length = 0.3;
        arm.direction = arm.restDirection = Vec3(side, -1, 0).normalized();
        arm.attach = Vec3(side * 0.05, -0.4, 0);
        arm.restPlace = arm.attach;
        links.push_back(arm);
    }
    StrandDef d;
    d.swing = 2;
    d.zeta = 0.1;
    d.gravity = Vec3(0, -kEarthGravity, 0);
    Bench b(links, d, 1.0 / 120);
    b.start();
    double dropped = 0;
    for (int k = 0; k < 600; ++k) {
        b.base.place0 = b.base.place1;
        b.base.place1.y() = 0.05 * std::sin(k * 0.2);
        b.base.velocityEnd = Vec3(0, 0.05 * 0.2 * std::cos(k * 0.2) * 120, 0);
        b.step();
        const Vec3 l = b.strand.end(1), r = b.strand.end(2);
        REQUIRE(l.x() == Approx(-r.x()).margin(1e-9));
        REQUIRE(l.y() == Approx(r.y()).margin(1e-9));
        REQUIRE(std::abs(b.strand.end(0).x()) < 1e-9);
        dropped = std::max(dropped, std::abs(r.y() - (links[2].restPlace + 0.3 * links[2].restDirection).y()));
    }
    CHECK(dropped > 0.02);
}

TEST_CASE("a lantern on a thread and a whisker of many short joints do not buzz") {
    // Tension over light short links makes sideways frequencies far above the substep's rate; they must not gain energy.
    struct Case {
        int n;
        double length, endWeight;
    };
    for (const Case& c : {Case{6, 1.0, 100}, Case{32, 0.01, 0}, Case{32, 0.01, 20}, Case{16, 0.003, 100}}) {
        StrandDef d = free();
        d.endWeight = c.endWeight;
        Bench b(straightLinks(c.n, c.length, -Vec3::UnitY()), d, 1.0 / 120);
        b.start(Quat(Eigen::AngleAxisd(0.3, Vec3::UnitZ())));
        const double from = b.strand.energy();
        double most = from;
        for (int k = 0; k < 120 * 20; ++k) {
            b.step();
            most = std::max(most, b.strand.energy());
        }
        // Height of the drop it was let go from, as energy: the most that may ever be gained is a small share of it.
        Bench hanging(straightLinks(c.n, c.length, -Vec3::UnitY()), d, 1.0 / 120);
        hanging.start();
        const double drop = from - hanging.strand.energy();
        INFO("joints " << c.n << " length " << c.length << " weight " << c.endWeight << ": gained " << (most - from) / drop
                       << " of the drop");
        CHECK(most - from < 0.02 * drop);
    }
}

TEST_CASE("whatever was done to it, a damped strand comes to rest") {
    const unsigned seed = 77;
    INFO("seed " << seed);
    std::mt19937 noise(seed);
    const auto any = [&](double low, double high) { return low + (high - low) * static_cast<double>(noise()) / 4294967295.0; };
    for (int trial = 0; trial < 150; ++trial) {
        const int n = 1 + static_cast<int>(noise() % 16);
        const double size = std::pow(10.0, any(-2, 1));
        StrandDef d;
        d.swing = any(0.5, 20);
        d.zeta = any(0.05, 2);
        d.gravity = Vec3(0, noise() % 2 ? -kEarthGravity : 0, 0);
        d.endWeight = noise() % 3 ? 0 : any(0, 50);
        const double h = 1.0 / 24 / substepsFor(1.0 / 24, d.swing);
        Bench b(straightLinks(n, size, Vec3(0.8, -0.6, 0)), d, h);
        b.start();
        for (int k = 0; k < 60; ++k) {
            b.base.place0 = b.base.place1;
            b.base.turn0 = b.base.turn1;
            b.base.place1 += 0.1 * size * Vec3(any(-1, 1), any(-1, 1), any(-1, 1));
            b.base.turn1 = (fromRotationVector(Vec3(any(-1, 1), any(-1, 1), any(-1, 1)) * 0.2) * b.base.turn1).normalized();
            b.base.velocityEnd = (b.base.place1 - b.base.place0) / h;
            b.step();
        }
        b.base.place0 = b.base.place1;
        b.base.turn0 = b.base.turn1;
        b.base.velocityEnd = Vec3::Zero();
        // Ten rest times of the asked mode; a weight or gravity may slow it, so the wait is generous.
        b.step(static_cast<int>(std::min(60.0, 12 * restTime(d.swing, d.zeta) + 6) / h));
        const Vec3 tip = b.strand.end(static_cast<std::size_t>(n) - 1);
        double wander = 0;
        for (int k = 0; k < 60; ++k) {
            b.step();
            wander = std::max(wander, (b.strand.end(static_cast<std::size_t>(n) - 1) - tip).norm() / size);
        }
        INFO("trial " << trial << " n " << n << " size " << size << " swing " << d.swing << " zeta " << d.zeta << " gravity "
                      << d.gravity.y() << " weight " << d.endWeight);
        CHECK(wander < 2e-3);
    }
}

TEST_CASE("a step does not allocate") {
    std::vector<StrandPlan> plans(3, {straightLinks(8, 1, Vec3::UnitZ()), {}});
    for (LinkDef& l : plans[1].links) l.stretch = 0.1;
    StrandBatch batch(plans, 1.0 / 120);
    const std::vector<Quat> still(8, Quat::Identity());
    for (int k = 0; k < 3; ++k) batch.start(k, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
    batch.setBodies(2);
    batch.step();
    std::size_t before = test::allocations();
    const auto something = std::make_unique<int>(3);
    CHECK(test::allocations() > before);  // it does count
    before = test::allocations();
    for (int k = 0; k < 20; ++k) {
        for (int lane = 0; lane < 3; ++lane) {
            BaseStep b;
            b.place1.x() = 0.01 * k;
            batch.setBase(lane, b);
            batch.setBody(lane, 0, Body{});
            batch.setGoal(lane, 2, {});
        }
        batch.step();
    }
    CHECK(test::allocations() == before);
}
