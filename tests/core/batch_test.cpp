// The batch: the same bits at every width, in any company; and what issue after issue asks of one strand, against closed forms.
#include <catch2/catch.hpp>
#include <random>

#include "physics/oscillator.h"
#include "physics/strand.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using namespace nutatio::physics;
using test::Bench;
using test::straightLinks;

namespace {

StrandDef hanging() {
    StrandDef d;
    d.swing = 0;
    d.zeta = 0;
    d.gravity = Vec3(0, -kEarthGravity, 0);
    return d;
}

/// A strand of its own for each number: lengths, settings and motions differ. `all` uses every feature there is.
StrandPlan anyPlan(int k, bool all) {
    StrandPlan p{straightLinks(3 + k % 6, 0.6 + 0.1 * k, Vec3::UnitZ()), {}};
    p.def.swing = 1 + 0.3 * k;
    p.def.zeta = 0.05 + 0.07 * k;
    p.def.gravity = Vec3(0, -9 + k, 0);
    p.def.airDrag = 0.2 * k;
    if (all) p.def.stiffU = 0.45 + 0.1 * k;
    for (LinkDef& l : p.links) {
        l.radius = 0.01 * (k % 4);
        if (!all) continue;
        l.bendLimit = 0.3 + 0.1 * k;
        l.twistLimit = 0.2;
        l.stretch = 0.05 * k;
    }
    return p;
}

Body anyBody(int b) {
    Body body;
    body.kind = static_cast<Body::Kind>(b % 3);
    body.a = Vec3(0.1 * b - 0.1, -0.25, 0.3);
    body.b = body.a + Vec3(0.2, 0.05, 0.1);
    body.radiusA = 0.06;
    body.radiusB = 0.09;
    body.half = Vec3(0.1, 0.05, 0.2);
    body.turn = fromRotationVector(Vec3(0.1 * b, 0, 0.2));
    body.friction = 0.3;
    if (body.kind == Body::Kind::Plane) body.a.y() = -0.4;
    return body;
}

/// Ends of strands `first` .. after 300 steps among bodies, pins and wind, computed side by side.
std::vector<Vec3> ends(int first, int count, int width, bool all) {
    std::vector<StrandPlan> plans;
    for (int k = 0; k < count; ++k) plans.push_back(anyPlan(first + k, all));
    StrandBatch batch(plans, 1.0 / 120, width);
    batch.setBodies(3);
    std::vector<BaseStep> bases(static_cast<std::size_t>(count));
    for (int k = 0; k < count; ++k) {
        const std::vector<Quat> still(batch.links(k), Quat::Identity());
        batch.start(k, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
        for (int b = 0; b < 3; ++b) batch.setBody(k, static_cast<std::size_t>(b), anyBody(b));
        if ((first + k) % 4 == 3) batch.setPin(k, 1, {0.6, Vec3(0, 0, 0.1), Vec3(0.1, 0.1, 0.2), Vec3::Zero()});
        for (std::size_t i = 0; i < batch.links(k); ++i) batch.setAir(k, i, Vec3(1, 0, 0.2 * (first + k)), 0.5);
    }
    for (int s = 0; s < 300; ++s) {
        for (int k = 0; k < count; ++k) {
            BaseStep& b = bases[static_cast<std::size_t>(k)];
            b.place0 = b.place1;
            b.turn0 = b.turn1;
            b.place1 = Vec3(0.2 * std::sin(0.05 * s + first + k), 0, 0);
            b.turn1 = fromRotationVector(Vec3(0, 0.4 * std::sin(0.03 * s), 0));
            b.velocityEnd = (b.place1 - b.place0) * 120;
            batch.setBase(k, b);
        }
        batch.step();
    }
    std::vector<Vec3> out;
    for (int k = 0; k < count; ++k)
        for (std::size_t i = 0; i < batch.links(k); ++i) out.push_back(batch.end(k, i));
    return out;
}

}  // namespace

TEST_CASE("a strand's bits do not depend on how many are computed at once, nor on which") {
    for (bool all : {false, true}) {
        std::vector<Vec3> alone;
        for (int k = 1; k < 9; ++k)
            for (const Vec3& p : ends(k, 1, 2, all)) alone.push_back(p);
        for (int width : {2, 4, 8}) {
            if (width > bestWidth()) continue;
            std::vector<Vec3> together;
            for (int k = 1; k < 9; k += width)
                for (const Vec3& p : ends(k, width, width, all)) together.push_back(p);
            REQUIRE(together.size() == alone.size());
            for (std::size_t i = 0; i < alone.size(); ++i) {
                INFO("all " << all << " width " << width << " link " << i << ": " << together[i].transpose());
                CHECK(together[i].allFinite());
                CHECK((together[i].array() == alone[i].array()).all());
            }
        }
    }
}

TEST_CASE("a rope between two pins hangs in a catenary") {
    // y = c cosh(x / c): span 2 c sinh-inverse fits its length (Huygens 1691). Many short links stand for the rope.
    const int n = 40;
    const double length = 1.2, span = 0.9;
    StrandDef d = hanging();
    d.airDrag = 3;
    StrandPlan plan{straightLinks(n, length, Vec3::UnitX()), d};
    StrandBatch b(std::vector<StrandPlan>{plan}, 1.0 / 240, 2);
    const std::vector<Quat> still(n, Quat::Identity());
    b.start(0, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
    b.setPin(0, n - 1, {1.0, (length / n) * Vec3::UnitX(), Vec3(span, 0, 0), Vec3::Zero()});
    for (int k = 0; k < 240 * 20; ++k) b.step();
    double c = 0.2;
    for (int k = 0; k < 200; ++k) c = 0.5 * (c + span / (2 * std::asinh(length / (2 * c))));
    const double sag = c * (std::cosh(span / (2 * c)) - 1);
    double lowest = 0;
    for (std::size_t i = 0; i < n; ++i) lowest = std::min(lowest, b.end(0, i).y());
    INFO("sag " << -lowest << " of " << sag << ", end at " << b.end(0, n - 1).transpose());
    CHECK(-lowest == Approx(sag).epsilon(0.01));
    CHECK((b.end(0, n - 1) - Vec3(span, 0, 0)).norm() < 0.005 * length);
    // Not only its depth: every joint lies on the curve.
    for (std::size_t i = 0; i < n; ++i) {
        const Vec3 p = b.end(0, i);
        CHECK(p.y() == Approx(c * (std::cosh((p.x() - span / 2) / c) - std::cosh(span / (2 * c)))).margin(0.012 * length));
    }
}

TEST_CASE("a cantilever of joints sags as its springs and weights say") {
    // Small bends: spring i bears the moment of all weights beyond it, phi_i = sum m_k g l_ik / k_i; the tip drops sum phi_i
    // l_in.
    const int n = 6;
    StrandDef d;
    d.swing = 6;
    d.zeta = 1;
    d.gravity = Vec3(0, -0.4, 0);
    const double length = 1, h = 1.0 / 120, w = 2 * kPi * d.swing;
    Bench b(straightLinks(n, length, Vec3::UnitZ()), d, h);
    b.start();
    b.step(120 * 20);
    std::vector<double> mass(n, 1.0 / n);
    mass.back() = 0.5 / n;
    double drop = 0;
    for (int i = 0; i < n; ++i) {
        double moment = 0, inertia = 0;
        for (int k = i; k < n; ++k) {
            const double l = length * (k + 1 - i) / n;
            moment += mass[static_cast<std::size_t>(k)] * 0.4 * l;
            inertia += mass[static_cast<std::size_t>(k)] * l * l;
        }
        drop += moment / (w * w * b.strand.batch().modeFactor(0) * inertia) * length * (n - i) / n;
    }
    INFO(-b.strand.end(n - 1).y() << " of " << drop);
    CHECK(-b.strand.end(n - 1).y() == Approx(drop).epsilon(0.01));
}

TEST_CASE("a weight that a pin lets go flies as a projectile until its thread is taut") {
    // The thread weighs a hundredth of the weight and is slack: x = v t, y = -g t^2 / 2 (Galilei 1638).
    const int n = 12;
    StrandDef d = hanging();
    d.endWeight = 100;
    StrandPlan plan{straightLinks(n, 1.5, -Vec3::UnitY()), d};
    const double h = 1.0 / 120;
    StrandBatch b(std::vector<StrandPlan>{plan}, h, 2);
    const std::vector<Quat> still(n, Quat::Identity());
    b.start(0, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
    const Vec3 lever = (1.5 / n) * -Vec3::UnitY();
    // Drawn up slowly to beside the root, then held.
    const Vec3 held(0.35, -0.25, 0);
    for (int k = 0; k < 1200; ++k) {
        const double u = std::min(1.0, k / 600.0);
        b.setPin(0, n - 1, {1.0, lever, Vec3(0, -1.5, 0) + u * (held - Vec3(0, -1.5, 0)), Vec3::Zero()});
        b.step();
    }
    const Vec3 from = b.end(0, n - 1), speed = b.endVelocity(0, n - 1);
    b.setPin(0, n - 1, {});
    double worst = 0;
    for (int k = 1; k <= 36; ++k) {
        b.step();
        const double t = k * h;
        worst = std::max(worst, (b.end(0, n - 1) - (from + t * speed + Vec3(0, -0.5 * kEarthGravity * t * t, 0))).norm());
    }
    INFO("fell " << (b.end(0, n - 1) - from).norm() << ", off the parabola by " << worst);
    CHECK((b.end(0, n - 1) - from).norm() > 0.4);
    CHECK(worst < 0.012);
}

TEST_CASE("a weak pin draws, a strong one holds, none lets be") {
    double last = 1e9;
    for (double strength : {0.0, 0.1, 0.3, 1.0}) {
        StrandDef d;
        d.swing = 1;
        d.zeta = 1;
        StrandPlan plan{straightLinks(5, 1, Vec3::UnitZ()), d};
        StrandBatch b(std::vector<StrandPlan>{plan}, 1.0 / 120, 2);
        const std::vector<Quat> still(5, Quat::Identity());
        b.start(0, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
        const Vec3 to(0.5, 0, 0.6);
        b.setPin(0, 4, {strength, 0.2 * Vec3::UnitZ(), to, Vec3::Zero()});
        for (int k = 0; k < 1200; ++k) b.step();
        const double off = (b.end(0, 4) - to).norm();
        INFO("strength " << strength << " off by " << off);
        CHECK(off < last);
        last = off;
        if (strength == 0) CHECK((b.end(0, 4) - Vec3::UnitZ()).norm() < 1e-9);
        if (strength == 1) CHECK(off < 1e-3);
    }
}

TEST_CASE("a link that may stretch bobs at its own rate and sags by g / w^2") {
    StrandDef d = hanging();
    d.zeta = 0;  // of the stretching too, but for the least it keeps
    d.stretchSwing = 2.5;
    StrandPlan plan{straightLinks(1, 1, -Vec3::UnitY()), d};
    plan.links[0].stretch = 0.5;
    const double h = 1.0 / 120, w = 2 * kPi * d.stretchSwing;
    StrandBatch b(std::vector<StrandPlan>{plan}, h, 2);
    const std::vector<Quat> still(1, Quat::Identity());
    b.start(0, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
    const double rest = kEarthGravity / (w * w);
    std::vector<double> x;
    for (int k = 0; k < 480; ++k) {
        b.step();
        x.push_back(-b.end(0, 0).y() - 1 - rest);
    }
    const test::Swing s = test::swingOf(x, h);
    INFO(s.f << " of 2.5");
    CHECK(s.f == Approx(2.5).epsilon(0.01));
    for (int k = 0; k < 4800; ++k) b.step();
    CHECK(b.stretchOf(0, 0) - 1 == Approx(rest).epsilon(0.02));
}

TEST_CASE("stretch stops at its limit, and without it lengths stay to the last bits") {
    for (double limit : {0.0, 0.1, 0.3}) {
        StrandDef d = hanging();
        d.gravity *= 30;
        d.stretchSwing = 1;
        StrandPlan plan{straightLinks(6, 1, Vec3::UnitX()), d};
        for (LinkDef& l : plan.links) l.stretch = limit;
        StrandBatch b(std::vector<StrandPlan>{plan}, 1.0 / 120, 2);
        const std::vector<Quat> still(6, Quat::Identity());
        b.start(0, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
        double most = 0;
        for (int k = 0; k < 1200; ++k) {
            b.step();
            for (std::size_t i = 0; i < 6; ++i) most = std::max(most, std::abs(b.stretchOf(0, i) - 1));
        }
        INFO("limit " << limit << " reached " << most);
        CHECK(most <= 1.05 * limit + 1e-12);
        if (limit > 0) CHECK(most > 0.9 * limit);
    }
}

TEST_CASE("different stiffness about two axes makes two different swing rates") {
    // f scales with the root of the stiffness: 4 x about one axis swings twice as fast about it.
    for (int axis : {0, 1}) {
        StrandDef d;
        d.swing = 1.5;
        d.zeta = 0.05;
        d.stiffU = 4;
        std::vector<LinkDef> links = straightLinks(4, 1, Vec3::UnitZ());
        for (LinkDef& l : links) l.axisU = Vec3::UnitX();
        Bench b(links, d, 1.0 / 240);
        b.start(Quat(Eigen::AngleAxisd(0.01, axis == 0 ? Vec3(Vec3::UnitX()) : Vec3(Vec3::UnitY()))));
        std::vector<double> x;
        for (int k = 0; k < 960; ++k) {
            b.step();
            x.push_back(b.strand.end(3)[axis == 0 ? 1 : 0]);
        }
        x.erase(x.begin(), x.begin() + 150);
        const test::Swing s = test::swingOf(x, 1.0 / 240);
        INFO("axis " << axis << ": " << s.f);
        CHECK(s.f == Approx(axis == 0 ? 3.0 : 1.5).epsilon(0.02));
    }
}

TEST_CASE("the twist limit holds a twisted strand") {
    StrandDef d = hanging();
    StrandPlan plan{straightLinks(3, 0.6, -Vec3::UnitY()), d};
    for (LinkDef& l : plan.links) l.twistLimit = radians(15);
    Bench b(plan.links, d, 1.0 / 120);
    b.start();
    for (int k = 0; k < 240; ++k) {
        // The base spins about the strand; without a limit a free strand would not turn along.
        b.base.turn0 = b.base.turn1;
        b.base.turn1 = fromRotationVector(Vec3(0, std::min(2.0, 0.01 * k), 0));
        b.step();
        Quat above = b.base.turn1;
        for (std::size_t i = 0; i < 3; ++i) {
            const Vec3 off = rotationVector(above.conjugate() * b.strand.turn(i));
            REQUIRE(std::abs(off.y()) < radians(15.001));
            above = b.strand.turn(i);
        }
    }
    CHECK(std::abs(rotationVector(b.strand.turn(2)).y()) > 1.0);
}

TEST_CASE("friction decides whether a strand slides down a slope") {
    // A slope of 20 degrees: tan 20 = 0.364. Below that coefficient things slide, above it they stay (Coulomb 1785).
    const auto slid = [](double friction) {
        StrandDef d = hanging();
        StrandPlan plan{straightLinks(8, 1, Vec3::UnitX()), d};
        StrandBatch b(std::vector<StrandPlan>{plan}, 1.0 / 240, 2);
        const std::vector<Quat> still(8, Quat::Identity());
        b.setBodies(1);
        Body slope;
        slope.kind = Body::Kind::Plane;
        slope.turn = Quat(Eigen::AngleAxisd(radians(20), Vec3::UnitX()));
        slope.a = Vec3(0, -0.02, 0);
        slope.friction = friction;
        b.setBody(0, 0, slope);
        b.start(0, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
        for (int k = 0; k < 240 * 3; ++k) b.step();
        return std::abs(b.end(0, 7).z());
    };
    INFO("at 0.2: " << slid(0.2) << ", at 0.5: " << slid(0.5));
    CHECK(slid(0.2) > 0.3);
    CHECK(slid(0.5) < 1e-3);
}

TEST_CASE("a profile shapes the bend and leaves the swing rate") {
    for (bool soft : {false, true}) {
        StrandDef d;
        d.swing = 2;
        d.zeta = 0.1;
        std::vector<LinkDef> links = straightLinks(6, 1, Vec3::UnitZ());
        for (std::size_t i = 0; i < links.size(); ++i) links[i].swing = soft ? 1.0 - 0.15 * static_cast<double>(i) : 1;
        const double h = 1.0 / 120;
        Bench b(links, d, h);
        b.start(Quat(Eigen::AngleAxisd(0.01, Vec3::UnitX())));
        std::vector<double> x;
        for (int k = 0; k < 600; ++k) {
            b.step();
            x.push_back(b.strand.end(5).y());
        }
        x.erase(x.begin(), x.begin() + 120);
        INFO("soft " << soft << ": " << test::swingOf(x, h).f);
        CHECK(test::swingOf(x, h).f == Approx(2).epsilon(0.01));
    }
}

TEST_CASE("carrying a strand moves it as one rigid thing") {
    StrandBatch b(std::vector<StrandPlan>{{straightLinks(4, 1, Vec3::UnitZ()), hanging()}}, 1.0 / 120, 2);
    const std::vector<Quat> still(4, Quat::Identity());
    b.start(0, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
    for (int k = 0; k < 30; ++k) b.step();
    std::vector<Vec3> before;
    for (std::size_t i = 0; i < 4; ++i) before.push_back(b.end(0, i));
    const Vec3 speed = b.endVelocity(0, 3);
    const Quat by = fromRotationVector(Vec3(0.3, 1.2, -0.4));
    b.carry(0, Vec3::Zero(), by, Vec3(5, 6, 7), Vec3(1, 0, 0));
    for (std::size_t i = 0; i < 4; ++i) CHECK((b.end(0, i) - (Vec3(5, 6, 7) + by * before[i])).norm() < 1e-12);
    CHECK((b.endVelocity(0, 3) - (by * speed + Vec3(1, 0, 0))).norm() < 1e-12);
}

TEST_CASE("a strand rides on a belt: friction carries it along with a moving body") {
    // A plane that slides at 0.5 /s under a resting strand draws its free end that way; a frictionless one does not.
    for (const double friction : {0.0, 1.0}) {
        StrandPlan plan{straightLinks(6, 0.6, Vec3::UnitX()), hanging()};
        StrandBatch b(std::vector<StrandPlan>{plan}, 1.0 / 240, 2);
        const std::vector<Quat> still(6, Quat::Identity());
        b.setBodies(1);
        Body belt;
        belt.kind = Body::Kind::Plane;
        belt.a = Vec3(0, -0.01, 0);
        belt.velocity = Vec3(0, 0, 0.5);
        belt.friction = friction;
        b.setBody(0, 0, belt);
        b.start(0, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
        for (int k = 0; k < 120; ++k) b.step();
        INFO("friction " << friction << ": end at " << b.end(0, 5).z());
        if (friction > 0)
            CHECK(b.end(0, 5).z() > 0.15);
        else
            CHECK(std::abs(b.end(0, 5).z()) < 1e-6);
        for (std::size_t i = 0; i < 6; ++i) CHECK(b.end(0, i).y() > -0.011);
    }
}

TEST_CASE("a thick strand keeps its radius off a ball, and a thin one lies closer") {
    for (const double radius : {0.0, 0.03, 0.08}) {
        StrandPlan plan{straightLinks(6, 0.6, Vec3::UnitX()), hanging()};
        plan.def.airDrag = 2;
        for (LinkDef& l : plan.links) l.radius = radius;
        StrandBatch b(std::vector<StrandPlan>{plan}, 1.0 / 240, 2);
        const std::vector<Quat> still(6, Quat::Identity());
        b.setBodies(1);
        Body ball;
        ball.radiusA = ball.radiusB = 0.12;
        ball.a = ball.b = Vec3(0.3, -0.25, 0.001);
        b.setBody(0, 0, ball);
        b.start(0, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
        double closest = 1e9;
        for (int k = 0; k < 480; ++k) {
            b.step();
            for (std::size_t i = 0; i < 6; ++i)
                closest = std::min(closest, nearest(ball, b.place(0, i), b.end(0, i) - b.place(0, i)).distance);
        }
        INFO("radius " << radius << " came to " << closest);
        CHECK(closest > radius - 0.012);
        CHECK(closest < radius + 0.004);
    }
}

TEST_CASE("a tree and its mirror, side by side in one batch, stay mirrored") {
    const auto tree = [](double side) {
        StrandPlan p;
        p.links = straightLinks(1, 0.4, -Vec3::UnitY());
        for (double out : {0.6, 0.3}) {
            LinkDef arm;
            arm.parent = 0;
            arm.length = 0.3;
            arm.direction = arm.restDirection = Vec3(side * out, -1, 0.2).normalized();
            arm.attach = arm.restPlace = Vec3(0, -0.4, 0);
            p.links.push_back(arm);
        }
        p.def.swing = 1.5;
        p.def.zeta = 0.1;
        p.def.gravity = Vec3(0, -kEarthGravity, 0);
        return p;
    };
    StrandBatch b(std::vector<StrandPlan>{tree(1), tree(-1)}, 1.0 / 120, 2);
    const std::vector<Quat> still(3, Quat::Identity());
    for (int lane : {0, 1}) b.start(lane, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
    double moved = 0;
    BaseStep base[2];
    for (int k = 0; k < 400; ++k) {
        for (int lane : {0, 1}) {
            base[lane].place0 = base[lane].place1;
            base[lane].place1.x() = (lane ? -0.1 : 0.1) * std::sin(0.1 * k);
            base[lane].velocityEnd = (base[lane].place1 - base[lane].place0) * 120;
            b.setBase(lane, base[lane]);
        }
        b.step();
        for (std::size_t i = 0; i < 3; ++i) {
            const Vec3 l = b.end(0, i), r = b.end(1, i);
            REQUIRE(l.x() == Approx(-r.x()).margin(1e-9));
            REQUIRE(l.y() == Approx(r.y()).margin(1e-9));
            REQUIRE(l.z() == Approx(r.z()).margin(1e-9));
            moved = std::max(moved, (l - b.place(0, i)).norm());
        }
    }
    CHECK(moved > 0.2);
}
