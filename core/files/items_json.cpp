#include "files/items_json.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <nlohmann/json.hpp>

#include "files/allowance.h"
#include "scene/items.h"

namespace nutatio::files {

namespace {

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

/// [time, value], with a word for its ease, and of a free one the slopes before and after.
scene::KeyAt readKey(const Place& p, double time) {
    scene::KeyAt k{.at = time, .value = p.at(std::size_t{1}).number()};
    const std::size_t n = p.size();
    if (n > 2 && !scene::easeFromName(p.at(std::size_t{2}).text(), k.ease))
        p.at(std::size_t{2}).fail("\"" + p.at(std::size_t{2}).text() + "\" is none of smooth, linear, hold and free");
    if (k.ease == scene::Ease::Free) {
        if (n != 5) p.fail("a free key has five members: time, value, \"free\" and two slopes");
        k.before = p.at(std::size_t{3}).number();
        k.after = p.at(std::size_t{4}).number();
    } else if (n > 3 || n < 2) {
        p.fail("a key has a time, a value and at most a word for its ease");
    }
    return k;
}

scene::Feed readFeed(const Place& p) {
    scene::Feed f;
    f.gauge = p.at("gauge").text();
    const Place response = p.at("response");
    for (std::size_t i = 0, n = response.size(); i < n; ++i) {
        const Place at = response.at(i);
        const double reading = at.at(std::size_t{0}).number();
        if (!f.response.empty() && reading <= f.response.back().at) at.fail("a response's points stand in the order of readings");
        f.response.push_back(readKey(at, reading));
    }
    if (f.response.empty()) response.fail("a response has one point at least");
    f.straight = boolOr(p, "straight", false);
    const auto number = [&](const char* key, double& into, double least) {
        if (!p.has(key)) return;
        into = p.at(key).number();
        if (into < least) p.at(key).fail("must not be below " + std::to_string(static_cast<int>(least)));
    };
    constexpr double kAny = -std::numeric_limits<double>::infinity();
    number("times", f.times, kAny);
    number("low", f.low, kAny);
    number("high", f.high, kAny);
    number("lag", f.lag, kAny);
    if (std::abs(f.lag) > kLongest) Leniently::take(p.at("lag"), "a lag is shorter than a day");
    f.lag = std::clamp(f.lag, -kLongest, kLongest);
    number("attack", f.attack, 0);
    number("release", f.release, 0);
    return f;
}

Json feedJson(const scene::Feed& f) {
    Json j{{"gauge", f.gauge}, {"response", keysJson(f.response)}};
    if (f.straight) j["straight"] = true;
    if (f.times != 1) j["times"] = f.times;
    if (std::isfinite(f.low)) j["low"] = f.low;
    if (std::isfinite(f.high)) j["high"] = f.high;
    if (f.lag != 0) j["lag"] = f.lag;
    if (f.attack != 0) j["attack"] = f.attack;
    if (f.release != 0) j["release"] = f.release;
    return j;
}

/// Members of a mount: "actor", "joint", "spot" and "unturned", or behind a prefix "toActor" ...
std::string memberOf(const std::string& prefix, std::string name) {
    if (!prefix.empty()) name[0] = static_cast<char>(name[0] - 'a' + 'A');
    return prefix + name;
}

/// What a thing is fixed to; without an actor the world.
scene::Mount readMount(const Place& p, const std::string& prefix = {}) {
    const auto has = [&](const char* name) { return p.has(memberOf(prefix, name).c_str()); };
    const auto at = [&](const char* name) { return p.at(memberOf(prefix, name).c_str()); };
    scene::Mount out;
    if (has("actor")) out.actor = at("actor").text();
    if (has("joint")) out.joint = at("joint").text();
    if (has("spot")) {
        const std::vector<double> v = at("spot").numbers(3);
        out.spot = Vec3(v[0], v[1], v[2]);
    }
    if (has("unturned")) out.turns = !at("unturned").boolean();
    return out;
}

void putMount(Json& j, const scene::Mount& m, const std::string& prefix = {}) {
    j[memberOf(prefix, "actor")] = m.actor;
    j[memberOf(prefix, "joint")] = m.joint;
    if (m.spot) j[memberOf(prefix, "spot")] = {m.spot->x(), m.spot->y(), m.spot->z()};
    if (!m.turns) j[memberOf(prefix, "unturned")] = true;
}

constexpr const char* kTimeWanted = "a time in a shot is 0 or more and a day at most";

}  // namespace

scene::Unknown unknownOf(const Place& p, const std::vector<const char*>& known) {
    Json out = Json::object();
    for (const auto& [key, value] : p.json().items())
        if (std::none_of(known.begin(), known.end(), [&key = key](const char* k) { return key == k; })) out[key] = value;
    return out.empty() ? nullptr : std::make_shared<const Json>(std::move(out));
}

void putUnknown(Json& into, const scene::Unknown& unknown) {
    if (unknown)
        for (const auto& [key, value] : unknown->items()) into[key] = value;
}

std::string textOr(const Place& p, const char* key, std::string other) {
    return p.has(key) ? p.at(key).text() : std::move(other);
}
bool boolOr(const Place& p, const char* key, bool other) {
    return p.has(key) ? p.at(key).boolean() : other;
}

void eachMember(const Place& p, const char* what, const std::function<void(const std::string&, const Place&)>& take) {
    if (!p.has(what)) return;
    const Place all = p.at(what);
    all.wantObject();
    for (const auto& [key, value] : all.json().items()) take(key, all.at(key.c_str()));
}

std::vector<std::string> textsOf(const Place& p) {
    std::vector<std::string> out;
    for (std::size_t i = 0, n = p.size(); i < n; ++i) out.push_back(p.at(i).text());
    return out;
}

int frameOf(const Place& p) {
    const double f = p.number();
    if (f != std::floor(f) || std::abs(f) > 1e6) p.fail("a frame is a whole number");
    return static_cast<int>(f) - 1;
}

double secondsOf(const Place& p) {
    const double t = p.number();
    if (!(t >= 0)) p.fail(kTimeWanted);
    if (t > kLongest) Leniently::take(p, kTimeWanted);
    return std::min(t, kLongest);
}

double oldSecondsOf(const Place& p, double fps) {
    const double t = frameOf(p) / fps;
    if (!(t >= 0 && t <= kLongest)) Leniently::take(p, kTimeWanted);
    return within(t, 0.0, kLongest);
}

scene::Keys readKeys(const Place& p, double fps) {
    scene::Keys keys;
    double last = -std::numeric_limits<double>::infinity();
    for (std::size_t i = 0, n = p.size(); i < n; ++i) {
        const Place at = p.at(i), when = at.at(std::size_t{0});
        const double said = fps > 0 ? frameOf(when) / fps : when.number(),
                     time = fps > 0 ? oldSecondsOf(when, fps) : secondsOf(when);
        if (!(said > last))
            at.fail(fps > 0 ? "keys must stand in the order of their frames" : "keys must stand in the order of their times");
        last = said;
        // Of keys that all lie beyond a day the first one stands for them, of those before the shot the last one.
        if (keys.empty() || time > keys.back().at)
            keys.push_back(readKey(at, time));
        else if (said <= 0)
            keys.back() = readKey(at, time);
    }
    return keys;
}

Json keysJson(const scene::Keys& keys) {
    Json out = Json::array();
    for (const scene::KeyAt& k : keys) {
        Json one{k.at, k.value};
        if (k.ease != scene::Ease::Smooth) one.push_back(scene::easeName(k.ease));
        if (k.ease == scene::Ease::Free) {
            one.push_back(k.before);
            one.push_back(k.after);
        }
        out.push_back(std::move(one));
    }
    return out;
}

void readTuned(const Place& p, scene::Tuned& t) {
    t.id = p.at("id").text();
    t.name = textOr(p, "name", t.id);
    t.hidden = boolOr(p, "hidden", false);
    t.lock = boolOr(p, "lock", false);
    eachMember(p, "profiles", [&](const std::string& key, const Place& at) { t.profiles[key] = readProfile(at); });
    eachMember(p, "feeds", [&](const std::string& key, const Place& at) { t.feeds[key] = readFeed(at); });
    eachMember(p, "settings", [&](const std::string& key, const Place& at) {
        const Json& value = at.json();
        if (value.is_number()) {
            t.values[key] = at.number();
        } else if (value.is_string()) {
            t.values[key] = at.text();
        } else if (value.is_array() && std::all_of(value.begin(), value.end(), [](const Json& v) { return v.is_string(); })) {
            t.values[key] = textsOf(at);
        } else {
            t.idleValues[key].value = std::make_shared<const Json>(value);
        }
    });
}

void putTuned(Json& j, const scene::Tuned& t) {
    if (t.hidden) j["hidden"] = true;
    if (t.lock) j["lock"] = true;
    Json& settings = j["settings"] = Json::object();
    for (const auto& [key, value] : t.values) std::visit([&, &k = key](const auto& v) { settings[k] = v; }, value);
    for (const auto& [key, idle] : t.idleValues) {
        const auto now = t.values.find(key);
        if (now == t.values.end() || now->second == idle.standIn) settings[key] = *idle.value;
    }
    for (const auto* all : {&t.profiles, &t.idleProfiles})
        for (const auto& [key, profile] : *all)
            for (const scene::ProfilePoint& point : profile) j["profiles"][key].push_back({point.at, point.times});
    for (const auto& [key, feed] : t.feeds) j["feeds"][key] = feedJson(feed);
    putUnknown(j, t.unknown);
}

namespace {

/// "radius_end" as version 1 wrote it.
std::string oldName(std::string_view id) {
    std::string out;
    for (std::size_t i = 0; i < id.size(); ++i)
        if (id[i] == '_' && i + 1 < id.size())
            out += static_cast<char>(std::toupper(static_cast<unsigned char>(id[++i])));
        else
            out += id[i];
    return out;
}

/// Version 1 wrote an item's settings as members of its own, those along the three axes as one list.
void readOldSettings(const Place& p, scene::Tuned& t, scene::Table table, std::vector<const char*>& known,
                     std::vector<std::string>& names) {
    for (const scene::SettingSpec& row : table) {
        const std::size_t n = row.id.size();
        const int axis = n > 2 && row.id[n - 2] == '_' ? row.id[n - 1] - 'x' : -1;
        names.push_back(axis >= 0 && axis < 3 ? std::string(row.id.substr(0, n - 2)) : oldName(row.id));
        const char* key = names.back().c_str();
        known.push_back(key);
        if (!p.has(key)) continue;
        if (axis >= 0 && axis < 3)
            t.set(row.id, p.at(key).numbers(3)[static_cast<std::size_t>(axis)]);
        else if (row.type == scene::SettingType::Choice)
            t.set(row.id, p.at(key).text());
        else
            t.set(row.id, p.at(key).number());
    }
}

/// Reads what an item is set to, in either version, and keeps what is not known of it.
template <class Item>
void readItem(const Place& p, Item& item, scene::Table table, const OldTimes& old, std::initializer_list<const char*> members) {
    readTuned(p, item);
    item.on = boolOr(p, "on", true);
    std::vector<const char*> known(members);
    for (const char* each : {"id", "name", "on", "hidden", "lock", "settings", "profiles", "feeds", "version"})
        known.push_back(each);
    std::vector<std::string> names;
    names.reserve(table.size());
    if (old.fps > 0) readOldSettings(p, item, table, known, names);
    item.unknown = unknownOf(p, known);
}

}  // namespace

scene::Collider readCollider(const Place& p, const OldTimes& old) {
    scene::Collider c;
    p.at("actor");
    c.mount = readMount(p);
    c.fitted = boolOr(p, "fitted", false);
    readItem(p, c, scene::colliderTable(), old, {"actor", "joint", "spot", "unturned", "fitted"});
    if (old.fps > 0) {
        p.at("shape");
        if (!p.has("radiusEnd")) c.set("radius_end", c.number("radius"));
        for (const char* id : {"radius", "radius_end", "length", "size_x", "size_y", "size_z"})
            if (c.number(id) < 0) p.fail("a collider's radius, length and size must not be below 0");
        if (c.number("friction") < 0) p.at("friction").fail("friction must not be below 0");
    }
    if (scene::Shape shape; c.values.count("shape") > 0 && !scene::shapeFromName(c.text("shape"), shape)) {
        const Place at = old.fps > 0 ? p.at("shape") : p.at("settings").at("shape");
        throw NotUnderstood{{"", at.path(), "\"" + c.text("shape") + "\" is no collider shape (sphere, capsule, box, plane)"}};
    }
    return c;
}

scene::Wind readWind(const Place& p, const OldTimes& old) {
    scene::Wind w;
    if (p.has("layers")) w.layers = textsOf(p.at("layers"));
    if (old.fps <= 0) {
        readItem(p, w, scene::windTable(), old, {"layers"});
        return w;
    }
    readItem(p, w, scene::windTable(), old, {"layers", "direction"});
    const std::vector<double> d = p.has("direction") ? p.at("direction").numbers(3) : std::vector<double>{1, 0, 0};
    const Vec3 direction(d[0], d[1], d[2]);
    if (!(direction.norm() > 1e-9)) p.at("direction").fail("a wind must blow somewhere; its direction has no length");
    scene::setWindDirection(w, direction);
    if (w.values.count("speed") == 0) w.set("speed", 3.0);  // what a wind began with then
    if (w.values.count("place_x") == 0) w.setVector("place", Vec3(0, 1, 0));
    for (const scene::SettingSpec& row : scene::windTable())
        if (row.range.low >= 0 && w.number(row.id) < 0) p.at(oldName(row.id).c_str()).fail("must not be below 0");
    return w;
}

scene::Pin readPin(const Place& p, OldTimes& old) {
    scene::Pin pin;
    pin.actor = p.at("actor").text();
    pin.joint = p.at("joint").text();
    pin.end = boolOr(p, "end", false);
    pin.to = readMount(p, "to");
    readItem(p, pin, scene::pinTable(), old,
             {"actor", "joint", "end", "toActor", "toJoint", "toSpot", "toUnturned", "strengthKeys"});
    if (old.fps > 0 && p.has("strengthKeys"))
        old.keys[{scene::List::Pins, pin.id}]["strength"] = readKeys(p.at("strengthKeys"), old.fps);
    return pin;
}

scene::Gauge readGauge(const Place& p) {
    scene::Gauge g;
    readTuned(p, g);
    p.at("actor");
    p.at("joint");
    g.of = readMount(p);
    if (scene::Mount to = readMount(p, "to"); !to.world()) g.to = std::move(to);
    g.after = textOr(p, "after", "");
    if (p.has("over")) g.over = textsOf(p.at("over"));
    g.unknown = unknownOf(p, {"id", "name", "actor", "joint", "spot", "unturned", "toActor", "toJoint", "toSpot", "toUnturned",
                              "after", "over", "hidden", "lock", "settings", "profiles", "feeds"});
    return g;
}

scene::Layer readLayer(const Place& p, OldTimes& old) {
    scene::Layer l;
    readTuned(p, l);
    l.kind = p.at("kind").text();
    l.actor = p.at("actor").text();
    l.muted = boolOr(p, "muted", false);
    l.solo = boolOr(p, "solo", false);
    if (p.has("colour")) l.colour = static_cast<int>(p.at("colour").index(1000, "colours"));
    l.group = textOr(p, "group", "");
    l.shot = textOr(p, "shot", "");
    eachMember(p, "apart", [&](const std::string& joint, const Place& at) {
        at.wantObject();
        for (const auto& [setting, value] : at.json().items()) l.apart[joint][setting] = at.at(setting.c_str()).number();
    });
    if (old.fps > 0)
        eachMember(p, "keys", [&](const std::string& key, const Place& at) {
            old.keys[{scene::List::Layers, l.id}][key] = readKeys(at, old.fps);
        });
    if (old.inFrames && l.values.count("preroll") > 0) l.set("preroll", l.number("preroll") / 24);
    l.unknown = old.fps > 0
                    ? unknownOf(p, {"id", "kind", "name", "actor", "muted", "solo", "settings", "keys", "profiles", "version"})
                    : unknownOf(p, {"id", "kind", "name", "actor", "muted", "solo", "colour", "group", "shot", "hidden", "lock",
                                    "apart", "settings", "profiles", "feeds", "version"});
    return l;
}

Json itemJson(const scene::Collider& c) {
    Json j{{"id", c.id}, {"name", c.name}};
    putMount(j, c.mount);
    j["on"] = c.on;
    if (c.fitted) j["fitted"] = true;
    putTuned(j, c);
    return j;
}

Json itemJson(const scene::Wind& w) {
    Json j{{"id", w.id}, {"name", w.name}, {"on", w.on}, {"layers", w.layers}};
    putTuned(j, w);
    return j;
}

Json itemJson(const scene::Pin& p) {
    Json j{{"id", p.id}, {"name", p.name}, {"actor", p.actor}, {"joint", p.joint}, {"end", p.end}};
    putMount(j, p.to, "to");
    j["on"] = p.on;
    putTuned(j, p);
    return j;
}

Json itemJson(const scene::Gauge& g) {
    Json j{{"id", g.id}, {"name", g.name}};
    putMount(j, g.of);
    if (g.to) putMount(j, *g.to, "to");
    if (!g.after.empty()) j["after"] = g.after;
    if (!g.over.empty()) j["over"] = g.over;
    putTuned(j, g);
    return j;
}

Json itemJson(const scene::Layer& l) {
    Json j{{"id", l.id}, {"kind", l.kind}, {"name", l.name}, {"actor", l.actor}, {"muted", l.muted}, {"solo", l.solo}};
    if (l.colour >= 0) j["colour"] = l.colour;
    if (!l.group.empty()) j["group"] = l.group;
    if (!l.shot.empty()) j["shot"] = l.shot;
    for (const auto& [joint, own] : l.apart)
        for (const auto& [setting, value] : own) j["apart"][joint][setting] = value;
    putTuned(j, l);
    return j;
}

}  // namespace nutatio::files
