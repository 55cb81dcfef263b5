#include "base/maths.h"

#include <Eigen/Eigenvalues>
#include <Eigen/LU>

namespace nutatio {

Affine Affine::inverse() const {
    Mat3 i = m.inverse();
    constexpr double kNoWayBack = 1e30;
    if (!(i.cwiseAbs().maxCoeff() < kNoWayBack)) {
        // A scale of 0 has no way back along its axis: the pseudo-inverse (Penrose, 1955) leaves that axis out.
        const Eigen::SelfAdjointEigenSolver<Mat3> squared(m.transpose() * m);
        const double least = std::max(1e-24 * squared.eigenvalues().maxCoeff(), 1 / (kNoWayBack * kNoWayBack));
        Vec3 back = Vec3::Zero();
        for (int k = 0; k < 3; ++k)
            if (squared.eigenvalues()[k] > least) back[k] = 1 / squared.eigenvalues()[k];
        i = squared.eigenvectors() * back.asDiagonal() * squared.eigenvectors().transpose() * m.transpose();
    }
    return {i, -(i * t)};
}

Affine Xform::affine() const {
    return {r.toRotationMatrix() * s.asDiagonal(), t};
}

Xform decompose(const Affine& a, bool* sheared) {
    Xform x;
    x.t = a.t;
    x.r = rotationOf(a.m);
    const Mat3 rt = x.r.toRotationMatrix().transpose() * a.m;
    x.s = rt.diagonal();
    if (sheared) {
        const double size = a.m.cwiseAbs().maxCoeff();
        *sheared = (x.affine().m - a.m).cwiseAbs().maxCoeff() > 1e-4 * std::max(size, 1e-30);
    }
    return x;
}

Quat rotationOf(const Mat3& m) {
    // Gram-Schmidt on the columns: exact for any uniform scale, and for scale applied before the turn.
    Vec3 x = m.col(0), y = m.col(1), z = m.col(2);
    if (m.determinant() < 0) x = -x;
    const double tiny = 1e-300;
    if (y.squaredNorm() < tiny) y = x.squaredNorm() < tiny ? Vec3(0, 1, 0) : anySquareTo(x.normalized());
    y.normalize();
    z -= y * y.dot(z);
    if (z.squaredNorm() < tiny) z = x.cross(y).squaredNorm() < tiny ? anySquareTo(y) : Vec3(x.cross(y));
    z.normalize();
    Mat3 r;
    r << y.cross(z), y, z;
    return Quat(r).normalized();
}

Vec3 rotationVector(const Quat& q) {
    const double sign = q.w() < 0 ? -1.0 : 1.0;
    const Vec3 v = sign * q.vec();
    const double s = v.norm();
    if (s < 1e-9) return 2.0 * v;
    return v * (2.0 * std::atan2(s, sign * q.w()) / s);
}

Quat fromRotationVector(const Vec3& v) {
    const double angle = v.norm();
    if (angle < 1e-9) return Quat(1.0, 0.5 * v.x(), 0.5 * v.y(), 0.5 * v.z()).normalized();
    const Vec3 a = v * (std::sin(0.5 * angle) / angle);
    return Quat(std::cos(0.5 * angle), a.x(), a.y(), a.z());
}

Vec3 anySquareTo(const Vec3& v) {
    const Vec3 other = std::abs(v.x()) < 0.6 ? Vec3(1, 0, 0) : Vec3(0, 1, 0);
    return v.cross(other).normalized();
}

Quat arc(const Vec3& from, const Vec3& to) {
    const double w = 1.0 + from.dot(to);
    if (w < 1e-12) {
        const Vec3 axis = anySquareTo(from);
        return Quat(0, axis.x(), axis.y(), axis.z());
    }
    const Vec3 c = from.cross(to);
    return Quat(w, c.x(), c.y(), c.z()).normalized();
}

Quat blend(const Quat& a, const Quat& b, double u) {
    if (u == 0) return a;
    if (u == 1) return b;
    const Quat c = sameSide(b, a);
    const double d = std::min(a.dot(c), 1.0);
    if (d > 0.9999) return Quat(a.coeffs() * (1 - u) + c.coeffs() * u).normalized();
    const double angle = std::acos(d), s = std::sin(angle);
    return Quat(a.coeffs() * (std::sin((1 - u) * angle) / s) + c.coeffs() * (std::sin(u * angle) / s));
}

}  // namespace nutatio
