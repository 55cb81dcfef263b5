#include "measure/trace.h"

#include <Eigen/Eigenvalues>
#include <algorithm>

namespace nutatio::measure {

std::vector<Vec3> placesOf(const rig::Skeleton& s, const rig::Track& track, int joint, const Vec3& local) {
    std::vector<Vec3> out;
    for (int f = 0; f < track.frames(); ++f) {
        Vec3 p = local;
        for (int j = joint; j != rig::kNoJoint; j = s.joint(j).parent) p = track.at(j, f).affine().apply(p);
        out.push_back(p);
    }
    return out;
}

Vec3 mainAxis(const std::vector<Vec3>& points) {
    Vec3 mean = Vec3::Zero();
    for (const Vec3& p : points) mean += p / static_cast<double>(points.size());
    Mat3 spread = Mat3::Zero();
    for (const Vec3& p : points) spread += (p - mean) * (p - mean).transpose();
    const Eigen::SelfAdjointEigenSolver<Mat3> solved(spread);
    return solved.eigenvalues().z() > 0 ? Vec3(solved.eigenvectors().col(2)) : Vec3::UnitX();
}

int watchedJoint(const rig::Actor& actor, const rig::Track& below, const rig::Track& above) {
    const rig::Skeleton& s = actor.skeleton;
    int watched = rig::kNoJoint;
    double most = -1;
    for (int j = 0; j < below.joints(); ++j) {
        if (below.column(j) == above.column(j)) continue;
        const Vec3 end = rig::endOf(s, j);
        // A few frames are enough to choose by; the chosen one is followed through all of them.
        double far = 0;
        for (int k = 0; k < 9; ++k) {
            const int f = k * (below.frames() - 1) / 8;
            Vec3 a = end, b = end;
            for (int i = j; i != rig::kNoJoint; i = s.joint(i).parent) {
                a = below.at(i, f).affine().apply(a);
                b = above.at(i, f).affine().apply(b);
            }
            far += (a - b).norm();
        }
        if (far > most) {
            most = far;
            watched = j;
        }
    }
    return watched;
}

Trace trace(const rig::Actor& actor, const rig::Track& below, const rig::Track& above) {
    const rig::Skeleton& s = actor.skeleton;
    Trace t;
    t.joint = watchedJoint(actor, below, above);
    if (t.joint < 0) return t;
    const Vec3 end = rig::endOf(s, t.joint);
    const std::vector<Vec3> a = placesOf(s, below, t.joint, end), b = placesOf(s, above, t.joint, end);
    std::vector<Vec3> moved(a.size());
    for (std::size_t f = 0; f < a.size(); ++f) {
        moved[f] = b[f] - a[f];
        t.most = std::max(t.most, moved[f].norm());
    }
    const Vec3 axis = mainAxis(moved);
    Vec3 mean = Vec3::Zero();
    for (const Vec3& p : a) mean += p / static_cast<double>(a.size());
    for (std::size_t f = 0; f < a.size(); ++f) {
        t.body.push_back(static_cast<float>((a[f] - mean).dot(axis)));
        t.added.push_back(static_cast<float>(moved[f].dot(axis)));
        t.path.push_back(b[f].cast<float>());
        for (std::size_t k = 0; k < 3; ++k) {
            t.axes[k].body.push_back(static_cast<float>((a[f] - mean)[static_cast<Eigen::Index>(k)]));
            t.axes[k].added.push_back(static_cast<float>(moved[f][static_cast<Eigen::Index>(k)]));
        }
    }
    return t;
}

}  // namespace nutatio::measure
