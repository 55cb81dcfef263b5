#include "scene/setting.h"

#include <algorithm>
#include <cmath>

#include "base/maths.h"

namespace nutatio::scene {

bool mayDiffer(const SettingSpec& row) {
    return row.type == SettingType::Number && !row.together && row.role != Role::Mix && row.role != Role::Amount &&
           row.role != Role::Preroll && row.role != Role::Cuts;
}

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
        case Unit::Metres:
            return "m";
        case Unit::MetresPerSecond:
            return "m/s";
        case Unit::Share:
        case Unit::Count:
        case Unit::None:
            return "";
    }
    return "";
}

std::vector<std::string_view> idsIn(std::string_view joined) {
    std::vector<std::string_view> out;
    for (std::size_t from = 0; from <= joined.size();) {
        const std::size_t to = std::min(joined.find('|', from), joined.size());
        out.push_back(joined.substr(from, to - from));
        from = to + 1;
    }
    return out;
}

std::vector<std::string_view> choicesOf(const SettingSpec& spec) {
    return idsIn(spec.choices);
}

const SettingSpec* findRow(Table table, std::string_view id) {
    const auto at = std::find_if(table.begin(), table.end(), [&](const SettingSpec& s) { return s.id == id; });
    return at == table.end() ? nullptr : &*at;
}

const SettingSpec* findRow(Table table, Role role) {
    const auto at = std::find_if(table.begin(), table.end(), [&](const SettingSpec& s) { return s.role == role; });
    return at == table.end() ? nullptr : &*at;
}

SettingSpec sizedFor(SettingSpec row, double height) {
    if (!row.sized) return row;
    row.soft.low *= height;
    row.soft.high *= height;
    row.start *= height;
    return row;
}

double keyedAt(const Keys& keys, double time) {
    if (keys.empty()) return 0;
    if (time <= keys.front().at) return keys.front().value;
    if (time >= keys.back().at) return keys.back().value;
    std::size_t k = 1;
    while (keys[k].at < time) ++k;
    const auto chord = [&](std::size_t i) { return (keys[i + 1].value - keys[i].value) / (keys[i + 1].at - keys[i].at); };
    // The slope at a key is the harmonic mean of its two chords, and level where they disagree or where the keys end.
    const auto slope = [&](std::size_t i) {
        if (i == 0 || i + 1 == keys.size()) return 0.0;
        const double a = chord(i - 1), b = chord(i);
        return a * b > 0 ? 2 * a * b / (a + b) : 0.0;
    };
    const KeyAt &a = keys[k - 1], &b = keys[k];
    if (a.value == b.value) return a.value;  // both slopes are level, and the sum below would round
    const double wide = b.at - a.at, u = (time - a.at) / wide;
    const Hermite h(u);
    return h.p0 * a.value + h.m0 * wide * slope(k - 1) + h.p1 * b.value + h.m1 * wide * slope(k);
}

void putKey(Keys& keys, double time, double value) {
    if (const auto here = keyAt(keys, time); here != keys.end())
        here->value = value;
    else
        keys.insert(std::find_if(keys.begin(), keys.end(), [&](const KeyAt& k) { return k.at > time; }), {time, value});
}

Keys::iterator keyAt(Keys& keys, double time) {
    return std::find_if(keys.begin(), keys.end(), [&](const KeyAt& k) { return std::abs(k.at - time) < kSameMoment; });
}

Keys::const_iterator keyAt(const Keys& keys, double time) {
    return std::find_if(keys.begin(), keys.end(), [&](const KeyAt& k) { return std::abs(k.at - time) < kSameMoment; });
}

double profileAt(const Profile& profile, double at) {
    if (profile.empty()) return 1;
    if (at <= profile.front().at) return profile.front().times;
    for (std::size_t k = 1; k < profile.size(); ++k)
        if (at <= profile[k].at) {
            const ProfilePoint &a = profile[k - 1], &b = profile[k];
            const double wide = b.at - a.at;
            return wide > 0 ? a.times + (b.times - a.times) * (at - a.at) / wide : b.times;
        }
    return profile.back().times;
}

Value startValue(const SettingSpec& spec) {
    switch (spec.type) {
        case SettingType::Number:
            return spec.start;
        case SettingType::Axes:
        case SettingType::Joint:
            return std::string(spec.axes);
        case SettingType::Choice:
            return std::string(choicesOf(spec).front());
        case SettingType::Joints:
        case SettingType::Colliders:
            return std::vector<std::string>{};
    }
    return 0.0;
}

Values startValues(Table table) {
    Values v;
    for (const SettingSpec& s : table) v[std::string(s.id)] = startValue(s);
    return v;
}

double clampTo(const SettingSpec& spec, double value) {
    if (!std::isfinite(value)) return spec.start;
    return std::clamp(spec.whole ? std::round(value) : value, spec.range.low, spec.range.high);
}

}  // namespace nutatio::scene
