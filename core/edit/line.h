// What an actor plays in the shot on show: cut, held, repeated, put one after another, closed. Edits of the shot; clips stay as
// they are.
#pragma once

#include <string>

#include "base/error.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// The line of an actor in the shot on show; of one that plays its clip as it is, that clip once. Empty without a clip.
rig::Line lineOf(const scene::Scene& scene, const std::string& actor);

/// Frames are counted from 0. Errors of all: no such actor, an actor without a clip.
/// Cuts the line at a frame: what is on either side can be taken away or repeated. Errors: a frame at an end.
Result<Done> splitAt(scene::Scene& scene, const std::string& actor, int frame);
/// Holds the pose of a frame for so many more; keys, marks, cuts and intervals after it move along.
Result<Done> holdPose(scene::Scene& scene, const std::string& actor, int frame, int frames);
/// Plays the frames from one to another so many times more; what comes after moves along.
Result<Done> repeatFrames(scene::Scene& scene, const std::string& actor, int from, int to, int times);
/// A clip after all that plays, coming in over so many frames.
Result<Done> playAfter(scene::Scene& scene, const std::string& actor, const std::string& clip, int blendFrames);
/// Takes a stretch away; what comes after moves along. Errors: the only one.
Result<Done> removeStretch(scene::Scene& scene, const std::string& actor, std::size_t stretch);
/// Lets the line end as it begins: by so many frames more, or by fading half the gap over so many at either end; neither: as it
/// was.
Result<Done> closeLine(scene::Scene& scene, const std::string& actor, int missingFrames, int fadeFrames);
/// The same of every shot in which an actor plays a clip as it is, in frames of the clip's own rate: what mends a clip whose ends
/// do not meet. Errors: no such clip, no such shot.
Result<Done> closeClip(scene::Scene& scene, const std::string& actor, const std::string& clip, int missing, int fade);
/// Plays the clip as it is.
void clearLine(scene::Scene& scene, const std::string& actor);

}  // namespace nutatio::edit
