// Kit files: .nutatio-kit, JSON.
#pragma once

#include <filesystem>

#include "base/error.h"
#include "scene/kit.h"

namespace nutatio::files {

inline constexpr std::uint64_t kKitVersion = 2;

/// Errors: what cannot be read, with its place.
Result<scene::Kit> readKit(const std::filesystem::path& path);
Result<Done> writeKit(const scene::Kit& kit, const std::filesystem::path& path);

}  // namespace nutatio::files
