// Clips of one character put on another.
#pragma once

#include "rig/actor.h"

namespace nutatio::rig {

/// Which joint of the target moves as which joint of the source.
struct MappedJoint {
    enum class By { Role, Name, Hand };
    std::string role;     // "left thigh", "spine 2" ..., or the target's joint where names alone tell
    int from = kNoJoint;  // of the source; kNoJoint: it stays at rest
    int to = kNoJoint;
    By by = By::Role;
    bool follows = false;  // its direction is made the source's: thighs, shins, arms; else its turn alone
};

struct MotionMap {
    std::vector<MappedJoint> joints;  // in the target's order, parents first
    double scale = 1;                 // target units a source unit, by the length of the legs (or the height without any)
    bool toFloor = true;              // floor to floor; else hips as they are
    bool byNames = true;              // both are known by names: else it is to be looked at
};

/// Joints by the roles of both (see rolesOf), and by names for what else both have.
MotionMap suggestMapping(const Actor& source, const Actor& target);

/// The clip of the source, as the target does it. Every mapped joint turns from its rest pose as the source's does from its own,
/// in axes that both share (left, up, forward); where `follows`, its bone points as the source's does, whatever the two rest
/// poses. The hips go as the source's do, as far as legs are longer, over their own floor. Sampled at the clip's own rate. What
/// is not mapped stays at rest. Throws Failure when nothing is mapped.
Clip mappedClip(const Actor& source, int clip, const Actor& target, const MotionMap& map, std::string name);

/// A time in which a joint stands still near its floor [s].
struct Contact {
    int joint = kNoJoint;
    double from = 0, to = 0;
};
/// When feet and toes stand: lower than 3.5 % of the height over the joint's own floor (3 % quantile of its height) and slower
/// than 0.35 heights a second, until higher than 6 % or faster than 0.7; for a tenth of a second at least, gaps of a twentieth
/// closed.
std::vector<Contact> contactsOf(const Actor& actor, int clip);

/// Keys a second of a clip: from the median spacing of its keys, 12 to 240.
double ownRate(const Clip& clip);

}  // namespace nutatio::rig
