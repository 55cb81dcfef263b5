// What a joint does over a shot, to be laid beside what it does in another take.
#pragma once

#include <span>
#include <vector>

#include "rig/actor.h"
#include "rig/track.h"
#include "scene/setting.h"

namespace nutatio::measure {

/// What of the end of a joint is looked at, a value a frame.
struct Watched {
    std::string_view id, label;
    scene::Unit unit;
    /// `place`: where the end is [m, the actor's axes], `body`: where the body alone would have it; `root`: where the joint is.
    double (*at)(const Vec3& place, const Vec3& root, const Vec3& body, const Vec3& bodyRoot);
};
std::span<const Watched> watches();
/// The first one where there is no such.
const Watched& watchOf(std::string_view id);

/// One value a frame.
std::vector<float> watched(const rig::Actor& actor, const rig::Track& body, const rig::Track& result, int joint,
                           const Watched& what);

/// The joint whose end two motions of an actor differ in most, kNoJoint where they are alike.
int differsMost(const rig::Actor& actor, const rig::Track& a, const rig::Track& b);

}  // namespace nutatio::measure
