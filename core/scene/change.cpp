#include "scene/change.h"

#include <algorithm>
#include <unordered_map>

namespace nutatio::scene {

namespace {

template <class T>
void compare(const SharedList<T>& before, const SharedList<T>& after, List list, Change& out) {
    const std::size_t n = std::min(before.size(), after.size());
    bool same = before.size() == after.size();
    for (std::size_t i = 0; same && i < n; ++i) same = before.pointer(i) == after.pointer(i) || before[i].id == after[i].id;
    if (same) {
        for (std::size_t i = 0; i < n; ++i)
            if (before.pointer(i) != after.pointer(i)) out.things.push_back({list, after[i].id});
        return;
    }
    out.lists.push_back(list);
    std::unordered_map<std::string_view, std::shared_ptr<const T>> was;
    for (std::size_t i = 0; i < before.size(); ++i) was.emplace(before[i].id, before.pointer(i));
    for (std::size_t i = 0; i < after.size(); ++i) {
        const auto at = was.find(after[i].id);
        if (at == was.end() || at->second != after.pointer(i)) out.things.push_back({list, after[i].id});
        if (at != was.end()) was.erase(at);
    }
    for (std::size_t i = 0; i < before.size(); ++i)
        if (was.count(before[i].id) > 0) out.things.push_back({list, before[i].id});
}

}  // namespace

bool Change::touches(const Owner& owner) const {
    return all || std::find(things.begin(), things.end(), owner) != things.end();
}

bool Change::touches(List list) const {
    return all || reorders(list) || std::any_of(things.begin(), things.end(), [&](const Owner& o) { return o.list == list; });
}

bool Change::reorders(List list) const {
    return all || std::find(lists.begin(), lists.end(), list) != lists.end();
}

Change changeBetween(const Scene& before, const Scene& after) {
    Change out;
    compare(before.actors, after.actors, List::Actors, out);
    compare(before.layers, after.layers, List::Layers, out);
    compare(before.colliders, after.colliders, List::Colliders, out);
    compare(before.winds, after.winds, List::Winds, out);
    compare(before.pins, after.pins, List::Pins, out);
    compare(before.gauges, after.gauges, List::Gauges, out);
    out.shots = before.shots.size() != after.shots.size();
    for (std::size_t i = 0; !out.shots && i < after.shots.size(); ++i)
        out.shots = before.shots.pointer(i) != after.shots.pointer(i) &&
                    (before.shots[i].id != after.shots[i].id || before.shots[i].name != after.shots[i].name);
    out.takes = before.takes.size() != after.takes.size();
    for (std::size_t i = 0; !out.takes && i < after.takes.size(); ++i)
        out.takes = before.takes.pointer(i) != after.takes.pointer(i);
    const auto shown = [](const Scene& s) {
        const std::size_t at = s.shots.find([&](const Shot& each) { return each.id == s.shot().id; });
        return at < s.shots.size() ? s.shots.pointer(at) : nullptr;
    };
    out.shot = out.shots || before.shown != after.shown || shown(before) != shown(after);
    return out;
}

}  // namespace nutatio::scene
