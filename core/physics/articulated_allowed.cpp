#include <algorithm>
#include <cmath>

#include "physics/articulated.h"

namespace nutatio::physics {

// given = 1.2 depth + 0.002 size, depth: the deepest that the pose has on its way; of that a segment has the share by which it
//         follows; limbs that the pose has deeper in one another than half the thinner one's radius pass through: which way is
//         out cannot be told there
// now     falls to what is given no faster than now / 0.3 s, nor than a body falls that rises by 0.5 % of its size
// owed += depth (pose now, surface as it was) - depth (pose before, surface as it was): no more of the depth in a surface is the
//         pose's own. What the surface's way makes of it is a hit.
// A range reaches as far as the pose turns beyond it, times the share, and comes back in 0.3 s.

namespace {

constexpr double kMore = 1.2, kPoseSlack = 0.002;        // [depths], [sizes]
constexpr double kThrough = 0.5;                         // of the thinner radius
constexpr double kWears = 0.3;                           // [s]
constexpr double kRise = 0.005, kStays = 5e-4;           // [sizes]
constexpr double kSwingSlack = 0.1, kTwistSlack = 0.05;  // [ranges], [rad]

}  // namespace

void Articulated::beginPoses() {
    m_in.posed.assign(m_s.size() * m_surfaces.size(), 0);
    m_pairs.posed.assign(m_meets.size(), 0);
}

void Articulated::poseIs(std::span<const Vec3> places, std::span<const Quat> turns) {
    for (std::size_t i = 0; i < m_s.size(); ++i)
        for (std::size_t k = 0; k < m_surfaces.size(); ++k) {
            double& deep = m_in.posed[i * m_surfaces.size() + k];
            if (m_following[i].share > 0 && meetsSurface(m_s[i], k)) deep = std::max(deep, depthIn(i, k, places[i], turns[i]));
        }
    for (std::size_t pair = 0; pair < m_meets.size(); ++pair) {
        const auto i = static_cast<std::size_t>(m_meets[pair].first), j = static_cast<std::size_t>(m_meets[pair].second);
        if (m_following[i].share <= 0 || m_following[j].share <= 0) continue;
        double& deep = m_pairs.posed[pair];
        deep = std::max(deep, depthBetween(i, j, places[i], turns[i], places[j], turns[j]));
    }
}

void Articulated::endPoses(const Pose* was, const Pose& is) {
    const bool afresh = !was || m_in.owed.size() != m_in.posed.size();
    if (afresh) m_in.owed = m_in.posed;
    for (std::size_t i = 0; i < m_s.size() && !afresh; ++i)
        for (std::size_t k = 0; k < m_surfaces.size(); ++k) {
            if (!meetsSurface(m_s[i], k)) continue;
            double &owed = m_in.owed[i * m_surfaces.size() + k], &posed = m_in.posed[i * m_surfaces.size() + k];
            const Body& body = m_surfaces[k].body;
            if (body.velocity.isZero() && body.spin.isZero()) {
                owed = posed;
                continue;
            }
            const double now = depthIn(i, k, is.places[i], is.turns[i]);
            owed = std::clamp(owed + now - depthIn(i, k, was->places[i], was->turns[i]), 0.0, posed);
            posed = owed;
        }
    // Two bodies that come into one another hit, whoever animated them so; what they begin in, they may leave slowly.
    if (!was || m_pairs.owed.size() != m_pairs.posed.size()) m_pairs.owed = m_pairs.posed;
    for (std::size_t pair = 0; pair < m_meets.size(); ++pair) {
        if (m_s[static_cast<std::size_t>(m_meets[pair].first)].body == m_s[static_cast<std::size_t>(m_meets[pair].second)].body)
            continue;
        m_pairs.owed[pair] = m_pairs.posed[pair] = std::min(m_pairs.owed[pair], m_pairs.posed[pair]);
    }
    m_in.given.resize(m_in.posed.size());
    m_pairs.given.resize(m_pairs.posed.size());
    for (std::size_t i = 0; i < m_s.size(); ++i)
        for (std::size_t k = 0; k < m_surfaces.size(); ++k) {
            const std::size_t at = i * m_surfaces.size() + k;
            m_in.given[at] = kMore * m_in.posed[at] + kPoseSlack * wholeOf(m_s[i]).size;
        }
    for (std::size_t pair = 0; pair < m_meets.size(); ++pair) {
        const auto i = static_cast<std::size_t>(m_meets[pair].first), j = static_cast<std::size_t>(m_meets[pair].second);
        const double size = wholeOf(m_s[i]).size, posed = m_pairs.posed[pair],
                     through = kThrough * std::min(m_s[i].radius, m_s[j].radius);
        m_pairs.given[pair] = posed > through ? 10 * size : kMore * posed + kPoseSlack * size;
    }
    if (!was || m_in.now.size() != m_in.given.size()) {
        m_in.now.resize(m_in.given.size());
        for (std::size_t at = 0; at < m_in.now.size(); ++at)
            m_in.now[at] = m_following[at / m_surfaces.size()].share * m_in.given[at];
    }
    if (!was || m_pairs.now.size() != m_pairs.given.size()) {
        m_pairs.now.resize(m_pairs.given.size());
        for (std::size_t pair = 0; pair < m_meets.size(); ++pair) m_pairs.now[pair] = sharedBy(pair) * m_pairs.given[pair];
    }
}

/// How far both limbs of a pair follow.
double Articulated::sharedBy(std::size_t pair) const {
    return std::min(m_following[static_cast<std::size_t>(m_meets[pair].first)].share,
                    m_following[static_cast<std::size_t>(m_meets[pair].second)].share);
}

void Articulated::wear(double h) {
    // Nobody tells of a pose where a body is tried alone.
    if (m_in.given.size() != m_s.size() * m_surfaces.size() || m_in.now.size() != m_in.given.size() ||
        m_pairs.now.size() != m_meets.size())
        return;
    const auto wear = [&](double& now, double given, double size, const auto& depth) {
        if (now > given) {
            now = std::min(now, depth() + kStays * size);
            now -= h * std::min(now / kWears, std::sqrt(2 * kEarthGravity * kRise * size));
        }
        now = std::max(now, given);
    };
    for (std::size_t i = 0; i < m_s.size(); ++i)
        for (std::size_t k = 0; k < m_surfaces.size(); ++k) {
            const std::size_t at = i * m_surfaces.size() + k;
            wear(m_in.now[at], m_following[i].share * m_in.given[at], wholeOf(m_s[i]).size,
                 [&] { return depthIn(i, k, m_s[i].x, m_s[i].q); });
        }
    for (std::size_t pair = 0; pair < m_meets.size(); ++pair) {
        const auto i = static_cast<std::size_t>(m_meets[pair].first), j = static_cast<std::size_t>(m_meets[pair].second);
        double& now = m_pairs.now[pair];
        const double given = sharedBy(pair) * m_pairs.given[pair];
        const auto depth = [&] { return depthBetween(i, j, m_s[i].x, m_s[i].q, m_s[j].x, m_s[j].q); };
        // What its pose left deep in one another passes through until it is out far enough to tell which way that is.
        const double through = kThrough * std::min(m_s[i].radius, m_s[j].radius);
        if (now > given && now > through && depth() > through) continue;
        wear(now, given, wholeOf(m_s[i]).size, depth);
    }
}

void Articulated::wearTurns(double h) {
    const double less = std::exp(-h / kWears);
    for (std::size_t i = 0; i < m_s.size(); ++i) {
        const SegmentDef& d = m_defs[i];
        if (!d.limited || m_s[i].parent < 0) continue;
        // A swing in ranges, and a twist.
        const auto measured = [&](Quat rel) {
            if (rel.w() < 0) rel.coeffs() *= -1;
            const double twist = std::remainder(2 * std::atan2(rel.vec().dot(d.axis), rel.w()), 2 * kPi);
            const Vec3 swing = rotationVector(rel * Quat(Eigen::AngleAxisd(-twist, d.axis)));
            return std::pair(std::hypot(swing.dot(d.side) / d.swingA, swing.dot(d.axis.cross(d.side)) / d.swingB),
                             std::abs(twist));
        };
        const double share = m_following[i].share;
        const auto [posedSwing, posedTwist] = share > 0 ? measured(d.middle.conjugate() * m_aims[i].turn) : std::pair(0.0, 0.0);
        const double swing = 1 + share * std::max(0.0, posedSwing + kSwingSlack - 1),
                     twist = d.twist + share * std::max(0.0, posedTwist + kTwistSlack - d.twist);
        if (m_swingLet[i] > swing || m_twistLet[i] > twist) {
            const auto [isSwing, isTwist] =
                measured(d.middle.conjugate() * m_s[static_cast<std::size_t>(m_s[i].parent)].q.conjugate() * m_s[i].q);
            m_swingLet[i] = 1 + less * std::max(0.0, std::min(m_swingLet[i], isSwing + 0.005) - 1);
            m_twistLet[i] = d.twist + less * std::max(0.0, std::min(m_twistLet[i], isTwist + 0.005) - d.twist);
        }
        m_swingLet[i] = std::max(m_swingLet[i], swing);
        m_twistLet[i] = std::max(m_twistLet[i], twist);
    }
}

Vec3 Articulated::slideOf(const Segment& s, const Following& f, const Vec3& p) const {
    const Vec3 own = f.turn * (s.q.conjugate() * (p - s.x));
    return f.velocity + f.spin.cross(own) + f.rate * (f.place + own - p);
}

}  // namespace nutatio::physics
