// Fewer triangles for a mesh that is drawn small.
#pragma once

#include <cstdint>
#include <vector>

#include "rig/mesh.h"

namespace nutatio::rig {

/// Triangles over the same vertices, some of those that lie in one cell of `cell` [units] standing for all: those that share the
/// joint they follow most, face the same way, and are alike in colour and place in the picture. Source: vertex clustering
/// (Rossignac and Borrel, 1993).
std::vector<std::uint32_t> coarsened(const Primitive& primitive, float cell);

/// A cell that leaves about `triangles` of a primitive.
float cellFor(const Primitive& primitive, std::size_t triangles);

}  // namespace nutatio::rig
