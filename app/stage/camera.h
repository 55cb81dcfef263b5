// An orbiting camera: looks at a point from a distance, heading and height.
#pragma once

#include <QPointF>
#include <QSize>
#include <optional>

#include "base/maths.h"

namespace nutatio::app {

struct Camera {
    Vec3 target{0, 0.6, 0};
    double distance = 3;
    double heading = radians(32), height = radians(12);
    double fieldOfView = radians(32);

    Vec3 eye() const;
    Mat4 view() const;
    Mat4 projection(double aspect) const;
    void orbit(double dx, double dy);
    void pan(double dx, double dy, double viewHeight);
    void zoom(double steps);
    /// Frames the box so that it fills the view.
    void frame(const Vec3& low, const Vec3& high);

    /// Pixel of a world point; nothing behind the eye.
    std::optional<QPointF> pixel(const Vec3& p, const QSize& view) const;
    /// Direction of the ray from the eye through a pixel.
    Vec3 ray(const QPointF& pixel, const QSize& view) const;
};

}  // namespace nutatio::app
