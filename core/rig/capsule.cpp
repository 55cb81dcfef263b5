#include "rig/capsule.h"

#include <Eigen/Eigenvalues>
#include <algorithm>

namespace nutatio::rig {

double quantile(std::vector<double> v, double q) {
    if (v.empty()) return 0;
    const auto at = static_cast<std::ptrdiff_t>(q * static_cast<double>(v.size() - 1));
    std::nth_element(v.begin(), v.begin() + at, v.end());
    return v[static_cast<std::size_t>(at)];
}

Spread spreadOf(const std::vector<Vec3>& points) {
    Spread out{Vec3::Zero(), Vec3::Zero(), Mat3::Identity()};
    for (const Vec3& p : points) out.mean += p / static_cast<double>(points.size());
    Mat3 sum = Mat3::Zero();
    for (const Vec3& p : points) sum += (p - out.mean) * (p - out.mean).transpose();
    const Eigen::SelfAdjointEigenSolver<Mat3> solved(sum);
    out.variance = solved.eigenvalues();
    out.axes = solved.eigenvectors();
    return out;
}

Capsule fitCapsule(const std::vector<Vec3>& points, const Vec3& bone) {
    const Spread spread = spreadOf(points);
    const Vec3& mean = spread.mean;
    Vec3 axis = spread.axes.col(2);
    if (bone.norm() > 0) {
        const Vec3 b = bone.normalized();
        const double along = (spread.axes.transpose() * b).cwiseAbs2().dot(spread.variance);
        if (along > 0.6 * spread.variance[2]) axis = axis.dot(b) < 0 ? -b : b;
        if (axis.dot(b) < 0) axis = -axis;
    }
    std::vector<double> heights;
    for (const Vec3& p : points) heights.push_back(axis.dot(p - mean));
    const double low = quantile(heights, 0.01), high = quantile(heights, 0.99), middle = 0.5 * (low + high);
    // The axis passes through the middle of the thickness at either half.
    Vec3 centre[2] = {Vec3::Zero(), Vec3::Zero()};
    double count[2] = {0, 0};
    for (std::size_t i = 0; i < points.size(); ++i) {
        const int half = heights[i] > middle;
        centre[half] += points[i] - mean - heights[i] * axis;
        ++count[half];
    }
    const Vec3 off = (centre[0] + centre[1]) / std::max(1.0, count[0] + count[1]);
    std::vector<double> around[2];
    for (std::size_t i = 0; i < points.size(); ++i)
        around[heights[i] > middle].push_back((points[i] - mean - heights[i] * axis - off).norm());
    Capsule c;
    c.ra = quantile(around[0], 0.75);
    c.rb = quantile(around[1], 0.75);
    const double longest = high - low;
    c.ra = std::min(c.ra, 0.5 * longest);
    c.rb = std::min(c.rb, 0.5 * longest);
    double from = low + c.ra, to = high - c.rb;
    if (from > to) from = to = 0.5 * (from + to);
    c.a = mean + off + from * axis;
    c.b = mean + off + to * axis;
    return c;
}

}  // namespace nutatio::rig
