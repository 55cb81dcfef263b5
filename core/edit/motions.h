// Body motion brought to a character, or given what it lacks. Clips that are made here are kept in the scene; files stay as they
// are.
#pragma once

#include "base/error.h"
#include "rig/mapping.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// A clip of another character, as this one does it (see rig::mappedClip), with a shot of it, which is shown. Returns its name.
Result<std::string> bringMotion(scene::Scene& scene, const std::string& actor, const rig::Actor& source, int clip,
                                const rig::MotionMap& map);
/// Frames that a pose is held, and eased, at most.
inline constexpr int kMostPoseFrames = 10'000;
/// A clip that begins in the rest pose: held for `hold` frames of the shot's rate, eased for `ease` frames into where the clip
/// begins, then the clip; with a shot of it, which is shown. Returns its name.
Result<std::string> poseFirst(scene::Scene& scene, const std::string& actor, const std::string& clip, int hold, int ease);

/// Takes a clip that was made here away, with the shots that it was made for: those that its actor leads with it; elsewhere the
/// actor is in its rest pose. Errors: a clip of the file, which stays as it is; one that a shot plays in a line.
Result<Done> removeClip(scene::Scene& scene, const std::string& actor, const std::string& clip);

}  // namespace nutatio::edit
