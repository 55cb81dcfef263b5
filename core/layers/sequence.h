// Frames of the body in the order a mover lives through them.
#pragma once

#include <algorithm>

#include "layers/layer_kind.h"

namespace nutatio::layers {

/// Pre-roll first, then the shot; round and round where it loops. Where the body comes round but for the way that it goes, lap
/// after lap, the lap before is the same with its roots that much farther back.
class Sequence {
  public:
    enum class Way { Once, Round, Onward };
    Sequence(const rig::Track& track, const rig::Skeleton& skeleton, int preroll, Way way)
        : m_track(track), m_preroll(preroll), m_loops(way == Way::Round) {
        const int last = track.frames() - 1;
        if (way != Way::Onward || last < 1) return;
        const auto lap = [&](int frame, int laps) {
            std::vector<Xform> pose;
            track.pose(frame, pose);
            for (int root : skeleton.roots()) {
                const Affine back = track.at(root, 0).affine() * track.at(root, last).affine().inverse();
                const Affine by = laps > 0 ? back : back.inverse();
                Xform& x = pose[static_cast<std::size_t>(root)];
                for (int k = 0; k < std::abs(laps); ++k) {
                    x.t = by.apply(x.t);
                    x.r = (rotationOf(by.m) * x.r).normalized();
                }
            }
            return pose;
        };
        for (int step = -preroll; step < 0; ++step) {
            const int laps = (last - 1 - step) / last;
            m_before.push_back(lap(step + laps * last, laps));
        }
        m_beyond = lap(1, -1);
    }

    int first() const { return -m_preroll; }
    int last() const { return m_track.frames() - 1; }
    double dt() const { return m_track.grid().dt(); }
    PoseView at(int step) const {
        if (step < 0 && !m_before.empty()) return PoseView(m_before[static_cast<std::size_t>(step + m_preroll)], 0, step * dt());
        if (step > last() && !m_beyond.empty()) return PoseView(m_beyond, last(), step * dt());
        return {m_track, frame(step), step * dt()};
    }

  private:
    int frame(int step) const {
        const int last = m_track.frames() - 1;
        if (!m_loops) return within(step, 0, last);
        const int f = step % last;  // the last frame is the first one again
        return step == last ? last : f < 0 ? f + last : f;
    }
    const rig::Track& m_track;
    int m_preroll;
    bool m_loops;
    std::vector<std::vector<Xform>> m_before;  // from the first step on
    std::vector<Xform> m_beyond;               // after the last one
};

}  // namespace nutatio::layers
