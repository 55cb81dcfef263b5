// Bodies of segments against closed forms and the bars of core/physics/README.md.
#include "physics/articulated.h"

#include <catch2/catch.hpp>
#include <random>

#include "tests/support/body_trials.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using namespace nutatio::physics;
using namespace nutatio::test;

namespace {

/// Rates of substeps that figures are asked at; under sanitizers, which look at memory and not at figures, one of them.
std::vector<double> rates(std::initializer_list<double> all) {
    return draws(4) == 4 ? std::vector<double>(all) : std::vector<double>{*(all.end() - 1)};
}

constexpr int kHandL = 8, kForearmL = 7, kUpperArmL = 6, kThighL = 9;

/// The trunk's first segment alone, as a box with eight corners.
ArticulatedDef crate(const Vec3& half, double kg) {
    ArticulatedDef def;
    def.size = 2 * half.maxCoeff();
    SegmentDef s;
    s.mass = kg;
    const Vec3 d = 4 * half.cwiseProduct(half);
    s.inertia = Vec3(d.y() + d.z(), d.z() + d.x(), d.x() + d.y()).asDiagonal();
    s.inertia *= kg / 12;
    s.radius = half.minCoeff();
    for (double x : {-1.0, 1.0})
        for (double y : {-1.0, 1.0})
            for (double z : {-1.0, 1.0}) s.corners.push_back(Vec3(x, y, z).cwiseProduct(half));
    s.edged = true;
    def.segments.push_back(s);
    return def;
}

std::vector<double> stateOf(const Articulated& a) {
    std::vector<double> out;
    a.appendState(out);
    return out;
}

BodyTrial falling(double swing = 1) {
    BodyTrial t(person(), swing, 0.3);
    t.body.surfaces().push_back(floorAt(0));
    std::vector<Quat> locals = t.straight();
    locals[0] = fromRotationVector(Vec3(0.9, 0.3, 0.5));
    t.lay(Vec3(0, 0.6, 0), locals, 1 / 120.0);
    return t;
}

}  // namespace

TEST_CASE("a body's joint swings at the asked rate and damping") {
    for (int joint : {kHandL, kForearmL, kThighL})
        for (double rate : rates({240, 120}))
            for (double swing : rates({1, 3, 8}))
                for (double zeta : {0.05, 0.2}) {
                    const Ring r = branchRing(joint, true, swing, zeta, 1 / rate);
                    CAPTURE(joint, rate, swing, zeta);
                    CHECK(r.rate == Approx(swing).epsilon(5e-4));
                    CHECK(r.zeta == Approx(zeta).epsilon(5e-3));
                }
}

TEST_CASE("a part of a body swings in its first mode as asked, with thirty times the hand's weight in it too") {
    for (int joint : {kForearmL, kUpperArmL, kThighL}) {
        const Ring r = branchRing(joint, false, 3, 0.1, 1 / 120.0);
        CAPTURE(joint);
        CHECK(r.rate == Approx(3).epsilon(0.01));
        CHECK(r.zeta == Approx(0.1).epsilon(0.03));
    }
    const Ring laden = branchRing(kForearmL, false, 3, 0.1, 1 / 120.0, 30);
    CHECK(laden.rate == Approx(3).epsilon(0.01));
    CHECK(laden.zeta == Approx(0.1).epsilon(0.03));
}

TEST_CASE("a limp body that tumbles in space never gains energy and keeps most of it") {
    const auto [left, most] = tumbleEnergy(120, 1);
    CHECK(left > 0.99);
    CHECK(most < 1 + 1e-9);
    CHECK(tumbleEnergy(120, 10).second < 1 + 1e-9);
}

TEST_CASE("a limp body lands from two metres, within its limits and the floor's, and comes to rest") {
    for (bool limp : {true, false})
        for (double rate : rates({120, 240, 0})) {
            const Landing l = landing(limp, rate);
            CAPTURE(limp, rate);
            CHECK(l.floor < 0.01 * 1.75);
            CHECK(l.limbs < 0.01 * 1.75);
            CHECK(l.apart < 1e-6 * 1.75);
            CHECK(l.beyond < radians(5));
            CHECK(l.beyondLater < radians(1));
            CHECK(l.moves < 0.05e-3);
            CHECK(l.wanders < 0.5e-3);
        }
}

TEST_CASE("friction lets a body lie on a gentle slope and slide on a steep one") {
    for (double rate : rates({240, 120})) {
        CHECK(slideOn(25, rate).creep < 0.5e-3);
        for (double tipped : {28.0, 35.0}) {
            const Slide s = slideOn(tipped, rate);
            CHECK(s.gains == Approx(s.coulomb).epsilon(0.02));
        }
    }
}

TEST_CASE("what bounces rises by the square of its bounce") {
    for (double bounce : {0.3, 0.7}) CHECK(bounceOf(bounce, 1 / 240.0) == Approx(bounce * bounce).epsilon(0.1));
    CHECK(bounceOf(0, 1 / 240.0) < 1e-3);
}

TEST_CASE("a bar that is swung at a body pushes it and does not go through") {
    for (double speed : {1.0, 3.0, 10.0}) CHECK(knockBy(speed, 240) < 0.01 * 1.75);
}

TEST_CASE("stiff joints chase their pose, guided and falling") {
    CHECK(chaseBy(30, true) < radians(1));
    CHECK(chaseBy(30, false) < radians(1));
}

TEST_CASE("a hurled body's centre of mass lands where it was thrown to") {
    BodyTrial t(person(), 2, 0.4);
    const double h = 1 / 120.0, time = 0.75;
    const Vec3 way(1.5, 0.6, 0.4), g(0, -kEarthGravity, 0);
    t.lay(Vec3(0, 0.2, 0), t.straight(), h);
    t.body.hurl((way - 0.5 * g * time * time) / time, Vec3(0, 2, 0));
    const Vec3 from = t.body.centreOfMass();
    for (int k = 0; k < 90; ++k) t.body.step(h);
    CHECK((t.body.centreOfMass() - from - way).norm() < 1e-9);
    CHECK(t.body.spinOfWhole().y() > 1);
}

TEST_CASE("an impulse gives a free body its momentum, wherever it hits") {
    for (int segment : {0, kHandL}) {
        BodyTrial t(person(), 3, 0.5);
        t.body.setGravity(Vec3::Zero());
        t.lay(Vec3::Zero(), t.straight(), 1 / 240.0);
        t.body.push(static_cast<std::size_t>(segment), Vec3::Zero(), Vec3(0, 0, 10));
        for (int k = 0; k < 60; ++k) t.body.step(1 / 240.0);
        CHECK((t.body.meanVelocity() * t.body.mass() - Vec3(0, 0, 10)).norm() < 1e-6);
        CHECK(t.body.separation() < 1e-9);
    }
}

TEST_CASE("a hand that holds on keeps a falling body, and lets go beyond its force") {
    for (bool strong : {true, false}) {
        BodyTrial t(person(), 0);
        t.lay(Vec3::Zero(), t.straight(), 1 / 240.0);
        const Vec3 place = t.body.place(kHandL);
        Grip g;
        g.segment = kHandL;
        g.place = place;
        g.most = strong ? 1e5 : 300;
        g.anchors = strong;
        t.body.grips().push_back(g);
        double pulls = 0;
        for (int k = 0; k < 960; ++k) {
            t.body.step(1 / 240.0);
            pulls += t.body.pullOf(0) / 960;
            if (strong) REQUIRE((t.body.place(kHandL) - place).norm() < 0.01 * 1.75);
            CHECK(t.body.pullOf(0) <= std::sqrt(3.0) * g.most * 1.001);
        }
        if (!strong) CHECK(place.y() - t.body.place(kHandL).y() > 1);
        // On the mean of four seconds it carries the weight of the whole.
        if (strong) CHECK(pulls == Approx(73 * kEarthGravity).epsilon(0.15));
    }
}

TEST_CASE("a hand reaches a moving place, and one beyond its arm without stretching") {
    BodyTrial t(person(), 1, 1);
    t.lay(Vec3::Zero(), t.straight(), 1 / 120.0);
    const Vec3 from = t.body.place(kHandL);
    for (const bool far : {false, true}) {
        t.body.root(0).swing = 8;
        t.body.root(0).place = t.def.segments[0].centre;
        t.body.grips().assign(1, Grip{});
        Grip& g = t.body.grips()[0];
        g.segment = kHandL;
        g.most = 400;
        const Vec3 way = far ? Vec3(3, 2, 3) : Vec3(0.1, 0.5, 0.3);
        for (int k = 0; k < 120; ++k) {
            const double u = k / 60.0, next = (k + 1) / 60.0;
            g.place = from + eased(u) * way;
            g.velocity = 120 * (eased(next) - eased(u)) * way;
            t.body.step(1 / 120.0);
        }
        if (!far) CHECK((t.body.place(kHandL) - from - way).norm() < 1e-3);
        CHECK(t.body.separation() < 1e-9);
    }
}

TEST_CASE("a head that is turned to a heading gets there") {
    BodyTrial t(person(), 2, 1);
    t.lay(Vec3::Zero(), t.straight(), 1 / 120.0);
    t.body.root(0).held = true;
    t.body.root(0).place = t.def.segments[0].centre;
    Grip g;
    g.segment = 4;
    g.turns = true;
    g.most = 200;
    g.turn = fromRotationVector(Vec3(0, 0.5, 0));
    g.swing = 3;
    t.body.grips().push_back(g);
    for (int k = 0; k < 360; ++k) t.body.step(1 / 120.0);
    // Its own springs pull it back, the neck's with them: it comes most of the way.
    const double turned = rotationVector(t.body.turn(4)).y();
    CHECK(turned > 0.35);
    CHECK(turned < 0.55);
}

TEST_CASE("an arm whose weight is carried does not sag, and sags as its spring says when it is not") {
    const auto sag = [&](double carried) {
        ArticulatedDef def = branchOf(person(), kUpperArmL, true);
        BodyTrial t(def, 1, 1);
        t.body.root(0).held = true;
        t.body.root(0).place = t.def.segments[0].centre;
        t.body.aim(1).turn = fromRotationVector(Vec3(0, 0, kPi / 2));  // stretched out to its side
        t.body.aim(1).carried = carried;
        t.body.refit();
        std::vector<Quat> locals = t.straight();
        locals[1] = t.body.aim(1).turn;
        t.lay(Vec3::Zero(), locals, 1 / 120.0);
        for (int k = 0; k < 1200; ++k) t.body.step(1 / 120.0);
        return rotationVector(t.body.turn(1) * t.body.aim(1).turn.conjugate()).norm();
    };
    CHECK(sag(1) < 1e-4);
    CHECK(sag(0) > 0.2);
    CHECK(sag(0.5) < 0.6 * sag(0));
}

TEST_CASE("air slows a limp body, and wind takes it along") {
    BodyTrial t(person(), 3, 1);
    t.body.setGravity(Vec3::Zero());
    for (std::size_t i = 0; i < t.body.size(); ++i) t.body.aim(i).drag = 2;
    t.lay(Vec3::Zero(), t.straight(), 1 / 240.0, Vec3(3, 0, 0));
    for (int k = 0; k < 240; ++k) t.body.step(1 / 240.0);
    CHECK(t.body.meanVelocity().x() == Approx(3 * std::exp(-2.0)).epsilon(0.02));
    t.body.setAir(Vec3(0, 0, 5));
    for (int k = 0; k < 1200; ++k) t.body.step(1 / 240.0);
    CHECK((t.body.meanVelocity() - Vec3(0, 0, 5)).norm() < 0.05);
}

TEST_CASE("a crate lands on a face and lies on it") {
    ArticulatedDef def = crate(Vec3(0.3, 0.2, 0.25), 20);
    BodyTrial t(def);
    t.body.surfaces().push_back(floorAt(0, 0.6, 0.1));
    std::vector<Quat> locals{fromRotationVector(Vec3(0.4, 0.3, 0.5))};
    t.lay(Vec3(0, 1.5, 0), locals, 1 / 240.0);
    for (int k = 0; k < 960; ++k) t.body.step(1 / 240.0);
    const Mat3 R = t.body.turn(0).toRotationMatrix();
    Eigen::Index down = 0;
    CHECK(R.row(1).cwiseAbs().maxCoeff(&down) > 0.9999);
    CHECK(t.body.place(0).y() == Approx(def.segments[0].corners[7][down]).margin(2e-3));
    CHECK(t.body.sleeps());
}

TEST_CASE("what sleeps is woken by what comes near, by a goal that moves and by a push") {
    for (int how = 0; how < 4; ++how) {
        BodyTrial t = falling();
        for (std::size_t i = 0; i < t.body.size(); ++i) t.body.aim(i).strength = 0;
        for (int k = 0; k < 1200 && !t.body.sleeps(); ++k) t.body.step(1 / 120.0);
        REQUIRE(t.body.sleeps());
        const Vec3 lies = t.body.place(0);
        for (int k = 0; k < 240; ++k) t.body.step(1 / 120.0);
        REQUIRE(t.body.place(0) == lies);
        if (how == 0) t.body.aim(1).strength = 1;
        if (how == 1) t.body.push(0, Vec3::Zero(), Vec3(0, 80, 0));
        if (how == 2) t.body.setGravity(Vec3(0, kEarthGravity, 0));
        if (how == 3) {
            Surface ball;
            ball.body.radiusA = ball.body.radiusB = 0.2;
            ball.body.a = ball.body.b = lies + Vec3(0.25, 0, 0);
            ball.body.velocity = Vec3(-1, 0, 0);
            t.body.surfaces().push_back(ball);
        }
        for (int k = 0; k < 24; ++k) t.body.step(1 / 120.0);
        CAPTURE(how);
        CHECK((t.body.place(0) - lies).norm() > 1e-4);
    }
}

TEST_CASE("the same steps give the same bits, and so does going on from a kept state") {
    BodyTrial a = falling(), b = falling();
    for (int k = 0; k < 100; ++k) a.body.step(1 / 120.0), b.body.step(1 / 120.0);
    const std::vector<double> kept = stateOf(a.body);
    REQUIRE(kept == stateOf(b.body));
    for (int k = 0; k < 140; ++k) a.body.step(1 / 120.0);
    BodyTrial c = falling();
    REQUIRE(c.body.takeState(kept).empty());
    for (int k = 0; k < 140; ++k) c.body.step(1 / 120.0);
    CHECK(stateOf(c.body) == stateOf(a.body));
}

TEST_CASE("a body's step does not allocate") {
    BodyTrial t = falling();
    for (int k = 0; k < 5; ++k) t.body.step(1 / 120.0);
    const std::size_t before = allocations();
    for (int k = 0; k < 200; ++k) t.body.step(1 / 120.0);
    CHECK(allocations() == before);
}

TEST_CASE("nothing that a body can be set to explodes") {
    for (int draw = 0; draw < draws(100) - (draws(4) == 4 ? 0 : 17); ++draw) {
        std::mt19937 g(static_cast<unsigned>(draw + 1));
        std::uniform_real_distribution<double> u(0, 1);
        std::normal_distribution<double> nd;
        const auto some = [&](double size) { return Vec3(size * nd(g), size * nd(g), size * nd(g)); };
        const double scale = std::pow(10, -2 + 3 * u(g)), kg = std::pow(10, -2 + 5 * u(g)), fps = 12 + 108 * u(g);
        ArticulatedDef def = person(scale, kg);
        def.friction = 2 * u(g);
        const bool limits = u(g) < 0.7;
        for (SegmentDef& s : def.segments) s.limited = s.limited && limits;
        BodyTrial t(def);
        t.body.setGravity(Vec3(0, -50 * u(g), 0));
        for (std::size_t i = 0; i < t.body.size(); ++i) {
            JointAim& j = t.body.aim(i);
            j.swing = u(g) < 0.2 ? 0 : 0.1 * std::pow(600, u(g));
            j.zeta = 5 * u(g) * u(g);
            j.strength = u(g);
            j.carried = u(g);
            j.drag = u(g) < 0.5 ? 0 : 10 * u(g);
            if (i > 0) j.turn = fromRotationVector(2 * u(g) * some(1).normalized());
        }
        RootAim& root = t.body.root(0);
        root.swing = u(g) < 0.5 ? 0 : 20 * u(g);
        root.zeta = 2 * u(g);
        root.place = scale * Vec3(0, 1, 0);
        t.body.refit();
        t.body.surfaces().push_back(floorAt(0, 2 * u(g), u(g)));
        Surface box, bar;
        box.body.kind = Body::Kind::Box;
        box.body.a = scale * Vec3(0.3, 0.2, 0.1);
        box.body.half = scale * Vec3(0.3, 0.2, 0.4);
        bar.body.radiusA = bar.body.radiusB = scale * (0.05 + 0.2 * u(g));
        bar.body.velocity = scale * Vec3(10 * u(g), 0, 0);
        bar.body.a = scale * Vec3(-3, 1, -1);
        bar.body.b = scale * Vec3(-3, 1, 1);
        t.body.surfaces().push_back(box);
        t.body.surfaces().push_back(bar);
        std::vector<Quat> locals = t.straight();
        for (Quat& q : locals) q = fromRotationVector(some(0.8));
        std::vector<Vec3> v, w;
        for (std::size_t i = 0; i < t.body.size(); ++i) {
            v.push_back(some(5 * scale * u(g)));
            w.push_back(some(20 * u(g)));
        }
        const int steps = static_cast<int>(std::ceil(120 / fps));
        const double h = 1 / (fps * steps);
        t.body.start(std::vector<Vec3>{def.segments[0].centre}, turnsOf(def, locals), v, w, h);
        for (int k = 0; k < 36 * steps; ++k) {
            t.body.step(h);
            Body& b = t.body.surfaces()[2].body;
            b.a += h * b.velocity;
            b.b += h * b.velocity;
            for (std::size_t i = 0; i < t.body.size(); ++i) {
                CAPTURE(draw, k, i);
                REQUIRE(t.body.place(i).norm() < 400 * scale);
                REQUIRE(t.body.velocity(i).norm() < 400 * scale);
            }
        }
        CHECK(t.body.separation() < 1e-6 * scale);
    }
}

TEST_CASE("what hangs on a root that starts and stops at once swings as its springs say, and does not buzz") {
    BodyTrial t(branchOf(person(), kUpperArmL, false), 3, 0.5);
    t.body.setGravity(Vec3::Zero());
    t.body.coupleParts(std::vector<int>(t.body.size(), 0));
    const double h = 1 / 240.0;
    t.lay(Vec3::Zero(), t.straight(), h);
    RootAim& root = t.body.root(0);
    root.held = true;
    root.place = t.def.segments[0].centre;
    double buzz = 0, most = 0, before = 0, step = 0;
    for (int k = 0; k < 240; ++k) {
        root.velocity = Vec3(0, 0, k >= 20 && k < 60 ? 2.0 : 0.0);
        root.place += h * root.velocity;
        t.body.step(h);
        const double now = rotationVector(t.body.turn(1)).x();
        // A part that changes its sign from step to step shows as steps that do.
        if (k > 62 && (now - before) * step < 0) buzz = std::max(buzz, std::abs(now - before));
        most = std::max(most, std::abs(now));
        step = now - before;
        before = now;
    }
    CHECK(most > 0.03);
    CHECK(buzz < 0.01 * most);
}
