// What a mover makes, frame by frame: columns of joints and of vertices alike.
#pragma once

#include <vector>

#include "layers/mover.h"

namespace nutatio::layers {

struct Recorded {
    std::vector<rig::Column> joints;   // of the mover's joints()
    std::vector<rig::Patch> surfaces;  // of its surfaces()

    explicit Recorded(const Mover& mover);
    /// One more frame, as the mover stands.
    void put(const Mover& mover, const PoseView& goal);
    /// One more frame, of what was recorded before.
    void put(const std::vector<rig::Column>& columns, const std::vector<rig::Patch>& patches, std::size_t frame);
    /// The frames from `from` to `to`, both included.
    std::vector<rig::Column> columnsFrom(int from, int to) const;
    std::vector<rig::Patch> surfacesFrom(int from, int to) const;
    /// The first `n` frames become those that are `later` frames behind them, less and less; what is behind frame `later` goes.
    void blendFrom(std::size_t later, std::size_t n);

  private:
    std::vector<Xform> m_transforms;
};

}  // namespace nutatio::layers
