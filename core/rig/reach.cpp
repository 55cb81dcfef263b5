#include "rig/reach.h"

namespace nutatio::rig {

void reach(const Skeleton& skeleton, std::vector<Xform>& locals, int joint, const Vec3& target, int bones) {
    std::vector<Affine> worlds;
    worldTransforms(skeleton, locals, worlds);
    const auto at = [](int j) { return static_cast<std::size_t>(j); };
    const int parent = skeleton.joint(joint).parent;
    if (parent == kNoJoint) {
        locals[at(joint)].t += target - worlds[at(joint)].t;
        return;
    }
    constexpr int kRounds = 16;
    constexpr double kMost = 0.5;  // [rad] a joint turns in one go: keeps the bend spread over the bones
    for (int round = 0; round < kRounds; ++round) {
        int j = parent;
        for (int k = 0; k < bones && skeleton.joint(j).parent != kNoJoint; ++k, j = skeleton.joint(j).parent) {
            const Vec3 from = worlds[at(joint)].t - worlds[at(j)].t, to = target - worlds[at(j)].t;
            if (from.norm() < 1e-12 || to.norm() < 1e-12) continue;
            Vec3 by = rotationVector(arc(from.normalized(), to.normalized()));
            if (by.norm() > kMost) by *= kMost / by.norm();
            const Affine& above = worlds[at(skeleton.joint(j).parent)];
            Vec3 v = rotationOf(above.m).conjugate() * by;
            if (above.m.determinant() < 0) v = Vec3(v.x(), -v.y(), -v.z());
            locals[at(j)].r = (fromRotationVector(v) * locals[at(j)].r).normalized();
            worldTransforms(skeleton, locals, worlds);
        }
        if ((worlds[at(joint)].t - target).norm() < 1e-9) break;
    }
}

}  // namespace nutatio::rig
