#include "rig/tall.h"

#include "rig/roles.h"

namespace nutatio::rig {

std::optional<double> likelierHeight(const Actor& actor, double metres) {
    constexpr double kLeast = 0.5, kMost = 2.6, kUsual = 1.7;
    if (metres >= kLeast && metres <= kMost) return std::nullopt;
    const Roles roles = rolesOf(actor);
    if (!roles.hasLegs() || roles.fourLegged) return std::nullopt;
    return kUsual;
}

}  // namespace nutatio::rig
