// Trial moves: short test motions that replace a clip while somebody tries a setup. They work on any rig and loop.
#pragma once

#include <memory>
#include <span>
#include <string>

#include "rig/clip.h"
#include "rig/track.h"

namespace nutatio::rig {

/// Motion of a clip that was kept to try things on, as one actor does it.
struct KeptMotion {
    std::string name;
    Clip clip;
    Key key;         // of the clip
    Key of;          // the content of that actor
    int joints = 0;  // how many it has: with another number of them it stands still
};
/// The move of a trial that plays one. It counts a minute of it at most.
inline constexpr std::string_view kKeptMove = "kept";

/// What a trial does, and to what.
struct Trial {
    std::string move;    // id of a TrialMove, or kKeptMove; empty: no trial is on
    std::string joint;   // reference; empty: the whole actor, or the role
    std::string role{};  // id of a TrialRole; empty: the whole actor
    double size = 1;     // times the usual
    double speed = 1;    // times the usual
    std::shared_ptr<const KeptMotion> kept{};
    bool onTop = false;  // of the clip, not in its place
    bool operator==(const Trial&) const = default;
};

/// One built-in move.
struct TrialMove {
    std::string_view id;
    std::string_view label;
    double seconds;  // of one round at usual speed
    std::string_view help;
};

/// What of a body a trial moves.
struct TrialRole {
    std::string_view id;
    std::string_view label;
};
/// Those that an actor has: head and shoulders, arms, spine, legs, tail, wings, as rig::rolesOf tells; none of a prop.
std::vector<TrialRole> trialRoles(const Actor& actor);

std::span<const TrialMove> trialMoves();
/// nullptr when there is no such move.
const TrialMove* findTrialMove(std::string_view id);

/// Frames of one round and the frame that is the first one again.
FrameGrid trialGrid(const Trial& trial, double fps);

/// The actor in pose `stand` (locals of all joints), moved by the trial over `grid`, again and again where that is longer than
/// one round. A joint that is not there moves the whole actor instead.
Track trialTrack(const Actor& actor, const Trial& trial, const std::vector<Xform>& stand, const FrameGrid& grid);
/// The trial on top of a body's motion, as long as that is: what a part does when the body goes on and is shaken too.
Track trialOver(const Actor& actor, const Trial& trial, Track body);

/// Where the trial is at `time` [s]: the same motion that the track samples.
void trialPose(const Actor& actor, const Trial& trial, const std::vector<Xform>& stand, double time, double round,
               std::vector<Xform>& locals);

}  // namespace nutatio::rig
