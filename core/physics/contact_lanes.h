// Where bones come nearest to bodies, several lanes at a time. See lanes.h for why this lives in an unnamed namespace.
#pragma once

#include "physics/lanes.h"

namespace {

namespace lanes {

enum BodyKind { kRound, kBox, kPlane };

/// One body as every lane sees it, at one instant.
template <int W>
struct Body {
    V3<W> a, b;            // ends of a capsule's axis; a box's middle; a point of a plane
    V3<W> velocity, spin;  // of the body as a rigid thing, at a
    Pack<W> radiusA, radiusB;
    V3<W> axisX, axisY, half;  // of a box; a plane faces axisY
    Pack<W> friction;
    Pack<W> apart;  // added to every distance: huge where a lane is to pass through
    V3<W> middle;   // of a ball round it all
    Pack<W> reach;
};

template <int W>
struct Touch {
    Pack<W> lever, distance;
    V3<W> normal, centre, velocity;
    Pack<W> radius;
};

template <int W>
[[gnu::always_inline]] inline Touch<W> touchPlane(const Body<W>& body, const V3<W>& p, const V3<W>& v) {
    Touch<W> c;
    const Pack<W> h0 = dot<W>(body.axisY, p - body.a), h1 = dot<W>(body.axisY, p + v - body.a);
    c.lever = h1 <= h0 ? all<W>(1.0) : all<W>(0.0);
    c.normal = body.axisY;
    c.distance = least<W>(h0, h1);
    c.centre = body.a;
    c.radius = all<W>(0.0);
    return c;
}

/// Segment against the ball-swept segment whose radius runs from radiusA to radiusB.
/// Nearest points of two segments: Ericson, Real-Time Collision Detection (2005), 5.1.9. On a cone the nearest ball lies a little
/// towards the thick end: for a point at height y along the axis and x off it, the least of |p - c(t)| - r(t) is at
/// t = y + k x / sqrt(1 - k^2), k = (rb - ra) / length (set the derivative to zero).
template <int W>
[[gnu::always_inline]] inline Touch<W> touchRound(const Body<W>& body, const V3<W>& p, const V3<W>& v) {
    const Pack<W> zero = {}, one = zero + 1.0;
    const V3<W> d = body.b - body.a, r = p - body.a;
    const Pack<W> A = most<W>(dot<W>(v, v), all<W>(1e-300)), E = dot<W>(d, d), F = dot<W>(d, r), C = dot<W>(v, r),
                  B = dot<W>(v, d);
    const Mask<W> ball = E <= 1e-24;
    const Pack<W> e = ball ? one : E, denominator = A * E - B * B;
    const Mask<W> skew = denominator > 1e-12 * A * e;
    Pack<W> s = skew ? within<W>((B * F - C * E) / (skew ? denominator : one), zero, one) : 0.5 * one;
    Pack<W> t = ball ? zero : within<W>((B * s + F) / e, zero, one);
    s = within<W>((B * t - C) / A, zero, one);
    const Pack<W> widening = body.radiusB - body.radiusA;
    const Mask<W> cone = widening * widening > 1e-18 * e;
    if (any<W>(cone)) {
        const Pack<W> length = root<W>(e), k = within<W>(widening / length, all<W>(-0.95), all<W>(0.95));
        const Pack<W> lean = k / root<W>(1.0 - k * k);
        for (int round = 0; round < 2; ++round) {
            const V3<W> from = p + s * v - body.a;
            const Pack<W> y = dot<W>(from, d) / length, off = root<W>(most<W>(dot<W>(from, from) - y * y, zero));
            t = cone & ~ball ? within<W>((y + lean * off) / length, zero, one) : t;
            s = cone ? within<W>(dot<W>(body.a + t * d - p, v) / A, zero, one) : s;
        }
    }
    Touch<W> c;
    c.centre = body.a + t * d;
    const V3<W> gap = p + s * v - c.centre;
    const Pack<W> length = root<W>(dot<W>(gap, gap));
    c.lever = s;
    c.radius = body.radiusA + t * widening;
    c.distance = length - c.radius;
    c.normal = unitOr<W>(gap, square<W>(unitOr<W>(v, V3<W>{zero, one, zero})));
    return c;
}

/// Signed distance of a point in a box's own axes, and its gradient.
template <int W>
[[gnu::always_inline]] inline Pack<W> boxDistance(const V3<W>& p, const V3<W>& half, V3<W>& gradient) {
    const Pack<W> zero = {}, one = zero + 1.0;
    const V3<W> sign{p.x < 0 ? -one : one, p.y < 0 ? -one : one, p.z < 0 ? -one : one};
    const V3<W> q{sign.x * p.x - half.x, sign.y * p.y - half.y, sign.z * p.z - half.z};
    const V3<W> out{most<W>(q.x, zero), most<W>(q.y, zero), most<W>(q.z, zero)};
    const Pack<W> far = root<W>(dot<W>(out, out)), deep = most<W>(q.x, most<W>(q.y, q.z));
    const Mask<W> outside = far > 1e-30, x = q.x >= deep, y = ~x & (q.y >= deep);
    const Pack<W> share = 1.0 / (outside ? far : one);
    gradient = {sign.x * (outside ? share * out.x
                          : x     ? one
                                  : zero),
                sign.y * (outside ? share * out.y
                          : y     ? one
                                  : zero),
                sign.z * (outside ? share * out.z
                          : x | y ? zero
                                  : one)};
    return outside ? far : deep;
}

/// The distance of a box is convex along a bone: halving by the sign of its slope finds the deepest point.
template <int W>
[[gnu::always_inline]] inline Touch<W> touchBox(const Body<W>& body, const V3<W>& p, const V3<W>& v) {
    const V3<W> axisZ = cross<W>(body.axisX, body.axisY);
    const auto own = [&](const V3<W>& w) { return V3<W>{dot<W>(body.axisX, w), dot<W>(body.axisY, w), dot<W>(axisZ, w)}; };
    const V3<W> from = own(p - body.a), way = own(v);
    Pack<W> low = {}, high = low + 1.0;
    V3<W> g;
    for (int k = 0; k < 14; ++k) {
        const Pack<W> at = 0.5 * (low + high);
        boxDistance<W>(from + at * way, body.half, g);
        const Mask<W> rising = dot<W>(g, way) > 0;
        high = rising ? at : high;
        low = rising ? low : at;
    }
    Touch<W> c;
    c.lever = 0.5 * (low + high);
    c.distance = boxDistance<W>(from + c.lever * way, body.half, g);
    c.normal = g.x * body.axisX + g.y * body.axisY + g.z * axisZ;
    c.centre = p + c.lever * v - c.distance * c.normal;
    c.radius = all<W>(0.0);
    return c;
}

/// The nearest pair of points between the bone p -> p + v and the body.
template <int W>
[[gnu::always_inline]] inline Touch<W> touch(BodyKind kind, const Body<W>& body, const V3<W>& p, const V3<W>& v) {
    Touch<W> c = kind == kPlane ? touchPlane<W>(body, p, v) : kind == kBox ? touchBox<W>(body, p, v) : touchRound<W>(body, p, v);
    c.velocity = body.velocity + cross<W>(body.spin, c.centre + c.radius * c.normal - body.a);
    c.distance = c.distance + body.apart;
    return c;
}

}  // namespace lanes
}  // namespace
