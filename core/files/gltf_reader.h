// glTF 2.0 (.gltf, .glb) into an Actor. Source: glTF 2.0 specification; KHR_mesh_quantization.
#pragma once

#include <filesystem>

#include "base/error.h"
#include "rig/actor.h"

namespace nutatio::files {

/// Reads the file and all it refers to. Errors: the file, the JSON path in it, what is wrong. Never reads out of bounds.
Result<std::shared_ptr<const rig::Actor>> readGltf(const std::filesystem::path& path);
/// The same of a document that was made here and refers to no file.
Result<std::shared_ptr<const rig::Actor>> gltfOf(rig::Bytes document, const std::string& name);

}  // namespace nutatio::files
