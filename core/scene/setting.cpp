#include "scene/setting.h"

#include <algorithm>
#include <cmath>

#include "base/maths.h"

namespace nutatio::scene {

namespace {
constexpr std::string_view kEases[] = {"smooth", "linear", "hold", "free"};
}  // namespace

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
        case Unit::Seconds:
            return "s";
        case Unit::Metres:
            return "m";
        case Unit::Centimetres:
            return "cm";
        case Unit::MetresPerSecond:
            return "m/s";
        case Unit::DegreesPerSecond:
            return "deg/s";
        case Unit::MetresPerSecond2:
            return "m/s2";
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
    const std::string_view row = channelRow(id);
    const bool channel = row.size() < id.size();
    const auto at = std::find_if(table.begin(), table.end(),
                                 [&](const SettingSpec& s) { return s.id == row && (s.each != Each::None) == channel; });
    return at == table.end() ? nullptr : &*at;
}

std::string channelId(std::string_view row, std::string_view of) {
    return std::string(row) + '@' + std::string(of);
}

std::string_view channelRow(std::string_view id) {
    return id.substr(0, id.find('@'));
}

bool isResting(std::string_view id) {
    return !id.empty() && id.front() == '~';
}

std::string restingId(std::string_view id) {
    return isResting(id) ? std::string(id.substr(1)) : '~' + std::string(id);
}

std::string_view channelOf(std::string_view id) {
    const std::size_t at = id.find('@');
    return at == std::string_view::npos ? std::string_view() : id.substr(at + 1);
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

std::string_view easeName(Ease ease) {
    return kEases[static_cast<std::size_t>(ease)];
}

bool easeFromName(std::string_view name, Ease& ease) {
    const auto at = std::find(std::begin(kEases), std::end(kEases), name);
    if (at == std::end(kEases)) return false;
    ease = static_cast<Ease>(at - std::begin(kEases));
    return true;
}

Keys goingRound(Keys keys, double period) {
    if (period <= 0 || keys.size() < 2) return keys;
    KeyAt before = keys.back(), after = keys.front();
    before.at -= period;
    after.at += period;
    // Who keys both ends has said what happens there.
    if (keys.front().at > before.at + kSameMoment) keys.insert(keys.begin(), before);
    if (keys.back().at < after.at - kSameMoment) keys.push_back(after);
    return keys;
}

std::pair<double, double> slopesAt(const Keys& keys, std::size_t i) {
    if (keys[i].ease == Ease::Free) return {keys[i].before, keys[i].after};
    // Of the stretch from one key to the next; a held one is level.
    const auto chord = [&](std::size_t k) {
        return keys[k].ease == Ease::Hold ? 0 : (keys[k + 1].value - keys[k].value) / (keys[k + 1].at - keys[k].at);
    };
    const bool first = i == 0, last = i + 1 == keys.size();
    if (keys[i].ease == Ease::Linear) return {first ? 0 : chord(i - 1), last ? 0 : chord(i)};
    // Smooth: the harmonic mean of its two chords, and level where they disagree or where the keys end.
    if (first || last) return {0, 0};
    const double a = chord(i - 1), b = chord(i), slope = a * b > 0 ? 2 * a * b / (a + b) : 0.0;
    return {slope, slope};
}

double keyedAt(const Keys& keys, double time) {
    if (keys.empty()) return 0;
    if (time <= keys.front().at) return keys.front().value;
    if (time >= keys.back().at) return keys.back().value;
    const auto next = std::upper_bound(keys.begin(), keys.end(), time, [](double t, const KeyAt& k) { return t < k.at; });
    const auto k = static_cast<std::size_t>(next - keys.begin());
    const KeyAt &a = keys[k - 1], &b = keys[k];
    if (time == a.at || a.ease == Ease::Hold) return a.value;
    const double wide = b.at - a.at, u = (time - a.at) / wide;
    if (a.ease == Ease::Linear) return a.value + u * (b.value - a.value);
    const double leaves = slopesAt(keys, k - 1).second, arrives = slopesAt(keys, k).first;
    if (a.value == b.value && leaves == 0 && arrives == 0) return a.value;  // the sum below would round
    const Hermite h(u);
    return h.p0 * a.value + h.m0 * wide * leaves + h.p1 * b.value + h.m1 * wide * arrives;
}

Keys stretched(Keys keys, double times) {
    for (KeyAt& k : keys) {
        k.at *= times;
        k.before /= times;
        k.after /= times;
    }
    return keys;
}

void putKey(Keys& keys, double time, double value) {
    if (const auto here = keyAt(keys, time); here != keys.end())
        here->value = value;
    else
        keys.insert(std::find_if(keys.begin(), keys.end(), [&](const KeyAt& k) { return k.at > time; }),
                    {.at = time, .value = value});
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
        case SettingType::Mount:
        case SettingType::Region:
        case SettingType::Clip:
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
    for (const SettingSpec& s : table)
        if (s.each == Each::None) v[std::string(s.id)] = startValue(s);
    return v;
}

double clampTo(const SettingSpec& spec, double value) {
    if (!std::isfinite(value)) return spec.start;
    return within(spec.whole ? std::round(value) : value, spec.range.low, spec.range.high);
}

}  // namespace nutatio::scene
