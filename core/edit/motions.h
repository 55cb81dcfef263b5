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
/// A clip that begins in the rest pose: held for `hold` frames of the shot's rate, eased for `ease` frames into where the clip
/// begins, then the clip; with a shot of it, which is shown. Returns its name.
Result<std::string> poseFirst(scene::Scene& scene, const std::string& actor, const std::string& clip, int hold, int ease);

}  // namespace nutatio::edit
