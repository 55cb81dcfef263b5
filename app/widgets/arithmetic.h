// Typed values may be sums: "2*1.5".
#pragma once

#include <QString>
#include <optional>

namespace nutatio::app {

/// The value of + - * / ( ) over decimal numbers; nothing when the text is not such a sum or not finite.
std::optional<double> arithmetic(const QString& text);

}  // namespace nutatio::app
