#include "base/arguments.h"

namespace nutatio {

std::string asArgument(std::string_view value) {
    std::string out;
    for (const char c : value) {
        if (c == ',' || c == '\\') out += '\\';
        out += c;
    }
    return out;
}

std::vector<std::string> argumentsIn(std::string_view text) {
    std::vector<std::string> out;
    if (text.empty()) return out;
    out.emplace_back();
    for (std::size_t k = 0; k < text.size(); ++k) {
        if (text[k] == '\\' && k + 1 < text.size() && (text[k + 1] == ',' || text[k + 1] == '\\'))
            out.back() += text[++k];
        else if (text[k] == ',')
            out.emplace_back();
        else
            out.back() += text[k];
    }
    return out;
}

}  // namespace nutatio
