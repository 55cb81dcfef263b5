#pragma once

namespace nutatio::test {

/// Runs the tests of this program by its arguments; 0 when all pass.
int run(int argc, char** argv);

}  // namespace nutatio::test
