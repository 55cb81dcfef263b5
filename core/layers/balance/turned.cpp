#include "layers/balance/turned.h"

#include <algorithm>

namespace nutatio::layers::balance {

Turned turnedOf(const rig::Actor& actor, const rig::Roles& roles) {
    Turned out;
    const std::vector<int> carriers = rig::carriersOf(actor.skeleton, roles);
    const auto add = [&](int joint) {
        out.joints.push_back(joint);
        return out.joints.size() - 1;
    };
    for (int j : roles.spine)
        if (j != roles.hips && std::find(carriers.begin(), carriers.end(), j) == carriers.end()) out.spine.push_back(add(j));
    std::vector<int> neck = roles.neck;
    if (roles.head != rig::kNoJoint) neck.push_back(roles.head);
    for (int j : neck)
        if (std::find(out.joints.begin(), out.joints.end(), j) == out.joints.end()) out.head.push_back(add(j));
    out.groups.push_back({"spine", "Spine", out.spine, radians(35), 1e-3});
    for (std::size_t k = 0; k < 2; ++k)
        if (roles.arms[k].found() && !roles.fourLegged)
            out.groups.push_back({k == 0 ? "arm_left" : "arm_right",
                                  k == 0 ? "Left arm" : "Right arm",
                                  {add(roles.arms[k].upper)},
                                  radians(40),
                                  0.5,
                                  static_cast<int>(k)});
    Group tail{"tail", "Tail", {}, radians(40), 0.5};
    for (int j : roles.tail)
        if (std::find(out.joints.begin(), out.joints.end(), j) == out.joints.end()) tail.turned.push_back(add(j));
    if (!tail.turned.empty()) out.groups.push_back(std::move(tail));
    return out;
}

}  // namespace nutatio::layers::balance
