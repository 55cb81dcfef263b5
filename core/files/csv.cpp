#include "files/csv.h"

#include <algorithm>
#include <charconv>

namespace nutatio::files {

namespace {

std::string quoted(const std::string& text) {
    if (text.find_first_of(",\"\r\n") == std::string::npos) return text;
    std::string out = "\"";
    for (char c : text) {
        if (c == '"') out += '"';
        out += c;
    }
    return out + "\"";
}

std::string shortest(double v) {
    char text[32];
    const auto end = std::to_chars(text, text + sizeof text, v).ptr;
    return {text, end};
}

}  // namespace

std::string csvOf(const std::vector<CsvColumn>& columns) {
    std::string out;
    std::size_t rows = 0;
    for (std::size_t c = 0; c < columns.size(); ++c) {
        out += (c > 0 ? "," : "") + quoted(columns[c].head);
        rows = std::max(rows, columns[c].values.size());
    }
    out += "\r\n";
    for (std::size_t r = 0; r < rows; ++r) {
        for (std::size_t c = 0; c < columns.size(); ++c) {
            if (c > 0) out += ',';
            if (r < columns[c].values.size()) out += shortest(columns[c].values[r]);
        }
        out += "\r\n";
    }
    return out;
}

}  // namespace nutatio::files
