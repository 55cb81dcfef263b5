// Catch2's own sources, compiled once for every program of tests.
#define CATCH_CONFIG_RUNNER
#include "tests/support/runner.h"

#include <catch2/catch.hpp>

namespace nutatio::test {

int run(int argc, char** argv) {
    return Catch::Session().run(argc, argv);
}

}  // namespace nutatio::test
