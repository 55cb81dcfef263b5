// Handles in a grid over a region of the surface, which carry the vertices between them.
#pragma once

#include <array>
#include <string>
#include <vector>

#include "layers/by_hand.h"

namespace nutatio::layers::touchup {

/// A grid in the box about the region in the rest pose, its axes the actor's. Between handles, and beyond their own rows, offsets
/// go over by a quintic that is level at each handle: a vertex under a handle goes as far as that does. (The lattice of Sederberg
/// and Parry, Computer Graphics 20, 1986, with a basis that keeps to its handles.)
class HandGrid {
  public:
    /// Expects a region in the context.
    explicit HandGrid(const LayerContext& context);
    /// Where the handles are, in a frame.
    std::vector<HandPoint> points(int frame) const;
    /// The vertices that any handle moves over the shot, on top of the patches below.
    std::vector<rig::PatchPtr> patches(int frames, const Cancel& cancel) const;

  private:
    Vec3 offset(std::size_t handle, int frame) const;

    const LayerContext& m_context;
    std::array<int, 3> m_count{};
    Eigen::AlignedBox3d m_box;
    std::vector<std::string> m_ids;  // "0.1.2", by handle
    std::vector<bool> m_moves;       // by handle: it has a channel
};

}  // namespace nutatio::layers::touchup
