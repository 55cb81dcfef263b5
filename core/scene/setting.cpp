#include "scene/setting.h"

#include <algorithm>
#include <cmath>

namespace nutatio::scene {

std::string_view unitText(Unit unit) {
    switch (unit) {
        case Unit::PerSecond:
            return "/s";
        case Unit::Degrees:
            return "deg";
        case Unit::Gravities:
            return "g";
        case Unit::Times:
            return "x";
        case Unit::Frames:
            return "frames";
        case Unit::Share:
        case Unit::Count:
        case Unit::None:
            return "";
    }
    return "";
}

Value startValue(const SettingSpec& spec) {
    switch (spec.type) {
        case SettingType::Number:
            return spec.start;
        case SettingType::Axes:
        case SettingType::Joint:
            return std::string(spec.axes);
        case SettingType::Joints:
            return std::vector<std::string>{};
    }
    return 0.0;
}

Values startValues(std::span<const SettingSpec> table) {
    Values v;
    for (const SettingSpec& s : table) v[std::string(s.id)] = startValue(s);
    return v;
}

double clampTo(const SettingSpec& spec, double value) {
    return std::isfinite(value) ? std::clamp(value, spec.range.low, spec.range.high) : spec.start;
}

}  // namespace nutatio::scene
