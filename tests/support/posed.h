// Vertices of an actor in a pose, compared.
#pragma once

#include <filesystem>

#include "rig/actor.h"

namespace nutatio::test {

/// The largest distance between vertices of two actors with as many, each in a pose of its own [units].
double vertexDifference(const rig::Actor& a, const std::vector<Xform>& poseA, const rig::Actor& b,
                        const std::vector<Xform>& poseB);

/// A .gltf of a prop without a skin: "box" with a mesh, and "lid" on it with one, which a clip "Open" turns; returns its path.
std::filesystem::path boxFile(const std::filesystem::path& folder);

}  // namespace nutatio::test
