// Whole files in and out.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/hash.h"
#include "rig/actor.h"

namespace nutatio::files {

/// The file's bytes. Throws Failure naming the file when it cannot be read.
rig::Bytes readBytes(const std::filesystem::path& path);
/// Writes beside the target and renames over it, so that a file is whole or untouched. A file that was there keeps its
/// permissions, a link stays a link. What a killed run of ours left half written in that folder is cleared away. Throws Failure.
void writeAtomically(const std::filesystem::path& path, const void* data, std::size_t size);
/// A name for new content beside other files: `stem` and `extension` with a mark of the content between them. A file of that name
/// holds these very bytes or is not there, so that nothing is ever overwritten. Throws Failure.
std::filesystem::path freshName(const std::filesystem::path& folder, const std::string& stem, const std::string& extension,
                                const rig::Bytes& bytes);
/// Content key of bytes.
Key contentOf(const rig::Bytes& bytes);
/// Content key of a file's bytes; nothing when it cannot be read.
std::optional<Key> contentOf(const std::filesystem::path& path);

std::string base64(const void* data, std::size_t size);
/// Throws Failure("", ...) when the text is not base64.
rig::Bytes fromBase64(std::string_view text);
/// "%20" and the like back into characters.
std::string percentDecoded(std::string_view uri);
/// A relative path as a URI (RFC 3986, 3.3): what is not unreserved or a slash is escaped.
std::string percentEncoded(std::string_view path);
/// The file that `relative` means beside `document`, when it lies in that folder or below it, links followed; nothing otherwise.
std::optional<std::filesystem::path> insideFolder(const std::filesystem::path& document, const std::filesystem::path& relative);

}  // namespace nutatio::files
