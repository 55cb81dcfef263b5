// The reference glTF validator, where it is installed.
#pragma once

#include <filesystem>
#include <optional>
#include <string>

namespace nutatio::test {

/// Fails the test when the reference validator finds an error in the file; says that it was skipped where it is not installed.
void checkValid(const std::filesystem::path& file);

}  // namespace nutatio::test
