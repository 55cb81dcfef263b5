#include "files/scene_file.h"
#include "files/set_piece.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>
#include <nlohmann/json.hpp>
#include <unordered_set>

#include "files/allowance.h"
#include "files/bvh.h"
#include "files/bytes.h"
#include "files/gltf_reader.h"
#include "files/items_json.h"
#include "files/prepared_json.h"
#include "rig/record.h"
#include "scene/items.h"
#include "scene/seal.h"

namespace nutatio::files {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t kMostActors = 1024, kMostTakes = 256;
constexpr const char* kSharedLists[] = {"actors", "colliders", "winds", "pins", "gauges", "layers", "shots"};

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
        if (path != "move" && path != "turn" && path != "scale")
            at.at("path").fail("\"" + path + "\" is none of move, turn and scale");
        c.path = path == "turn" ? rig::Path::Turn : path == "move" ? rig::Path::Move : rig::Path::Scale;
        c.width = path == "turn" ? 4 : 3;
        const std::size_t keys = at.at("times").size();
        if (keys == 0) at.at("times").fail("a channel has keys");
        for (double v : at.at("times").numbers(keys)) {
            if (!(v >= 0 && v <= kLongest)) at.at("times").fail("a recorded clip begins at 0 and lasts a day at most");
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

scene::ActorEntry readEntry(const Place& p, const fs::path& folder, ActorFiles& files, OldTimes& old) {
    scene::ActorEntry a;
    readTuned(p, a);
    if (p.has("seen"))
        for (std::size_t i = 0, n = p.at("seen").size(kMostItems); i < n; ++i) a.seen.push_back(p.at("seen").at(i).text());
    if (a.isPiece() && !p.has("file")) {
        shapePiece(a);
        a.unknown = unknownOf(p, {"id", "name", "hidden", "lock", "seen", "settings", "profiles", "feeds"});
        return a;
    }
    a.values.erase("form");  // it would make a piece of a character
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
    if (p.has("prepared"))
        for (std::size_t i = 0, n = p.at("prepared").size(kMostItems); i < n; ++i)
            a.preparations.push_back(readPreparation(p.at("prepared").at(i)));
    if (!a.preparations.empty()) a.source = a.actor;
    rig::Prepared with = rig::prepared(a.actor, a.preparations);
    a.actor = std::move(with.actor);
    a.undone = std::move(with.problems);
    a.parts = readParts(p);
    a.maps = readMaps(p);
    if (p.has("locked")) a.locked = textsOf(p.at("locked"));
    if (p.has("recorded"))
        for (std::size_t i = 0, n = p.at("recorded").size(); i < n; ++i)
            a.actor = rig::withClip(*a.actor, readRecorded(p.at("recorded").at(i), *a.actor));
    if (old.fps > 0) {
        const std::string clip = textOr(p, "clip", "");
        if (!clip.empty() && a.actor->findClip(clip) < 0) p.at("clip").fail("the actor has no clip \"" + clip + "\"");
        if (!clip.empty()) old.clips[a.id] = clip;
        a.unknown = unknownOf(p, {"id", "name", "file", "clip", "recorded", "settings", "profiles", "version"});
    } else {
        a.unknown = unknownOf(p, {"id", "name", "file", "hidden", "lock", "seen", "prepared", "parts", "maps", "locked",
                                  "recorded", "settings", "profiles"});
    }
    return a;
}

double readRate(const Place& p) {
    const double fps = p.number();
    if (!(fps >= 1 && fps <= 1000)) p.fail("the frame rate must lie between 1 and 1000");
    return fps;
}

rig::Line readLine(const Place& p) {
    rig::Line out;
    const Place all = p.at("stretches");
    for (std::size_t i = 0, n = all.size(kMostItems); i < n; ++i) {
        const Place at = all.at(i);
        const auto seconds = [&](const char* key) { return at.has(key) ? secondsOf(at.at(key)) : 0.0; };
        rig::Stretch s{at.at("clip").text(), seconds("from"), seconds("to"), seconds("hold"), seconds("blend")};
        if (!(s.seconds() > 0)) at.fail("a stretch must last a while");
        if (i == 0 ? s.blend > 0 : s.blend > std::min(s.seconds(), out.stretches.back().seconds()))
            at.fail("a stretch cannot blend for longer than it or the one before it lasts");
        out.stretches.push_back(std::move(s));
    }
    if (p.has("closing")) out.closing = secondsOf(p.at("closing"));
    if (p.has("fade")) out.fade = secondsOf(p.at("fade"));
    if (out.seconds() > kLongest) Leniently::take(p, "what an actor plays lasts a day at most");
    while (out.stretches.size() > 1 && out.seconds() > kLongest) out.stretches.pop_back();
    if (out.seconds() > kLongest) {
        rig::Stretch& only = out.stretches.front();
        (only.hold > 0 ? only.hold : only.to) = (only.hold > 0 ? 0 : only.from) + kLongest;
        out.closing = 0;
    }
    return out;
}

Json lineJson(const rig::Line& line) {
    Json out{{"stretches", Json::array()}};
    for (const rig::Stretch& s : line.stretches) {
        Json one{{"clip", s.clip}, {"from", s.from}};
        one[s.hold > 0 ? "hold" : "to"] = s.hold > 0 ? s.hold : s.to;
        if (s.blend > 0) one["blend"] = s.blend;
        out["stretches"].push_back(std::move(one));
    }
    if (line.closing > 0) out["closing"] = line.closing;
    if (line.fade > 0) out["fade"] = line.fade;
    return out;
}

/// Numbers to the bit: little-endian doubles as base64.
std::vector<double> readDoubles(const Place& p) {
    rig::Bytes bytes;
    try {
        bytes = fromBase64(p.text());
    } catch (const Failure& f) {
        p.fail(f.error().sentence);
    }
    if (bytes.size() % sizeof(double) != 0) p.fail("it ends within a number");
    std::vector<double> out(bytes.size() / sizeof(double));
    if (!out.empty()) std::memcpy(out.data(), bytes.data(), bytes.size());
    if (!std::all_of(out.begin(), out.end(), [](double v) { return std::isfinite(v); })) p.fail("it holds what is no number");
    return out;
}

std::string doublesText(const std::vector<double>& v) {
    return base64(v.data(), v.size() * sizeof(double));
}

constexpr std::size_t kNumbersATransform = 10, kMostSealed = 1u << 22;  // frames

std::shared_ptr<const scene::Seal> readSeal(const Place& p) {
    auto out = std::make_shared<scene::Seal>();
    const std::size_t from = p.at("from").count(), to = p.at("to").count();
    if (from < 1 || to < from || to > kMostSealed) p.at("to").fail("a seal goes from a frame to one behind it");
    out->from = static_cast<int>(from) - 1;
    out->to = static_cast<int>(to) - 1;
    out->fps = readRate(p.at("fps"));
    const std::size_t frames = to - from + 1;
    for (std::size_t i = 0, n = p.at("parts").size(kMostItems); i < n; ++i) {
        const Place at = p.at("parts").at(i);
        scene::Seal::Part part;
        for (std::size_t k = 0, joints = at.at("joints").size(kMostItems); k < joints; ++k)
            part.joints.push_back(at.at("joints").at(k).text());
        const std::vector<double> all = readDoubles(at.at("frames"));
        if (all.size() != part.joints.size() * frames * kNumbersATransform)
            at.at("frames").fail("it holds " + std::to_string(all.size()) + " numbers where " +
                                 std::to_string(part.joints.size() * frames * kNumbersATransform) + " belong");
        const double* v = all.data();
        for (std::size_t k = 0; k < part.joints.size(); ++k) {
            rig::Column& c = part.columns.emplace_back();
            for (std::size_t f = 0; f < frames; ++f, v += kNumbersATransform)
                c.push_back({Vec3(v[0], v[1], v[2]), Quat(v[6], v[3], v[4], v[5]), Vec3(v[7], v[8], v[9])});
        }
        part.state = readDoubles(at.at("state"));
        for (std::size_t k = 0, patches = at.has("surfaces") ? at.at("surfaces").size(kMostItems) : 0; k < patches; ++k) {
            const Place on = at.at("surfaces").at(k);
            rig::Patch patch;
            patch.instance = static_cast<int>(on.at("instance").count());
            patch.primitive = static_cast<int>(on.at("primitive").count());
            for (double vertex : readDoubles(on.at("vertices"))) {
                if (!(vertex >= 0 && vertex < 4e9)) on.at("vertices").fail("a vertex is a number from 0 on");
                patch.vertices.push_back(static_cast<std::uint32_t>(vertex));
            }
            const std::vector<double> offsets = readDoubles(on.at("frames"));
            if (offsets.size() != 3 * frames * patch.vertices.size())
                on.at("frames").fail("it holds " + std::to_string(offsets.size()) + " numbers where " +
                                     std::to_string(3 * frames * patch.vertices.size()) + " belong");
            for (std::size_t o = 0; o < offsets.size(); o += 3)
                patch.offsets.push_back(Vec3(offsets[o], offsets[o + 1], offsets[o + 2]).cast<float>());
            part.surfaces.push_back(std::move(patch));
        }
        out->parts.push_back(std::move(part));
    }
    if (out->parts.empty()) p.at("parts").fail("a seal holds what moves");
    return out;
}

Json sealJson(const scene::Seal& seal) {
    Json out{{"from", seal.from + 1}, {"to", seal.to + 1}, {"fps", seal.fps}, {"parts", Json::array()}};
    for (const scene::Seal::Part& part : seal.parts) {
        std::vector<double> all;
        for (const rig::Column& c : part.columns)
            for (const Xform& x : c)
                all.insert(all.end(), {x.t.x(), x.t.y(), x.t.z(), x.r.x(), x.r.y(), x.r.z(), x.r.w(), x.s.x(), x.s.y(), x.s.z()});
        Json& made = out["parts"].emplace_back(
            Json{{"joints", part.joints}, {"frames", doublesText(all)}, {"state", doublesText(part.state)}});
        for (const rig::Patch& p : part.surfaces) {
            std::vector<double> offsets;
            for (const Vec3f& o : p.offsets) offsets.insert(offsets.end(), {o.x(), o.y(), o.z()});
            made["surfaces"].push_back({{"instance", p.instance},
                                        {"primitive", p.primitive},
                                        {"vertices", doublesText({p.vertices.begin(), p.vertices.end()})},
                                        {"frames", doublesText(offsets)}});
        }
    }
    return out;
}

scene::Shot readShot(const Place& p) {
    scene::Shot s;
    s.id = p.at("id").text();
    s.name = textOr(p, "name", s.id);
    if (p.has("fps")) s.fps = readRate(p.at("fps"));
    s.lead = textOr(p, "lead", "");
    if (p.has("loop") && !scene::loopFromName(p.at("loop").text(), s.loop))
        p.at("loop").fail("\"" + p.at("loop").text() + "\" is none of found, closed and once");
    eachMember(p, "clips", [&](const std::string& actor, const Place& at) { s.clips[actor] = at.text(); });
    eachMember(p, "lines", [&](const std::string& actor, const Place& at) { s.lines[actor] = readLine(at); });
    if (p.has("cuts"))
        for (std::size_t i = 0, n = p.at("cuts").size(kMostItems); i < n; ++i) s.cuts.push_back(secondsOf(p.at("cuts").at(i)));
    std::sort(s.cuts.begin(), s.cuts.end());
    s.cuts.erase(std::unique(s.cuts.begin(), s.cuts.end()), s.cuts.end());
    if (p.has("keys")) {
        const Place keys = p.at("keys");
        for (const scene::List list : scene::kLists)
            eachMember(keys, std::string(scene::listName(list)).c_str(), [&](const std::string& id, const Place& at) {
                at.wantObject();
                for (const auto& [setting, value] : at.json().items())
                    s.keys[{list, id}][setting] = readKeys(at.at(setting.c_str()), 0);
            });
    }
    if (p.has("marks"))
        for (std::size_t i = 0, n = p.at("marks").size(kMostItems); i < n; ++i) {
            const Place at = p.at("marks").at(i);
            s.marks.push_back({secondsOf(at.at("at")), textOr(at, "name", "")});
        }
    std::stable_sort(s.marks.begin(), s.marks.end(), [](const auto& a, const auto& b) { return a.at < b.at; });
    eachMember(p, "intervals", [&](const std::string& layer, const Place& at) {
        for (std::size_t i = 0, n = at.size(kMostItems); i < n; ++i) {
            const Place one = at.at(i);
            scene::Interval v{secondsOf(one.at("from")), secondsOf(one.at("to")), one.has("in") ? secondsOf(one.at("in")) : 0,
                              one.has("out") ? secondsOf(one.at("out")) : 0};
            if (v.to < v.from) one.at("to").fail("an interval must not end before it begins");
            s.intervals[layer].push_back(v);
        }
    });
    eachMember(p, "seals", [&](const std::string& layer, const Place& at) { s.seals[layer] = readSeal(at); });
    s.unknown =
        unknownOf(p, {"id", "name", "fps", "lead", "loop", "clips", "lines", "cuts", "marks", "intervals", "keys", "seals"});
    return s;
}

/// Version 1 played one clip an actor, each for as long as it lasts; its cuts and keys were of whatever played. They go with what
/// was on show: into the shot of that clip for each actor.
void makeShots(scene::Scene& s, const OldTimes& old, const std::vector<double>& cuts) {
    for (const scene::ActorEntry& a : s.actors)
        for (std::size_t c = 0; c < a.actor->clips.size(); ++c) {
            scene::Shot shot;
            shot.name = a.actor->clipLabel(static_cast<int>(c));
            if (s.findShot(shot.name)) shot.name = a.name + " " + shot.name;
            shot.id = s.freshId("shot-" + shot.name);
            shot.fps = old.fps;
            shot.lead = a.id;
            shot.clips = old.clips;
            shot.clips[a.id] = scene::clipReference(*a.actor, static_cast<int>(c));
            const auto played = old.clips.find(a.id);
            if (played != old.clips.end() && a.actor->findClip(played->second) == static_cast<int>(c)) {
                shot.cuts = cuts;
                shot.keys = old.keys;
                if (s.shown.empty()) s.shown = shot.id;
            }
            s.shots.push_back(std::move(shot));
        }
    if (!s.shown.empty()) return;
    scene::Shot still;
    still.name = "Rest pose";
    still.id = s.freshId("shot-" + still.name);
    still.fps = old.fps;
    still.cuts = cuts;
    still.keys = old.keys;
    s.shown = still.id;
    s.shots.insert(0, std::move(still));
}

template <class List>
void refuseSharedIds(const List& list, const char* what) {
    std::unordered_set<std::string_view> seen;
    for (std::size_t i = 0; i < list.size(); ++i)
        if (!seen.insert(list[i].id).second)
            throw Failure(std::string(what) + "[" + std::to_string(i) + "].id", "the id \"" + list[i].id + "\" is used twice");
}

void keepAside(scene::Scene& s, const char* list, const Place& entry, const fs::path& folder, const Error& why, int version) {
    scene::Unread u{list, entry.at("id").text(), std::make_shared<const Json>(entry.json()), {}, why.text()};
    if (entry.has("file")) u.file = (folder / fs::path(entry.at("file").text())).lexically_normal().string();
    u.version = entry.has("version") ? static_cast<int>(entry.at("version").count()) : version;
    s.unread.edit().push_back(std::move(u));
}

void inMetres(scene::Scene& s) {
    if (s.actors.empty()) return;
    const auto scaled = [](scene::Tuned& t, scene::Table table, double metres) {
        for (const scene::SettingSpec& row : table)
            if (row.sized && t.values.count(row.id) > 0) t.set(row.id, metres * t.number(row.id));
    };
    const double first = s.actors.front().actor->metresPerUnit;
    for (std::size_t i = 0; i < s.colliders.size(); ++i)
        if (s.colliders[i].mount.world() && first != 1) scaled(s.colliders.edit(i), scene::colliderTable(), first);
    for (std::size_t i = 0; i < s.pins.size(); ++i) {
        const scene::ActorEntry* a = std::as_const(s).actor(s.pins[i].actor);
        if (s.pins[i].to.world() && a && a->actor->metresPerUnit != 1)
            scaled(s.pins.edit(i), scene::pinTable(), a->actor->metresPerUnit);
    }
}

/// Every clip that a shot names is there, as is the shot on show.
void checkShots(const scene::Scene& s, const Place& root) {
    for (std::size_t i = 0; i < s.shots.size(); ++i)
        for (const auto& [actor, clip] : s.shots[i].clips)
            if (const scene::ActorEntry* a = s.actor(actor); a && a->actor->findClip(clip) < 0)
                root.at("shots").at(i).at("clips").at(actor.c_str()).fail("the actor has no clip \"" + clip + "\"");
    for (std::size_t i = 0; i < s.shots.size(); ++i)
        for (const auto& [actor, line] : s.shots[i].lines)
            for (std::size_t k = 0; k < line.stretches.size(); ++k)
                if (const scene::ActorEntry* a = s.actor(actor); a && a->actor->findClip(line.stretches[k].clip) < 0)
                    root.at("shots")
                        .at(i)
                        .at("lines")
                        .at(actor.c_str())
                        .at("stretches")
                        .at(k)
                        .at("clip")
                        .fail("the actor has no clip \"" + line.stretches[k].clip + "\"");
    if (!s.shown.empty() && s.shown != s.shot().id) root.at("shown").fail("there is no shot \"" + s.shown + "\"");
}

/// A list's entry that is the same in the scene a take was kept of is written as its id alone.
template <class T>
bool sharedWith(const SharedList<T>* base, const Place& entry, SharedList<T>& into) {
    if (!base || !entry.json().is_string()) return false;
    const std::size_t at = base->find([&](const T& t) { return t.id == entry.text(); });
    if (at == base->size()) entry.fail("the scene has nothing of the id \"" + entry.text() + "\"");
    into.share(*base, at);
    return true;
}

/// With all that it shares with the scene written out: what the scene has may change.
void keepTakeAside(scene::Scene& s, const Place& take, const Place& root, const fs::path& folder, const Error& why) {
    Json whole = take.json();
    for (const char* list : kSharedLists) {
        if (!whole.is_object() || !whole.contains("scene") || !whole["scene"].contains(list) || !root.has(list)) continue;
        for (Json& entry : whole["scene"][list])
            for (const Json& own : root.at(list).json())
                if (entry.is_string() && own.is_object() && own.value("id", Json()) == entry) entry = own;
    }
    keepAside(s, "takes", Place(whole, take.path()), folder, why, kSceneVersion);
}

scene::Take readTake(const Place& p, const fs::path& folder, const scene::Scene& base, ActorFiles& files);

/// `base`: the scene that a take was kept of; null: it is no take.
scene::Scene parseScene(const Place& root, const fs::path& folder, const scene::Scene* base, ActorFiles& files) {
    scene::Scene s;
    if (!root.has("format") || root.at("format").text() != "nutatio-scene") throw Failure("", "this is not a Nutatio scene");
    const std::uint64_t version = root.at("version").count();
    if (version > kSceneVersion)
        root.at("version").fail("the scene was made by a newer Nutatio (version " + std::to_string(version) + ")");
    OldTimes old;
    if (version == 1) old.fps = root.has("fps") ? readRate(root.at("fps")) : 24;
    old.inFrames = version < 3;
    const auto each = [&](const char* key, auto put, std::size_t most = kMostItems) {
        if (!root.has(key)) return;
        const Place list = root.at(key);
        for (std::size_t i = 0, n = list.size(most); i < n; ++i) {
            try {
                put(list.at(i));
            } catch (const NotUnderstood& not_) {
                keepAside(s, key, list.at(i), folder, not_.why, static_cast<int>(version));
            }
        }
    };
    // An entry that an earlier saving carried along unread is still of the version that it was written in.
    OldTimes carried, second;
    carried.fps = 24;
    carried.inFrames = second.inFrames = true;
    const auto timesOf = [&](const Place& p) -> OldTimes& {
        return !p.has("version") ? old : p.at("version").count() == 1 ? carried : second;
    };
    std::vector<std::string> late;
    each(
        "actors",
        [&](const Place& p) {
            if (sharedWith(base ? &base->actors : nullptr, p, s.actors)) return;
            s.actors.push_back(readEntry(p, folder, files, timesOf(p)));
            if (p.has("version")) late.push_back(s.actors.back().id);
        },
        kMostActors);
    each("colliders", [&](const Place& p) {
        if (!sharedWith(base ? &base->colliders : nullptr, p, s.colliders)) s.colliders.push_back(readCollider(p, timesOf(p)));
    });
    each("winds", [&](const Place& p) {
        if (!sharedWith(base ? &base->winds : nullptr, p, s.winds)) s.winds.push_back(readWind(p, timesOf(p)));
    });
    each("pins", [&](const Place& p) {
        if (!sharedWith(base ? &base->pins : nullptr, p, s.pins)) s.pins.push_back(readPin(p, timesOf(p)));
    });
    if (version > 1)
        each("gauges", [&](const Place& p) {
            if (!sharedWith(base ? &base->gauges : nullptr, p, s.gauges)) s.gauges.push_back(readGauge(p));
        });
    each("layers", [&](const Place& p) {
        if (!sharedWith(base ? &base->layers : nullptr, p, s.layers)) s.layers.push_back(readLayer(p, timesOf(p)));
    });
    if (version == 1) {
        std::vector<double> cuts;
        each("cuts", [&](const Place& p) { cuts.push_back(oldSecondsOf(p, old.fps)); });
        std::sort(cuts.begin(), cuts.end());
        cuts.erase(std::unique(cuts.begin(), cuts.end()), cuts.end());
        // Lengths of what stands in the world were in the units of what they were beside.
        inMetres(s);
        makeShots(s, old, cuts);
    } else {
        each("shots", [&](const Place& p) {
            if (!sharedWith(base ? &base->shots : nullptr, p, s.shots)) s.shots.push_back(readShot(p));
        });
        refuseSharedIds(s.shots, "shots");
        s.shown = textOr(root, "shown", "");
        checkShots(s, root);
        for (const std::string& id : late) scene::addShots(s, id);
    }
    refuseSharedIds(s.actors, "actors");
    refuseSharedIds(s.colliders, "colliders");
    refuseSharedIds(s.winds, "winds");
    refuseSharedIds(s.pins, "pins");
    refuseSharedIds(s.gauges, "gauges");
    refuseSharedIds(s.layers, "layers");
    s.unknown = version == 1
                    ? unknownOf(root, {"format", "version", "fps", "actors", "colliders", "winds", "pins", "cuts", "layers"})
                    : unknownOf(root, {"format", "version", "shown", "actors", "colliders", "winds", "pins", "gauges", "layers",
                                       "shots", "takes"});
    if (version == 1 || base || !root.has("takes")) return s;
    const Place takes = root.at("takes");
    for (std::size_t i = 0, n = takes.size(kMostTakes); i < n; ++i) {
        // A take that cannot be read is no reason to refuse the scene: it waits in the file as it was.
        try {
            s.takes.push_back(readTake(takes.at(i), folder, s, files));
        } catch (const NotUnderstood& not_) {
            keepTakeAside(s, takes.at(i), root, folder, not_.why);
        } catch (const Failure& f) {
            keepTakeAside(s, takes.at(i), root, folder, f.error());
        }
    }
    refuseSharedIds(s.takes, "takes");
    return s;
}

scene::Take readTake(const Place& p, const fs::path& folder, const scene::Scene& base, ActorFiles& files) {
    scene::Take t;
    t.id = p.at("id").text();
    t.name = textOr(p, "name", t.id);
    t.note = textOr(p, "note", "");
    if (p.has("frame")) t.frame = std::max(0, frameOf(p.at("frame")));
    if (p.has("picture")) {
        try {
            t.picture = std::make_shared<const std::vector<std::uint8_t>>(fromBase64(p.at("picture").text()));
        } catch (const Failure& f) {
            p.at("picture").fail(f.error().sentence);
        }
    }
    t.scene = std::make_shared<const scene::Scene>(parseScene(p.at("scene"), folder, &base, files));
    t.unknown = unknownOf(p, {"id", "name", "note", "frame", "picture", "scene"});
    return t;
}

std::string relativeTo(const fs::path& folder, const std::string& file) {
    const fs::path relative = fs::absolute(file).lexically_normal().lexically_relative(folder);
    return (relative.empty() ? fs::path(file) : relative).generic_string();
}

Json shotJson(const scene::Shot& s) {
    Json j{{"id", s.id}, {"name", s.name}, {"fps", s.fps}, {"lead", s.lead}, {"clips", Json::object()}, {"cuts", s.cuts}};
    if (s.loop != scene::Loop::Found) j["loop"] = scene::loopName(s.loop);
    for (const auto& [actor, clip] : s.clips) j["clips"][actor] = clip;
    for (const auto& [actor, line] : s.lines)
        if (!line.empty()) j["lines"][actor] = lineJson(line);
    for (const auto& [owner, all] : s.keys)
        for (const auto& [setting, keys] : all)
            if (!keys.empty()) j["keys"][std::string(scene::listName(owner.list))][owner.id][setting] = keysJson(keys);
    for (const scene::Mark& m : s.marks) j["marks"].push_back({{"at", m.at}, {"name", m.name}});
    for (const auto& [layer, all] : s.intervals)
        for (const scene::Interval& i : all) {
            Json one{{"from", i.from}, {"to", i.to}};
            if (i.easeIn > 0) one["in"] = i.easeIn;
            if (i.easeOut > 0) one["out"] = i.easeOut;
            j["intervals"][layer].push_back(std::move(one));
        }
    for (const auto& [layer, seal] : s.seals)
        if (!seal->parts.empty()) j["seals"][layer] = sealJson(*seal);
    putUnknown(j, s.unknown);
    return j;
}

/// What a take has as the scene it stands in is written as an id.
void shortenTake(Json& take, const Json& scene) {
    for (const char* list : kSharedLists) {
        if (!take.contains(list) || !scene.contains(list)) continue;
        std::map<std::string, const Json*> known;
        for (const Json& entry : scene[list])
            if (entry.is_object() && entry.contains("id") && entry["id"].is_string() && !entry.contains("version"))
                known[entry["id"].get<std::string>()] = &entry;
        for (Json& entry : take[list]) {
            const auto at = entry.contains("id") ? known.find(entry["id"].get<std::string>()) : known.end();
            if (at != known.end() && *at->second == entry) entry = at->first;
        }
    }
}

Json sceneJson(const scene::Scene& s, const fs::path& folder) {
    Json root;
    root["format"] = "nutatio-scene";
    root["version"] = kSceneVersion;
    root["shown"] = s.shown;
    root["actors"] = Json::array();
    for (const scene::ActorEntry& a : s.actors) {
        Json j{{"id", a.id}, {"name", a.name}};
        if (!a.isPiece()) j["file"] = relativeTo(folder, a.file);
        if (!a.seen.empty()) j["seen"] = a.seen;
        for (const rig::Preparation& e : a.preparations) j["prepared"].push_back(preparationJson(e));
        putParts(j, a.parts);
        putMaps(j, a.maps);
        if (!a.locked.empty()) j["locked"] = a.locked;
        for (const rig::Clip& clip : a.actor->clips) {
            if (!clip.recorded) continue;
            Json r{{"name", clip.name}, {"channels", Json::array()}};
            for (const rig::Channel& c : clip.channels)
                r["channels"].push_back({{"joint", a.actor->skeleton.reference(c.joint)},
                                         {"path", c.path == rig::Path::Turn   ? "turn"
                                                  : c.path == rig::Path::Move ? "move"
                                                                              : "scale"},
                                         {"times", c.times},
                                         {"values", c.values}});
            j["recorded"].push_back(std::move(r));
        }
        putTuned(j, a);
        root["actors"].push_back(std::move(j));
    }
    const auto all = [&](const char* key, const auto& list) {
        root[key] = Json::array();
        for (const auto& each : list) root[key].push_back(itemJson(each));
    };
    all("colliders", s.colliders);
    all("winds", s.winds);
    all("pins", s.pins);
    if (!s.gauges.empty()) all("gauges", s.gauges);
    all("layers", s.layers);
    root["shots"] = Json::array();
    for (const scene::Shot& shot : s.shots) root["shots"].push_back(shotJson(shot));
    const Json bare = s.takes.empty() ? Json() : root;
    for (const scene::Take& t : s.takes) {
        Json j{{"id", t.id}, {"name", t.name}};
        if (!t.note.empty()) j["note"] = t.note;
        j["frame"] = t.frame + 1;
        if (t.picture) j["picture"] = base64(t.picture->data(), t.picture->size());
        j["scene"] = sceneJson(*t.scene, folder);
        shortenTake(j["scene"], bare);
        putUnknown(j, t.unknown);
        root["takes"].push_back(std::move(j));
    }
    for (const scene::Unread& u : s.unread) {
        Json entry = *u.entry;
        if (u.version < kSceneVersion) entry["version"] = u.version;
        if (!u.file.empty()) entry["file"] = relativeTo(folder, u.file);
        root[u.list].push_back(std::move(entry));
    }
    putUnknown(root, s.unknown);
    return root;
}

/// Reads what is about to be written, with the actors that are there. Throws Failure where opening would refuse it: a file that
/// does not open again takes the place of none that does.
void readBack(const scene::Scene& s, const Json& json, const fs::path& folder) {
    ActorFiles files;
    std::error_code bad;
    const auto know = [&](const scene::Scene& of) {
        for (const scene::ActorEntry& a : of.actors)
            if (!a.isPiece())
                files[fs::weakly_canonical(fs::path(a.file).lexically_normal(), bad).string()] = a.source ? a.source : a.actor;
    };
    know(s);
    for (const scene::Take& t : s.takes) know(*t.scene);
    try {
        // Strictly: what a reader would have to change is not written.
        parseScene(Place(json, ""), folder, nullptr, files);
    } catch (const Failure& f) {
        throw Failure(f.error().place, "it was not written, as it would not open again: " + f.error().sentence);
    }
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
    return ofFile(path.string(), [&] {
        const rig::Bytes bytes = readBytes(path);
        const Json json = parseJson(std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
        ActorFiles files;
        const Leniently lenient;
        scene::Scene scene = parseScene(Place(json, ""), fs::absolute(path).parent_path(), nullptr, files);
        scene.changedOnReading = lenient.said();
        return scene;
    });
}

Result<Done> writeScene(const scene::Scene& scene, const fs::path& path) {
    return ofFile(path.string(), [&] {
        const Json json = sceneJson(scene, fs::absolute(path).parent_path().lexically_normal());
        const std::string text = textOf(json);
        readBack(scene, json, fs::absolute(path).parent_path());
        writeAtomically(path, text.data(), text.size());
        return Done{};
    });
}

std::string addActor(scene::Scene& scene, std::shared_ptr<const rig::Actor> actor) {
    scene::ActorEntry a;
    a.id = scene.freshId(actor->name);
    a.name = actor->name;
    a.file = actor->source.path;
    a.values = scene::startValues(scene::actorTable());
    a.actor = std::move(actor);
    const std::string id = a.id;
    scene.actors.push_back(std::move(a));
    scene::addShots(scene, id);
    return id;
}

scene::Scene sceneOf(std::shared_ptr<const rig::Actor> actor) {
    scene::Scene s;
    addActor(s, std::move(actor));
    return s;
}

}  // namespace nutatio::files
