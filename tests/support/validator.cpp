#include "tests/support/validator.h"

#include "tests/support/places.h"

#include <array>
#include <catch2/catch.hpp>
#include <cstdio>

namespace nutatio::test {

namespace fs = std::filesystem;

namespace {

/// {errors, line}; nothing when node or the package is not there.
std::optional<std::pair<int, std::string>> validate(const fs::path& file) {
    const std::string root = sourceFolder();
    if (std::string(NUTATIO_NODE).find("NOTFOUND") != std::string::npos || !fs::exists(root + "/node_modules/gltf-validator"))
        return std::nullopt;
    const std::string command = "NODE_PATH='" + root + "/node_modules' " + NUTATIO_NODE + " '" + root +
                                "/tests/tools/validate.js' '" + file.string() + "' 2>&1";
    FILE* pipe = popen(command.c_str(), "r");
    std::array<char, 512> line{};
    if (!fgets(line.data(), line.size(), pipe)) line[0] = 0;
    pclose(pipe);
    return std::pair(std::atoi(line.data()), std::string(line.data()));
}

}  // namespace

void checkValid(const fs::path& file) {
    const auto v = validate(file);
    if (!v) {
        WARN("skipped: the glTF validator is not installed (no network at set-up?)");
        return;
    }
    INFO(file << ": " << v->second);
    // A file that the validator could not read prints no count at all.
    REQUIRE_FALSE(v->second.empty());
    CHECK(v->first == 0);
}

}  // namespace nutatio::test
