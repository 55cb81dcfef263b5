#include "app/stage/camera.h"

#include <algorithm>

namespace nutatio::app {

Vec3 Camera::eye() const {
    return target + distance * Vec3(std::cos(height) * std::sin(heading), std::sin(height), std::cos(height) * std::cos(heading));
}

Mat4 Camera::view() const {
    const Vec3 back = (eye() - target).normalized(), right = Vec3::UnitY().cross(back).normalized(), up = back.cross(right);
    Mat4 m = Mat4::Identity();
    m.block<1, 3>(0, 0) = right.transpose();
    m.block<1, 3>(1, 0) = up.transpose();
    m.block<1, 3>(2, 0) = back.transpose();
    m.block<3, 1>(0, 3) = -m.block<3, 3>(0, 0) * eye();
    return m;
}

Mat4 Camera::projection(double aspect) const {
    const double near = 0.01 * distance, far = 60 * distance, f = 1 / std::tan(0.5 * fieldOfView);
    Mat4 m = Mat4::Zero();
    m(0, 0) = f / aspect;
    m(1, 1) = f;
    m(2, 2) = (far + near) / (near - far);
    m(2, 3) = 2 * far * near / (near - far);
    m(3, 2) = -1;
    return m;
}

void Camera::orbit(double dx, double dy) {
    heading -= 0.008 * dx;
    height = within(height + 0.008 * dy, radians(-85), radians(85));
}

void Camera::pan(double dx, double dy, double viewHeight) {
    const double unit = 2 * distance * std::tan(0.5 * fieldOfView) / std::max(viewHeight, 1.0);
    const Mat4 v = view();
    target += unit * (-dx * v.block<1, 3>(0, 0).transpose() + dy * v.block<1, 3>(1, 0).transpose());
}

void Camera::zoom(double steps) {
    distance *= std::pow(0.88, steps);
}

void Camera::frame(const Vec3& low, const Vec3& high) {
    target = 0.5 * (low + high);
    distance = std::max(1e-6, 0.56 * (high - low).norm() / std::tan(0.5 * fieldOfView));
}

std::optional<QPointF> Camera::pixel(const Vec3& p, const QSize& s) const {
    const Vec4 c = projection(static_cast<double>(s.width()) / std::max(1, s.height())) * view() * p.homogeneous();
    if (c.w() <= 1e-9) return std::nullopt;
    return QPointF((c.x() / c.w() * 0.5 + 0.5) * s.width(), (0.5 - c.y() / c.w() * 0.5) * s.height());
}

Vec3 Camera::ray(const QPointF& pixel, const QSize& s) const {
    const double f = std::tan(0.5 * fieldOfView), aspect = static_cast<double>(s.width()) / std::max(1, s.height());
    const Vec3 local((2 * pixel.x() / s.width() - 1) * f * aspect, (1 - 2 * pixel.y() / s.height()) * f, -1);
    return (view().topLeftCorner<3, 3>().transpose() * local).normalized();
}

}  // namespace nutatio::app
