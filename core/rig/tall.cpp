#include "rig/tall.h"

#include "rig/roles.h"

namespace nutatio::rig {

std::optional<double> likelierHeight(const Actor& actor, double metres) {
    constexpr double kLeast = 0.5, kMost = 2.6, kUsual = 1.7, kGrownLeast = 1.4, kGrownMost = 2.1;
    constexpr double kUnits[] = {0.001, 0.01, 0.1, 0.0254, 0.3048};  // [m]
    if (metres >= kLeast && metres <= kMost) return std::nullopt;
    const Roles roles = rolesOf(actor);
    if (!roles.hasLegs() || roles.fourLegged) return std::nullopt;
    for (double unit : kUnits)
        for (double taken : {metres * unit, metres / unit})
            if (taken >= kGrownLeast && taken <= kGrownMost) return taken;
    return kUsual;
}

}  // namespace nutatio::rig
