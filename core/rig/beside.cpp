#include "rig/beside.h"

#include <algorithm>

#include "rig/parts.h"
#include "rig/roles.h"
#include "rig/sides.h"

namespace nutatio::rig {

std::vector<char> besideBody(const Actor& actor) {
    const Skeleton& s = actor.skeleton;
    const auto n = static_cast<std::size_t>(s.size());
    std::vector<char> out(n, false), body(n, false), limb(n, false);
    const Roles roles = rolesOf(actor);
    for (int j : {roles.hips, roles.head})
        if (j != kNoJoint) body[static_cast<std::size_t>(j)] = true;
    for (const auto* row : {&roles.spine, &roles.neck, &roles.tail})
        for (int j : *row) body[static_cast<std::size_t>(j)] = true;
    for (const auto* limbs : {&roles.legs, &roles.arms})
        for (const Limb& l : *limbs) {
            for (int j : l.chain) body[static_cast<std::size_t>(j)] = true;
            if (l.found())
                for (int j : s.subtree(l.upper)) limb[static_cast<std::size_t>(j)] = true;
        }
    for (const Part& p : suggestedParts(actor))
        if (p.sort == Sort::Hair || p.sort == Sort::Strap || p.sort == Sort::Cloth)
            for (int j : p.joints) out[static_cast<std::size_t>(j)] = true;
    for (const ToldRole& t : actor.told)
        if (t.role == kNotOfTheBody && t.joint < s.size()) out[static_cast<std::size_t>(t.joint)] = true;
    const Sides sides = sidesOf(actor);
    const bool skinned =
        std::any_of(actor.instances.begin(), actor.instances.end(), [](const MeshInstance& in) { return in.skin >= 0; });
    std::vector<char> carries(n, false);
    for (const MeshInstance& in : *actor.instances)
        if (in.skin < 0) carries[static_cast<std::size_t>(in.joint)] = true;
    for (int j : s.order()) {
        const auto k = static_cast<std::size_t>(j);
        const int up = s.joint(j).parent;
        if (up != kNoJoint && out[static_cast<std::size_t>(up)]) out[k] = true;
        if (skinned && carries[k] && !actor.isSkinJoint[k]) out[k] = true;
        // Fingers have fellows; what one hand alone holds has none, though the hand has.
        if (limb[k] && up != kNoJoint && sides.fellow[k] == kNoJoint && sides.fellow[static_cast<std::size_t>(up)] != kNoJoint)
            out[k] = true;
        if (body[k]) out[k] = false;
    }
    if (std::all_of(out.begin(), out.end(), [](char each) { return each; })) out.assign(n, false);
    return out;
}

}  // namespace nutatio::rig
