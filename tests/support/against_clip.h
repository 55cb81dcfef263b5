// What layers make of a shot, measured against the clip below them: for bars and tests on characters that nobody here made.
#pragma once

#include "pipeline/evaluate.h"
#include "scene/scene.h"

namespace nutatio::test {

/// Turns in degrees; lengths in heights of the actor as it stands at rest, half its longest side at least.
struct AgainstClip {
    bool finite = true;
    double turned = 0;                     // the most that a joint is turned off the clip, its parents' turns taken out
    double usuallyTurned = 0;              // of the most in each frame, what 95 % of the frames stay under
    double footOff = 0;                    // the farthest that a foot is off its place
    double fastest = 0, fastestBelow = 0;  // joint [heights/s]
    double deepest = 0, deepestBelow = 0;  // vertex, or joint without a mesh, under the floor y = 0
    double rougher = 0;                    // largest second difference of the weight's path in a frame, over the clip's largest
    double rises = 0;                      // of the centre of mass above where the first frame has it
    double creeps = 0;                     // a frame, of the hips, the head or the foot that moves most in the last half second
    double jolt = 0;                       // largest change of a joint's speed from frame to frame [heights/s], clip's taken off
};

/// Of the first actor. `floor`: height of the ground [m].
AgainstClip againstClip(const scene::Scene& scene, const pipeline::Evaluation& evaluation, double floor = 0);

/// The lowest point of the actor's picture in a pose, as it stands [m]: of its meshes, or of its joints without any.
double lowestOf(const scene::ActorEntry& actor, const std::vector<Xform>& pose);

}  // namespace nutatio::test
