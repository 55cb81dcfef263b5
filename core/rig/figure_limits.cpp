#include "rig/figure_limits.h"

#include <algorithm>
#include <cmath>

#include "rig/capsule.h"

namespace nutatio::rig {

// Of each frame of each clip the turn of a segment against its parent is taken off the mean of all and split into swing and
// twist. The first swing axis is the one about which they spread most (principal axis of their rotation vectors), so that a hinge
// lies along it. The range is what lies between the 1 % and the 99 % quantile along either axis and 15 % more, with what the
// joint's role allows beside that, about its rest.

namespace {

constexpr double kMostFrames = 600;
constexpr double kRoom = 0.15, kLeastRoom = 5, kLeast = 10;        // [ranges], [deg], [deg]
constexpr double kLowest = 0.01, kHighest = 0.99, kMostOf = 0.98;  // quantiles
constexpr double kBends = 5, kOther = 20, kWide = 60;              // [deg]
constexpr std::size_t kTell = 8;                                   // frames, that tell how a joint bends

/// What a joint may do in a fall whatever the clips show [deg]: bend one way and back, sideways, twist.
struct Allowed {
    double bends = 60, back = 60, sideways = 60, twist = 30;
    bool hinge = false;
    Vec3 towards = Vec3::Zero();  // the way that its far end goes as it bends
};

class Ranges {
  public:
    Ranges(const Actor& actor, const Roles& roles, const Sides& sides, const std::vector<Affine>& rest, Figure& figure)
        : m_actor(actor), m_roles(roles), m_rest(rest), m_f(figure), m_turns(figure.segments.size()) {
        m_left = leftOf(actor.skeleton, rest, sides).normalized();
        if (roles.hasLegs())
            if (const Vec3 apart = place(roles.legs[0].upper) - place(roles.legs[1].upper); apart.norm() > 1e-6 * actor.height)
                m_left = apart.normalized();
        m_f.forward = m_forward = forwardOf();
        sample();
    }

    void fill() {
        for (std::size_t i = 0; i < m_f.segments.size(); ++i)
            if (m_f.segments[i].parent >= 0) one(i);
    }

  private:
    Vec3 place(int j) const { return m_rest[static_cast<std::size_t>(j)].t; }

    /// Square to what is left and to the way its legs carry it; of the two ways that leaves, the one of its toes, or, on four
    /// legs, of what its spine leads to.
    Vec3 forwardOf() const {
        Vec3 up = Vec3::UnitY(), ahead = Vec3::Zero();
        if (m_roles.hasLegs()) {
            up = Vec3::Zero();
            for (const Limb& l : m_roles.legs) up += place(l.upper) - place(l.end);
            for (const Limb& l : m_roles.legs)
                if (l.beyond != kNoJoint) ahead += place(l.beyond) - place(l.end);
        }
        if (m_roles.fourLegged && !m_roles.spine.empty()) ahead = place(m_roles.spine.back()) - place(m_roles.hips);
        const Vec3 forward = m_left.cross(up - m_left.dot(up) * m_left);
        if (!(forward.norm() > 1e-6 * m_actor.height)) return Vec3::UnitZ();
        return forward.dot(ahead) < 0 ? Vec3(-forward.normalized()) : Vec3(forward.normalized());
    }

    void sample() {
        double frames = 0;
        for (const Clip& c : *m_actor.clips) frames += 1 + 24 * c.seconds();
        const double step = std::max(1.0, frames / kMostFrames) / 24;
        const Skeleton& s = m_actor.skeleton;
        std::vector<Xform> pose;
        std::vector<Affine> worlds;
        std::vector<Quat> turns(m_f.segments.size());
        for (const Clip& c : *m_actor.clips)
            for (double t = c.start; t <= c.end + 1e-9; t += step) {
                pose = m_actor.restPose();
                c.pose(t, pose);
                worldTransforms(s, pose, worlds);
                for (std::size_t i = 0; i < turns.size(); ++i) {
                    const FigureSegment& g = m_f.segments[i];
                    const auto j = static_cast<std::size_t>(g.joint);
                    turns[i] = turnFromRest(worlds[j], m_rest[j]);
                    if (g.parent >= 0) m_turns[i].push_back(turns[static_cast<std::size_t>(g.parent)].conjugate() * turns[i]);
                }
            }
    }

    Allowed allowed(int joint) const {
        Allowed a;
        if (joint == m_roles.head) return {30, 30, 30, 40};
        if (std::find(m_roles.neck.begin(), m_roles.neck.end(), joint) != m_roles.neck.end()) return {25, 25, 25, 30};
        if (std::find(m_roles.spine.begin(), m_roles.spine.end(), joint) != m_roles.spine.end()) return {25, 15, 20, 15};
        for (const auto* limbs : {&m_roles.arms, &m_roles.legs}) {
            const bool arm = limbs == &m_roles.arms;
            for (const Limb& l : *limbs) {
                if (!l.found()) continue;
                if (joint == l.upper) return arm ? Allowed{85, 85, 85, 60} : Allowed{85, 25, 40, 30, false, m_forward};
                if (joint == l.lower)
                    return {arm ? 140.0 : 145.0, 2, 3, arm ? 60.0 : 8.0, true, arm ? m_forward : Vec3(-m_forward)};
                if (joint == l.end) return arm ? Allowed{60, 60, 25, 30} : Allowed{35, 35, 18, 15};
                if (m_actor.skeleton.isBelow(l.upper, joint) && m_f.find(joint) >= 0 && joint != m_roles.hips)
                    a = {20, 20, 20, 12};
            }
        }
        return a;
    }

    /// The mean of turns: the one from which their rotation vectors add up to nothing.
    static Quat meanOf(const std::vector<Quat>& turns) {
        Quat mean = turns.empty() ? Quat::Identity() : turns.front();
        for (int pass = 0; pass < 4 && !turns.empty(); ++pass) {
            Vec3 off = Vec3::Zero();
            for (const Quat& t : turns) off += rotationVector(mean.conjugate() * t) / static_cast<double>(turns.size());
            mean = (mean * fromRotationVector(off)).normalized();
        }
        return mean;
    }

    void one(std::size_t i) {
        FigureSegment& g = m_f.segments[i];
        const Allowed a = allowed(g.joint);
        const std::vector<Quat>& turns = m_turns[i];
        // About the mean of the clips: a rest pose may lie far from all that they do, where a swing has no direction.
        const Quat mean = meanOf(turns);
        // In which plane it bends: as the clips bend it, where they do, else as a hinge is built.
        Vec3 hinge = a.towards.isZero() ? Vec3(Vec3::Zero()) : Vec3(mean.conjugate() * g.axis.cross(a.towards));
        hinge -= hinge.dot(g.axis) * g.axis;
        g.side = hinge.norm() > 0.2 ? Vec3(hinge.normalized()) : anySquareTo(g.axis);
        if (turns.size() >= kTell) {
            std::vector<Vec3> vectors;
            for (const Quat& t : turns) vectors.push_back(rotationVector(mean.conjugate() * t));
            const Spread spread = spreadOf(vectors);
            const Vec3 main = spread.axes.col(2), level = main - main.dot(g.axis) * g.axis;
            if (spread.variance[2] > radians(kBends) * radians(kBends) * static_cast<double>(turns.size()) && level.norm() > 0.5)
                g.side = level.normalized();
        }
        if (hinge.norm() > 0.2 && g.side.dot(hinge) < 0) g.side = -g.side;
        const Vec3 z = g.axis.cross(g.side);
        struct Measured {
            double a, b, twist;
        };
        const auto measured = [&](const Quat& off) {
            Quat swing;
            Measured m{};
            splitTurn(off, g.axis, swing, m.twist);
            const Vec3 v = rotationVector(swing);
            m.a = v.dot(g.side);
            m.b = v.dot(z);
            return m;
        };
        std::vector<double> va, vb, vt;
        for (const Quat& t : turns) {
            const Measured m = measured(mean.conjugate() * t);
            va.push_back(m.a);
            vb.push_back(m.b);
            vt.push_back(m.twist);
        }
        const Measured rest = measured(mean.conjugate());
        // Clips that bend a joint widely, or a hinge the other way than people's, tell its range alone: a hind leg's.
        const double low = turns.empty() ? rest.a : quantile(va, kLowest), high = turns.empty() ? rest.a : quantile(va, kHighest);
        const bool other = a.hinge && turns.size() >= kTell && low < rest.a - radians(kOther),
                   alone = other || (!a.hinge && high - low > radians(kWide));
        const auto range = [&](const std::vector<double>& v, double from, double back, double up, double& middle, double& half) {
            double least = from, most = from;
            if (!v.empty()) {
                least = quantile(v, kLowest);
                most = quantile(v, kHighest);
                const double room = std::max(kRoom * (most - least), radians(kLeastRoom));
                // A knee goes straight and no farther, but for a little.
                least -= a.hinge && !other ? std::min(room, radians(3)) : room;
                most += room;
            }
            if (!alone) {
                least = std::min(least, from - radians(back));
                most = std::max(most, from + radians(up));
            }
            middle = 0.5 * (least + most);
            half = std::max(0.5 * (most - least), radians(kLeast));
        };
        double ma = 0, mb = 0, mt = 0;
        range(va, rest.a, a.back, a.bends, ma, g.swingA);
        range(vb, rest.b, a.sideways, a.sideways, mb, g.swingB);
        range(vt, rest.twist, a.twist, a.twist, mt, g.twist);
        g.middle = (mean * fromRotationVector(ma * g.side + mb * z) * fromRotationVector(mt * g.axis)).normalized();
        // The corners of what was seen lie outside the ellipse of its sides: it is widened to hold nearly all of them.
        std::vector<double> outside{1}, far{0};
        for (const Quat& t : turns) {
            const Measured m = measured(g.middle.conjugate() * t);
            outside.push_back(std::hypot(m.a / g.swingA, m.b / g.swingB));
            far.push_back(std::abs(m.twist));
        }
        constexpr double kWidest = 2.6;  // [rad]: farther a swing has no direction
        const double wider = std::max(1.0, quantile(outside, kMostOf));
        g.swingA = std::min(kWidest, wider * g.swingA);
        g.swingB = std::min(kWidest, wider * g.swingB);
        g.twist = std::min(std::max(g.twist, quantile(far, kMostOf)), kPi - 0.1);
    }

    const Actor& m_actor;
    const Roles& m_roles;
    const std::vector<Affine>& m_rest;
    Figure& m_f;
    Vec3 m_left, m_forward;
    std::vector<std::vector<Quat>> m_turns;  // by segment: against its parent, frame by frame
};

}  // namespace

void splitTurn(const Quat& turn, const Vec3& axis, Quat& swing, double& twist) {
    const Quat q = turn.w() < 0 ? Quat(-turn.coeffs()) : turn;
    twist = 2 * std::atan2(q.vec().dot(axis), q.w());
    if (twist > kPi) twist -= 2 * kPi;
    if (twist < -kPi) twist += 2 * kPi;
    swing = q * Quat(Eigen::AngleAxisd(-twist, axis));
}

void findLimits(const Actor& actor, const Roles& roles, const Sides& sides, const std::vector<Affine>& worlds, Figure& figure) {
    Ranges(actor, roles, sides, worlds, figure).fill();
}

}  // namespace nutatio::rig
