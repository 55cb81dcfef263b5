// Several numbers side by side: what the strand kernel computes with. One lane a strand.
//
// Only + - * / and square roots are used, which IEEE 754 rounds exactly, and the build contracts nothing: every width gives the
// same bits. Everything here is in an unnamed namespace on purpose: each kernel is compiled for its own instruction set, and a
// function shared between them could be linked in the wrong one. For the same reason nothing here uses the standard library.
// Two lanes are the least: g++ 12 gets selections of one-lane vectors wrong from -O2 on (found by the test of equal bits).
#pragma once

#include <immintrin.h>

namespace {  // NOLINT: see above

namespace lanes {

template <int W>
struct PackOf {
    typedef double Type __attribute__((vector_size(8 * W)));
    typedef long Mask __attribute__((vector_size(8 * W)));
};
template <int W>
using Pack = typename PackOf<W>::Type;
template <int W>
using Mask = typename PackOf<W>::Mask;

template <int W>
[[gnu::always_inline]] inline Pack<W> root(Pack<W> a) {
#ifdef __AVX512F__
    if constexpr (W == 8) return (Pack<W>)_mm512_sqrt_pd((__m512d)a);
#endif
#ifdef __AVX2__
    if constexpr (W == 4) return (Pack<W>)_mm256_sqrt_pd((__m256d)a);
#endif
    if constexpr (W == 2) return (Pack<W>)_mm_sqrt_pd((__m128d)a);
    for (int k = 0; k < W; ++k) a[k] = __builtin_sqrt(a[k]);
    return a;
}

template <int W>
[[gnu::always_inline]] inline bool any(Mask<W> m) {
#ifdef __AVX512F__
    if constexpr (W == 8) return _mm512_test_epi64_mask((__m512i)m, (__m512i)m) != 0;
#endif
#ifdef __AVX2__
    if constexpr (W == 4) return !_mm256_testz_si256((__m256i)m, (__m256i)m);
#endif
    if constexpr (W == 2) return _mm_movemask_pd((__m128d)m) != 0;
    long all = 0;
    for (int k = 0; k < W; ++k) all |= m[k];
    return all != 0;
}

template <int W>
[[gnu::always_inline]] inline Pack<W> all(double a) {
    Pack<W> p = {};
    return p + a;
}
template <int W>
[[gnu::always_inline]] inline Pack<W> least(Pack<W> a, Pack<W> b) {
    return a < b ? a : b;
}
template <int W>
[[gnu::always_inline]] inline Pack<W> most(Pack<W> a, Pack<W> b) {
    return a > b ? a : b;
}
template <int W>
[[gnu::always_inline]] inline Pack<W> within(Pack<W> a, Pack<W> low, Pack<W> high) {
    return least<W>(most<W>(a, low), high);
}
template <int W>
[[gnu::always_inline]] inline Pack<W> magnitude(Pack<W> a) {
    return a < 0 ? -a : a;
}

/// A vector of space in every lane.
template <int W>
struct V3 {
    Pack<W> x, y, z;
};
template <int W>
[[gnu::always_inline]] inline V3<W> operator+(const V3<W>& a, const V3<W>& b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
template <int W>
[[gnu::always_inline]] inline V3<W> operator-(const V3<W>& a, const V3<W>& b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
template <int W>
[[gnu::always_inline]] inline V3<W> operator-(const V3<W>& a) {
    return {-a.x, -a.y, -a.z};
}
template <int W>
[[gnu::always_inline]] inline V3<W> operator*(Pack<W> s, const V3<W>& a) {
    return {s * a.x, s * a.y, s * a.z};
}
template <int W>
[[gnu::always_inline]] inline V3<W> times(double s, const V3<W>& a) {
    return {s * a.x, s * a.y, s * a.z};
}
template <int W>
[[gnu::always_inline]] inline Pack<W> dot(const V3<W>& a, const V3<W>& b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}
template <int W>
[[gnu::always_inline]] inline V3<W> cross(const V3<W>& a, const V3<W>& b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
template <int W>
[[gnu::always_inline]] inline V3<W> pick(Mask<W> m, const V3<W>& a, const V3<W>& b) {
    return {m ? a.x : b.x, m ? a.y : b.y, m ? a.z : b.z};
}
template <int W>
[[gnu::always_inline]] inline V3<W> unit(const V3<W>& a) {
    return (1.0 / root<W>(dot<W>(a, a))) * a;
}
/// `a` made unit, or `other` where it is too short to say a direction.
template <int W>
[[gnu::always_inline]] inline V3<W> unitOr(const V3<W>& a, const V3<W>& other) {
    const Pack<W> n = dot<W>(a, a);
    return pick<W>(n > 1e-20, (1.0 / root<W>(most<W>(n, all<W>(1e-20)))) * a, other);
}
/// Some unit vector square to unit `a`.
template <int W>
[[gnu::always_inline]] inline V3<W> square(const V3<W>& a) {
    const Pack<W> zero = {}, one = zero + 1.0;
    const Mask<W> m = magnitude<W>(a.x) < 0.6;
    return unit<W>(cross<W>(a, {m ? one : zero, m ? zero : one, zero}));
}

/// A symmetric 3x3 matrix, and a full one by its rows.
template <int W>
struct Sym {
    Pack<W> xx, xy, xz, yy, yz, zz;
};
template <int W>
struct Rows {
    V3<W> x, y, z;
};
template <int W>
[[gnu::always_inline]] inline V3<W> operator*(const Sym<W>& m, const V3<W>& a) {
    return {m.xx * a.x + m.xy * a.y + m.xz * a.z, m.xy * a.x + m.yy * a.y + m.yz * a.z, m.xz * a.x + m.yz * a.y + m.zz * a.z};
}
template <int W>
[[gnu::always_inline]] inline V3<W> operator*(const Rows<W>& m, const V3<W>& a) {
    return {dot<W>(m.x, a), dot<W>(m.y, a), dot<W>(m.z, a)};
}
/// Transposed times a vector.
template <int W>
[[gnu::always_inline]] inline V3<W> across(const Rows<W>& m, const V3<W>& a) {
    return a.x * m.x + a.y * m.y + a.z * m.z;
}
template <int W>
[[gnu::always_inline]] inline Rows<W> operator*(const Sym<W>& m, const Rows<W>& r) {
    return {m.xx * r.x + m.xy * r.y + m.xz * r.z, m.xy * r.x + m.yy * r.y + m.yz * r.z, m.xz * r.x + m.yz * r.y + m.zz * r.z};
}
template <int W>
[[gnu::always_inline]] inline Sym<W> operator-(const Sym<W>& a, const Sym<W>& b) {
    return {a.xx - b.xx, a.xy - b.xy, a.xz - b.xz, a.yy - b.yy, a.yz - b.yz, a.zz - b.zz};
}
template <int W>
[[gnu::always_inline]] inline Sym<W> operator+(const Sym<W>& a, const Sym<W>& b) {
    return {a.xx + b.xx, a.xy + b.xy, a.xz + b.xz, a.yy + b.yy, a.yz + b.yz, a.zz + b.zz};
}
template <int W>
[[gnu::always_inline]] inline Sym<W> outer(Pack<W> s, const V3<W>& a) {
    const V3<W> b = s * a;
    return {b.x * a.x, b.x * a.y, b.x * a.z, b.y * a.y, b.y * a.z, b.z * a.z};
}
template <int W>
[[gnu::always_inline]] inline Sym<W> diagonal(Pack<W> s) {
    const Pack<W> o = {};
    return {s, o, o, s, o, s};
}
/// The six entries of a product that is known to be symmetric: transpose(a) b.
template <int W>
[[gnu::always_inline]] inline Sym<W> symmetric(const Rows<W>& a, const Rows<W>& b) {
    return {a.x.x * b.x.x + a.y.x * b.y.x + a.z.x * b.z.x, a.x.x * b.x.y + a.y.x * b.y.y + a.z.x * b.z.y,
            a.x.x * b.x.z + a.y.x * b.y.z + a.z.x * b.z.z, a.x.y * b.x.y + a.y.y * b.y.y + a.z.y * b.z.y,
            a.x.y * b.x.z + a.y.y * b.y.z + a.z.y * b.z.z, a.x.z * b.x.z + a.y.z * b.y.z + a.z.z * b.z.z};
}
template <int W>
[[gnu::always_inline]] inline Sym<W> inverse(const Sym<W>& m) {
    const Pack<W> a = m.yy * m.zz - m.yz * m.yz, b = m.xz * m.yz - m.xy * m.zz, c = m.xy * m.yz - m.xz * m.yy;
    const Pack<W> s = 1.0 / (m.xx * a + m.xy * b + m.xz * c);
    return {
        s * a, s * b, s * c, s * (m.xx * m.zz - m.xz * m.xz), s * (m.xy * m.xz - m.xx * m.yz), s * (m.xx * m.yy - m.xy * m.xy)};
}
template <int W>
[[gnu::always_inline]] inline Rows<W> rows(const Sym<W>& m) {
    return {{m.xx, m.xy, m.xz}, {m.xy, m.yy, m.yz}, {m.xz, m.yz, m.zz}};
}

/// A unit quaternion.
template <int W>
struct Q4 {
    Pack<W> x, y, z, w;
};
template <int W>
[[gnu::always_inline]] inline Q4<W> operator*(const Q4<W>& a, const Q4<W>& b) {
    return {a.w * b.x + a.x * b.w + a.y * b.z - a.z * b.y, a.w * b.y - a.x * b.z + a.y * b.w + a.z * b.x,
            a.w * b.z + a.x * b.y - a.y * b.x + a.z * b.w, a.w * b.w - a.x * b.x - a.y * b.y - a.z * b.z};
}
template <int W>
[[gnu::always_inline]] inline Q4<W> operator~(const Q4<W>& a) {
    return {-a.x, -a.y, -a.z, a.w};
}
template <int W>
[[gnu::always_inline]] inline V3<W> turn(const Q4<W>& q, const V3<W>& v) {
    const V3<W> u{q.x, q.y, q.z}, t = times<W>(2, cross<W>(u, v));
    return v + q.w * t + cross<W>(u, t);
}
/// For a quaternion that is unit but for rounding.
template <int W>
[[gnu::always_inline]] inline Q4<W> tidied(const Q4<W>& q) {
    const Pack<W> s = 1.5 - 0.5 * (q.x * q.x + q.y * q.y + q.z * q.z + q.w * q.w);
    return {s * q.x, s * q.y, s * q.z, s * q.w};
}
template <int W>
[[gnu::always_inline]] inline Q4<W> pick(Mask<W> m, const Q4<W>& a, const Q4<W>& b) {
    return {m ? a.x : b.x, m ? a.y : b.y, m ? a.z : b.z, m ? a.w : b.w};
}

/// 2 acos(w) / sqrt(1 - w^2) for w in 0..1: what turns a unit quaternion's vector into its rotation vector.
/// Chebyshev fit on 0..1, as a polynomial in 2w - 1, error below 5e-16 of the value; the function is regular at both ends.
template <int W>
[[gnu::always_inline]] inline Pack<W> angleOverSine(Pack<W> w) {
    constexpr double c[] = {2.4183991523122903,     -0.5272002825625699,     0.13946638410409692,    -0.039674293844957548,
                            0.011723257949791776,   -0.0035458569222198669,  0.0010895479781854681,  -0.0003386198947812412,
                            0.00010614739106028356, -3.3498286494570699e-05, 1.0628646246798905e-05, -3.3872782416792708e-06,
                            1.0835073189926249e-06, -3.477709800005492e-07,  1.1190536241816772e-07, -3.5929579088263189e-08,
                            1.1597617347067875e-08, -3.9333238316948432e-09, 1.2854318229756578e-09, -2.9205648499069673e-10,
                            9.0759053450988067e-11, -7.9692411267960236e-11, 2.673526830680934e-11,  0};
    const Pack<W> x = 2.0 * w - 1.0, x2 = x * x, x4 = x2 * x2;
    // Four short chains side by side: one long one would wait for itself.
    Pack<W> p0 = all<W>(c[20]), p1 = all<W>(c[21]), p2 = all<W>(c[22]), p3 = all<W>(c[23]);
    for (int k = 16; k >= 0; k -= 4) {
        p0 = c[k] + x4 * p0;
        p1 = c[k + 1] + x4 * p1;
        p2 = c[k + 2] + x4 * p2;
        p3 = c[k + 3] + x4 * p3;
    }
    return (p0 + x * p1) + x2 * (p2 + x * p3);
}

/// Rotation vector [rad] of the shorter way round.
template <int W>
[[gnu::always_inline]] inline V3<W> rotationVector(const Q4<W>& q) {
    const Mask<W> flip = q.w < 0;
    const Pack<W> w = flip ? -q.w : q.w, s = angleOverSine<W>(least<W>(w, all<W>(1.0)));
    const Pack<W> f = flip ? -s : s;
    return {f * q.x, f * q.y, f * q.z};
}

/// The turn by a rotation vector of at most one radian (series; error below 1e-16).
template <int W>
[[gnu::always_inline]] inline Q4<W> smallTurn(const V3<W>& v) {
    const Pack<W> a = 0.25 * dot<W>(v, v);  // (half angle)^2
    const Pack<W> s =
        0.5 * (1 + a * (-1.0 / 6 + a * (1.0 / 120 + a * (-1.0 / 5040 +
                                                         a * (1.0 / 362880 + a * (-1.0 / 39916800 + a * (1.0 / 6227020800)))))));
    const Pack<W> c =
        1 + a * (-1.0 / 2 + a * (1.0 / 24 + a * (-1.0 / 720 + a * (1.0 / 40320 + a * (-1.0 / 3628800 + a * (1.0 / 479001600))))));
    return {s * v.x, s * v.y, s * v.z, c};
}
/// The turn by any rotation vector up to a few turns: an eighth of it, doubled three times.
template <int W>
[[gnu::always_inline]] inline Q4<W> anyTurn(const V3<W>& v) {
    Q4<W> q = smallTurn<W>(times<W>(0.125, v));
    for (int k = 0; k < 3; ++k) q = q * q;
    return tidied<W>(q);
}

/// The shortest turn from unit vector `a` to unit vector `b`.
template <int W>
[[gnu::always_inline]] inline Q4<W> arc(const V3<W>& a, const V3<W>& b) {
    const Pack<W> w = 1.0 + dot<W>(a, b);
    const Mask<W> opposite = w < 1e-12;
    const V3<W> c = cross<W>(a, b);
    const Pack<W> s = 1.0 / root<W>(most<W>(dot<W>(c, c) + w * w, all<W>(1e-30)));
    Q4<W> q{s * c.x, s * c.y, s * c.z, s * w};
    if (any<W>(opposite)) {
        const V3<W> axis = square<W>(a);
        q = pick<W>(opposite, Q4<W>{axis.x, axis.y, axis.z, all<W>(0.0)}, q);
    }
    return q;
}

}  // namespace lanes
}  // namespace
