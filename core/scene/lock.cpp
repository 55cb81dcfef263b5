#include "scene/lock.h"

#include <cmath>

#include "scene/seal.h"

namespace nutatio::scene {

namespace {

bool alike(const Tuned& a, const Tuned& b) {
    return a.name == b.name && a.values == b.values && a.profiles == b.profiles && a.feeds == b.feeds;
}
bool same(const ActorEntry& a, const ActorEntry& b) {
    return alike(a, b) && a.file == b.file && a.preparations == b.preparations && a.parts == b.parts && a.maps == b.maps &&
           a.locked == b.locked;
}
bool same(const Collider& a, const Collider& b) {
    return alike(a, b) && a.mount == b.mount && a.on == b.on;
}
bool same(const Wind& a, const Wind& b) {
    return alike(a, b) && a.on == b.on && a.layers == b.layers;
}
bool same(const Pin& a, const Pin& b) {
    return alike(a, b) && a.actor == b.actor && a.joint == b.joint && a.end == b.end && a.to == b.to && a.on == b.on;
}
bool same(const Gauge& a, const Gauge& b) {
    return alike(a, b) && a.of == b.of && a.to == b.to && a.after == b.after && a.over == b.over;
}
bool same(const Layer& a, const Layer& b) {
    return alike(a, b) && a.kind == b.kind && a.actor == b.actor && a.apart == b.apart && a.shot == b.shot;
}

/// What shots hold of it; of a shot that is gone there is nothing to keep.
bool sameInShots(const Scene& before, const Scene& after, const Owner& owner) {
    const auto of = [&](const auto& map, const auto& key) {
        const auto at = map.find(key);
        return at == map.end() ? typename std::decay_t<decltype(map)>::mapped_type{} : at->second;
    };
    for (std::size_t i = 0; i < before.shots.size(); ++i) {
        const Shot& a = before.shots[i];
        const std::size_t there = after.shots.find([&](const Shot& s) { return s.id == a.id; });
        if (there == after.shots.size() || before.shots.pointer(i) == after.shots.pointer(there)) continue;
        const Shot& b = after.shots[there];
        if (of(a.keys, owner) != of(b.keys, owner)) return false;
        if (owner.list == List::Layers && of(a.intervals, owner.id) != of(b.intervals, owner.id)) return false;
        if (owner.list == List::Actors &&
            (of(a.clips, owner.id) != of(b.clips, owner.id) || of(a.lines, owner.id) != of(b.lines, owner.id)))
            return false;
    }
    return true;
}

template <class Item>
std::optional<std::string> changed(const Scene& before, const Scene& after, const SharedList<Item>& was,
                                   const SharedList<Item>& is, List list) {
    for (std::size_t i = 0; i < was.size(); ++i) {
        if (!was[i].lock) continue;
        const std::size_t there = is.find([&](const Item& x) { return x.id == was[i].id; });
        const bool kept = there < is.size() && (was.pointer(i) == is.pointer(there) || same(was[i], is[there]));
        if (!kept || !sameInShots(before, after, {list, was[i].id})) return was[i].name;
    }
    return std::nullopt;
}

}  // namespace

std::optional<std::string> lockedChange(const Scene& a, const Scene& b) {
    if (auto name = changed(a, b, a.actors, b.actors, List::Actors)) return name;
    if (auto name = changed(a, b, a.layers, b.layers, List::Layers)) return name;
    if (auto name = changed(a, b, a.colliders, b.colliders, List::Colliders)) return name;
    if (auto name = changed(a, b, a.winds, b.winds, List::Winds)) return name;
    if (auto name = changed(a, b, a.pins, b.pins, List::Pins)) return name;
    return changed(a, b, a.gauges, b.gauges, List::Gauges);
}

std::optional<std::string> sealedChange(const Scene& before, const Scene& after) {
    for (std::size_t i = 0; i < before.shots.size(); ++i) {
        const Shot& a = before.shots[i];
        if (a.seals.empty()) continue;
        const std::size_t there = after.shots.find([&](const Shot& s) { return s.id == a.id; });
        if (there == after.shots.size() || before.shots.pointer(i) == after.shots.pointer(there)) continue;
        const Shot& b = after.shots[there];
        for (const auto& [layer, seal] : a.seals) {
            const auto still = b.seals.find(layer);
            if (still == b.seals.end() || still->second != seal) continue;
            const auto within = [&, held = seal](double at) {
                return held->holds(static_cast<int>(std::lround(at * held->fps)));
            };
            const auto keysIn = [&, &layer = layer](const Shot& shot) {
                std::map<std::string, Keys, std::less<>> out;
                if (const KeysOf* all = shot.keysOf({List::Layers, layer}))
                    for (const auto& [setting, keys] : *all)
                        for (const KeyAt& k : keys)
                            if (within(k.at)) out[setting].push_back(k);
                return out;
            };
            const auto edgesIn = [&, &layer = layer](const Shot& shot) {
                std::vector<double> out;
                if (const auto at = shot.intervals.find(layer); at != shot.intervals.end())
                    for (const Interval& x : at->second)
                        for (double edge : {x.from, x.to})
                            if (within(edge)) out.push_back(edge);
                return out;
            };
            const Layer* named = after.layer(layer);
            if (named && (keysIn(a) != keysIn(b) || edgesIn(a) != edgesIn(b)))
                return "frames " + std::to_string(seal->from + 1) + " to " + std::to_string(seal->to + 1) + " of " + named->name +
                       " are sealed";
        }
    }
    return std::nullopt;
}

}  // namespace nutatio::scene
