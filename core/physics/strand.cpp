#include "physics/strand.h"

#include <algorithm>

namespace nutatio::physics {

// Notation (numerics.md, "Strand"): link i with absolute turn q, direction d = q e, joint place x, end velocity V, angular
// velocity W. h step, eta = h/2, a = 2 - delta. Momentum is kept at the link ends in world space, so no Coriolis term appears.
//
// Pole fit. The scheme below, on one linear oscillator I x'' + c x' + k x = 0, is
//     v_mid = (v - eta khat x) / (1 + eta (dhat + eta khat)),  v+ = v + a (v_mid - v),  x+ = x + eta (v_mid-based drift)
// whose characteristic polynomial is z^2 - tr z + det. Asking for det = E^2, tr = 2 E cos(w_d h), E = exp(-zeta w h) gives
//     P = (3 - det - tr)/2, Q = det - 1 + P, y = P/a, chat = y/(1-y), khat = 4 Q (1 + chat)/(a h^2), dhat = 2 chat/h - h khat/2.
//
// Tension. Between drift and kick the link's direction stands still, so tension acts like the spring of a leapfrog scheme: stable
// only while the sideways frequency it makes, up to 4 T / (m L), stays below 2/h. A lantern on a thread, or many joints on a
// short whisker, lie far beyond that. A link whose tension is too great gets a turning inertia of its own, eps = h^2 T L / (4 mu)
// - m L^2 / 4, which bounds that frequency for any tension (the linearly implicit midpoint rule); below the bound eps is 0 and
// nothing is changed.
//
// Articulated recursion. For the subtree beyond a joint, [torque; force] = [J H; H^T M] [w; v] + [pt; pf] at the joint's place;
// eliminating the joint's own turn against its spring-damper c (w - w_parent) + s gives the parent's view of it in O(1) a link.

namespace {
constexpr double kDelta = 0.02;
constexpr double kA = 2.0 - kDelta;
constexpr double kCalm = 0.6;          // share of that inertia's turning that is lost each step
constexpr double kTensionShare = 0.1;  // mu: how near to the bound of stability tension may come
constexpr double kMostTurn = 0.5;      // [rad] a link may turn within one substep

/// Moves an articulated inertia from its point to a point `r` before it (r: from the new point to the old).
void shiftTo(const Vec3& r, Mat3& J, Mat3& H, const Mat3& M, Vec3& pt, const Vec3& pf) {
    const Mat3 R = skew(r);
    const Mat3 Ht = H.transpose();
    H += R * M;
    J += R * Ht - H * R;
    pt += r.cross(pf);
}
}  // namespace

int substepsFor(double dt, double swing) {
    // Faster swings get a finer grid, so that w h stays below 0.32: beyond about 0.5 a lightly damped strand that is thrown about
    // can feed its highest modes from its turning and never come to rest (measured; see README.md).
    double rate = 120;
    for (double f = 6; swing > f; f *= 2) rate *= 2;
    return std::max(1, static_cast<int>(std::ceil(dt * rate - 1e-6)));
}

Strand::Strand(std::span<const LinkDef> links, const StrandDef& def, double h) : m_def(def), m_h(h) {
    prepareMasses(links);
    prepareStiffness(links);
}

void Strand::prepareMasses(std::span<const LinkDef> links) {
    double total = 0;
    for (const LinkDef& l : links) total += l.length;
    m_links.resize(links.size());
    for (std::size_t i = 0; i < links.size(); ++i) {
        Link& l = m_links[i];
        l.parent = links[i].parent;
        l.length = links[i].length;
        l.direction = links[i].direction;
        l.attach = links[i].attach;
        // Even weight along the strand, each link's half at either end: the tip keeps half a link (error -0.45 % at 8 links).
        l.mass = 0.5 * l.length / total;
        if (l.parent >= 0) {
            m_links[static_cast<std::size_t>(l.parent)].mass += 0.5 * l.length / total;
            m_links[static_cast<std::size_t>(l.parent)].hasChild = true;
        }
    }
    for (Link& l : m_links) {
        if (!l.hasChild) l.mass += m_def.endWeight;
        l.twistInertia = 0.01 * l.mass * l.length * l.length;
        l.lightest = l.parent < 0 ? l.mass : std::min(l.mass, m_links[static_cast<std::size_t>(l.parent)].mass);
    }
}

void Strand::prepareStiffness(std::span<const LinkDef> links) {
    const std::size_t n = links.size();
    // Which ends each joint carries, and how far: lever of joint i to end k is end_k - joint_i.
    Eigen::MatrixXd M = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(n), static_cast<Eigen::Index>(n));
    std::vector<std::size_t> above;
    for (std::size_t k = 0; k < n; ++k) {
        const Vec3 end = links[k].restPlace + links[k].length * links[k].restDirection;
        above.clear();
        for (int i = static_cast<int>(k); i >= 0; i = links[static_cast<std::size_t>(i)].parent)
            above.push_back(static_cast<std::size_t>(i));
        for (std::size_t i : above)
            for (std::size_t j : above)
                M(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) +=
                    m_links[k].mass * (end - links[i].restPlace).dot(end - links[j].restPlace);
    }
    Eigen::VectorXd root(static_cast<Eigen::Index>(n)), v = Eigen::VectorXd::Ones(static_cast<Eigen::Index>(n));
    for (Eigen::Index i = 0; i < root.size(); ++i) {
        // A curled strand may carry its weight right at a joint; a tenth of its own link keeps the spring from vanishing.
        const Link& l = m_links[static_cast<std::size_t>(i)];
        root[i] = std::sqrt(std::max(M(i, i), 0.01 * l.mass * l.length * l.length));
    }
    for (Eigen::Index i = 0; i < root.size(); ++i)
        for (Eigen::Index j = 0; j < root.size(); ++j) M(i, j) /= root[i] * root[j];
    for (int k = 0; k < 200; ++k) {
        const Eigen::VectorXd next = M * v;
        const double before = m_sigma;
        m_sigma = next.norm() / v.norm();
        v = next / next.norm();
        if (k > 3 && std::abs(m_sigma - before) < 1e-12 * m_sigma) break;
    }

    const double w = 2 * kPi * m_def.swing, zeta = m_def.zeta, h = m_h;
    if (w > 0) {
        const double E = std::exp(-zeta * w * h), det = E * E;
        double tr;
        if (zeta < 1) {
            tr = 2 * E * std::cos(std::min(w * h * std::sqrt(1 - zeta * zeta), 0.9 * kPi));
        } else {
            const double r = w * std::sqrt(zeta * zeta - 1);
            tr = std::exp((r - zeta * w) * h) + std::exp(-(r + zeta * w) * h);
        }
        const double P = (3 - det - tr) / 2, Q = det - 1 + P, y = std::min(P / kA, 0.98), chat = y / (1 - y);
        m_khat = std::max(0.0, 4 * Q * (1 + chat) / (kA * h * h));
        m_dhat = std::max(0.0, 2 * chat / h - h * m_khat / 2);
        // At rest the scheme balances khat a/2 against gravity, a little more than w^2: gravity grows by as much, so that sag is
        // what physics says.
        m_gravityShare = m_khat * (kA / 2) / (w * w);
    }
    for (std::size_t i = 0; i < n; ++i) {
        Link& l = m_links[i];
        l.inertia = root[static_cast<Eigen::Index>(i)] * root[static_cast<Eigen::Index>(i)];
        l.stiff = m_khat * m_sigma * l.inertia;
        l.damp = m_dhat * m_sigma * l.inertia;
    }
}

void Strand::place(Link& l, const Vec3& basePlace, const Quat& baseTurn) {
    if (l.parent < 0) {
        // Further links on the base are attached where the first one is, offset in the base's axes.
        l.x = basePlace + baseTurn * l.attach;
        return;
    }
    const Link& p = m_links[static_cast<std::size_t>(l.parent)];
    l.x = p.x + p.q * l.attach;
}

Vec3 Strand::baseVelocityOf(const Link& l, const Vec3& rootVelocity) const {
    if (l.parent < 0) return rootVelocity;
    const Link& p = m_links[static_cast<std::size_t>(l.parent)];
    return p.v + p.w.cross(l.x - (p.x + p.length * p.d));
}

void Strand::start(const Vec3& basePlace, const Quat& baseTurn, std::span<const Quat> goals, const Vec3& velocity,
                   const Vec3& spin) {
    for (std::size_t i = 0; i < m_links.size(); ++i) {
        Link& l = m_links[i];
        const Quat& above = l.parent < 0 ? baseTurn : m_links[static_cast<std::size_t>(l.parent)].q;
        l.q = (above * goals[i]).normalized();
        l.d = l.q * l.direction;
        place(l, basePlace, baseTurn);
        l.w = spin;
        l.v = velocity + spin.cross(end(i) - basePlace);
        l.tension = l.mass * m_gravityShare * m_def.gravity.norm();
    }
    // Each link carries the weight of all that hangs below it, until the first step has measured what it really carries.
    for (std::size_t i = m_links.size(); i-- > 0;)
        if (m_links[i].parent >= 0) m_links[static_cast<std::size_t>(m_links[i].parent)].tension += m_links[i].tension;
}

void Strand::predict(const BaseStep& base, std::span<const LinkGoal> goals) {
    const double eta = 0.5 * m_h;
    for (std::size_t i = 0; i < m_links.size(); ++i) {
        Link& l = m_links[i];
        const bool first = l.parent < 0;
        const Link* p = first ? nullptr : &m_links[static_cast<std::size_t>(l.parent)];
        const Quat& above = first ? base.turn0 : p->q;
        l.dbar = (l.d + eta * l.w.cross(l.d)).normalized();
        const Vec3 phi = rotationVector(l.q * (above * goals[i].turn0).conjugate());
        l.c = eta * (l.damp + eta * l.stiff);
        l.s = eta * l.stiff * phi - l.c * (above * goals[i].spin);
        if (first) {
            l.shift = 0.5 * (base.turn0 * l.attach + base.turn1 * l.attach);
        } else {
            // From the parent's end to this joint, turned on to the half step.
            const Vec3 off = p->q * l.attach - p->length * p->d;
            l.shift = off + eta * p->w.cross(off);
        }
    }
}

void Strand::gather() {
    const double eta = 0.5 * m_h;
    for (Link& l : m_links) {
        const Vec3 dd = l.dbar;
        l.J = l.twistInertia * (dd * dd.transpose());
        const double steady =
            std::max(0.0, m_h * m_h * l.tension * l.length / (4 * kTensionShare) - 0.25 * l.lightest * l.length * l.length);
        l.H.setZero();
        l.M = (l.mass * (1 + 2 * eta * m_def.airDrag / kA)) * Mat3::Identity();
        l.pt = -l.twistInertia * l.w.dot(dd) * dd;
        if (steady > 0) {
            l.J += steady * (Mat3::Identity() - dd * dd.transpose());
            l.pt -= (1 - kCalm) * steady * (l.w - dd * l.w.dot(dd));
        }
        l.pf = -l.mass * l.v - (eta * (2 / kA) * l.mass * m_gravityShare) * m_def.gravity;
    }
    for (auto at = m_links.rbegin(); at != m_links.rend(); ++at) {
        Link& l = *at;
        shiftTo(l.length * l.dbar, l.J, l.H, l.M, l.pt, l.pf);
        Mat3 A = l.J;
        A.diagonal().array() += l.c;
        l.D = A.inverse();
        l.Hs = l.H;
        l.u = l.pt + l.s;
        if (l.parent < 0) continue;
        const Mat3 DH = l.D * l.H;
        Mat3 J = -(l.c * l.c) * l.D;
        J.diagonal().array() += l.c;
        Mat3 H = l.c * DH;
        const Mat3 M = l.M - l.H.transpose() * DH;
        const Vec3 pf = l.pf - DH.transpose() * l.u;
        Vec3 pt = l.c * (l.D * l.u) - l.s;
        shiftTo(l.shift, J, H, M, pt, pf);
        Link& p = m_links[static_cast<std::size_t>(l.parent)];
        p.J += J;
        p.H += H;
        p.M += M;
        p.pt += pt;
        p.pf += pf;
    }
}

void Strand::spread(const Vec3& baseVelocity, const Vec3& baseSpin) {
    for (Link& l : m_links) {
        const bool first = l.parent < 0;
        const Link* p = first ? nullptr : &m_links[static_cast<std::size_t>(l.parent)];
        const Vec3& wp = first ? baseSpin : p->wMid;
        const Vec3 vb = (first ? baseVelocity : p->vMid) + wp.cross(l.shift);
        l.wMid = l.D * (l.c * wp - l.u - l.Hs * vb);
        l.vMid = vb + l.wMid.cross(l.length * l.dbar);
        // What the joint hands to the link, along it. A sudden slack is believed only step by step: a snap comes back at once.
        const Vec3 force = l.Hs.transpose() * l.wMid + l.M * vb + l.pf;
        l.tension = std::max(std::abs(2 * force.dot(l.dbar) / m_h), 0.8 * l.tension);
        l.v += kA * (l.vMid - l.v);
    }
}

void Strand::drift(const BaseStep& base) {
    const double eta = 0.5 * m_h;
    for (Link& l : m_links) {
        place(l, base.place1, base.turn1);
        const Vec3 vb = baseVelocityOf(l, base.velocityEnd);
        Vec3 rel = l.v - vb;
        // Half a radian a step is as fast as a link may turn: teleports stay finite, and the change is carried down by vb of the
        // next.
        const double most = kMostTurn * l.length / m_h, speed = rel.norm();
        if (speed > most) {
            rel *= most / speed;
            l.v = vb + rel;
        }
        const Vec3 y = (eta / l.length) * rel;
        const Vec3 d1 = (l.dbar + y).normalized();
        const Vec3 d = (l.dbar / std::max(d1.dot(l.dbar), 0.1) + y).normalized();
        const double twist = std::clamp(l.wMid.dot(l.dbar), -kMostTurn / m_h, kMostTurn / m_h);
        l.w = d.cross(rel) / l.length + twist * l.dbar;
        l.q = (fromRotationVector(m_h * twist * d) * arc(l.d, d) * l.q).normalized();
        l.d = l.q * l.direction;
    }
}

void Strand::redirect(Link& l, const Vec3& d) {
    l.q = (arc(l.d, d) * l.q).normalized();
    l.d = l.q * l.direction;
}

void Strand::limitBend(Link& l, const Quat& goal, const Vec3& baseVelocity) {
    const Vec3 axis = goal * l.direction;
    const double angle = std::acos(std::clamp(axis.dot(l.d), -1.0, 1.0));
    if (angle <= m_def.bendLimit) return;
    Vec3 side = l.d - axis * axis.dot(l.d);
    side = side.squaredNorm() > 1e-20 ? side.normalized() : anySquareTo(axis);
    redirect(l, std::cos(m_def.bendLimit) * axis + std::sin(m_def.bendLimit) * side);
    const Vec3 outward = (side - l.d * l.d.dot(side)).normalized();
    const Vec3 rel = l.v - baseVelocity;
    const double speed = rel.dot(outward);
    if (outward.allFinite() && speed > 0) {
        l.v -= speed * outward;
        l.w -= l.d.cross(outward) * (speed / l.length);
    }
}

bool Strand::keepClear(Link& l, const Body& body, const Vec3& baseVelocity) {
    if (!body.plane) {
        // Most bodies are far from most links: a ball round each tells so cheaply.
        const Vec3 apart = l.x + 0.5 * l.length * l.d - 0.5 * (body.a + body.b);
        const double reach = 0.5 * l.length + body.radius;
        if (apart.squaredNorm() > 2 * (reach * reach + 0.25 * (body.b - body.a).squaredNorm())) return false;
    }
    const Contact c = nearest(body, l.x, l.length * l.d);
    if (c.distance >= 0 || c.lever < 0.05) return false;
    // With n.(x + lambda L d - centre) = R asked for: n.d = sN, and d keeps its sideways part.
    const double lever = c.lever * l.length;
    const double height = c.normal.dot(l.x - c.centre);
    const double sN = (c.radius - height) / lever;
    if (sN > 1 || sN < -1) return false;  // its joint lies inside: no turn of this link can help
    const Vec3 side = l.d - c.normal * c.normal.dot(l.d);
    if (side.squaredNorm() < 1e-20) return false;
    redirect(l, sN * c.normal + std::sqrt(1 - sN * sN) * side.normalized());
    const Vec3 rel = l.v - baseVelocity;
    const double approach = c.normal.dot(baseVelocity + c.lever * rel - c.velocity);
    if (approach < 0) {
        const Vec3 push = -(approach / c.lever) * c.normal;
        l.v += push;
        l.w += l.d.cross(push) / l.length;
    }
    return true;
}

void Strand::constrain(const BaseStep& base, std::span<const LinkGoal> goals, std::span<const Body> bodies) {
    const bool limits = m_def.bendLimit < kPi;
    if (!limits && bodies.empty()) return;
    for (std::size_t i = 0; i < m_links.size(); ++i) {
        Link& l = m_links[i];
        place(l, base.place1, base.turn1);
        const Vec3 vb = baseVelocityOf(l, base.velocityEnd);
        const Quat& above = l.parent < 0 ? base.turn1 : m_links[static_cast<std::size_t>(l.parent)].q;
        if (limits) limitBend(l, above * goals[i].turn1, vb);
        // A second round only where the first one moved the link: what pushed it off one body may have pushed it into another.
        bool touched = false;
        for (const Body& b : bodies) touched |= keepClear(l, b, vb);
        if (touched && bodies.size() > 1)
            for (const Body& b : bodies) keepClear(l, b, vb);
    }
}

void Strand::step(const BaseStep& base, std::span<const LinkGoal> goals, std::span<const Body> bodies) {
    predict(base, goals);
    gather();
    const Vec3 spin = rotationVector(base.turn1 * base.turn0.conjugate()) / m_h;
    spread((base.place1 - base.place0) / m_h, spin);
    drift(base);
    constrain(base, goals, bodies);
}

double Strand::energy() const {
    double e = 0;
    for (std::size_t i = 0; i < m_links.size(); ++i)
        e += m_links[i].mass * (0.5 * m_links[i].v.squaredNorm() - m_gravityShare * m_def.gravity.dot(end(i)));
    return e;
}

}  // namespace nutatio::physics
