#include "scene/ranges.h"

#include <cmath>
#include <cstdio>

#include "base/ranges.h"

namespace nutatio::scene {

namespace {

using Found = std::optional<std::string>;

std::string shown(double v) {
    char text[40];
    std::snprintf(text, sizeof text, "%.6g", v);
    return text;
}

bool isTime(double t) {
    return t >= 0 && t <= kLongest;
}

bool isPlace(const Vec3& p) {
    return p.allFinite() && p.norm() < kFarthest;
}

std::string notATime(const std::string& what, double t) {
    return what + " at " + shown(t) + " s: a time in a shot is 0 or more and a day at most";
}

Found inLine(const rig::Line& line, const std::string& where) {
    for (const rig::Stretch& s : line.stretches) {
        for (double t : {s.from, s.to, s.hold, s.blend})
            if (!isTime(t)) return notATime(where + " has a stretch", t);
        if (!(s.seconds() > 0)) return where + " has a stretch that lasts no time";
    }
    if (!isTime(line.closing) || !isTime(line.fade) || line.seconds() > kLongest)
        return where + " lasts " + shown(line.seconds()) + " s: what an actor plays lasts a day at most";
    return std::nullopt;
}

Found inShot(const Shot& s) {
    const std::string where = "shot \"" + s.name + "\"";
    for (double t : s.cuts)
        if (!isTime(t)) return notATime(where + " has a cut", t);
    for (const Mark& m : s.marks)
        if (!isTime(m.at)) return notATime(where + " has a mark", m.at);
    for (const auto& [owner, all] : s.keys)
        for (const auto& [setting, keys] : all)
            for (const KeyAt& k : keys) {
                const std::string key = where + " has a key of \"" + setting + "\" of \"" + owner.id + "\"";
                if (!isTime(k.at)) return notATime(key, k.at);
                if (!std::isfinite(k.value) || !std::isfinite(k.before) || !std::isfinite(k.after))
                    return key + " whose value is no number";
            }
    for (const auto& [layer, all] : s.intervals)
        for (const Interval& i : all) {
            for (double t : {i.from, i.to, i.easeIn, i.easeOut})
                if (!isTime(t)) return notATime(where + " has an interval of \"" + layer + "\"", t);
            if (i.to < i.from) return where + " has an interval of \"" + layer + "\" that ends before it begins";
        }
    for (const auto& [actor, line] : s.lines)
        if (auto found = inLine(line, "what \"" + actor + "\" plays in " + where)) return found;
    return std::nullopt;
}

Found inTuned(const Tuned& t) {
    const auto of = [&](const std::string& setting) { return "\"" + setting + "\" of \"" + t.name + "\""; };
    for (const auto& [id, value] : t.values)
        if (const double* v = std::get_if<double>(&value); v && !std::isfinite(*v)) return of(id) + " is no number";
    for (const auto& [id, feed] : t.feeds) {
        if (!(std::abs(feed.lag) <= kLongest))
            return "the feed of " + of(id) + " lags by " + shown(feed.lag) + " s: a day at most";
        if (!isTime(feed.attack) || !isTime(feed.release))
            return "the feed of " + of(id) + " has an attack or release of " + shown(std::max(feed.attack, feed.release)) +
                   " s: 0 or more and a day at most";
        for (std::size_t k = 0; k < feed.response.size(); ++k)
            if (!std::isfinite(feed.response[k].at) || !std::isfinite(feed.response[k].value) ||
                (k > 0 && !(feed.response[k].at > feed.response[k - 1].at)))
                return "the response of the feed of " + of(id) + " does not go up in readings";
    }
    for (const auto& [id, profile] : t.profiles)
        for (const ProfilePoint& p : profile)
            if (!(p.at >= 0 && p.at <= 1 && p.times >= 0 && p.times <= kMostTimes))
                return "the profile of " + of(id) + " leaves 0 to 1, or 0 to " + shown(kMostTimes);
    return std::nullopt;
}

Found inActor(const ActorEntry& a, const ActorEntry* was) {
    if (auto found = inTuned(a)) return found;
    const std::string far = " of \"" + a.name + "\" lies farther off than any file may say (" + shown(kFarthest) + " units)";
    const auto strays = [](const rig::Stroke& s) { return !std::all_of(s.dabs.begin(), s.dabs.end(), isPlace); };
    const std::size_t known = was && was->preparations.size() < a.preparations.size() ? was->preparations.size() : 0;
    for (std::size_t k = known; k < a.preparations.size(); ++k) {
        const rig::Preparation& p = a.preparations[k];
        const bool near = isPlace(p.place) && std::all_of(p.row.begin(), p.row.end(), isPlace) && !strays(p.stroke);
        if (!near) return "the place of \"" + (p.name.empty() ? p.joint : p.name) + "\"" + far;
    }
    if (!was || !(was->maps == a.maps))
        for (const rig::Map& m : a.maps)
            for (const rig::MapStep& s : m.steps)
                if (!isPlace(s.place) || strays(s.stroke)) return "the map \"" + m.name + "\"" + far;
    if (was && was->actor == a.actor) return std::nullopt;
    for (const rig::Clip& c : a.actor->clips) {
        if (!c.recorded) continue;
        if (!(c.end <= kLongest)) return "the clip \"" + c.name + "\" lasts " + shown(c.end) + " s: a day at most";
        for (const rig::Channel& channel : c.channels)
            for (float v : channel.values)
                if (!(std::abs(v) <= static_cast<float>(kFarthest))) return "a key of the clip \"" + c.name + "\"" + far;
    }
    return std::nullopt;
}

template <class T>
const T* same(const SharedList<T>& list, const std::string& id) {
    const std::size_t at = list.find([&](const T& t) { return t.id == id; });
    return at == list.size() ? nullptr : &list[at];
}

/// What `look` finds in elements that `before` does not hold.
template <class T, class Look>
Found inList(const SharedList<T>& before, const SharedList<T>& after, const Look& look) {
    for (const T& t : after) {
        const T* was = same(before, t.id);
        if (was == &t) continue;
        if (auto found = look(t, was)) return found;
    }
    return std::nullopt;
}

}  // namespace

std::optional<std::string> outOfRange(const Scene& before, const Scene& after) {
    const auto tuned = [](const Tuned& t, const Tuned*) { return inTuned(t); };
    if (auto found = inList(before.shots, after.shots, [](const Shot& s, const Shot*) { return inShot(s); })) return found;
    if (auto found = inList(before.actors, after.actors, inActor)) return found;
    if (auto found = inList(before.layers, after.layers, tuned)) return found;
    if (auto found = inList(before.colliders, after.colliders, tuned)) return found;
    if (auto found = inList(before.winds, after.winds, tuned)) return found;
    if (auto found = inList(before.pins, after.pins, tuned)) return found;
    return inList(before.gauges, after.gauges, tuned);
}

}  // namespace nutatio::scene
