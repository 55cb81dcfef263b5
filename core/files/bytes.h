// Whole files in and out.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "base/error.h"
#include "rig/actor.h"

namespace nutatio::files {

/// The file's bytes. Throws Failure naming the file when it cannot be read.
rig::Bytes readBytes(const std::filesystem::path& path);
/// Writes beside the target and renames over it, so that a file is whole or untouched. Throws Failure.
void writeAtomically(const std::filesystem::path& path, const void* data, std::size_t size);

std::string base64(const void* data, std::size_t size);
/// Throws Failure("", ...) when the text is not base64.
rig::Bytes fromBase64(std::string_view text);
/// "%20" and the like back into characters.
std::string percentDecoded(std::string_view uri);

}  // namespace nutatio::files
