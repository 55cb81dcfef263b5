// What the tape draws in a layer's lane: the body's motion, and what the layer adds to it.
#pragma once

#include <array>
#include <vector>

#include "rig/track.h"

namespace nutatio::measure {

/// Both along the same line in space, one value a frame [units]: lag shows as the distance between the two.
struct Trace {
    std::vector<float> body;   // way of the watched point under the motion below the layer, about its mean
    std::vector<float> added;  // what the layer adds to that
    /// The same along each of the actor's axes.
    struct Along {
        std::vector<float> body, added;
    };
    std::array<Along, 3> axes;
    double most = 0;          // farthest that the layer takes the point from there
    int joint = -1;           // whose end is watched: the one the layer moves farthest
    std::vector<Vec3f> path;  // where the point is with the layer [units], for the stage's trail
};

/// World places of a point fixed to `joint` at every frame.
std::vector<Vec3> placesOf(const rig::Skeleton& skeleton, const rig::Track& track, int joint, const Vec3& local);
/// Of the joints in which the tracks differ, the one whose end differs most; kNoJoint when none does.
int watchedJoint(const rig::Actor& actor, const rig::Track& below, const rig::Track& above);
/// The direction that points spread along most.
Vec3 mainAxis(const std::vector<Vec3>& points);

/// Watches the joint end that differs most between the two tracks; the line is the one it moves along most.
Trace trace(const rig::Actor& actor, const rig::Track& below, const rig::Track& above);

}  // namespace nutatio::measure
