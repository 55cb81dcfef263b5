// How a shot goes on from its last frame to its first one.
#pragma once

#include "rig/actor.h"
#include "rig/track.h"

namespace nutatio::rig {
struct Surface;
}

namespace nutatio::measure {

/// The break from the last frame, which a loop shows as its first one again, to the first frame.
struct Seam {
    int joint = rig::kNoJoint;  // that turns most there
    double turn = 0;            // [rad] by which it does
    double move = 0;            // [heights] by which a joint jumps at most against what carries it
    int quick = rig::kNoJoint;  // the joint whose turning breaks most
    double speed = 0;           // [rad/s] by which that breaks over the seam
    double usual = 0;           // [rad/s] by which the turning of that joint changes from frame to frame within the shot, at most
    /// It plays round and round without anybody seeing where it begins: by turn, way and speed.
    bool closes() const;
};

/// Joints that hold still all through are left out, as are those without a parent as far as they travel: what a walk covers in a
/// lap is no break. Nothing moves in a shot of less than three frames.
Seam seamOf(const rig::Actor& actor, const rig::Track& track);

/// Whether a clip is a loop, and what is missing of it.
struct ClipEnds {
    enum class Class { Closes, OneMore, Short, Nearly, Open };
    Class is = Class::Open;
    int missing = 0;   // Short: frames left out before its first pose comes round
    int frames = 0;    // of the clip
    double gap = 0;    // [heights] from its last pose to its first, each joint's turn by how far it reaches
    double usual = 0;  // [heights] of a step from frame to frame
    double apart = 0;  // [heights] the most that a joint is from where it began, as its root carries it
};
std::string_view className(ClipEnds::Class is);

/// Tells by the turns of all joints at the clip's own rate. OneMore: it goes round a frame after its last one, see
/// Track::lap.
/// Game clips often leave out the frames before the first pose comes round: with steps s0 (the first) and s1 (the last) and e
/// from the last pose to the first, m frames are missing where e is nearest to m (s0 + s1) / 2. `reach`: see reachesOf.
ClipEnds endsOf(const rig::Actor& actor, const rig::Track& atOwnRate, const std::vector<double>& reach);
/// The turns of all joints from one frame to another, each as far as it takes what hangs on it [heights].
double stepBetween(const rig::Actor& actor, const rig::Track& track, const std::vector<double>& reach, int from, int to);
/// How far what hangs on each joint reaches from it in the rest pose [units].
std::vector<double> reachesOf(const rig::Actor& actor, const rig::Surface& surface);

}  // namespace nutatio::measure
