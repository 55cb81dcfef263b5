// Round things that are laid through points of a mesh.
#pragma once

#include <vector>

#include "base/maths.h"

namespace nutatio::rig {

/// From a to b, as thick as ra and rb there [units].
struct Capsule {
    Vec3 a, b;
    double ra = 0, rb = 0;
};

/// Through points, at least one: along `bone` where they follow it, else along the way they spread most; as thick at either half
/// as three quarters of the points there are away.
Capsule fitCapsule(const std::vector<Vec3>& points, const Vec3& bone);

/// The value that a share `q` of the numbers does not exceed; 0 of none.
double quantile(std::vector<double> v, double q);

/// How points spread about their mean: variances, the least first, and their axes.
struct Spread {
    Vec3 mean, variance;
    Mat3 axes;
};
Spread spreadOf(const std::vector<Vec3>& points);

}  // namespace nutatio::rig
