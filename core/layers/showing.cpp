#include "layers/showing.h"

#include <cmath>

#include "base/maths.h"

namespace nutatio::layers {

Mark lineMark(std::vector<Vec3> points, Mark::Tone tone, double width, double strength) {
    Mark m;
    m.tone = tone;
    m.points = std::move(points);
    m.width = width;
    m.strength = strength;
    return m;
}

Mark dotMark(const Vec3& at, Mark::Tone tone, double across, double strength) {
    Mark m = lineMark({at}, tone, across, strength);
    m.form = Mark::Form::Dots;
    return m;
}

Mark ringMark(const Vec3& centre, double radius, Mark::Tone tone, double width, const Vec3& normal) {
    Mark m = lineMark({centre}, tone, width);
    m.form = Mark::Form::Ring;
    m.radius = radius;
    m.normal = normal;
    return m;
}

std::vector<Mark> capsuleMarks(const Vec3& a, const Vec3& b, double ra, double rb, const Quat& turn, Mark::Tone tone,
                               double width, double strength) {
    const Vec3 x = turn * Vec3::UnitX(), y = turn * Vec3::UnitY(), z = turn * Vec3::UnitZ();
    std::vector<Mark> out;
    const auto ring = [&](const Vec3& centre, const Vec3& u, const Vec3& v, double r, double from, double to) {
        std::vector<Vec3> points;
        for (int k = 0; k <= 28; ++k) {
            const double angle = from + (to - from) * k / 28;
            points.push_back(centre + r * (std::cos(angle) * u + std::sin(angle) * v));
        }
        out.push_back(lineMark(std::move(points), tone, width, strength));
    };
    ring(b, x, z, rb, 0, 2 * kPi);
    if (a != b) ring(a, x, z, ra, 0, 2 * kPi);
    for (const Vec3& side : {x, z}) {
        ring(b, side, y, rb, 0, kPi);
        ring(a, side, y, ra, kPi, 2 * kPi);
        for (double sign : {-1.0, 1.0})
            out.push_back(lineMark({b + sign * rb * side, a + sign * ra * side}, tone, width, strength));
    }
    return out;
}

}  // namespace nutatio::layers
