// BVH motion files in and out. All channel orders, any unit, CRLF and byte-order marks.
#pragma once

#include <filesystem>

#include "base/error.h"
#include "rig/actor.h"
#include "rig/track.h"

namespace nutatio::files {

/// Reads the file into an Actor of joints and one clip. End sites become joints named after their parent. Errors give the line.
Result<std::shared_ptr<const rig::Actor>> readBvh(const std::filesystem::path& path);

/// The source's hierarchy with the motion of `track`. Channels of joints whose column in `body` is the same column keep the
/// source's own digits when the grids agree. Errors name `out`.
Result<Done> writeBvh(const rig::Actor& actor, const rig::Track& body, const rig::Track& track, const std::filesystem::path& out);

}  // namespace nutatio::files
