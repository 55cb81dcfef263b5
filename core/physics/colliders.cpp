#include "physics/colliders.h"

#include <algorithm>

namespace nutatio::physics {

namespace {
double unit(double v) {
    return std::clamp(v, 0.0, 1.0);
}
}  // namespace

Contact nearest(const Body& body, const Vec3& p, const Vec3& v) {
    Contact c;
    if (body.plane) {
        const double h0 = body.normal.dot(p - body.a), h1 = body.normal.dot(p + v - body.a);
        c.lever = h1 <= h0 ? 1.0 : 0.0;
        c.normal = body.normal;
        c.distance = std::min(h0, h1);
        c.centre = body.a;
        c.velocity = body.va;
        return c;
    }
    const Vec3 d = body.b - body.a, r = p - body.a;
    const double A = v.squaredNorm(), E = d.squaredNorm(), F = d.dot(r), C = v.dot(r), B = v.dot(d);
    double s = 0, t = 0;  // along the bone, along the body
    if (E <= 1e-24) {
        s = A > 0 ? unit(-C / A) : 0;
    } else {
        const double denominator = A * E - B * B;
        s = denominator > 1e-12 * A * E ? unit((B * F - C * E) / denominator) : 0.5;
        t = unit((B * s + F) / E);
        s = A > 0 ? unit((B * t - C) / A) : 0;
    }
    c.centre = body.a + t * d;
    const Vec3 gap = p + s * v - c.centre;
    const double length = gap.norm();
    c.lever = s;
    c.radius = body.radius;
    c.distance = length - body.radius;
    c.normal = length > 1e-12 ? Vec3(gap / length) : anySquareTo(v.squaredNorm() > 0 ? v.normalized() : Vec3(0, 1, 0));
    c.velocity = body.va + t * (body.vb - body.va);
    return c;
}

}  // namespace nutatio::physics
