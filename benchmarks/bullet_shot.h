// The standard shot by a general rigid-body engine's articulated chains, for comparison in the same run.
#pragma once

#include "benchmarks/standard_shot.h"

namespace nutatio::benchmarks {

/// Chains of spherical joints with spring motors, stepped at 120 a second; with `size.bodies` capsules to collide with, or none.
double runBulletShot(const ShotSize& size);

}  // namespace nutatio::benchmarks
