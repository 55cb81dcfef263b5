// Where the project's files lie on this machine.
#pragma once

#include <string>

namespace nutatio::test {

/// The project's folder. Known to one unit alone: all others compile to the same bytes in every clone, which the compiler cache wants.
std::string sourceFolder();

}  // namespace nutatio::test
