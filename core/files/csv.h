// Tables of numbers for other programs.
#pragma once

#include <string>
#include <vector>

namespace nutatio::files {

/// One column of a table.
struct CsvColumn {
    std::string head;
    std::vector<double> values;
};
/// Comma-separated as RFC 4180 has it: a line of heads, then a line a value, with as many digits as bring the very number back. A
/// column that is shorter leaves its cells empty.
std::string csvOf(const std::vector<CsvColumn>& columns);

}  // namespace nutatio::files
