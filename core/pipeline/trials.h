// Trials that were kept: any clip, to be tried on any character.
#pragma once

#include <filesystem>

#include "base/error.h"
#include "rig/actor.h"
#include "rig/trial.h"

namespace nutatio::pipeline {

/// Writes a clip of an actor, with its joints and without its mesh, as a glTF document in metres.
Result<Done> keepTrial(const rig::Actor& actor, int clip, const std::string& name, const std::filesystem::path& file);

/// The first clip of a file as the actor does it: key for key where the joints that it moves are the file's own, hung alike and
/// at rest alike, as long as theirs are; else mapped (see rig::mappedClip). Errors: a file that cannot be read or has no clip,
/// nothing that could be mapped.
Result<std::shared_ptr<const rig::KeptMotion>> keptTrial(const std::filesystem::path& file, const rig::Actor& actor);

}  // namespace nutatio::pipeline
