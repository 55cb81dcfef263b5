#include "tests/support/places.h"

namespace nutatio::test {

std::string sourceFolder() {
    return NUTATIO_SOURCE_DIR;
}

}  // namespace nutatio::test
