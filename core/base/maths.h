// Vectors, rotations and joint transforms shared by every floor.
#pragma once

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace nutatio {

using Vec3 = Eigen::Vector3d;
using Vec4 = Eigen::Vector4d;
using Quat = Eigen::Quaterniond;
using Mat3 = Eigen::Matrix3d;
using Mat4 = Eigen::Matrix4d;
using Vec2f = Eigen::Vector2f;
using Vec3f = Eigen::Vector3f;
using Vec4f = Eigen::Vector4f;

inline constexpr double kPi = std::numbers::pi;
inline constexpr double kEarthGravity = 9.80665;  // [m/s^2]

inline constexpr double radians(double deg) {
    return deg * (kPi / 180.0);
}
inline constexpr double degrees(double rad) {
    return rad * (180.0 / kPi);
}

/// A linear part and a place: x -> m x + t.
struct Affine {
    Mat3 m = Mat3::Identity();
    Vec3 t = Vec3::Zero();

    Vec3 apply(const Vec3& p) const { return m * p + t; }
    Affine operator*(const Affine& o) const { return {m * o.m, m * o.t + t}; }
    /// Where a scale is 0 there is no way back along that axis; it comes out as nothing there, and never as infinity.
    Affine inverse() const;
};

/// A joint's transform against its parent: scale, then turn, then move (the order of glTF).
struct Xform {
    Vec3 t = Vec3::Zero();
    Quat r = Quat::Identity();
    Vec3 s = Vec3::Ones();

    Affine affine() const;
    bool isFinite() const { return t.allFinite() && r.coeffs().allFinite() && s.allFinite(); }
    bool operator==(const Xform& o) const { return t == o.t && r.coeffs() == o.r.coeffs() && s == o.s; }
};

/// Splits an affine into move, turn and scale. Shear is dropped; `sheared` says whether there was any to drop.
Xform decompose(const Affine& a, bool* sheared = nullptr);

/// The turn nearest to the linear part `m`, whatever its scale; a mirrored `m` has its first axis flipped.
Quat rotationOf(const Mat3& m);

/// The cross-product matrix: skew(a) b = a x b.
inline Mat3 skew(const Vec3& a) {
    Mat3 k;
    k << 0, -a.z(), a.y(), a.z(), 0, -a.x(), -a.y(), a.x(), 0;
    return k;
}

/// Rotation vector [rad] of the shorter way round.
Vec3 rotationVector(const Quat& q);

/// The turn by rotation vector `v` [rad].
Quat fromRotationVector(const Vec3& v);

/// The shortest turn taking unit vector `from` to unit vector `to`.
Quat arc(const Vec3& from, const Vec3& to);

/// Any unit vector square to `v`.
Vec3 anySquareTo(const Vec3& v);

/// `q` or -q, whichever lies nearer to `near`: the same turn, without the long way round.
inline Quat sameSide(const Quat& q, const Quat& near) {
    return q.dot(near) < 0 ? Quat(-q.coeffs()) : q;
}

/// Great-circle blend by the shorter way; u = 0 gives a exactly, u = 1 gives b exactly.
Quat blend(const Quat& a, const Quat& b, double u);

/// From 0 to 1 as u does, without a jump in value, speed or acceleration at either end: the quintic of least jerk; held outside.
inline double eased(double u) {
    u = std::clamp(u, 0.0, 1.0);
    return u * u * u * (u * (6 * u - 15) + 10);
}

/// Cubic Hermite basis at u in 0..1, for values p0, p1 and per-step slopes m0, m1.
struct Hermite {
    double p0, m0, p1, m1;
    explicit Hermite(double u) {
        const double u2 = u * u, u3 = u2 * u;
        p0 = 2 * u3 - 3 * u2 + 1;
        m0 = u3 - 2 * u2 + u;
        p1 = 3 * u2 - 2 * u3;
        m1 = u3 - u2;
    }
};

/// A number kept from `low` to `high`; `low` where that is the higher one, which std::clamp does not allow.
template <class T>
constexpr T within(const T& v, const T& low, const T& high) {
    return std::max(low, std::min(v, high));
}

}  // namespace nutatio
