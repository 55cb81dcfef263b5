// Opening whatever a person hands over: a scene, or an actor that becomes one.
#pragma once

#include <filesystem>

#include "base/error.h"
#include "scene/scene.h"

namespace nutatio::pipeline {

struct Opened {
    scene::Scene scene;
    bool isScene = false;               // the file was a scene of ours
    std::vector<std::string> warnings;  // what was mended or cannot act, a sentence each
};

/// Errors: the file, the place in it, what is wrong.
Result<Opened> open(const std::filesystem::path& path);

}  // namespace nutatio::pipeline
