// Flights that take as long as their height asks for.
#pragma once

#include <string>
#include <vector>

#include "layers/balance/weighing.h"

namespace nutatio::layers::balance {

/// Whether a layer lets flights take their own time.
bool inItsOwnTime(const scene::Layer& layer);

/// A stretch whose flights take as long as their height asks for: T = sqrt(8 arc / g), in whole frames. What they take more or
/// less, the frames on the ground beside them give, evenly and without a jump in speed.
class OwnTime {
  public:
    OwnTime(const LayerContext& context, const Weighing& is, double fps);
    bool empty() const { return m_said.empty(); }
    const std::string& said() const { return m_said; }
    /// Every joint of a track read so, from a frame of it on.
    void read(const rig::Actor& actor, int from, rig::Track& track) const;

  private:
    void span(int from, int to, double a, double b, double slopeA, double slopeB);
    std::vector<double> m_from;  // by frame: the frame that is read
    std::string m_said;
};

}  // namespace nutatio::layers::balance
