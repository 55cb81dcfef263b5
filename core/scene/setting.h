// What a setting is: described once, in its layer kind's table.
#pragma once

#include <map>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace nutatio::scene {

enum class Unit { None, PerSecond, Count, Degrees, Share, Gravities, Times, Frames };
enum class SettingType { Number, Axes, Joint, Joints };

struct Range {
    double low = 0;
    double high = 1;
};

/// One row of a layer kind's table. From it come the Tuner's rows, the scene file, `--set`, the manual and the range tests.
struct SettingSpec {
    std::string_view id;
    std::string_view label;
    SettingType type = SettingType::Number;
    Unit unit = Unit::None;
    Range range{};            // what is accepted
    Range soft{};             // what the slider spans
    double start = 0;         // default of a Number
    std::string_view axes{};  // default of Axes
    std::string_view help;    // one sentence of plain words
    std::string_view more{};  // what more and less of it look like
    bool curved = false;      // the slider gives its low end more room
};

/// "/s", "x", "deg" ... as shown behind a value; empty for a bare number.
std::string_view unitText(Unit unit);

/// A number, axes such as "xz", or joints by reference.
using Value = std::variant<double, std::string, std::vector<std::string>>;
using Values = std::map<std::string, Value, std::less<>>;

/// The table's default for one setting.
Value startValue(const SettingSpec& spec);
/// Defaults for every row.
Values startValues(std::span<const SettingSpec> table);
/// Nearest accepted number.
double clampTo(const SettingSpec& spec, double value);

}  // namespace nutatio::scene
