// Frames of the body in the order a mover lives through them.
#pragma once

#include <algorithm>

#include "layers/layer_kind.h"

namespace nutatio::layers {

/// Pre-roll first, then the shot; round and round where it loops.
class Sequence {
  public:
    Sequence(const rig::Track& track, int preroll, bool loops) : m_track(track), m_preroll(preroll), m_loops(loops) {}

    int first() const { return -m_preroll; }
    int last() const { return m_track.frames() - 1; }
    double dt() const { return m_track.grid().dt(); }
    PoseView at(int step) const { return {m_track, frame(step), step * dt()}; }

  private:
    int frame(int step) const {
        const int last = m_track.frames() - 1;
        if (!m_loops) return std::clamp(step, 0, last);
        const int f = step % last;  // the last frame is the first one again
        return step == last ? last : f < 0 ? f + last : f;
    }
    const rig::Track& m_track;
    int m_preroll;
    bool m_loops;
};

}  // namespace nutatio::layers
