#include "physics/oscillator.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace nutatio::physics {

// With s = zeta w and q = w^2 - s^2 the free answers are
//   C(t) = exp(-s t) cos(sqrt(q) t),  S(t) = exp(-s t) sin(sqrt(q) t) / sqrt(q)        (cosh, sinh for q < 0; series near q = 0)
//   x(t) = (C + s S) x0 + S v0,       v(t) = -w^2 S x0 + (C - s S) v0
// Forcing a0 + (a1 - a0) t/h: with particular solution p(t) = a(t)/w^2 - 2 zeta a'/w^3 the rest is free motion of x - p.

namespace {
const double kLn20 = std::log(20.0);
}

double dampingRatio(double bounces) {
    const double turns = 2 * std::numbers::pi * bounces;
    return kLn20 / std::sqrt(kLn20 * kLn20 + turns * turns);
}

double bouncesOf(double zeta) {
    if (zeta >= 1) return 0;
    return kLn20 * std::sqrt(1 - zeta * zeta) / (zeta * 2 * std::numbers::pi);
}

double restTime(double f, double zeta) {
    const double w = 2 * std::numbers::pi * f;
    if (zeta < 1) return kLn20 / (zeta * w);
    // The slower of the two real poles rules; at zeta = 1 both meet and (1 + w t) exp(-w t) = 0.05 at w t = 4.744.
    const double slow = w * (zeta - std::sqrt(zeta * zeta - 1));
    return std::max(4.744 / w, kLn20 / slow);
}

// The midpoint scheme, on one linear oscillator x'' + c x' + k x = 0, is
//     v_mid = (v - eta khat x) / (1 + eta (dhat + eta khat)),  v+ = v + a (v_mid - v),  x+ = x + h v+,    eta = h/2
// with x taken half a step before; its characteristic polynomial is z^2 - tr z + det. Asking for det = E^2 and tr = 2 E cos(w_d
// h), E = exp(-zeta w h), gives
//     P = (3 - det - tr)/2, Q = det - 1 + P, y = P/a, chat = y/(1-y), khat = 4 Q (1 + chat)/(a h^2), dhat = 2 chat/h - h khat/2.
Poles fitPoles(double w, double zeta, double h) {
    if (w <= 0) return {};
    constexpr double a = kMidpointGain;
    const double E = std::exp(-zeta * w * h), det = E * E;
    double tr;
    if (zeta < 1) {
        tr = 2 * E * std::cos(std::min(w * h * std::sqrt(1 - zeta * zeta), 0.9 * std::numbers::pi));
    } else {
        const double r = w * std::sqrt(zeta * zeta - 1);
        tr = std::exp((r - zeta * w) * h) + std::exp(-(r + zeta * w) * h);
    }
    const double P = (3 - det - tr) / 2, Q = det - 1 + P, y = std::min(P / a, 0.98), chat = y / (1 - y);
    const double khat = std::max(0.0, 4 * Q * (1 + chat) / (a * h * h));
    return {khat, std::max(0.0, 2 * chat / h - h * khat / 2)};
}

Oscillator::Oscillator(double w, double zeta, double h) {
    const double s = zeta * w, q = w * w - s * s, e = std::exp(-s * h);
    double c, k;  // C(h), S(h)
    const double qh2 = q * h * h;
    if (std::abs(qh2) < 1e-6) {
        c = e * (1 - qh2 / 2);
        k = e * h * (1 - qh2 / 6);
    } else if (q > 0) {
        const double r = std::sqrt(q);
        c = e * std::cos(r * h);
        k = e * std::sin(r * h) / r;
    } else {
        // exp(-s h) cosh(r h) in a form that cannot overflow: both exponents are below 0.
        const double r = std::sqrt(-q), up = std::exp((r - s) * h), down = std::exp(-(r + s) * h);
        c = 0.5 * (up + down);
        k = 0.5 * (up - down) / r;
    }
    m_xx = c + s * k;
    m_xv = k;
    m_vx = -w * w * k;
    m_vv = c - s * k;
    const double w2 = w * w;
    if (w * h < 1e-3) {
        // The particular solution cancels badly for slow springs; the Taylor series of the same integrals does not.
        m_x0 = h * h * (1.0 / 3 - s * h / 4);
        m_x1 = h * h * (1.0 / 6 - s * h / 12);
        m_v0 = h * (0.5 - 2 * s * h / 3 + (4 * s * s - w2) * h * h / 8);
        m_v1 = h * (0.5 - s * h / 3 + (4 * s * s - w2) * h * h / 24);
        return;
    }
    const double lag = 2 * zeta / w;  // p = (a - lag a') / w^2, p' = a' / w^2
    const double slope = 1 / h;
    // Unit a0 (falling to 0), then unit a1 (rising from 0): value and slope of p at both ends.
    const double p0 = (1 + lag * slope) / w2, d0 = -slope / w2, e0 = lag * slope / w2;
    m_x0 = e0 - (m_xx * p0 + m_xv * d0);
    m_v0 = d0 - (m_vx * p0 + m_vv * d0);
    const double p1 = -lag * slope / w2, d1 = slope / w2, e1 = (1 - lag * slope) / w2;
    m_x1 = e1 - (m_xx * p1 + m_xv * d1);
    m_v1 = d1 - (m_vx * p1 + m_vv * d1);
}

}  // namespace nutatio::physics
