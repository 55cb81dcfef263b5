#include "rig/figure_limits.h"

#include <algorithm>
#include <cmath>

namespace nutatio::rig {

// Of each frame of each clip the turn of a segment against its parent, away from rest, is split into swing and twist. The first
// swing axis is the one about which the swings spread most, so that a hinge lies along it; then the least and greatest along
// either axis, and what the joint's role allows beside that.

namespace {

constexpr double kMostFrames = 600;
constexpr double kSwingRoom = 15, kTwistRoom = 10, kLeast = 10;  // [deg]

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
        m_left = leftOf(actor.skeleton, rest, sides);
        m_forward = Vec3::UnitZ();
        for (const Limb& l : roles.legs)
            if (l.beyond != kNoJoint) {
                const Vec3 toes = place(l.beyond) - place(l.end), level = toes - m_left.dot(toes) * m_left;
                if (level.norm() > 1e-6 * actor.height) m_forward = level.normalized();
            }
        m_f.forward = m_forward;
        sample();
    }

    void fill() {
        for (std::size_t i = 0; i < m_f.segments.size(); ++i)
            if (m_f.segments[i].parent >= 0) one(i);
    }

  private:
    Vec3 place(int j) const { return m_rest[static_cast<std::size_t>(j)].t; }

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

    /// The range of numbers, with room, and what is allowed beside; middle and half of it.
    static void cover(double low, double high, double room, double down, double up, double& middle, double& half) {
        low = std::min(low - room, -down);
        high = std::max(high + room, up);
        middle = 0.5 * (low + high);
        half = std::max(0.5 * (high - low), radians(kLeast));
    }

    void one(std::size_t i) {
        FigureSegment& g = m_f.segments[i];
        const Allowed a = allowed(g.joint);
        // In which plane it bends: as a hinge is built, or as the clips bend it, where they do.
        const Vec3 first = anySquareTo(g.axis), second = g.axis.cross(first);
        std::vector<Vec2> swings;
        std::vector<double> twists;
        for (const Quat& t : m_turns[i]) {
            Quat swing;
            double twist = 0;
            splitTurn(t, g.axis, swing, twist);
            const Vec3 v = rotationVector(swing);
            swings.push_back({v.dot(first), v.dot(second)});
            twists.push_back(twist);
        }
        g.side = first;
        Vec2 mean{0, 0};
        for (const Vec2& v : swings)
            mean = {mean.x + v.x / static_cast<double>(swings.size()), mean.y + v.y / static_cast<double>(swings.size())};
        double xx = 0, xy = 0, yy = 0, widest = 0;
        for (const Vec2& v : swings) {
            const double x = v.x - mean.x, y = v.y - mean.y;
            xx += x * x;
            xy += x * y;
            yy += y * y;
            widest = std::max(widest, std::hypot(x, y));
        }
        const bool told = widest > radians(12);
        if (told) {
            const double angle = 0.5 * std::atan2(2 * xy, xx - yy);
            g.side = std::cos(angle) * first + std::sin(angle) * second;
        }
        if (!a.towards.isZero()) {
            const Vec3 hinge = g.axis.cross(a.towards);
            if (hinge.norm() > 0.2) {
                if (!told) g.side = hinge.normalized();
                if (g.side.dot(hinge) < 0) g.side = -g.side;
            }
        }
        const Vec3 z = g.axis.cross(g.side);
        double la = 0, ha = 0, lb = 0, hb = 0, lt = 0, ht = 0;
        for (std::size_t k = 0; k < swings.size(); ++k) {
            const Vec3 v = swings[k].x * first + swings[k].y * second;
            const double va = v.dot(g.side), vb = v.dot(z);
            la = k ? std::min(la, va) : va;
            ha = k ? std::max(ha, va) : va;
            lb = k ? std::min(lb, vb) : vb;
            hb = k ? std::max(hb, vb) : vb;
            lt = k ? std::min(lt, twists[k]) : twists[k];
            ht = k ? std::max(ht, twists[k]) : twists[k];
        }
        const double room = swings.empty() ? 0 : radians(kSwingRoom);
        double ma = 0, mb = 0, mt = 0;
        cover(la, ha, room, radians(a.back), radians(a.bends), ma, g.swingA);
        cover(lb, hb, room, radians(a.sideways), radians(a.sideways), mb, g.swingB);
        cover(lt, ht, swings.empty() ? 0 : radians(kTwistRoom), radians(a.twist), radians(a.twist), mt, g.twist);
        constexpr double kWidest = 2.6;  // [rad]: farther a swing has no direction
        g.swingA = std::min(g.swingA, kWidest);
        g.swingB = std::min(g.swingB, kWidest);
        g.twist = std::min(g.twist, kPi - 0.1);
        g.middle = (fromRotationVector(ma * g.side + mb * z) * fromRotationVector(mt * g.axis)).normalized();
        // The corners of what was seen lie outside the ellipse of its sides: it is widened to hold them.
        double outside = 1, farTwist = g.twist;
        for (const Quat& t : m_turns[i]) {
            Quat swing;
            double twist = 0;
            splitTurn(g.middle.conjugate() * t, g.axis, swing, twist);
            const Vec3 v = rotationVector(swing);
            outside = std::max(outside, std::hypot(v.dot(g.side) / g.swingA, v.dot(z) / g.swingB));
            farTwist = std::max(farTwist, std::abs(twist) + radians(2));
        }
        g.swingA = std::min(kWidest, 1.02 * outside * g.swingA);
        g.swingB = std::min(kWidest, 1.02 * outside * g.swingB);
        g.twist = std::min(farTwist, kPi - 0.1);
    }

    struct Vec2 {
        double x, y;
    };
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
