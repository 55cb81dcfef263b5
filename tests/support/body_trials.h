// What bodies of segments are measured by: tests assert the figures, nutatio-bars prints them.
#pragma once

#include <Eigen/LU>
#include <functional>
#include <random>

#include "tests/support/person.h"

namespace nutatio::test {

/// A person, or a part of one, with the same spring on every joint.
struct BodyTrial {
    physics::ArticulatedDef def;
    physics::Articulated body;

    explicit BodyTrial(physics::ArticulatedDef d, double swing = 1, double zeta = 1, double strength = 1)
        : def(d), body(std::move(d)) {
        for (std::size_t i = 0; i < body.size(); ++i) {
            body.aim(i).swing = swing;
            body.aim(i).zeta = zeta;
            body.aim(i).strength = strength;
        }
        body.refit();
    }
    std::vector<Quat> straight() const { return std::vector<Quat>(body.size(), Quat::Identity()); }
    /// The root moved and turned from the rest pose, joints turned; all with one velocity.
    void lay(const Vec3& move, std::vector<Quat> locals, double h, const Vec3& velocity = Vec3::Zero()) {
        const std::vector<Vec3> roots{def.segments[0].centre + move};
        const std::vector<Vec3> speeds(body.size(), velocity), spins(body.size(), Vec3::Zero());
        body.start(roots, turnsOf(def, locals), speeds, spins, h);
    }
    double lowest() const {
        double low = 1e30;
        for (std::size_t i = 0; i < body.size(); ++i)
            for (const Vec3& end : {def.segments[i].endA, def.segments[i].endB})
                low = std::min(low, body.at(i, end - def.segments[i].centre).y() - def.segments[i].radius);
        return low;
    }
};

inline physics::Surface floorAt(double height, double friction = 0.6, double bounce = 0) {
    physics::Surface s;
    s.body.kind = physics::Body::Kind::Plane;
    s.body.a = {0, height, 0};
    s.body.friction = friction;
    s.bounce = bounce;
    return s;
}

struct Ring {
    double rate = 0, zeta = 0;
};
/// Swing rate and damping of what dies away, by its zeros and peaks from `from` swings on.
inline Ring ringOf(const std::vector<double>& x, double h, int from = 0) {
    std::vector<double> zeros, peaks;
    for (std::size_t i = 1; i + 1 < x.size(); ++i) {
        if ((x[i - 1] < 0) != (x[i] < 0)) zeros.push_back(h * (static_cast<double>(i) - 1 + x[i - 1] / (x[i - 1] - x[i])));
        if ((x[i] - x[i - 1]) * (x[i + 1] - x[i]) < 0) {
            const double a = 0.5 * (x[i + 1] + x[i - 1]) - x[i], b = 0.5 * (x[i + 1] - x[i - 1]);
            peaks.push_back(std::abs(x[i] - b * b / (4 * a)));
        }
    }
    const auto first = static_cast<std::size_t>(2 * from), last = std::min({zeros.size(), peaks.size(), first + 9}) - 1;
    if (last < first + 2) return {};
    const double damped = static_cast<double>(last - first) / (2 * (zeros[last] - zeros[first]));
    const double dl = std::log(peaks[first + 1] / peaks[last]) / static_cast<double>(last - first - 1);
    const double zeta = dl / std::sqrt(kPi * kPi + dl * dl);
    return {damped / std::sqrt(1 - zeta * zeta), zeta};
}

/// The slowest way in which a body on a held root swings when every joint has the spring of what is below it: turns of its
/// joints, the largest 1. From the energy that it has when joints turn, so that nothing of how the body computes is taken over.
inline Eigen::VectorXd slowestMode(BodyTrial& t) {
    const auto n = static_cast<Eigen::Index>(3 * (t.body.size() - 1));
    const auto energy = [&](const Eigen::VectorXd& rates) {
        std::vector<Vec3> v(t.body.size(), Vec3::Zero()), w = v;
        for (std::size_t i = 1; i < t.body.size(); ++i) {
            const auto& s = t.def.segments[i];
            const auto p = static_cast<std::size_t>(s.parent);
            w[i] = w[p] + rates.segment<3>(3 * static_cast<Eigen::Index>(i) - 3);
            v[i] = v[p] + w[p].cross(s.joint - t.def.segments[p].centre) + w[i].cross(s.centre - s.joint);
        }
        t.body.start(std::vector<Vec3>{t.def.segments[0].centre}, t.straight(), v, w, 1);
        return t.body.energy();
    };
    Eigen::MatrixXd M(n, n);
    const auto unit = [&](Eigen::Index i) { return Eigen::VectorXd(Eigen::VectorXd::Unit(n, i)); };
    for (Eigen::Index i = 0; i < n; ++i)
        for (Eigen::Index j = 0; j < n; ++j) M(i, j) = energy(unit(i) + unit(j)) - energy(unit(i)) - energy(unit(j));
    Eigen::VectorXd y = Eigen::VectorXd::LinSpaced(n, 1, 2);
    for (int turn = 0; turn < 2000; ++turn) {
        const Eigen::VectorXd My = M * y;
        for (Eigen::Index b = 0; b < n; b += 3) y.segment<3>(b) = Mat3(M.block<3, 3>(b, b)).inverse() * My.segment<3>(b);
        y /= y.cwiseAbs().maxCoeff();
    }
    return y;
}

/// How joints of a branch swing that is let go from its slowest way of swinging. `whole`: as one rigid piece.
inline Ring branchRing(int joint, bool whole, double swing, double zeta, double h, double loadTimes = 0) {
    physics::ArticulatedDef def = branchOf(person(), joint, whole);
    if (loadTimes > 0) {
        physics::SegmentDef s = def.segments.back();
        s.parent = static_cast<int>(def.segments.size()) - 1;
        s.joint = s.centre;
        s.centre += Vec3(0, 0, 0.6);
        s.endA = s.centre - Vec3(0, 0, 0.1);
        s.endB = s.centre + Vec3(0, 0, 0.1);
        s.radius = 0.1;
        s.mass *= loadTimes;
        s.inertia = physics::capsuleInertia(s.mass, s.endA, s.endB, s.radius);
        def.segments.push_back(s);
    }
    BodyTrial t(std::move(def), swing, zeta);
    t.body.setGravity(Vec3::Zero());
    t.body.root(0).held = true;
    t.body.root(0).place = t.def.segments[0].centre;
    t.body.coupleParts(std::vector<int>(t.body.size(), 0));
    std::vector<Quat> locals = t.straight();
    const Eigen::VectorXd mode = slowestMode(t);
    for (std::size_t i = 1; i < t.body.size(); ++i)
        locals[i] = fromRotationVector(0.02 * mode.segment<3>(3 * static_cast<Eigen::Index>(i) - 3));
    t.lay(Vec3::Zero(), locals, h);
    Eigen::Index most = 0;
    mode.cwiseAbs().maxCoeff(&most);
    const auto joint1 = static_cast<std::size_t>(1 + most / 3), above = static_cast<std::size_t>(t.def.segments[joint1].parent);
    std::vector<double> x;
    for (int k = 0; k < static_cast<int>(6 / swing / h); ++k) {
        x.push_back(rotationVector(t.body.turn(above).conjugate() * t.body.turn(joint1))[most % 3]);
        t.body.step(h);
    }
    return ringOf(x, h);
}

struct Landing {
    double floor = 0, limbs = 0, apart = 0;  // deepest in the floor, with limbs; joints apart [m]
    double beyond = 0, beyondLater = 0;      // a limit, at most and after 2.5 s [rad]
    double moves = 0, wanders = 0;           // after 5 s: a frame, and in one second [m]
    bool sleeps = false;
};
/// Falls 2 m, turned about, and lies for five seconds; `rate` [1/s], 0: as quick as it needs. `timed` is run around each step.
inline Landing landing(bool limp, double rate, const std::function<void(physics::Articulated&, double)>& step = {}) {
    BodyTrial t(person(), limp ? 1 : 2, limp ? 1 : 0.5, limp ? 0.02 : 1);
    t.body.surfaces().push_back(floorAt(0));
    std::vector<Quat> locals = t.straight();
    locals[0] = fromRotationVector(Vec3(0.9, 0.3, 0.5));
    const double h = 1 / (rate > 0 ? rate : 120);
    t.lay(Vec3::Zero(), locals, h);
    t.lay(Vec3(0, 2 - t.lowest(), 0), locals, h);
    Landing out;
    std::vector<Vec3> last(t.body.size()), first;
    for (int frame = 0; frame < 144; ++frame) {
        const double r = rate > 0 ? rate : t.body.quickness() > 120 ? 240 : 120;
        for (int k = 0; k < static_cast<int>(r / 24); ++k) {
            if (step)
                step(t.body, 1 / r);
            else
                t.body.step(1 / r);
            out.floor = std::max(out.floor, t.body.deepest(false));
            out.limbs = std::max(out.limbs, t.body.deepest(true));
            out.apart = std::max(out.apart, t.body.separation());
            double& beyond = frame < 60 ? out.beyond : out.beyondLater;
            beyond = std::max(beyond, t.body.beyondLimits());
        }
        for (std::size_t i = 0; i < last.size(); ++i) {
            if (frame >= 120) out.moves = std::max(out.moves, (t.body.place(i) - last[i]).norm());
            last[i] = t.body.place(i);
        }
        if (frame == 119) first = last;
    }
    for (std::size_t i = 0; i < last.size(); ++i) out.wanders = std::max(out.wanders, (last[i] - first[i]).norm());
    out.sleeps = t.body.sleeps();
    return out;
}

/// Kinetic energy left of a limp tumble without gravity, as a share, after so many seconds; and the most that it ever had.
inline std::pair<double, double> tumbleEnergy(double rate, double seconds, unsigned seed = 3) {
    physics::ArticulatedDef def = person();
    for (auto& s : def.segments) s.limited = false;
    def.meets.clear();
    BodyTrial t(def, 0);
    t.body.setGravity(Vec3::Zero());
    std::mt19937 generator(seed);
    std::normal_distribution<double> normal;
    const auto vector = [&](double size) {
        const double x = normal(generator), y = normal(generator), z = normal(generator);
        return Vec3(size * x, size * y, size * z);
    };
    std::vector<Quat> locals = t.straight();
    for (std::size_t i = 1; i < locals.size(); ++i) locals[i] = fromRotationVector(vector(0.3));
    const std::vector<Quat> turns = turnsOf(def, locals);
    std::vector<Vec3> v(turns.size(), Vec3::Zero()), w(turns.size(), Vec3::Zero());
    for (std::size_t i = 0; i < turns.size(); ++i) {
        const auto& s = def.segments[i];
        if (s.parent < 0) {
            w[i] = vector(4);
            continue;
        }
        const auto p = static_cast<std::size_t>(s.parent);
        w[i] = w[p] + vector(1.5);
        v[i] = v[p] + w[p].cross(turns[p] * (s.joint - def.segments[p].centre)) + w[i].cross(turns[i] * (s.centre - s.joint));
    }
    t.body.start(std::vector<Vec3>{def.segments[0].centre}, turns, v, w, 1 / rate);
    const double before = t.body.energy();
    double most = before;
    for (int k = 0; k < static_cast<int>(seconds * rate); ++k) {
        t.body.step(1 / rate);
        most = std::max(most, t.body.energy());
    }
    return {t.body.energy() / before, most / before};
}

struct Slide {
    double creep = 0, gains = 0, coulomb = 0;  // [m/s], [m/s^2]
};
/// A stiff body lying on a floor that is tipped; friction 0.5.
inline Slide slideOn(double degreesTipped, double rate) {
    BodyTrial t(person(), 8, 1);
    t.body.surfaces().push_back(floorAt(0, 0.5));
    std::vector<Quat> locals = t.straight();
    locals[0] = fromRotationVector(Vec3(-kPi / 2, 0, 0));
    t.lay(Vec3(0, -0.79, 0), locals, 1 / rate);
    for (int k = 0; k < static_cast<int>(2 * rate); ++k) t.body.step(1 / rate);
    const double a = radians(degreesTipped);
    Vec3 c, v;
    for (int k = 0; k < static_cast<int>(4 * rate); ++k) {
        const double tipped = std::min(1.0, k / rate) * a;
        t.body.setGravity(kEarthGravity * Vec3(std::sin(tipped), -std::cos(tipped), 0));
        if (k == static_cast<int>(2 * rate)) c = t.body.centreOfMass(), v = t.body.meanVelocity();
        t.body.step(1 / rate);
    }
    return {0.5 * (t.body.centreOfMass() - c).norm(), 0.5 * (t.body.meanVelocity() - v).x(),
            std::max(0.0, kEarthGravity * (std::sin(a) - 0.5 * std::cos(a)))};
}

/// How high a ball bounces, against how high it fell from.
inline double bounceOf(double bounce, double h) {
    physics::ArticulatedDef def = person();
    def.segments.resize(1);
    def.meets.clear();
    def.segments[0].endA = def.segments[0].endB = def.segments[0].centre;
    BodyTrial t(def);
    t.body.surfaces().push_back(floorAt(0, 0.3, bounce));
    const double radius = def.segments[0].radius;
    t.lay(Vec3(0, radius + 1 - def.segments[0].centre.y(), 0), t.straight(), h);
    bool down = false;
    double rise = 0;
    for (int k = 0; k < static_cast<int>(1.2 / h); ++k) {
        t.body.step(h);
        down = down || t.body.touches(0);
        if (down) rise = std::max(rise, t.body.place(0).y() - radius);
    }
    return rise;
}

/// Deepest that a bar of 0.1 m at a speed comes into a body [m].
inline double knockBy(double speed, double rate) {
    BodyTrial t(person(), 3, 0.5);
    t.body.setGravity(Vec3::Zero());
    physics::Surface bar;
    bar.body.radiusA = bar.body.radiusB = 0.1;
    bar.body.velocity = Vec3(0, 0, speed);
    bar.body.a = {-1, 1.2, -1};
    bar.body.b = {1, 1.2, -1};
    t.body.surfaces().push_back(bar);
    t.lay(Vec3::Zero(), t.straight(), 1 / rate);
    double deep = 0;
    for (int k = 0; k < static_cast<int>((2 / speed + 0.3) * rate); ++k) {
        t.body.step(1 / rate);
        physics::Body& b = t.body.surfaces()[0].body;
        b.a += b.velocity / rate;
        b.b += b.velocity / rate;
        deep = std::max(deep, t.body.deepest(false));
    }
    return deep;
}

/// The worst that joints are off limbs that swing by 29 degrees once a second, under gravity [rad]. `guided`: the root too.
inline double chaseBy(double swing, bool guided) {
    physics::ArticulatedDef def = person();
    for (auto& s : def.segments) s.limited = false;
    BodyTrial t(def, swing, 1);
    const double h = 1 / 120.0;
    t.lay(Vec3::Zero(), t.straight(), h);
    const int limbs[] = {1, 7, 9, 10, 14, 16, 17};
    const auto goal = [&](int joint, double time) {
        const double most = joint == 1 ? 0.2 : 0.5;
        return most * (std::cos(2 * kPi * time + joint) - 1);
    };
    double worst = 0;
    for (int k = 0; k < 600; ++k) {
        const double time = k * h;
        for (int j : limbs) {
            const auto i = static_cast<std::size_t>(j);
            t.body.aim(i).turn = fromRotationVector(Vec3(goal(j, time - 0.5 * h), 0, 0));
            t.body.aim(i).spin = Vec3((goal(j, time + 0.5 * h) - goal(j, time - 0.5 * h)) / h, 0, 0);
        }
        if (guided) {
            t.body.root(0).swing = swing;
            t.body.root(0).place = t.def.segments[0].centre;
        }
        if (k % 5 == 0) t.body.refit();
        t.body.step(h);
        if (k <= 120) continue;
        for (std::size_t i = 1; i < t.body.size(); ++i) {
            const auto p = static_cast<std::size_t>(t.def.segments[i].parent);
            const bool moves = std::find(std::begin(limbs), std::end(limbs), static_cast<int>(i)) != std::end(limbs);
            const Quat wanted = fromRotationVector(Vec3(moves ? goal(static_cast<int>(i), time + h) : 0, 0, 0));
            worst = std::max(worst, rotationVector(t.body.turn(i) * (t.body.turn(p) * wanted).conjugate()).norm());
        }
    }
    return worst;
}

}  // namespace nutatio::test
