// The core's text, as the toolkit has it.
#pragma once

#include <QString>
#include <string_view>

namespace nutatio::app {

inline QString qs(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<qsizetype>(text.size()));
}

}  // namespace nutatio::app
