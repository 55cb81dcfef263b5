#include "files/scene_file.h"

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>
#include <unordered_set>

#include "files/allowance.h"
#include "files/bvh.h"
#include "files/bytes.h"
#include "files/gltf_reader.h"
#include "rig/record.h"

namespace nutatio::files {

namespace fs = std::filesystem;

namespace {

/// More entries than this no list of a scene has.
constexpr std::size_t kMostItems = 4096, kMostActors = 1024;

/// Members of `p` that are not in `known`, to be written back.
scene::Unknown unknownOf(const Place& p, std::initializer_list<const char*> known) {
    Json out = Json::object();
    for (const auto& [key, value] : p.json().items())
        if (std::none_of(known.begin(), known.end(), [&key = key](const char* k) { return key == k; })) out[key] = value;
    return out.empty() ? nullptr : std::make_shared<const Json>(std::move(out));
}

void putUnknown(Json& into, const scene::Unknown& unknown) {
    if (unknown)
        for (const auto& [key, value] : unknown->items()) into[key] = value;
}

/// An entry that this version cannot use but the next saving gives back.
struct NotUnderstood {
    Error why;
};

std::string textOr(const Place& p, const char* key, std::string other) {
    return p.has(key) ? p.at(key).text() : std::move(other);
}
double numberOr(const Place& p, const char* key, double other) {
    return p.has(key) ? p.at(key).number() : other;
}
bool boolOr(const Place& p, const char* key, bool other) {
    return p.has(key) ? p.at(key).boolean() : other;
}

Vec3 vectorOr(const Place& p, const char* key, const Vec3& other) {
    if (!p.has(key)) return other;
    const std::vector<double> v = p.at(key).numbers(3);
    return {v[0], v[1], v[2]};
}

rig::Clip readRecorded(const Place& p, const rig::Actor& actor) {
    rig::Clip clip;
    clip.recorded = true;
    clip.name = p.at("name").text();
    const Place channels = p.at("channels");
    for (std::size_t i = 0, n = channels.size(); i < n; ++i) {
        const Place at = channels.at(i);
        rig::Channel c;
        c.joint = actor.skeleton.find(at.at("joint").text());
        if (c.joint == rig::kNoJoint) at.at("joint").fail("the actor has no joint \"" + at.at("joint").text() + "\"");
        const std::string& path = at.at("path").text();
        if (path != "move" && path != "turn") at.at("path").fail("\"" + path + "\" is neither move nor turn");
        c.path = path == "turn" ? rig::Path::Turn : rig::Path::Move;
        c.width = path == "turn" ? 4 : 3;
        const std::size_t keys = at.at("times").size();
        if (keys == 0) at.at("times").fail("a channel has keys");
        for (double v : at.at("times").numbers(keys)) {
            if (!(v >= 0 && v <= kLongestClip)) at.at("times").fail("a recorded clip begins at 0 and lasts a day at most");
            c.times.push_back(static_cast<float>(v));
        }
        for (double v : at.at("values").numbers(keys * static_cast<std::size_t>(c.width))) {
            if (std::abs(v) > kFarthest) at.at("values").fail("a value is not a usable size");
            c.values.push_back(static_cast<float>(v));
        }
        for (std::size_t k = 1; k < keys; ++k)
            if (c.times[k] < c.times[k - 1]) at.at("times").fail("times must not go back");
        clip.end = std::max(clip.end, static_cast<double>(c.times.back()));
        clip.channels.push_back(std::move(c));
    }
    return clip;
}

/// Actors by their file, so that one file is read once however many entries name it.
using ActorFiles = std::map<std::string, std::shared_ptr<const rig::Actor>>;

scene::ActorEntry readEntry(const Place& p, const fs::path& folder, ActorFiles& files) {
    scene::ActorEntry a;
    a.id = p.at("id").text();
    a.name = textOr(p, "name", a.id);
    a.clip = textOr(p, "clip", "");
    const fs::path file = folder / fs::path(p.at("file").text());
    a.file = file.lexically_normal().string();
    std::error_code bad;
    auto& known = files[fs::weakly_canonical(a.file, bad).string()];
    if (!known) {
        auto actor = readActor(a.file);
        if (!actor) throw NotUnderstood{actor.error()};
        known = actor.value();
    }
    a.actor = known;
    if (p.has("recorded"))
        for (std::size_t i = 0, n = p.at("recorded").size(); i < n; ++i)
            a.actor = rig::withClip(*a.actor, readRecorded(p.at("recorded").at(i), *a.actor));
    if (!a.clip.empty() && a.actor->findClip(a.clip) < 0) p.at("clip").fail("the actor has no clip \"" + a.clip + "\"");
    a.unknown = unknownOf(p, {"id", "name", "file", "clip", "recorded"});
    return a;
}

scene::Collider readCollider(const Place& p) {
    scene::Collider c;
    c.id = p.at("id").text();
    c.name = textOr(p, "name", c.id);
    c.actor = p.at("actor").text();
    c.joint = textOr(p, "joint", "");
    if (const Place shape = p.at("shape"); !scene::shapeFromName(shape.text(), c.shape))
        throw NotUnderstood{{"", shape.path(), "\"" + shape.text() + "\" is no collider shape (sphere, capsule, box, plane)"}};
    c.radius = numberOr(p, "radius", c.radius);
    c.radiusEnd = numberOr(p, "radiusEnd", c.radius);
    c.length = numberOr(p, "length", c.length);
    c.size = vectorOr(p, "size", c.size);
    c.friction = numberOr(p, "friction", c.friction);
    if (c.radius < 0 || c.radiusEnd < 0 || c.length < 0 || c.size.minCoeff() < 0)
        p.fail("a collider's radius, length and size must not be below 0");
    if (c.friction < 0) p.at("friction").fail("friction must not be below 0");
    c.offset = vectorOr(p, "offset", c.offset);
    c.turnDeg = vectorOr(p, "turn", c.turnDeg);
    c.on = boolOr(p, "on", true);
    c.fitted = boolOr(p, "fitted", false);
    c.unknown = unknownOf(p, {"id", "name", "actor", "joint", "shape", "radius", "radiusEnd", "length", "size", "offset", "turn",
                              "friction", "on", "fitted"});
    return c;
}

std::vector<std::string> textsOf(const Place& p) {
    std::vector<std::string> out;
    for (std::size_t i = 0, n = p.size(); i < n; ++i) out.push_back(p.at(i).text());
    return out;
}

scene::Wind readWind(const Place& p) {
    scene::Wind w;
    w.id = p.at("id").text();
    w.name = textOr(p, "name", w.id);
    w.place = vectorOr(p, "place", w.place);
    w.direction = vectorOr(p, "direction", w.direction);
    if (!(w.direction.norm() > 1e-9)) p.at("direction").fail("a wind must blow somewhere; its direction has no length");
    w.direction.normalize();
    const std::pair<const char*, double*> numbers[] = {
        {"speed", &w.speed},           {"gustRate", &w.gustRate}, {"gustShare", &w.gustShare}, {"swirlSize", &w.swirlSize},
        {"swirlShare", &w.swirlShare}, {"reach", &w.reach},       {"falloff", &w.falloff},     {"seed", &w.seed}};
    for (const auto& [key, to] : numbers) {
        *to = numberOr(p, key, *to);
        if (*to < 0) p.at(key).fail("must not be below 0");
    }
    w.on = boolOr(p, "on", true);
    if (p.has("layers")) w.layers = textsOf(p.at("layers"));
    w.unknown = unknownOf(p, {"id", "name", "place", "direction", "speed", "gustRate", "gustShare", "swirlSize", "swirlShare",
                              "reach", "falloff", "seed", "on", "layers"});
    return w;
}

/// Frames are written as people count them, from 1.
int frameOf(const Place& p) {
    const double f = p.number();
    if (f != std::floor(f) || std::abs(f) > 1e6) p.fail("a frame is a whole number");
    return static_cast<int>(f) - 1;
}

scene::Keys readKeys(const Place& p) {
    scene::Keys keys;
    for (std::size_t i = 0, n = p.size(); i < n; ++i) {
        const Place at = p.at(i);
        at.numbers(2);
        const int frame = frameOf(at.at(std::size_t{0}));
        if (!keys.empty() && frame <= keys.back().frame) at.fail("keys must stand in the order of their frames");
        keys.push_back({frame, at.at(std::size_t{1}).number()});
    }
    return keys;
}

scene::Profile readProfile(const Place& p) {
    scene::Profile profile;
    for (std::size_t i = 0, n = p.size(); i < n; ++i) {
        const std::vector<double> v = p.at(i).numbers(2);
        if (v[0] < 0 || v[0] > 1 || (!profile.empty() && v[0] < profile.back().at))
            p.at(i).fail("a profile's places go from 0, the root, to 1, the tip");
        if (v[1] < 0) p.at(i).fail("a profile must not go below 0");
        profile.push_back({v[0], v[1]});
    }
    return profile;
}

scene::Pin readPin(const Place& p) {
    scene::Pin pin;
    pin.id = p.at("id").text();
    pin.name = textOr(p, "name", pin.id);
    pin.actor = p.at("actor").text();
    pin.joint = p.at("joint").text();
    pin.end = boolOr(p, "end", false);
    pin.toActor = textOr(p, "toActor", "");
    pin.toJoint = textOr(p, "toJoint", "");
    pin.offset = vectorOr(p, "offset", pin.offset);
    pin.strength = numberOr(p, "strength", pin.strength);
    if (p.has("strengthKeys")) pin.strengthKeys = readKeys(p.at("strengthKeys"));
    pin.on = boolOr(p, "on", true);
    pin.unknown =
        unknownOf(p, {"id", "name", "actor", "joint", "end", "toActor", "toJoint", "offset", "strength", "strengthKeys", "on"});
    return pin;
}

scene::Layer readLayer(const Place& p) {
    scene::Layer l;
    l.id = p.at("id").text();
    l.kind = p.at("kind").text();
    l.name = textOr(p, "name", l.id);
    l.actor = p.at("actor").text();
    l.muted = boolOr(p, "muted", false);
    l.solo = boolOr(p, "solo", false);
    l.unknown = unknownOf(p, {"id", "kind", "name", "actor", "muted", "solo", "settings", "keys", "profiles"});
    const auto eachOf = [&](const char* what, const auto& take) {
        if (!p.has(what)) return;
        const Place all = p.at(what);
        all.wantObject();
        for (const auto& [key, value] : all.json().items()) take(key, all.at(key.c_str()));
    };
    eachOf("keys", [&](const std::string& key, const Place& at) { l.keys[key] = readKeys(at); });
    eachOf("profiles", [&](const std::string& key, const Place& at) { l.profiles[key] = readProfile(at); });
    if (!p.has("settings")) return l;
    const Place settings = p.at("settings");
    settings.wantObject();
    for (const auto& [key, value] : settings.json().items()) {
        const Place at = settings.at(key.c_str());
        if (value.is_number()) {
            l.values[key] = at.number();
        } else if (value.is_string()) {
            l.values[key] = at.text();
        } else if (value.is_array() && std::all_of(value.begin(), value.end(), [](const Json& v) { return v.is_string(); })) {
            l.values[key] = textsOf(at);
        } else {
            l.idleValues[key].value = std::make_shared<const Json>(value);
        }
    }
    return l;
}

template <class List>
void refuseSharedIds(const List& list, const char* what) {
    std::unordered_set<std::string_view> seen;
    for (std::size_t i = 0; i < list.size(); ++i)
        if (!seen.insert(list[i].id).second)
            throw Failure(std::string(what) + "[" + std::to_string(i) + "].id", "the id \"" + list[i].id + "\" is used twice");
}

void keepAside(scene::Scene& s, const char* list, const Place& entry, const fs::path& folder, const Error& why) {
    scene::Unread u{list, entry.at("id").text(), std::make_shared<const Json>(entry.json()), {}, why.text()};
    if (entry.has("file")) u.file = (folder / fs::path(entry.at("file").text())).lexically_normal().string();
    s.unread.push_back(std::move(u));
}

scene::Scene parseScene(const Json& json, const fs::path& folder) {
    const Place root(json, "");
    scene::Scene s;
    if (!root.has("format") || root.at("format").text() != "nutatio-scene") throw Failure("", "this is not a Nutatio scene");
    const std::uint64_t version = root.at("version").count();
    if (version > kSceneVersion)
        root.at("version").fail("the scene was made by a newer Nutatio (version " + std::to_string(version) + ")");
    s.fps = numberOr(root, "fps", 24);
    if (!(s.fps >= 1 && s.fps <= 1000)) root.at("fps").fail("the frame rate must lie between 1 and 1000");
    const auto each = [&](const char* key, auto put, std::size_t most = kMostItems) {
        if (!root.has(key)) return;
        const Place list = root.at(key);
        for (std::size_t i = 0, n = list.size(most); i < n; ++i) {
            try {
                put(list.at(i));
            } catch (const NotUnderstood& not_) {
                keepAside(s, key, list.at(i), folder, not_.why);
            }
        }
    };
    ActorFiles files;
    each(
        "actors", [&](const Place& p) { s.actors.push_back(readEntry(p, folder, files)); }, kMostActors);
    each("colliders", [&](const Place& p) { s.colliders.push_back(readCollider(p)); });
    each("winds", [&](const Place& p) { s.winds.push_back(readWind(p)); });
    each("pins", [&](const Place& p) { s.pins.push_back(readPin(p)); });
    each("cuts", [&](const Place& p) { s.cuts.push_back(frameOf(p)); });
    std::sort(s.cuts.begin(), s.cuts.end());
    s.cuts.erase(std::unique(s.cuts.begin(), s.cuts.end()), s.cuts.end());
    each("layers", [&](const Place& p) { s.layers.push_back(readLayer(p)); });
    refuseSharedIds(s.actors, "actors");
    refuseSharedIds(s.colliders, "colliders");
    refuseSharedIds(s.winds, "winds");
    refuseSharedIds(s.pins, "pins");
    refuseSharedIds(s.layers, "layers");
    s.unknown = unknownOf(root, {"format", "version", "fps", "actors", "colliders", "winds", "pins", "cuts", "layers"});
    return s;
}

Json numbers(const Vec3& v) {
    return {v.x(), v.y(), v.z()};
}

Json keysJson(const scene::Keys& keys) {
    Json out = Json::array();
    for (const scene::KeyAt& k : keys) out.push_back({k.frame + 1, k.value});
    return out;
}

std::string relativeTo(const fs::path& folder, const std::string& file) {
    const fs::path relative = fs::absolute(file).lexically_normal().lexically_relative(folder);
    return (relative.empty() ? fs::path(file) : relative).generic_string();
}

Json layerJson(const scene::Layer& l) {
    Json j{{"id", l.id}, {"kind", l.kind}, {"name", l.name}, {"actor", l.actor}, {"muted", l.muted}, {"solo", l.solo}};
    Json& settings = j["settings"] = Json::object();
    for (const auto& [key, value] : l.values) std::visit([&, &k = key](const auto& v) { settings[k] = v; }, value);
    for (const auto& [key, idle] : l.idleValues) {
        const auto now = l.values.find(key);
        if (now == l.values.end() || now->second == idle.standIn) settings[key] = *idle.value;
    }
    for (const auto* all : {&l.keys, &l.idleKeys})
        for (const auto& [key, keys] : *all)
            if (!keys.empty()) j["keys"][key] = keysJson(keys);
    for (const auto* all : {&l.profiles, &l.idleProfiles})
        for (const auto& [key, profile] : *all)
            for (const scene::ProfilePoint& point : profile) j["profiles"][key].push_back({point.at, point.times});
    putUnknown(j, l.unknown);
    return j;
}

/// A number that is none would be written as null and refused on reading: it must not get that far.
void refuseInfinite(const Json& j, const std::string& path) {
    if (j.is_number_float() && !std::isfinite(j.get<double>()))
        throw Failure(path, "the number is not finite; nothing was written");
    if (j.is_array())
        for (std::size_t i = 0; i < j.size(); ++i) refuseInfinite(j[i], path + "[" + std::to_string(i) + "]");
    if (j.is_object())
        for (const auto& [key, value] : j.items()) refuseInfinite(value, path.empty() ? key : path + "." + key);
}

Json sceneJson(const scene::Scene& s, const fs::path& folder) {
    Json root;
    root["format"] = "nutatio-scene";
    root["version"] = kSceneVersion;
    root["fps"] = s.fps;
    root["actors"] = Json::array();
    for (const scene::ActorEntry& a : s.actors) {
        Json j{{"id", a.id}, {"name", a.name}, {"file", relativeTo(folder, a.file)}, {"clip", a.clip}};
        for (const rig::Clip& clip : a.actor->clips) {
            if (!clip.recorded) continue;
            Json r{{"name", clip.name}, {"channels", Json::array()}};
            for (const rig::Channel& c : clip.channels)
                r["channels"].push_back({{"joint", a.actor->skeleton.reference(c.joint)},
                                         {"path", c.path == rig::Path::Turn ? "turn" : "move"},
                                         {"times", c.times},
                                         {"values", c.values}});
            j["recorded"].push_back(std::move(r));
        }
        putUnknown(j, a.unknown);
        root["actors"].push_back(std::move(j));
    }
    root["colliders"] = Json::array();
    for (const scene::Collider& c : s.colliders) {
        Json j{{"id", c.id},
               {"name", c.name},
               {"actor", c.actor},
               {"joint", c.joint},
               {"shape", scene::shapeName(c.shape)},
               {"radius", c.radius},
               {"radiusEnd", c.radiusEnd},
               {"length", c.length},
               {"size", numbers(c.size)},
               {"offset", numbers(c.offset)},
               {"turn", numbers(c.turnDeg)},
               {"friction", c.friction},
               {"on", c.on}};
        if (c.fitted) j["fitted"] = true;
        putUnknown(j, c.unknown);
        root["colliders"].push_back(std::move(j));
    }
    root["winds"] = Json::array();
    for (const scene::Wind& w : s.winds) {
        Json j{{"id", w.id},
               {"name", w.name},
               {"place", numbers(w.place)},
               {"direction", numbers(w.direction)},
               {"speed", w.speed},
               {"gustRate", w.gustRate},
               {"gustShare", w.gustShare},
               {"swirlSize", w.swirlSize},
               {"swirlShare", w.swirlShare},
               {"reach", w.reach},
               {"falloff", w.falloff},
               {"seed", w.seed},
               {"on", w.on},
               {"layers", w.layers}};
        putUnknown(j, w.unknown);
        root["winds"].push_back(std::move(j));
    }
    root["pins"] = Json::array();
    for (const scene::Pin& p : s.pins) {
        Json j{{"id", p.id},
               {"name", p.name},
               {"actor", p.actor},
               {"joint", p.joint},
               {"end", p.end},
               {"toActor", p.toActor},
               {"toJoint", p.toJoint},
               {"offset", numbers(p.offset)},
               {"strength", p.strength},
               {"on", p.on}};
        if (!p.strengthKeys.empty()) j["strengthKeys"] = keysJson(p.strengthKeys);
        putUnknown(j, p.unknown);
        root["pins"].push_back(std::move(j));
    }
    root["cuts"] = Json::array();
    for (int c : s.cuts) root["cuts"].push_back(c + 1);
    root["layers"] = Json::array();
    for (const scene::Layer& l : s.layers) root["layers"].push_back(layerJson(l));
    for (const scene::Unread& u : s.unread) {
        Json entry = *u.entry;
        if (!u.file.empty()) entry["file"] = relativeTo(folder, u.file);
        root[u.list].push_back(std::move(entry));
    }
    putUnknown(root, s.unknown);
    return root;
}

}  // namespace

Result<std::shared_ptr<const rig::Actor>> readActor(const fs::path& path) {
    std::string ext = path.extension().string();
    for (char& c : ext) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    if (ext == ".bvh") return readBvh(path);
    if (ext == ".gltf" || ext == ".glb") return readGltf(path);
    try {
        readBytes(path);
    } catch (const Failure& f) {
        return f.error();
    }
    return Error{path.string(), "", "Nutatio reads .gltf, .glb, .bvh and .nutatio files"};
}

Result<scene::Scene> readScene(const fs::path& path) {
    try {
        const rig::Bytes bytes = readBytes(path);
        const Json json = parseJson(std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
        return parseScene(json, fs::absolute(path).parent_path());
    } catch (const Failure& f) {
        Error e = f.error();
        if (e.file.empty()) e.file = path.string();
        return e;
    } catch (const std::exception& e) {
        return unreadable(path.string(), e);
    }
}

Result<Done> writeScene(const scene::Scene& scene, const fs::path& path) {
    try {
        const Json json = sceneJson(scene, fs::absolute(path).parent_path().lexically_normal());
        refuseInfinite(json, "");
        const std::string text = json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
        writeAtomically(path, text.data(), text.size());
        return Done{};
    } catch (const Failure& f) {
        Error e = f.error();
        if (e.file.empty()) e.file = path.string();
        return e;
    } catch (const std::exception& e) {
        return unreadable(path.string(), e);
    }
}

std::string addActor(scene::Scene& scene, std::shared_ptr<const rig::Actor> actor) {
    scene::ActorEntry a;
    a.id = scene.freshId(actor->name);
    a.name = actor->name;
    a.file = actor->source.path;
    if (!actor->clips.empty())
        a.clip = actor->clips.front().name.empty() || actor->findClip(actor->clips.front().name) != 0 ? "#0"
                                                                                                      : actor->clips.front().name;
    a.actor = std::move(actor);
    scene.actors.push_back(std::move(a));
    return scene.actors.back().id;
}

scene::Scene sceneOf(std::shared_ptr<const rig::Actor> actor) {
    scene::Scene s;
    addActor(s, std::move(actor));
    return s;
}

}  // namespace nutatio::files
