// Maps of an actor.
#include <algorithm>

#include "edit/edit.h"
#include "edit/references.h"

namespace nutatio::edit {

namespace {

rig::Map* find(std::vector<rig::Map>& maps, const std::string& name) {
    const auto at = std::find_if(maps.begin(), maps.end(), [&](const rig::Map& m) { return m.name == name; });
    return at == maps.end() ? nullptr : &*at;
}

/// Changes the maps of an actor; what cannot be made then changes nothing.
template <class Change>
Result<Done> changeMaps(scene::Scene& s, const std::string& actor, const Change& how) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return refused("there is no actor \"" + actor + "\"");
    std::vector<rig::Map> maps = a->maps;
    if (const std::string why = how(maps); !why.empty()) return refused(why);
    const rig::Surface surface = rig::Surface::of(*a->actor);
    for (std::size_t k = 0; k < maps.size(); ++k) {
        if (k < a->maps.size() && maps[k] == a->maps[k]) continue;
        const auto values = rig::mapValues(*a->actor, surface, maps[k], maps);
        if (!values) return refused("map \"" + maps[k].name + "\", " + values.error().text());
    }
    s.actor(actor)->maps = std::move(maps);
    return Done{};
}

std::string noMap(const std::string& map) {
    return "there is no map \"" + map + "\"";
}

std::string nameProblem(std::vector<rig::Map>& maps, const std::string& name) {
    if (name.empty()) return "a map has a name";
    return find(maps, name) ? "there is a map \"" + name + "\" already" : std::string();
}

}  // namespace

Result<Done> addMap(scene::Scene& s, const std::string& actor, const std::string& name, std::vector<rig::MapStep> steps) {
    return changeMaps(s, actor, [&](std::vector<rig::Map>& maps) {
        const std::string why = nameProblem(maps, name);
        if (why.empty()) maps.push_back({name, std::move(steps), false});
        return why;
    });
}

Result<Done> addMapStep(scene::Scene& s, const std::string& actor, const std::string& map, const rig::MapStep& step) {
    return changeMaps(s, actor, [&](std::vector<rig::Map>& maps) {
        rig::Map* m = find(maps, map);
        if (!m) return noMap(map);
        m->steps.push_back(step);
        return std::string();
    });
}

Result<Done> removeMapStep(scene::Scene& s, const std::string& actor, const std::string& map, std::size_t step) {
    return changeMaps(s, actor, [&](std::vector<rig::Map>& maps) {
        rig::Map* m = find(maps, map);
        if (!m) return noMap(map);
        if (step >= m->steps.size()) return std::string("it has no such step");
        m->steps.erase(m->steps.begin() + static_cast<std::ptrdiff_t>(step));
        return std::string();
    });
}

Result<Done> paintMap(scene::Scene& s, const std::string& actor, const std::string& map, const rig::Stroke& stroke) {
    rig::MapStep step;
    step.from = rig::MapStep::From::Paint;
    step.stroke = stroke;
    return addMapStep(s, actor, map, step);
}

Result<Done> renameMap(scene::Scene& s, const std::string& actor, const std::string& map, const std::string& name) {
    const auto done = changeMaps(s, actor, [&](std::vector<rig::Map>& maps) {
        if (!find(maps, map)) return noMap(map);
        if (const std::string why = nameProblem(maps, name); !why.empty()) return why;
        for (rig::Map& m : maps) {
            if (m.name == map) m.name = name;
            for (rig::MapStep& step : m.steps)
                if (step.from == rig::MapStep::From::Map && step.map == map) step.map = name;
        }
        return std::string();
    });
    if (done) followRegion(s, actor, map, name);
    return done;
}

Result<Done> removeMap(scene::Scene& s, const std::string& actor, const std::string& map) {
    const auto done = changeMaps(s, actor, [&](std::vector<rig::Map>& maps) {
        if (!find(maps, map)) return noMap(map);
        for (const rig::Map& m : maps)
            for (const rig::MapStep& step : m.steps)
                if (m.name != map && step.from == rig::MapStep::From::Map && step.map == map)
                    return "the map \"" + m.name + "\" is made of it";
        std::erase_if(maps, [&](const rig::Map& m) { return m.name == map; });
        return std::string();
    });
    if (done) followRegion(s, actor, map, {});
    return done;
}

Result<std::vector<float>> mapOf(const scene::Scene& s, const std::string& actor, const std::string& map,
                                 const rig::Surface& surface) {
    const scene::ActorEntry* a = s.actor(actor);
    if (!a) return refused("there is no actor \"" + actor + "\"");
    const auto at = std::find_if(a->maps.begin(), a->maps.end(), [&](const rig::Map& m) { return m.name == map; });
    if (at == a->maps.end()) return refused(noMap(map));
    return rig::mapValues(*a->actor, surface, *at, a->maps);
}

}  // namespace nutatio::edit
