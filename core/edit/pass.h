// What was performed with a hand on a body while the shot played: each pass a layer that is posed by hand.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "base/error.h"
#include "rig/track.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// The group that passes stand in, at the bottom of their actor's layers.
inline constexpr std::string_view kPasses = "Performed";
/// How many layers of an actor, from the bottom on, are passes: what is performed is performed on the motion above those.
std::size_t passesOf(const scene::Scene& scene, const std::string& actor);

/// The place in the scene's stack right above them.
std::size_t abovePasses(const scene::Scene& scene, const std::string& actor);

struct Pass {
    std::map<int, std::vector<Xform>> poses;  // by frame of the shot: locals of all joints while the hand held
    bool halfLater = false;                   // again half of the shot later, as seen in a mirror
    int ease = 4;                             // [frames] over which it comes and goes
};

/// Keeps a pass as a layer of the shot on show, above the passes that are there: what the poses do to `below`, the motion that
/// they were performed on. Frames between them that were left out go from one to the next; in a shot whose body comes round, what
/// is held across its end is. Returns the layer's id. Errors: no such actor, nothing that was moved, poses of another skeleton.
Result<std::string> keepPass(scene::Scene& scene, const std::string& actor, const rig::Track& below, const Pass& pass);

}  // namespace nutatio::edit
