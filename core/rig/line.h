// What an actor plays in a shot: stretches of its clips, one after another.
#pragma once

#include <string>
#include <vector>

#include "base/cancel.h"
#include "rig/track.h"

namespace nutatio::rig {

/// Times in seconds; those of a clip from where it begins.
struct Stretch {
    std::string clip;  // reference
    double from = 0, to = 0;
    double hold = 0;   // above 0: the pose at `from` is held that long, and `to` counts for nothing
    double blend = 0;  // over which it comes in over the end of what stands before it
    bool operator==(const Stretch&) const = default;
    double seconds() const { return hold > 0 ? hold : to - from; }
};

struct Line {
    std::vector<Stretch> stretches;
    double closing = 0;  // [s] added at its end, in which it goes on to its first pose
    double fade = 0;     // [s] at either end, over which the gap between them is worked off
    bool operator==(const Line&) const = default;
    bool empty() const { return stretches.empty(); }
    double seconds() const;
    /// When a stretch begins to show.
    double startOf(std::size_t stretch) const;
};

/// Where in a line a time lies: the newest stretch that shows there, and the time from its beginning.
struct InLine {
    std::size_t stretch = 0;
    double time = 0;
};
InLine placeIn(const Line& line, double time);

/// Poses of a line at any time, without what closes it. Actor and line must outlive it.
class LinePlayer {
  public:
    LinePlayer(const Actor& actor, const Line& line);
    void pose(double time, std::vector<Xform>& out) const;
    /// Morph weights of the instance that a joint carries; false where no clip of the line moves them.
    bool weights(int joint, double time, std::vector<double>& out) const;

  private:
    /// From where a clip has the body to where the line has it: a turn about the upright and a way over the ground.
    struct Carry {
        Quat turn = Quat::Identity();
        Vec3 way = Vec3::Zero();
    };
    const Clip* clipOf(std::size_t k) const;
    double timeIn(std::size_t k, double time) const;
    bool weightsOf(std::size_t k, double time, int joint, std::vector<double>& out) const;
    void clipPose(std::size_t k, double time, std::vector<Xform>& out) const;
    void poseOf(std::size_t k, double time, std::vector<Xform>& out) const;
    Affine carrierOf(const std::vector<Xform>& pose) const;
    Carry carryOnto(std::size_t k) const;

    const Actor& m_actor;
    const Line& m_line;
    int m_carrier = kNoJoint;
    std::vector<double> m_start;
    std::vector<Carry> m_carry;
};

/// The motion of a line on a grid that begins at 0. A stretch that begins elsewhere over the ground than the one before it ended,
/// or faces another way, goes on from there; one that begins nearly where that ended is left as it is, so that a clip in place
/// does not drift. Blends are of every joint, by a quintic; closing is a cubic with the speeds of both ends, and leaves what the
/// body travels. Throws Cancelled. Clips that are not there hold the rest pose.
Track lineTrack(const Actor& actor, const Line& line, const FrameGrid& grid, const Cancel& cancel = {});

}  // namespace nutatio::rig
