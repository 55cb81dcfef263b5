#include "rig/tall.h"

#include "rig/roles.h"

namespace nutatio::rig {

std::optional<double> likelierHeight(const Actor& actor, double metres) {
    constexpr double kLeast = 0.5, kMost = 2.6, kUsual = 1.7, kGrownLeast = 1.4, kGrownMost = 2.1;
    // From a mouse to a giraffe, from a cat to a horse.
    constexpr double kLeastAnimal = 0.03, kMostAnimal = 6, kUsualAnimal = 1, kLikelyLeast = 0.25, kLikelyMost = 2.5;
    constexpr double kUnits[] = {0.01, 0.001, 0.1, 0.0254, 0.3048};  // [m], the usual one first
    if (metres >= kLeast && metres <= kMost) return std::nullopt;
    const Roles roles = rolesOf(actor);
    if (!roles.hasLegs() || (roles.fourLegged && metres >= kLeastAnimal && metres <= kMostAnimal)) return std::nullopt;
    const double least = roles.fourLegged ? kLikelyLeast : kGrownLeast, most = roles.fourLegged ? kLikelyMost : kGrownMost;
    for (double unit : kUnits)
        for (double taken : {metres * unit, metres / unit})
            if (taken >= least && taken <= most) return taken;
    return roles.fourLegged ? kUsualAnimal : kUsual;
}

}  // namespace nutatio::rig
