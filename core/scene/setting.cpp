#include "scene/setting.h"

#include <algorithm>
#include <cmath>

#include "base/maths.h"

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

std::vector<std::string_view> choicesOf(const SettingSpec& spec) {
    std::vector<std::string_view> out;
    for (std::size_t from = 0; from <= spec.choices.size();) {
        const std::size_t to = std::min(spec.choices.find('|', from), spec.choices.size());
        out.push_back(spec.choices.substr(from, to - from));
        from = to + 1;
    }
    return out;
}

double keyedAt(const Keys& keys, double frame) {
    if (keys.empty()) return 0;
    if (frame <= keys.front().frame) return keys.front().value;
    if (frame >= keys.back().frame) return keys.back().value;
    std::size_t k = 1;
    while (keys[k].frame < frame) ++k;
    const auto chord = [&](std::size_t i) {
        return (keys[i + 1].value - keys[i].value) / static_cast<double>(keys[i + 1].frame - keys[i].frame);
    };
    // The slope at a key is the harmonic mean of its two chords, and level where they disagree or where the keys end.
    const auto slope = [&](std::size_t i) {
        if (i == 0 || i + 1 == keys.size()) return 0.0;
        const double a = chord(i - 1), b = chord(i);
        return a * b > 0 ? 2 * a * b / (a + b) : 0.0;
    };
    const KeyAt &a = keys[k - 1], &b = keys[k];
    const double wide = b.frame - a.frame, u = (frame - a.frame) / wide;
    const Hermite h(u);
    return h.p0 * a.value + h.m0 * wide * slope(k - 1) + h.p1 * b.value + h.m1 * wide * slope(k);
}

void putKey(Keys& keys, int frame, double value) {
    const auto at = std::find_if(keys.begin(), keys.end(), [&](const KeyAt& k) { return k.frame >= frame; });
    if (at != keys.end() && at->frame == frame)
        at->value = value;
    else
        keys.insert(at, {frame, value});
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

Values startValues(std::span<const SettingSpec> table) {
    Values v;
    for (const SettingSpec& s : table) v[std::string(s.id)] = startValue(s);
    return v;
}

double clampTo(const SettingSpec& spec, double value) {
    return std::isfinite(value) ? std::clamp(value, spec.range.low, spec.range.high) : spec.start;
}

}  // namespace nutatio::scene
