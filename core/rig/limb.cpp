#include "rig/limb.h"

#include <algorithm>
#include <cmath>

namespace nutatio::rig {

Vec3 hingeOf(const Vec3& a, const Vec3& b, const Vec3& c) {
    const Vec3 u = c - b, v = a - b, n = u.cross(v);
    const double size = u.squaredNorm() * v.squaredNorm();
    return size > 0 ? Vec3(n * n.norm() / size) : Vec3(Vec3::Zero());
}

LimbTurn reachWithLimb(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& target, const Vec3& hinge, double soft) {
    const double kLeastBend = radians(6);
    constexpr double kStraight = 0.15;  // sine of the bend below which its own hinge counts less and less
    LimbTurn out;
    const double l1 = (b - a).norm(), l2 = (c - b).norm(), L = l1 + l2, now = (c - a).norm();
    if (!(l1 > 0) || !(l2 > 0) || !(now > 1e-9 * L)) return out;
    const auto bend = [&](double reach) {
        return std::acos(std::clamp((l1 * l1 + l2 * l2 - reach * reach) / (2 * l1 * l2), -1.0, 1.0));
    };
    // Near straight a hair's breadth of reach is ten degrees of knee: what is nearly straight keeps half of its bend, and the
    // rest a little.
    const double kept = kPi - std::min(0.5 * (kPi - bend(now)), kLeastBend),
                 farthest = std::sqrt(l1 * l1 + l2 * l2 - 2 * l1 * l2 * std::cos(kept));
    const double wanted = (target - a).norm(), d0 = std::min(std::max((1 - soft) * L, now), (1 - 1e-9) * farthest),
                 room = farthest - d0;
    double d = wanted;
    if (d > d0) d = d0 + room * (1 - std::exp(-(d - d0) / room));
    d = std::max(d, std::abs(l1 - l2) + 1e-4 * L);
    out.beyond = std::max(0.0, wanted - L);
    Vec3 own = hingeOf(a, b, c);
    const double sine = std::sqrt(own.norm());
    own = sine > 1e-9 ? Vec3(own.normalized()) : hinge;
    const double share = std::min(1.0, sine / kStraight);
    Vec3 axis = own.dot(hinge) < 0 && share < 1 ? hinge : Vec3(share * own + (1 - share) * hinge);
    // Square to the limb, or it would twist.
    const Vec3 bone = (c - b).normalized();
    axis -= axis.dot(bone) * bone;
    if (!(axis.norm() > 1e-9)) return out;
    axis.normalize();
    const Quat open(Eigen::AngleAxisd(bend(now) - bend(d), axis));
    const Vec3 end = b + open * (c - b) - a;
    if (!(end.norm() > 1e-9 * L) || !(wanted > 1e-9 * L)) return out;
    const Quat whole = arc(end.normalized(), (target - a).normalized());
    out.upper = whole;
    out.lower = (whole * open).normalized();
    return out;
}

}  // namespace nutatio::rig
