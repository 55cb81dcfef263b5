// The .nutatio scene file: JSON, versioned, stable key order, relative references, written atomically; unknown keys are kept.
#pragma once

#include <filesystem>
#include <functional>

#include "base/error.h"
#include "scene/scene.h"

namespace nutatio::files {

inline constexpr int kSceneVersion = 3;

/// Reads a glTF or BVH by its extension and content.
Result<std::shared_ptr<const rig::Actor>> readActor(const std::filesystem::path& path);

/// Reads the scene and its actors. Layer values are as they stand in the file; layers::settle fits them to their tables.
Result<scene::Scene> readScene(const std::filesystem::path& path);
Result<Done> writeScene(const scene::Scene& scene, const std::filesystem::path& path);

/// A scene of one actor at 24 frames a second, playing its first clip.
scene::Scene sceneOf(std::shared_ptr<const rig::Actor> actor);
/// Adds an actor to the scene under an id and a name of its own; returns the id.
std::string addActor(scene::Scene& scene, std::shared_ptr<const rig::Actor> actor);

}  // namespace nutatio::files
