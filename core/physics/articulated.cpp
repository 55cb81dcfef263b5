#include "physics/articulated.h"

#include <algorithm>
#include <cmath>

#include "physics/oscillator.h"

namespace nutatio::physics {

// Segment i with parent p: centre x, turn q, turn qh half a drift ago, speed V, angular momentum L about x. Places are those of a
// time t, momenta those of t - h/2 (leapfrog). Momenta are carried: taking speeds back from places costs 38 % of a tumble's
// energy in ten seconds. eta = h/2, a = 2 - delta (kMidpointGain), g gravity.
//
// Springs. K_i is the inertia of all below joint i about it in the goal pose, turned to where the goal is now; the joint's spring
// is khat sigma K_i and its damper dhat sigma K_i, with the poles of oscillator.cpp: every axis of the joint swings as asked
// while what is below it is rigid and its parent held. sigma = 1 for one joint; for a part of several the largest eigenvalue of M
// y = sigma blockdiag(K) y, M the inertia by joints: then the first mode of the part is the asked one.
//
// One substep, with J H M the articulated inertia at a joint, [torque; force] = [J H; H^T M] [w; v] + [pt; pf]:
//   1  M = m 1, H = m [r], J = I + m (r.r 1 - r r^T);  pf = -m (V + (h/a) g), pt = -L + r x pf            r: joint -> centre
//   2  from the leaves: phi = log(qh (qh_p goal)^-1), C = eta (dhat + eta khat) sigma K, s = eta khat sigma K phi - C spin
//        D = (J + C)^-1, E = C D, G = H^T D, u = pt + s
//        to the parent, l: its joint -> this one:  M' = M - G H, H' = E H + [l] M', J' = C - E C + [l](E H)^T - H' [l],
//        pf' = pf - G u, pt' = E u - s + l x pf'
//   3  to the leaves: v = v_p + w_p x l, w = E^T w_p - D u - G^T v
//   4  V += a (v + w x r - V), L += a (I w - L)              no Coriolis term: the momenta carry them
//   5  rows (contacts, limits, grips) on the responses that 2 and 3 give to impulses; see articulated_rows.cpp
//   6  drift by exp(h W), W solved for half way, places by the joints; then the whole is shifted so that its centre of mass went
//      just h (sum m V)/(sum m): flight is a parabola to rounding. A firm grip that anchors shifts it to where that is instead.
// The offset phi is taken where the step began, half a drift ago: at the place of the kick damping is too large by w h / 4 and
// the higher modes of a chain are unstable.
//
// Sources: Featherstone, Rigid Body Dynamics Algorithms (2008), ch. 7, for the recursion and the root's 6x6; the rows and the
// rest are derived in README.md, with what was tried and measured.

namespace {

constexpr double kA = kMidpointGain;
constexpr double kSlack = 1;         // [1/s] of damping that a limp joint keeps, else limbs swing for ever
constexpr double kFlesh = 25;        // [1/s] more of it where a limp body lies nearly still
constexpr double kFleshBelow = 0.1;  // [sizes/s] below which it counts
constexpr double kGrace = 0.3;       // [s] before a body that was flung counts as lying
constexpr double kStandsStill = 4;   // [s] after which one that never fell counts as lying too
constexpr double kTires = 2;         // [1/s^2] by which its flesh gets stiffer the longer it lies
constexpr double kFlung = 0.3;       // [sizes/s] above which a part of it is flung
constexpr double kRocksBy = 0.02, kRocksTurn = 0.4, kRocksWait = 0.8;  // [sizes], [rad], [s]
constexpr double kToAndFro = 0.3;                // of the way that it goes, which what trembles gets anywhere by at most
constexpr double kLight = 0.045, kLightMay = 3;  // of the whole's mass; times as far
constexpr double kRoll = 0.2;                    // of radius: rolling resistance
constexpr double kMostTurn = 0.5;                // [rad] in a step
constexpr double kCalmSpeed = 0.01, kCalmSpin = 0.1, kCalmWait = 0.25;  // [sizes/s], [rad/s], [s]
constexpr double kGive = 0.03, kWorse = 0.005;  // [rad] beyond its range, and more than before: a step is halved
constexpr double kFarthestAnchor = 0.02;        // [sizes] a step

Mat3 about(const Mat3& inertia, double mass, const Vec3& r) {
    return inertia + mass * (r.squaredNorm() * Mat3::Identity() - r * r.transpose());
}

}  // namespace

Mat3 capsuleInertia(double mass, const Vec3& endA, const Vec3& endB, double radius) {
    const Vec3 d = endB - endA;
    const double L = d.norm(), r = radius, tube = kPi * r * r * L, ball = 4.0 / 3 * kPi * r * r * r;
    const double mt = tube + ball > 0 ? mass * tube / (tube + ball) : 0, mb = mass - mt;
    double along = 0.5 * mt * r * r + 0.4 * mb * r * r;
    double across = mt * (L * L / 12 + r * r / 4) + mb * (0.4 * r * r + L * L / 4 + 0.375 * L * r);
    across = std::max(across, 1e-12 * mass);
    along = std::max(along, 0.3 * across);
    const Vec3 u = L > 1e-9 ? Vec3(d / L) : Vec3(Vec3::UnitY());
    return across * Mat3::Identity() + (along - across) * u * u.transpose();
}

Articulated::Articulated(std::vector<ArticulatedDef> bodies) {
    m_size = bodies.front().size;
    std::vector<int> of;
    for (ArticulatedDef& def : bodies) {
        const int first = static_cast<int>(m_defs.size());
        Whole& whole = m_bodies.emplace_back();
        whole.first = m_defs.size();
        whole.count = def.segments.size();
        whole.size = def.size;
        whole.friction = def.friction;
        m_size = std::min(m_size, def.size);
        for (int i = 0; i < first; ++i)
            for (int k = 0; k < static_cast<int>(whole.count); ++k) m_meets.emplace_back(i, first + k);
        for (const auto& [a, b] : def.meets) m_meets.emplace_back(first + a, first + b);
        for (SegmentDef& d : def.segments) {
            whole.mass += d.mass;
            if (d.parent >= 0) d.parent += first;
            of.push_back(static_cast<int>(m_bodies.size()) - 1);
            m_defs.push_back(std::move(d));
        }
    }
    const std::size_t n = m_defs.size();
    m_s.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
        const SegmentDef& d = m_defs[i];
        Segment& s = m_s[i];
        s.parent = d.parent;
        s.body = of[i];
        s.mass = d.mass;
        s.radius = d.radius;
        s.offset = d.joint - (d.parent < 0 ? d.centre : m_defs[static_cast<std::size_t>(d.parent)].centre);
        s.lever = d.parent < 0 ? Vec3(Vec3::Zero()) : Vec3(d.centre - d.joint);
        s.endA = d.endA - d.centre;
        s.endB = d.endB - d.centre;
        s.half = std::max(s.endA.norm(), s.endB.norm());
        s.far = s.half;
        for (const Vec3& c : d.corners) s.far = std::max(s.far, (c - d.centre).norm());
        if (d.edged) s.half = s.far;
        s.inertia = d.inertia;
        s.inverse = d.inertia.inverse();
        s.x = d.centre;
        s.v = s.w = s.momentum = Vec3::Zero();
        s.q = s.qh = Quat::Identity();
        s.C = s.D = s.E = s.G = Mat3::Zero();
        if (d.parent < 0) {
            s.tree = static_cast<int>(m_roots.size());
            m_roots.emplace_back();
            m_roots.back().segment = static_cast<int>(i);
        } else {
            s.tree = m_s[static_cast<std::size_t>(d.parent)].tree;
        }
        m_roots[static_cast<std::size_t>(s.tree)].mass += d.mass;
    }
    m_aims.resize(n);
    m_rootAims.resize(n);
    m_fits.resize(n);
    m_rootFits.resize(n);
    m_below.assign(n, Mat3::Zero());
    m_sigma.assign(n, 1.0);
    m_following.resize(n);
    m_swingLet.assign(n, 1.0);
    m_twistLet.assign(n, 0.0);
    m_probed.reserve(kMostRows);
    m_sleptAims = m_aims;
    m_need.resize(n);
    m_on.resize(n);
    for (auto* v : {&m_t, &m_f, &m_old}) v->resize(n);
    m_centres.resize(m_roots.size());
    m_speeds.resize(m_roots.size());
    m_rows.reserve(kMostRows);
    m_ids.reserve(kMostRows);
    m_touches.reserve(kMostRows);
    m_cache.reserve(kMostRows);
    m_fresh.reserve(kMostRows);
    m_gripPulls.reserve(kMostRows);
    m_blows.reserve(16);
    for (Kept& k : m_kept) {
        k.motion.reserve(n);
        k.cache.reserve(kMostRows);
        k.blows.reserve(16);
        k.supported.reserve(m_bodies.size());
    }
    m_W.resize((kMostRows + 8) * (kMostRows + 8));
    m_v.resize(kMostRows + 8);
    refit();
}

void Articulated::setCorners(std::size_t segment, const std::vector<Vec3>& fromCentre) {
    SegmentDef& d = m_defs[segment];
    Segment& s = m_s[segment];
    d.corners.clear();
    s.far = std::max(s.endA.norm(), s.endB.norm());
    for (const Vec3& c : fromCentre) {
        d.corners.push_back(d.centre + c);
        s.far = std::max(s.far, c.norm());
    }
    if (d.edged) s.half = s.far;
}

void Articulated::refit() {
    const std::size_t n = m_s.size();
    // Where everything is in the goal's pose; t and f are free between steps.
    std::vector<Vec3>&x = m_t, &joint = m_f;
    std::vector<Quat> q(n);
    for (std::size_t i = 0; i < n; ++i) {
        const Segment& s = m_s[i];
        const auto p = static_cast<std::size_t>(s.parent);
        q[i] = s.parent < 0 ? Quat::Identity() : q[p] * m_aims[i].turn;
        joint[i] = s.parent < 0 ? m_defs[i].centre : Vec3(x[p] + q[p] * s.offset);
        x[i] = s.parent < 0 ? joint[i] : Vec3(joint[i] + q[i] * s.lever);
        m_below[i].setZero();
    }
    for (std::size_t k = 0; k < n; ++k) {
        const Mat3 R = q[k].toRotationMatrix(), own = R * m_s[k].inertia * R.transpose();
        for (int i = static_cast<int>(k); i >= 0; i = m_s[static_cast<std::size_t>(i)].parent)
            m_below[static_cast<std::size_t>(i)] += about(own, m_s[k].mass, x[k] - joint[static_cast<std::size_t>(i)]);
    }
    for (Root& r : m_roots) r.whole.setZero();
    std::vector<Vec3>& centre = m_centres;
    std::fill(centre.begin(), centre.end(), Vec3::Zero());
    for (std::size_t k = 0; k < n; ++k)
        centre[static_cast<std::size_t>(m_s[k].tree)] += m_s[k].mass / m_roots[static_cast<std::size_t>(m_s[k].tree)].mass * x[k];
    for (std::size_t k = 0; k < n; ++k) {
        const Mat3 R = q[k].toRotationMatrix();
        m_roots[static_cast<std::size_t>(m_s[k].tree)].whole +=
            about(R * m_s[k].inertia * R.transpose(), m_s[k].mass, x[k] - centre[static_cast<std::size_t>(m_s[k].tree)]);
    }
    for (std::size_t i = 0; i < n; ++i) {
        const Mat3 R = q[i].toRotationMatrix();
        m_below[i] = R.transpose() * m_below[i] * R;
    }
}

void Articulated::start(std::span<const Vec3> rootPlaces, std::span<const Quat> turns, std::span<const Vec3> velocities,
                        std::span<const Vec3> spins, double h, std::size_t body) {
    Whole& whole = m_bodies[body];
    std::size_t root = 0;
    for (std::size_t k = 0; k < whole.count; ++k) {
        Segment& s = m_s[whole.first + k];
        s.q = s.qh = turns[k].normalized();
        if (s.parent < 0) s.x = rootPlaces[root++];
        s.load = 0;
    }
    placeByJoints();
    for (std::size_t k = 0; k < whole.count; ++k) {
        Segment& s = m_s[whole.first + k];
        s.v = velocities[k];
        s.w = spins[k];
        const RootAim& carrier = m_rootAims[static_cast<std::size_t>(m_roots[static_cast<std::size_t>(s.tree)].segment)];
        if (!carrier.held && carrier.swing <= 0) s.v -= 0.5 * h * whole.gravity;
        const Mat3 R = s.q.toRotationMatrix();
        s.momentum = R * (s.inertia * (R.transpose() * s.w));
    }
    m_cache.clear();
    m_blows.clear();
    whole.supported = 0;
    m_lying = -kStandsStill;
    wake();
}

std::pair<double, double> Articulated::fitted(std::size_t i, double h) {
    Fitted& t = m_fits[i];
    const JointAim& j = m_aims[i];
    if (t.swing != j.swing || t.zeta != j.zeta || t.strength != j.strength || t.h != h) {
        const double share = std::sqrt(std::max(0.0, j.strength));
        const Poles p = fitPoles(2 * kPi * j.swing * share, j.zeta * share, h);
        t = {j.swing, j.zeta, j.strength, h, p.khat, p.dhat};
    }
    return {t.k, t.d};
}

void Articulated::factor(double h) {
    const double eta = 0.5 * h, kick = 2 * eta / kA;
    m_carries = false;
    for (std::size_t i = 0; i < m_s.size(); ++i) {
        Segment& s = m_s[i];
        const bool root = s.parent < 0;
        const Mat3 R = s.q.toRotationMatrix();
        s.turned = R * s.inertia * R.transpose();
        s.turnedInverse = R * s.inverse * R.transpose();
        s.r = R * s.lever;
        s.joint = s.x - s.r;
        s.up = root ? Vec3(Vec3::Zero()) : Vec3(s.joint - m_s[static_cast<std::size_t>(s.parent)].joint);
        const double c = m_aims[i].drag, m = s.mass * (1 + kick * c);
        s.M = m * Mat3::Identity();
        s.H = m * skew(s.r);
        s.J = about((1 + kick * c) * s.turned, m, s.r);
        if (s.load > 0 && !m_defs[i].edged)  // rolling resistance of what lies on something; edges need none
            s.J += std::min(kRoll * s.load * s.radius / (s.w.norm() + 0.05), s.turned.trace() / 6) * Mat3::Identity();
        s.pf = -s.mass * (s.v + kick * (wholeOf(s).gravity + c * wholeOf(s).air));
        s.pt = -s.momentum + s.r.cross(s.pf);
        m_carries = m_carries || m_aims[i].carried > 0;
    }
    if (m_carries) {
        for (Segment& s : m_s) s.massBelow = s.mass, s.below = s.mass * s.x;
        for (std::size_t i = m_s.size(); i-- > 0;)
            if (m_s[i].parent >= 0) {
                Segment& p = m_s[static_cast<std::size_t>(m_s[i].parent)];
                p.massBelow += m_s[i].massBelow;
                p.below += m_s[i].below;
            }
    }
    for (std::size_t i = m_s.size(); i-- > 0;)
        if (m_s[i].parent >= 0) gather(i, h);
}

void Articulated::gather(std::size_t i, double h) {
    const double eta = 0.5 * h;
    Segment &s = m_s[i], &p = m_s[static_cast<std::size_t>(s.parent)];
    const JointAim& aim = m_aims[i];
    const Whole& whole = wholeOf(s);
    const auto [khat, dhat] = fitted(i, h);
    const Vec3 phi = rotationVector(s.qh * (p.qh * aim.turn).conjugate());
    const Mat3 R = (p.q * aim.turn).toRotationMatrix(), K = m_sigma[i] * (R * m_below[i] * R.transpose());
    double slack = kSlack;
    if (s.load > 0 || whole.supported > 0.5) {
        // What has not fallen yet may still stand: its flesh does not hold it up.
        const double speed = s.v.norm() / (kFleshBelow * whole.size), lying = std::max(0.0, m_lying);
        if (m_lying > -kGrace) slack += kFlesh * (1 + kTires * lying * lying) * std::max(0.0, 1 - speed);
    }
    s.C = eta * (dhat + eta * khat + slack * std::max(0.0, 1 - aim.strength)) * K;
    Vec3 spring = eta * khat * (K * phi) - s.C * (p.q * aim.spin);
    if (aim.carried > 0) {
        const RootAim& root = m_rootAims[static_cast<std::size_t>(m_roots[static_cast<std::size_t>(s.tree)].segment)];
        const double held = root.held || root.swing > 0 ? 1.0 : std::min(1.0, whole.supported);
        spring += (2 * eta / kA) * aim.carried * held * (s.below - s.massBelow * s.joint).cross(whole.gravity);
    }
    s.D = (s.J + s.C).inverse();
    s.E = s.C * s.D;
    s.G = s.H.transpose() * s.D;
    s.u = s.pt + spring;
    const Mat3 M = s.M - s.G * s.H, H = s.E * s.H, l = skew(s.up);
    const Vec3 pf = s.pf - s.G * s.u;
    const Mat3 Hl = H + l * M, J = s.C - s.E * s.C + l * H.transpose() - Hl * l;
    p.M += M;
    p.H += Hl;
    p.J += 0.5 * (J + J.transpose());
    p.pf += pf;
    p.pt += s.E * s.u - spring + s.up.cross(pf);
}

void Articulated::solveRoots(double h) {
    const double eta = 0.5 * h;
    for (Root& r : m_roots) {
        Segment& s = m_s[static_cast<std::size_t>(r.segment)];
        const RootAim& aim = m_rootAims[static_cast<std::size_t>(r.segment)];
        if (aim.held) {
            r.inverse.setZero();
            // The speed in the middle of the step that leads from the last step's to the wanted one. The wanted one itself would
            // leave in what hangs on the root a part that changes its sign from step to step.
            s.jw = s.w + (aim.spin - s.w) / kA;
            s.jv = s.v + (aim.velocity - s.v) / kA;
            continue;
        }
        if (aim.swing > 0) {
            Fitted& t = m_rootFits[static_cast<std::size_t>(r.segment)];
            if (t.swing != aim.swing || t.zeta != aim.zeta || t.h != h) {
                const Poles p = fitPoles(2 * kPi * aim.swing, aim.zeta, h);
                t = {aim.swing, aim.zeta, 1, h, p.khat, p.dhat};
            }
            const double c = eta * (t.d + eta * t.k);
            const Mat3 R = s.q.toRotationMatrix(), K = R * r.whole * R.transpose();
            s.pt += eta * t.k * (K * rotationVector(s.qh * aim.turn.conjugate())) - c * (K * aim.spin);
            s.pf += r.mass * (eta * t.k * (s.x - eta * s.v - aim.place) - c * aim.velocity);
            s.J += c * K;
            s.M += c * r.mass * Mat3::Identity();
        }
        Eigen::Matrix<double, 6, 6> A;
        A << s.J, s.H, s.H.transpose(), s.M;
        r.inverse = A.inverse();
        Eigen::Matrix<double, 6, 1> p;
        p << s.pt, s.pf;
        const Eigen::Matrix<double, 6, 1> v = -(r.inverse * p);
        s.jw = v.head<3>();
        s.jv = v.tail<3>();
    }
}

void Articulated::reflect() {
    for (std::size_t i = 0; i < m_s.size(); ++i) {
        Segment& s = m_s[i];
        if (s.parent < 0) {
            const RootAim& aim = m_rootAims[i];
            if (aim.held) {
                s.v = aim.velocity;
                s.w = aim.spin;
                s.momentum = s.turned * s.w;
                continue;
            }
        } else {
            const Segment& p = m_s[static_cast<std::size_t>(s.parent)];
            s.jv = p.jv + p.jw.cross(s.up);
            s.jw = s.E.transpose() * p.jw - s.D * s.u - s.G.transpose() * s.jv;
        }
        s.v += kA * (s.jv + s.jw.cross(s.r) - s.v);
        s.momentum += kA * (s.turned * s.jw - s.momentum);
        s.w = s.turnedInverse * s.momentum;
    }
}

void Articulated::step(double h) {
    if (m_asleep && undisturbed()) return;
    m_asleep = false;
    wear(h);
    wearTurns(h);
    move(h, kMostHalvings);
    rest(h);
}

/// A blow can turn a joint far in one step, past where its limit was looked for: such a step is taken back and gone in two
/// halves.
void Articulated::move(double h, int halvings) {
    const double before = halvings > 0 ? beyondLimits() : 0;
    if (halvings > 0) keep(m_kept[static_cast<std::size_t>(halvings)]);
    factor(h);
    solveRoots(h);
    reflect();
    m_rows.clear();
    m_ids.clear();
    limitRows(h);
    contactRows(h);
    gripRows(h);
    thrustRows(h);
    applyRows(h);
    drift(h);
    if (halvings == 0) return;
    const double after = beyondLimits();
    if (after < kGive || after < before + kWorse) return;
    takeBack(m_kept[static_cast<std::size_t>(halvings)]);
    move(0.5 * h, halvings - 1);
    // What is met and aimed at goes on meanwhile.
    carryOn(0.5 * h);
    move(0.5 * h, halvings - 1);
    carryOn(-0.5 * h);
}

void Articulated::keep(Kept& to) const {
    to.motion.clear();
    for (const Segment& s : m_s) to.motion.push_back({s.x, s.v, s.momentum, s.w, s.q, s.qh, s.load});
    to.cache = m_cache;
    to.blows = m_blows;
    to.supported.clear();
    for (const Whole& b : m_bodies) to.supported.push_back(b.supported);
}

void Articulated::takeBack(const Kept& from) {
    for (std::size_t i = 0; i < m_s.size(); ++i) {
        const Motion& m = from.motion[i];
        Segment& s = m_s[i];
        s.x = m.x;
        s.v = m.v;
        s.momentum = m.momentum;
        s.w = m.w;
        s.q = m.q;
        s.qh = m.qh;
        s.load = m.load;
    }
    m_cache = from.cache;
    m_blows = from.blows;
    for (std::size_t b = 0; b < m_bodies.size(); ++b) m_bodies[b].supported = from.supported[b];
}

void Articulated::carryOn(double time) {
    for (Surface& s : m_surfaces) {
        s.body.a += time * s.body.velocity;
        s.body.b += time * (s.body.velocity + s.body.spin.cross(s.body.b - s.body.a));
        s.body.turn = (fromRotationVector(time * s.body.spin) * s.body.turn).normalized();
    }
    for (Grip& g : m_grips) {
        if (g.turns)
            g.turn = (fromRotationVector(time * g.velocity) * g.turn).normalized();
        else
            g.place += time * g.velocity;
    }
}

void Articulated::placeByJoints() {
    for (Segment& s : m_s) {
        if (s.parent < 0) continue;
        const Segment& p = m_s[static_cast<std::size_t>(s.parent)];
        s.x = p.x + p.q * s.offset + s.q * s.lever;
    }
}

void Articulated::drift(double h) {
    const std::size_t n = m_s.size();
    bool cut = false;
    for (std::size_t t = 0; t < m_roots.size(); ++t) m_centres[t] = m_speeds[t] = Vec3::Zero();
    for (const Segment& s : m_s) {
        const auto t = static_cast<std::size_t>(s.tree);
        m_centres[t] += s.mass / m_roots[t].mass * s.x;
        m_speeds[t] += s.mass / m_roots[t].mass * s.v;
    }
    for (std::size_t t = 0; t < m_roots.size(); ++t) {
        Vec3& v = m_speeds[t];
        const double most = 0.5 * wholeOf(m_s[static_cast<std::size_t>(m_roots[t].segment)]).size / h;
        if (!v.allFinite()) {
            v.setZero();
            cut = true;
        } else if (v.norm() > most) {
            v *= most / v.norm();
            cut = true;
        }
    }
    const double most = kMostTurn / h;
    for (std::size_t i = 0; i < n; ++i) {
        Segment& s = m_s[i];
        m_old[i] = s.x;
        if (s.parent < 0 && m_rootAims[i].held) {
            s.x = m_rootAims[i].place;
            s.q = m_rootAims[i].turn;
            s.qh = (fromRotationVector(-0.5 * h * s.w) * s.q).normalized();
            continue;
        }
        double w = s.w.norm();
        if (!(w < 1e30) || !s.momentum.allFinite()) {
            s.momentum.setZero();
            s.w.setZero();
            cut = true;
        } else if (w > most) {
            s.momentum *= most / w;
            s.w *= most / w;
            cut = true;
        }
        for (int k = 0; k < 2; ++k) {
            const Mat3 R = (fromRotationVector(0.5 * h * s.w) * s.q).toRotationMatrix();
            s.w = R * (s.inverse * (R.transpose() * s.momentum));
        }
        w = s.w.norm();
        if (w > most) {
            s.w *= most / w;
            cut = true;
        }
        const Quat d = fromRotationVector(0.5 * h * s.w);
        s.qh = (d * s.q).normalized();
        s.q = (d * s.qh).normalized();
    }
    placeByJoints();
    anchor(h, m_centres, m_speeds);
    if (!cut) return;
    // After a cut the momenta no longer fit the joints: they are taken back from the places, which are bounded.
    double before = 0, after = 0;
    for (std::size_t i = 0; i < n; ++i) {
        Segment& s = m_s[i];
        if (s.v.allFinite()) before += 0.5 * s.mass * s.v.squaredNorm() + 0.5 * s.w.dot(s.momentum);
        const Mat3 R = s.q.toRotationMatrix();
        s.momentum = R * (s.inertia * (R.transpose() * s.w));
        s.v = (s.x - m_old[i]) / h;
        after += 0.5 * s.mass * s.v.squaredNorm() + 0.5 * s.w.dot(s.momentum);
    }
    if (!(after > before) || before < 0) return;
    const double less = std::sqrt(before / after);
    for (Segment& s : m_s) {
        s.v *= less;
        s.momentum *= less;
        s.w *= less;
    }
}

void Articulated::anchor(double h, const std::vector<Vec3>& centres, const std::vector<Vec3>& speeds) {
    for (std::size_t t = 0; t < m_roots.size(); ++t) {
        if (m_rootAims[static_cast<std::size_t>(m_roots[t].segment)].held) continue;
        Vec3 now = Vec3::Zero();
        for (const Segment& s : m_s)
            if (s.tree == static_cast<int>(t)) now += s.mass / m_roots[t].mass * s.x;
        Vec3 by = centres[t] + h * speeds[t] - now;
        for (const Grip& g : m_grips) {
            const Segment& s = m_s[static_cast<std::size_t>(g.segment)];
            if (!g.anchors || g.turns || s.tree != static_cast<int>(t)) continue;
            const Vec3 more = g.place + h * g.velocity - s.x - s.q * g.at - by;
            const double far = kFarthestAnchor * wholeOf(s).size;
            by += more.norm() > far ? Vec3(more * (far / more.norm())) : more;
            break;
        }
        for (Segment& s : m_s)
            if (s.tree == static_cast<int>(t)) s.x += by;
    }
}

bool Articulated::undisturbed() const {
    if (!m_grips.empty() || !m_thrusts.empty() || !m_blows.empty()) return false;
    for (std::size_t i = 0; i < m_s.size(); ++i) {
        const JointAim& aim = m_aims[i];
        if (m_s[i].parent < 0 && (m_rootAims[i].held || m_rootAims[i].swing > 0)) return false;
        if (aim.swing * aim.strength > 0 && !aim.spin.isZero()) return false;
        if (!m_asleep) continue;
        const JointAim& then = m_sleptAims[i];
        if (aim.swing * aim.strength != then.swing * then.strength || aim.zeta != then.zeta || aim.carried != then.carried ||
            (aim.strength > 0 && aim.turn.coeffs() != then.turn.coeffs()))
            return false;
    }
    for (const Whole& b : m_bodies)
        if (m_asleep && b.gravity != b.sleptGravity) return false;
    for (const Surface& s : m_surfaces) {
        if (s.body.velocity.isZero() && s.body.spin.isZero()) continue;
        if (s.body.kind != Body::Kind::Round) return false;
        // A body that moves far away does not wake a strand that rests.
        const Vec3 middle = 0.5 * (s.body.a + s.body.b);
        const double reach = 0.5 * (s.body.b - s.body.a).norm() + std::max(s.body.radiusA, s.body.radiusB);
        for (const Segment& g : m_s)
            if ((g.x - middle).norm() < reach + g.half + g.radius + 0.1 * wholeOf(g).size) return false;
    }
    return true;
}

/// Whether what was flung, and lies, has stayed about the same places for long: contacts and limits that ask for what cannot be
/// had at once make it tremble on the spot for ever. `left`: nothing is at work on it.
bool Articulated::rocks(double h, bool left) {
    bool stays = left && m_about.size() == m_s.size() && m_lying >= -kGrace;
    for (const Whole& b : m_bodies) stays = stays && b.supported > 0.5 && b.supported < 2;
    double net = 0, quick = 0;
    for (std::size_t i = 0; stays && i < m_s.size(); ++i) {
        // Of a tail's tip it is no matter which way it points.
        const double more = m_s[i].mass < kLight * wholeOf(m_s[i]).mass ? kLightMay : 1,
                     far = (m_s[i].x - m_about[i]).norm() / wholeOf(m_s[i]).size;
        stays = far < more * kRocksBy && m_s[i].q.angularDistance(m_aboutTurn[i]) < more * kRocksTurn;
        net = std::max(net, far);
        quick = std::max(quick, m_s[i].v.norm() / wholeOf(m_s[i]).size);
    }
    m_rocks = stays ? m_rocks + h : 0;
    m_rockedBy = stays ? m_rockedBy + h * quick : 0;
    // What slides slowly gets somewhere.
    if (m_rocks >= kRocksWait) {
        if (net < kToAndFro * m_rockedBy) return true;
        stays = false;
        m_rocks = m_rockedBy = 0;
    }
    if (!stays) {
        m_about.resize(m_s.size());
        m_aboutTurn.resize(m_s.size());
        for (std::size_t i = 0; i < m_s.size(); ++i) {
            m_about[i] = m_s[i].x;
            m_aboutTurn[i] = m_s[i].q;
        }
    }
    return false;
}

/// What lies still, touching, with nothing at work on it, stays as it is until something moves.
void Articulated::rest(double h) {
    const bool left = undisturbed();
    bool calm = left, lies = true, flung = false;
    for (const Whole& b : m_bodies) lies = lies && b.supported > 0.3 && b.supported < 3;
    for (const Segment& s : m_s) {
        const double speed = s.v.norm() / wholeOf(s).size;
        lies = lies && speed < kFleshBelow;
        flung = flung || speed > kFlung;
    }
    if (flung)
        m_lying = -kGrace;
    else
        m_lying = lies || m_lying < -kGrace ? m_lying + h : std::max(-kGrace, m_lying - 2 * h);
    for (const Whole& b : m_bodies) calm = calm && b.supported > 0.5 && b.supported < 2;
    for (std::size_t i = 0; calm && i < m_s.size(); ++i)
        calm = m_s[i].v.norm() < kCalmSpeed * wholeOf(m_s[i]).size && m_s[i].w.norm() < kCalmSpin;
    m_calm = calm ? m_calm + h : 0;
    if (m_calm < kCalmWait && !rocks(h, left)) return;
    for (Segment& s : m_s) s.v = s.w = s.momentum = Vec3::Zero();
    m_asleep = true;
    m_sleptAims = m_aims;
    for (Whole& b : m_bodies) b.sleptGravity = b.gravity;
}

void Articulated::hurl(const Vec3& velocity, const Vec3& spin, std::size_t body) {
    const Vec3 centre = centreOfMass(body);
    for (Segment& s : segmentsOf(body)) {
        const Mat3 R = s.q.toRotationMatrix();
        s.v += velocity + spin.cross(s.x - centre);
        s.momentum += R * (s.inertia * (R.transpose() * spin));
        s.w += spin;
    }
    wake();
}

Vec3 Articulated::centreOfMass(std::size_t body) const {
    Vec3 c = Vec3::Zero();
    for (const Segment& s : segmentsOf(body)) c += s.mass * s.x;
    return c / m_bodies[body].mass;
}

Vec3 Articulated::meanVelocity(std::size_t body) const {
    Vec3 v = Vec3::Zero();
    for (const Segment& s : segmentsOf(body)) v += s.mass * s.v;
    return v / m_bodies[body].mass;
}

Vec3 Articulated::spinOfWhole(std::size_t body) const {
    const Vec3 c = centreOfMass(body), v = meanVelocity(body);
    Mat3 I = Mat3::Zero();
    Vec3 L = Vec3::Zero();
    for (const Segment& s : segmentsOf(body)) {
        const Mat3 R = s.q.toRotationMatrix();
        I += about(R * s.inertia * R.transpose(), s.mass, s.x - c);
        L += s.momentum + s.mass * (s.x - c).cross(s.v - v);
    }
    return I.inverse() * L;
}

double Articulated::energy() const {
    double e = 0;
    for (const Segment& s : m_s)
        e += 0.5 * s.mass * s.v.squaredNorm() + 0.5 * s.w.dot(s.momentum) - s.mass * wholeOf(s).gravity.dot(s.x);
    return e;
}

double Articulated::quickness() const {
    double most = 0;
    for (const Segment& s : m_s)
        most = std::max(most, (s.v.norm() + s.w.norm() * s.half) / std::max(s.radius, 0.01 * wholeOf(s).size));
    return most;
}

double Articulated::separation() const {
    double worst = 0;
    for (const Segment& s : m_s) {
        if (s.parent < 0) continue;
        const Segment& p = m_s[static_cast<std::size_t>(s.parent)];
        worst = std::max(worst, (p.x + p.q * s.offset - s.x + s.q * s.lever).norm());
    }
    return worst;
}

void Articulated::appendState(std::vector<double>& to) const {
    for (const Segment& s : m_s) {
        for (const Vec3* v : {&s.x, &s.v, &s.momentum, &s.w}) to.insert(to.end(), v->begin(), v->end());
        for (const Quat* q : {&s.q, &s.qh}) to.insert(to.end(), {q->x(), q->y(), q->z(), q->w()});
    }
    for (const Segment& s : m_s) to.push_back(s.load);
    for (const Whole& b : m_bodies) to.push_back(b.supported);
    for (std::size_t i = 0; i < m_s.size(); ++i) {
        const Vec3 x = i < m_about.size() ? m_about[i] : m_s[i].x;
        const Quat q = i < m_about.size() ? m_aboutTurn[i] : m_s[i].q;
        to.insert(to.end(), {x.x(), x.y(), x.z(), q.x(), q.y(), q.z(), q.w()});
    }
    to.insert(to.end(), {m_rocks, m_rockedBy, m_calm, m_lying, m_asleep ? 1.0 : 0.0, static_cast<double>(m_cache.size())});
    for (std::size_t k = 0; k < kMostCached; ++k) {
        const Cached c = k < m_cache.size() ? m_cache[k] : Cached{};
        to.insert(to.end(), {static_cast<double>(c.id), c.p, c.t1, c.t2, c.arrive});
    }
    for (const auto* v : {&m_in.owed, &m_in.now, &m_pairs.owed, &m_pairs.now, &m_swingLet, &m_twistLet})
        to.insert(to.end(), v->begin(), v->end());
}

std::span<const double> Articulated::takeState(std::span<const double> from) {
    const double* at = from.data();
    for (Segment& s : m_s) {
        for (Vec3* v : {&s.x, &s.v, &s.momentum, &s.w}) {
            *v = Vec3::Map(at);
            at += 3;
        }
        for (Quat* q : {&s.q, &s.qh}) {
            const Quat read(at[3], at[0], at[1], at[2]);
            // Turns that are unit stay the same to the last bit.
            *q = std::abs(read.squaredNorm() - 1) > 1e-12 ? read.normalized() : read;
            at += 4;
        }
    }
    for (Segment& s : m_s) s.load = *at++;
    for (Whole& b : m_bodies) b.supported = *at++;
    m_about.resize(m_s.size());
    m_aboutTurn.resize(m_s.size());
    for (std::size_t i = 0; i < m_s.size(); ++i, at += 7) {
        m_about[i] = Vec3::Map(at);
        m_aboutTurn[i] = Quat(at[6], at[3], at[4], at[5]);
    }
    m_rocks = *at++;
    m_rockedBy = *at++;
    m_calm = *at++;
    m_lying = *at++;
    m_asleep = *at++ != 0;
    m_sleptAims = m_aims;
    for (Whole& b : m_bodies) b.sleptGravity = b.gravity;
    const auto count = static_cast<std::size_t>(within(*at++, 0.0, static_cast<double>(kMostCached)));
    m_cache.clear();
    for (std::size_t k = 0; k < kMostCached; ++k, at += 5)
        if (k < count) m_cache.push_back({static_cast<std::uint32_t>(at[0]), at[1], at[2], at[3], at[4]});
    m_blows.clear();
    for (auto* v : {&m_in.owed, &m_in.now, &m_pairs.owed, &m_pairs.now, &m_swingLet, &m_twistLet})
        for (double& each : *v) each = std::max(0.0, *at++);
    return from.subspan(static_cast<std::size_t>(at - from.data()));
}

}  // namespace nutatio::physics
