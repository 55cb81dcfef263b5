// Hand-off: the source document with animation added or replaced, and nothing else changed.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "rig/actor.h"

namespace nutatio::files {

/// One clip to hand back. Channels replace the source's of the same joint and path.
struct NewClip {
    int source = -1;                    // the source's clip; -1: a clip of its own
    std::optional<std::string> beside;  // set: a copy under this name, the source's clip stays as it is
    std::vector<rig::Channel> channels;
};

/// Morph targets that a mesh instance gets beside those it has. A mesh that other nodes show too is copied for this one.
struct NewMorphs {
    int instance = 0;                                      // of the actor's list
    std::vector<std::vector<std::vector<Vec3f>>> targets;  // by target and primitive: an offset a vertex
};

/// Writes .glb or .gltf, by the extension of `out`. Files that the document refers to are written beside `out` from memory where
/// they do not stand there already. New buffers get names of their own, no file but `out` is ever overwritten, and `out` comes
/// last: a hand-off that is cut off leaves what was there whole. An actor from BVH, or one that was made without a file, becomes
/// a document of joints. Weights in `clips` count the new targets after the old ones; clips that stay as they were get zeros for
/// them. Errors: a file that cannot be written, motion that is not finite.
Result<Done> writeGltf(const rig::Actor& actor, const std::vector<NewClip>& clips, const std::filesystem::path& out,
                       const std::vector<NewMorphs>& morphs = {});

}  // namespace nutatio::files
