// How tall a figure is likely to be.
#pragma once

#include <optional>

#include "rig/actor.h"

namespace nutatio::rig {

/// The height [m] that a figure on two legs is likely to have where the one that it has cannot be: of less than 0.5 m or more
/// than 2.6. Where another unit of length (centimetres, inches, feet ... for metres, or the other way) makes a grown person of
/// the figure, that person's height; else 1.7 m. One on four legs can be of 0.03 to 6 m; likelier is what a unit makes 0.25 to
/// 2.5 m of it, else 1 m. Nothing where its height can be, or where no two legs are found. `metres`: its height as it stands.
std::optional<double> likelierHeight(const Actor& actor, double metres);

}  // namespace nutatio::rig
