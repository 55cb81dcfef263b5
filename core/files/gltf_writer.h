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

/// Writes .glb or .gltf, by the extension of `out`. Files that the document refers to are copied beside `out` when it lies in
/// another folder. An actor from BVH becomes a document of joints. Errors name the file that could not be written.
Result<Done> writeGltf(const rig::Actor& actor, const std::vector<NewClip>& clips, const std::filesystem::path& out);

}  // namespace nutatio::files
