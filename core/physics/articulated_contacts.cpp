#include <algorithm>
#include <cmath>

#include "physics/articulated.h"

namespace nutatio::physics {

namespace {

constexpr std::uint32_t kLimbIds = 0x80000000u;
constexpr std::size_t kMostCorners = 4;

/// The nearest points a0 + s (a1 - a0), b0 + t (b1 - b0) of two bones (Ericson, Real-Time Collision Detection, 5.1.9).
void nearestOfBones(const Vec3& a0, const Vec3& a1, const Vec3& b0, const Vec3& b1, double& s, double& t) {
    const auto within = [](double x) { return std::clamp(x, 0.0, 1.0); };
    const Vec3 d1 = a1 - a0, d2 = b1 - b0, r = a0 - b0;
    const double a = d1.dot(d1), e = d2.dot(d2), f = d2.dot(r);
    s = t = 0;
    if (a < 1e-14 && e < 1e-14) return;
    if (a < 1e-14) {
        t = within(f / e);
        return;
    }
    const double c = d1.dot(r);
    if (e < 1e-14) {
        s = within(-c / a);
        return;
    }
    const double b = d1.dot(d2), det = a * e - b * b;
    s = det > 1e-12 * a * e ? within((b * f - c * e) / det) : 0.5;
    t = (b * s + f) / e;
    if (t < 0) {
        t = 0;
        s = within(-c / a);
    } else if (t > 1) {
        t = 1;
        s = within((b - c) / a);
    }
}

/// How far `p` is outside a box, and which way is out.
double boxGap(const Body& box, const Vec3& p, Vec3& n) {
    const Vec3 own = box.turn.conjugate() * (p - box.a), inside = own.cwiseMax(-box.half).cwiseMin(box.half), d = own - inside;
    const double out = d.norm();
    if (out > 1e-12) {
        n = box.turn * (d / out);
        return out;
    }
    Eigen::Index axis = 0;
    const double depth = (box.half - own.cwiseAbs()).minCoeff(&axis);
    Vec3 m = Vec3::Zero();
    m[axis] = own[axis] < 0 ? -1 : 1;
    n = box.turn * m;
    return -depth;
}

Vec3 speedAt(const Body& b, const Vec3& p) {
    return b.velocity + b.spin.cross(p - b.a);
}

}  // namespace

double gapBetween(const SegmentDef& a, const SegmentDef& b) {
    double u, t;
    nearestOfBones(a.endA, a.endB, b.endA, b.endB, u, t);
    return (a.endA + u * (a.endB - a.endA) - b.endA - t * (b.endB - b.endA)).norm() - a.radius - b.radius;
}

std::vector<std::pair<int, int>> mayTouch(const std::vector<SegmentDef>& segments) {
    std::vector<std::pair<int, int>> out;
    const auto parent = [&](int i) { return segments[static_cast<std::size_t>(i)].parent; };
    for (int i = 0; i < static_cast<int>(segments.size()); ++i)
        for (int j = i + 1; j < static_cast<int>(segments.size()); ++j) {
            const int p = parent(j);
            if (p == i || parent(i) == j || (p >= 0 && (p == parent(i) || parent(p) == i))) continue;
            if (gapBetween(segments[static_cast<std::size_t>(i)], segments[static_cast<std::size_t>(j)]) > 0)
                out.emplace_back(i, j);
        }
    return out;
}

double Articulated::depthBetween(std::size_t i, std::size_t j, const Vec3& xi, const Quat& qi, const Vec3& xj,
                                 const Quat& qj) const {
    const Segment &a = m_s[i], &b = m_s[j];
    const double radii = a.radius + b.radius, far = a.half + b.half + radii;
    if ((xi - xj).squaredNorm() > far * far) return 0;
    const Vec3 a0 = xi + qi * a.endA, a1 = xi + qi * a.endB, b0 = xj + qj * b.endA, b1 = xj + qj * b.endB;
    double u, t;
    nearestOfBones(a0, a1, b0, b1, u, t);
    return std::max(0.0, radii - (a0 + u * (a1 - a0) - b0 - t * (b1 - b0)).norm());
}

double Articulated::depthIn(std::size_t i, std::size_t k, const Vec3& x, const Quat& q) const {
    std::vector<Touch>& touches = m_probed;
    touches.clear();
    touchSurface(i, k, x, q, 0, 0, touches);
    double deep = 0;
    for (const Touch& t : touches) deep = std::max(deep, -t.gap);
    return deep;
}

void Articulated::touchSurface(std::size_t i, std::size_t k, const Vec3& x, const Quat& q, double allowed, double far,
                               std::vector<Touch>& out) const {
    const Segment& s = m_s[i];
    const Surface& surface = m_surfaces[k];
    const Body& body = surface.body;
    const SegmentDef& def = m_defs[i];
    // A flat body goes by its nearest points; a round one by where it is nearest to the bone.
    const auto add = [&](const Vec3& p, double radius, const Vec3& n, double touching, std::size_t feature) {
        const double gap = touching + allowed;
        const Vec3 at = p - n * radius;
        if (gap < far && out.size() < kMostRows)
            out.push_back({static_cast<int>(i), -1, at, n, speedAt(body, at), gap, body.friction, surface.bounce,
                           static_cast<std::uint32_t>(1 + i * 0x40000u + k * 0x100u + feature) & 0x1fffffffu});
    };
    const Vec3 a = x + q * s.endA, b = x + q * s.endB;
    if (body.kind == Body::Kind::Round) {
        const Contact c = nearest(body, a, b - a);
        const double gap = c.distance - s.radius;
        if (gap + allowed < far && c.normal.allFinite() && c.normal.squaredNorm() > 0.5)
            add(a + c.lever * (b - a), s.radius, c.normal, gap, 0);
        return;
    }
    const bool plane = body.kind == Body::Kind::Plane;
    const Vec3 up = body.turn * Vec3::UnitY();
    const auto meet = [&](const Vec3& p, double radius, std::size_t feature) {
        Vec3 n = up;
        const double d = plane ? (p - body.a).dot(up) : boxGap(body, p, n);
        add(p, radius, n, d - radius, feature);
        return d;
    };
    if (!def.corners.empty() && (plane || def.edged)) {
        const std::size_t first = out.size();
        for (std::size_t c = 0; c < def.corners.size(); ++c) meet(x + q * (def.corners[c] - def.centre), 0, 16 + c);
        // The deepest hold it: more of them tell nothing more, and each costs as much as the body's whole tree.
        if (plane && !def.edged && out.size() - first > kMostCorners) {
            const auto begin = out.begin() + static_cast<std::ptrdiff_t>(first);
            std::nth_element(begin, begin + kMostCorners, out.end(), [](const Touch& one, const Touch& other) {
                return one.gap != other.gap ? one.gap < other.gap : one.id < other.id;
            });
            out.resize(first + kMostCorners);
        }
        return;
    }
    meet(a, s.radius, 0);
    if (a == b) return;
    meet(b, s.radius, 1);
    if (plane) return;
    double low = 0, high = 1;  // the gap along the bone has one lowest place: golden section
    Vec3 n;
    for (int turn = 0; turn < 14; ++turn) {
        const double u = low + 0.382 * (high - low), v = low + 0.618 * (high - low);
        if (boxGap(body, a + u * (b - a), n) < boxGap(body, a + v * (b - a), n))
            high = v;
        else
            low = u;
    }
    const double u = 0.5 * (low + high);
    if (u > 0.1 && u < 0.9) meet(a + u * (b - a), s.radius, 2);
}

void Articulated::findTouches(double h, double margin, bool limbs, std::vector<Touch>& out) const {
    out.clear();
    for (std::size_t i = 0; i < m_s.size(); ++i) {
        const Segment& s = m_s[i];
        const double reach = margin + h * (s.v.norm() + s.w.norm() * s.far);
        for (std::size_t k = 0; k < m_surfaces.size(); ++k) {
            if (!meetsSurface(s, k)) continue;
            const Body& body = m_surfaces[k].body;
            const double far = reach + h * body.velocity.norm(), round = std::max(s.half + s.radius, s.far) + far;
            if (body.kind == Body::Kind::Plane) {
                if ((s.x - body.a).dot(body.turn * Vec3::UnitY()) > round) continue;
            } else if (body.kind == Body::Kind::Box) {
                if ((s.x - body.a).squaredNorm() > (round + body.half.norm()) * (round + body.half.norm())) continue;
            } else {
                const double size = round + 0.5 * (body.b - body.a).norm() + std::max(body.radiusA, body.radiusB);
                if ((s.x - 0.5 * (body.a + body.b)).squaredNorm() > size * size) continue;
            }
            touchSurface(i, k, s.x, s.q, allowedIn(i, k), far, out);
        }
    }
    if (!limbs) return;
    for (std::size_t pair = 0; pair < m_meets.size(); ++pair) {
        const auto [first, second] = m_meets[pair];
        const auto i = static_cast<std::size_t>(first), j = static_cast<std::size_t>(second);
        const Segment &a = m_s[i], &b = m_s[j];
        const double reach = 0.5 * margin + h * (a.v - b.v).norm(), radii = a.radius + b.radius,
                     far = a.half + b.half + radii + reach;
        if ((a.x - b.x).squaredNorm() > far * far) continue;
        const Vec3 a0 = a.x + a.q * a.endA, a1 = a.x + a.q * a.endB, b0 = b.x + b.q * b.endA, b1 = b.x + b.q * b.endB;
        double u, t;
        nearestOfBones(a0, a1, b0, b1, u, t);
        const Vec3 p = a0 + u * (a1 - a0), d = p - b0 - t * (b1 - b0);
        const double length = d.norm(), gap = length - radii + (pair < m_pairs.now.size() ? m_pairs.now[pair] : 0);
        if (gap > reach || out.size() >= kMostRows) continue;
        const Vec3 n = length > 1e-12 ? Vec3(d / length) : Vec3(Vec3::UnitY());
        const double grip = std::sqrt(wholeOf(a).friction * wholeOf(b).friction);
        out.push_back({first, second, p - n * (a.radius + 0.5 * gap), n, Vec3::Zero(), gap, grip, 0,
                       kLimbIds + static_cast<std::uint32_t>(i * 256 + j)});
    }
}

double Articulated::deepest(bool limbs) const {
    std::vector<Touch> touches;
    touches.reserve(kMostRows);
    findTouches(0, 0, limbs, touches);
    double deep = 0;
    for (const Touch& t : touches) deep = std::max(deep, -t.gap);
    return deep;
}

}  // namespace nutatio::physics
