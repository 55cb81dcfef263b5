#include "base/error.h"

#include <new>
#include <stdexcept>

namespace nutatio {

Error unreadable(std::string file, const std::exception& e) {
    const bool memory = dynamic_cast<const std::bad_alloc*>(&e) || dynamic_cast<const std::length_error*>(&e);
    return {std::move(file), "", memory ? std::string("there is not enough memory for it") : std::string(e.what())};
}

}  // namespace nutatio
