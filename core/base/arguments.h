// "key=value,key=value": how operations are written as text.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace nutatio {

/// A value as it may stand between commas: those of its own, and backslashes, have a backslash before them.
std::string asArgument(std::string_view value);
/// The arguments between commas, backslashes resolved.
std::vector<std::string> argumentsIn(std::string_view text);

}  // namespace nutatio
