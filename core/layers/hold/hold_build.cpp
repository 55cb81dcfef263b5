#include "layers/hold/hold_build.h"

#include <algorithm>
#include <set>

#include "rig/roles.h"

namespace nutatio::layers::hold {

Build buildOf(const rig::Actor& actor, const scene::Layer& layer) {
    const rig::Skeleton& s = actor.skeleton;
    const rig::Roles roles = rig::rolesOf(actor);
    std::vector<Affine> rest;
    rig::worldTransforms(s, actor.restPose(), rest);
    Build out;
    for (const std::string& name : layer.list("joint")) {
        const int point = s.find(name);
        if (point == rig::kNoJoint) continue;
        HeldLimb limb;
        for (const auto* limbs : {&roles.legs, &roles.arms})
            for (const rig::Limb& l : *limbs)
                if (l.found() && (point == l.end || s.isBelow(point, l.end)))
                    limb = {l.upper, l.lower, l.end, limbs == &roles.legs || roles.fourLegged, {}};
        if (limb.end == rig::kNoJoint) {
            // Any joint with two bones above it.
            const auto above = [&](int joint) {
                int up = joint == rig::kNoJoint ? joint : s.joint(joint).parent;
                while (up != rig::kNoJoint &&
                       (rest[static_cast<std::size_t>(up)].t - rest[static_cast<std::size_t>(joint)].t).norm() <
                           1e-4 * actor.height)
                    up = s.joint(up).parent;
                return up;
            };
            const int lower = above(point), upper = above(lower);
            if (upper == rig::kNoJoint) continue;
            limb = {upper, lower, point, !roles.hasLegs(), {}};
        }
        const auto known = std::find_if(out.limbs.begin(), out.limbs.end(), [&](const HeldLimb& l) { return l.end == limb.end; });
        HeldLimb& at = known == out.limbs.end() ? out.limbs.emplace_back(limb) : *known;
        if (std::find(at.points.begin(), at.points.end(), point) == at.points.end()) at.points.push_back(point);
    }
    // What carries all limbs and the spine: hips and spine may be brothers.
    std::vector<int> carried;
    for (const HeldLimb& l : out.limbs) carried.push_back(l.upper);
    if (!carried.empty()) carried.insert(carried.end(), {roles.hips, roles.head});
    int root = rig::carrierOf(s, carried);
    if (!out.limbs.empty() && root == out.limbs.front().upper) root = s.joint(root).parent;
    out.root = root;
    std::set<int> joints;
    if (root != rig::kNoJoint) joints.insert(root);
    for (const HeldLimb& l : out.limbs) joints.insert({l.upper, l.lower, l.end});
    for (int j : s.order())
        if (joints.count(j)) out.joints.push_back(j);
    return out;
}

}  // namespace nutatio::layers::hold
