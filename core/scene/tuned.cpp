#include "scene/tuned.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace nutatio::scene {

namespace {

template <class T>
const T& heldBy(const Value* value) {
    static const T kNone{};
    const T* held = value ? std::get_if<T>(value) : nullptr;
    return held ? *held : kNone;
}

const Value* findValue(const Values& values, std::string_view setting) {
    const auto at = values.find(setting);
    return at == values.end() ? nullptr : &at->second;
}

constexpr const char* kAxes[] = {"_x", "_y", "_z"};

}  // namespace

double Tuned::number(std::string_view setting) const {
    return heldBy<double>(findValue(values, setting));
}

const std::string& Tuned::text(std::string_view setting) const {
    return heldBy<std::string>(findValue(values, setting));
}

const std::vector<std::string>& Tuned::list(std::string_view setting) const {
    return heldBy<std::vector<std::string>>(findValue(values, setting));
}

Vec3 Tuned::vector(std::string_view stem) const {
    Vec3 v;
    for (int k = 0; k < 3; ++k) v[k] = number(std::string(stem) + kAxes[k]);
    return v;
}

void Tuned::set(std::string_view setting, Value value) {
    values[std::string(setting)] = std::move(value);
}

void Tuned::setVector(std::string_view stem, const Vec3& v) {
    for (int k = 0; k < 3; ++k) set(std::string(stem) + kAxes[k], v[k]);
}

std::vector<MovingSetting> movingSettings(const Tuned& tuned, Table table, const std::map<std::string, Keys, std::less<>>* keys) {
    std::vector<MovingSetting> out;
    const auto moves = [&](const std::string& id) { return tuned.feeds.count(id) > 0 || (keys && keys->count(id) > 0); };
    std::set<std::string> channels;
    for (const auto& [id, feed] : tuned.feeds)
        if (!channelOf(id).empty()) channels.insert(id);
    for (auto at = keys ? keys->begin() : decltype(keys->begin()){}; keys && at != keys->end(); ++at)
        if (!channelOf(at->first).empty()) channels.insert(at->first);
    for (const SettingSpec& row : table) {
        if (row.each == Each::None) {
            if (moves(std::string(row.id))) out.push_back({std::string(row.id), &row});
            continue;
        }
        for (const std::string& id : channels)
            if (channelRow(id) == row.id) out.push_back({id, &row});
    }
    return out;
}

std::string labelOf(const SettingSpec& row, std::string_view setting) {
    const std::string_view of = channelOf(setting);
    return of.empty() ? std::string(row.label) : std::string(of) + ", " + std::string(row.label);
}

std::string_view listName(List list) {
    switch (list) {
        case List::Actors:
            return "actors";
        case List::Layers:
            return "layers";
        case List::Colliders:
            return "colliders";
        case List::Winds:
            return "winds";
        case List::Pins:
            return "pins";
        case List::Gauges:
            return "gauges";
    }
    return "";
}

Resolved::Resolved(const Tuned& tuned, Table table, const std::map<std::string, Keys, std::less<>>* keys, double fps, int frames,
                   const FedCurves* fed, double period)
    : m_fps(fps), m_frames(std::max(1, frames)) {
    m_entries.reserve(tuned.values.size());
    const auto add = [&](const std::string& id, const Value& value) {
        Entry e{id, value, {}, {}};
        const SettingSpec* row = findRow(table, id);
        if (const auto p = tuned.profiles.find(id); p != tuned.profiles.end() && row && row->profiled) e.profile = p->second;
        const auto at = [&](const auto* all) {
            const auto found = all ? all->find(id) : decltype(all->find(id)){};
            return all && row && row->keyable && found != all->end() && !found->second.empty() ? &found->second : nullptr;
        };
        if (const Curve* curve = at(fed)) {
            e.curve = *curve;
        } else if (const Keys* keyed = at(keys)) {
            Keys inFrames = stretched(goingRound(*keyed, period), fps);
            for (KeyAt& key : inFrames)
                if (const double whole = std::round(key.at); std::abs(whole - key.at) < 1e-6) key.at = whole;
            for (int f = 0; f < std::max(1, frames); ++f) e.curve.push_back(keyedAt(inFrames, f));
        }
        m_anyKeyed |= !e.curve.empty();
        // Slopes set by hand and responses may lead beyond what the setting can be.
        for (double& v : e.curve) v = within(std::isfinite(v) ? v : row->start, row->range.low, row->range.high);
        m_entries.push_back(std::move(e));
    };
    for (const auto& [id, value] : tuned.values) add(id, value);
    // A channel may have keys or a feed and no value to rest at.
    std::set<std::string> others;
    const auto without = [&](const auto* all) {
        for (auto at = all ? all->begin() : decltype(all->begin()){}; all && at != all->end(); ++at)
            if (!channelOf(at->first).empty() && tuned.values.count(at->first) == 0 && findRow(table, at->first))
                others.insert(at->first);
    };
    without(keys);
    without(fed);
    if (others.empty()) return;
    for (const std::string& id : others) add(id, 0.0);
    std::sort(m_entries.begin(), m_entries.end(), [](const Entry& a, const Entry& b) { return a.id < b.id; });
}

const Resolved::Entry* Resolved::find(std::string_view setting) const {
    const auto at = std::lower_bound(m_entries.begin(), m_entries.end(), setting,
                                     [](const Entry& e, std::string_view id) { return e.id < id; });
    return at == m_entries.end() || at->id != setting ? nullptr : &*at;
}

double Resolved::read(const Entry* e, int frame) {
    if (!e) return 0;
    if (e->curve.empty()) return heldBy<double>(&e->value);
    return e->curve[static_cast<std::size_t>(within(frame, 0, static_cast<int>(e->curve.size()) - 1))];
}

double Resolved::at(std::string_view setting, int frame) const {
    return read(find(setting), frame);
}

Resolved::Number Resolved::number(std::string_view setting) const {
    return Number(find(setting));
}

double Resolved::Number::at(int frame, double place) const {
    static const Profile kNone;
    return at(frame) * profileAt(m_entry ? m_entry->profile : kNone, place);
}

double Resolved::at(std::string_view setting, int frame, double place) const {
    return number(setting).at(frame, place);
}

const std::string& Resolved::text(std::string_view setting) const {
    const Entry* e = find(setting);
    return heldBy<std::string>(e ? &e->value : nullptr);
}

const std::vector<std::string>& Resolved::list(std::string_view setting) const {
    const Entry* e = find(setting);
    return heldBy<std::vector<std::string>>(e ? &e->value : nullptr);
}

Vec3 Resolved::vector(std::string_view stem, int frame) const {
    Vec3 v;
    for (int k = 0; k < 3; ++k) v[k] = at(std::string(stem) + kAxes[k], frame);
    return v;
}

std::pair<double, double> Resolved::span(std::string_view setting) const {
    const Entry* e = find(setting);
    if (!e || e->curve.empty()) return {at(setting), at(setting)};
    const auto [low, high] = std::minmax_element(e->curve.begin(), e->curve.end());
    return {*low, *high};
}

bool Resolved::keyed(std::string_view setting) const {
    const Entry* e = find(setting);
    return e && !e->curve.empty();
}

std::vector<std::string> Resolved::channels(std::string_view row) const {
    std::vector<std::string> out;
    const std::string from = channelId(row, "");
    for (auto at = std::lower_bound(m_entries.begin(), m_entries.end(), from,
                                    [](const Entry&e, const std::string&id) { return e.id < id; });
         at != m_entries.end() && at->id.compare(0, from.size(), from) == 0; ++at)
        out.emplace_back(channelOf(at->id));
    return out;
}

const Profile& Resolved::profile(std::string_view setting) const {
    static const Profile kNone;
    const Entry* e = find(setting);
    return e ? e->profile : kNone;
}

Resolved Resolved::with(std::string_view setting, double value) const {
    Resolved out = *this;
    if (const Entry* e = out.find(setting)) {
        Entry& mine = out.m_entries[static_cast<std::size_t>(e - out.m_entries.data())];
        mine.value = value;
        mine.curve.clear();
    }
    return out;
}

Resolved Resolved::evenly(std::string_view setting, double value) const {
    Resolved out = with(setting, value);
    for (Entry& e : out.m_entries)
        if (e.id == setting) e.profile.clear();
    return out;
}

Resolved Resolved::heldAt(int frame) const {
    Resolved out = *this;
    for (Entry& e : out.m_entries)
        if (!e.curve.empty()) {
            e.value = at(e.id, frame);
            e.curve.clear();
        }
    out.m_anyKeyed = false;
    return out;
}

void Resolved::hash(Hasher& h, const Entry& e) {
    h.text(e.id).number(e.value.index()).number(e.curve.size());
    if (!e.curve.empty()) {
        h.bytes(e.curve.data(), e.curve.size() * sizeof(double));
    } else if (const auto* number = std::get_if<double>(&e.value)) {
        h.real(*number);
    } else if (const auto* text = std::get_if<std::string>(&e.value)) {
        h.text(*text);
    } else if (const auto* list = std::get_if<std::vector<std::string>>(&e.value)) {
        h.number(list->size());
        for (const std::string& s : *list) h.text(s);
    }
    h.number(e.profile.size());
    for (const ProfilePoint& p : e.profile) h.real(p.at).real(p.times);
}

void Resolved::hash(Hasher& h, std::string_view without, std::string_view nor) const {
    for (const Entry& e : m_entries)
        if (e.id != without && e.id != nor) hash(h, e);
}

void Resolved::hashOne(Hasher& h, std::string_view setting) const {
    if (const Entry* e = find(setting)) hash(h, *e);
}

}  // namespace nutatio::scene
