// Shapes for the demo world: signed distances polygonised, swept tubes, ribbons and boxes.
#pragma once

#include <functional>

#include "demo/gltf_builder.h"

namespace nutatio::demo {

/// Distance [m] to a surface, below 0 inside.
using Distance = std::function<double(const Vec3&)>;

double ball(const Vec3& p, const Vec3& centre, const Vec3& radii);
/// A cone between two balls. Source: the common closest-point form, radius blended along the axis.
double roundCone(const Vec3& p, const Vec3& a, const Vec3& b, double ra, double rb);
/// Union with a fillet of size k (polynomial smooth minimum).
double blendMin(double a, double b, double k);

/// Polygonises `d` = 0 in the box with cells of `cell` [m]. Naive surface nets (Gibson 1998), vertices pulled onto the surface,
/// normals from the distance's gradient.
Surface polygonise(const Distance& d, const Vec3& low, const Vec3& high, double cell);

/// A tube of `sides` round a polyline, radius a point; closed at its ends.
Surface tube(const std::vector<Vec3>& line, const std::vector<double>& radius, int sides);
/// A flat band along a polyline: half width across `side`, half thickness across the rest; subdivided between points.
Surface ribbon(const std::vector<Vec3>& line, const Vec3& side, double halfWidth, double halfThickness, int steps);
Surface box(const Vec3& centre, const Vec3& half);

void paint(Surface& s, const Vec3& colour);
void bindTo(Surface& s, int joint);
/// Weights by nearness to bones: each a joint and the two ends of its segment.
struct Bone {
    int joint;
    Vec3 a, b;
};
void bindByNearness(Surface& s, const std::vector<Bone>& bones, double power);
/// Weights along a chain of joints by arc length: a vertex between two joints is shared between them.
void bindAlong(Surface& s, const std::vector<int>& joints, const std::vector<Vec3>& places);

}  // namespace nutatio::demo
