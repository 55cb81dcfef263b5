#include "layers/registry.h"
#include "layers/mover.h"

#include <algorithm>
#include <charconv>
#include <nlohmann/json.hpp>
#include <unordered_set>

#include "layers/act/act.h"
#include "layers/balance/balance.h"
#include "layers/borrow/borrow.h"
#include "layers/carry/carry.h"
#include "layers/fall/fall.h"
#include "layers/hold/hold.h"
#include "layers/jiggle/jiggle.h"
#include "layers/overlap/overlap.h"
#include "layers/ragdoll/ragdoll.h"
#include "layers/steady/steady.h"
#include "layers/strand/strand.h"
#include "layers/sway/sway.h"
#include "layers/touchup/touchup.h"
#include "layers/travel/travel.h"
#include "rig/parts.h"
#include "scene/items.h"

namespace nutatio::layers {

namespace {
constexpr const LayerKind* kKinds[] = {
    &strand::kKind, &jiggle::kKind,  &sway::kKind, &overlap::kKind, &steady::kKind, &touchup::kKind, &borrow::kKind,
    &travel::kKind, &ragdoll::kKind, &act::kKind,  &hold::kKind,    &fall::kKind,   &balance::kKind, &carry::kKind,
};

std::string shown(double v) {
    char text[40];
    std::snprintf(text, sizeof text, "%g", v);
    return text;
}

/// "tail_01" -> "tail": the number of the first joint says nothing about the part.
bool rightType(const scene::SettingSpec& spec, const scene::Value& value) {
    return value.index() == scene::startValue(spec).index();
}

std::string inOrder(std::string_view axes) {
    std::string s;
    for (char c : {'x', 'y', 'z'})
        if (axes.find(c) != std::string_view::npos) s += c;
    return s;
}

bool isChoice(const scene::SettingSpec& spec, std::string_view id) {
    const auto choices = choicesOf(spec);
    return std::find(choices.begin(), choices.end(), id) != choices.end();
}

std::string choiceList(const scene::SettingSpec& spec) {
    std::string s;
    for (std::string_view c : choicesOf(spec)) s += (s.empty() ? "" : ", ") + std::string(c);
    return s;
}

std::string outside(const scene::SettingSpec& spec, double was, double is) {
    return shown(was) + " is outside " + shown(spec.range.low) + " to " + shown(spec.range.high) + "; " + shown(is) + " is used";
}

/// A profile of a setting that may not have one stays in the file; its values lie within range.
void settleProfiles(scene::Tuned& tuned, scene::Table table, const std::string& who, std::vector<std::string>& said) {
    for (auto at = tuned.profiles.begin(); at != tuned.profiles.end();) {
        const scene::SettingSpec* spec = findRow(table, at->first);
        if (!spec || !spec->profiled) {
            said.push_back(who + ": \"" + at->first +
                           "\" cannot have a profile in this version; the file keeps it and it does nothing");
            tuned.idleProfiles.insert(tuned.profiles.extract(at++));
            continue;
        }
        int moved = 0;
        for (scene::ProfilePoint& p : at->second) {
            const double kept = within(p.times, 0.0, scene::kMostTimes);
            moved += kept != p.times;
            p.times = kept;
        }
        if (moved)
            said.push_back(who + ", " + std::string(spec->label) + ": " + std::to_string(moved) +
                           " points of its profile lay outside 0 to " + shown(scene::kMostTimes) + "; the nearest value is used");
        ++at;
    }
}

/// The default takes the place of a value that this version cannot use, which stays in the file.
void standIn(scene::Tuned& tuned, const scene::SettingSpec& spec) {
    scene::Tuned::Idle& idle = tuned.idleValues[std::string(spec.id)];
    scene::Value& value = tuned.values[std::string(spec.id)];
    if (!idle.value) std::visit([&](const auto& v) { idle.value = std::make_shared<const nlohmann::ordered_json>(v); }, value);
    value = scene::startValue(spec);
    idle.standIn = value;
}

void settleTuned(scene::Tuned& tuned, scene::Table table, const std::string& who, std::vector<std::string>& said) {
    for (const scene::SettingSpec& spec : table) {
        if (spec.each != scene::Each::None) continue;
        const auto at = tuned.values.find(spec.id);
        const std::string where = who + ", " + std::string(spec.label);
        if (at == tuned.values.end()) {
            const bool unusable = tuned.idleValues.count(spec.id) > 0;
            tuned.values[std::string(spec.id)] = scene::startValue(spec);
            if (!unusable) continue;
            standIn(tuned, spec);
            said.push_back(where + ": the value is of the wrong type; the default is used and the file keeps the value");
        } else if (!rightType(spec, at->second)) {
            standIn(tuned, spec);
            said.push_back(where + ": the value is of the wrong type; the default is used and the file keeps the value");
        } else if (spec.type == scene::SettingType::Number) {
            double& v = std::get<double>(at->second);
            const double kept = scene::clampTo(spec, v);
            if (kept != v) said.push_back(where + ": " + outside(spec, v, kept));
            v = kept;
        } else if (spec.type == scene::SettingType::Axes) {
            std::get<std::string>(at->second) = inOrder(std::get<std::string>(at->second));
        } else if (spec.type == scene::SettingType::Choice && !isChoice(spec, std::get<std::string>(at->second))) {
            said.push_back(where + ": \"" + std::get<std::string>(at->second) + "\" is not one of " + choiceList(spec) + "; \"" +
                           std::string(choicesOf(spec).front()) + "\" is used");
            standIn(tuned, spec);
        }
    }
    for (auto at = tuned.values.begin(); at != tuned.values.end();) {
        const scene::SettingSpec* spec = scene::channelOf(at->first).empty() ? nullptr : findRow(table, at->first);
        double* v = std::get_if<double>(&at->second);
        if (!spec || (v && scene::clampTo(*spec, *v) == *v)) {
            ++at;
            continue;
        }
        const std::string where = who + ", " + labelOf(*spec, at->first);
        if (v) {
            said.push_back(where + ": " + outside(*spec, *v, scene::clampTo(*spec, *v)));
            *v = scene::clampTo(*spec, *v);
            ++at;
        } else {
            said.push_back(where + ": the value is of the wrong type and does nothing");
            at = tuned.values.erase(at);
        }
    }
    for (const auto& [id, idle] : tuned.idleValues)
        if (!findRow(table, id)) said.push_back(who + ": \"" + id + "\" is not known and does nothing; the file keeps it");
    settleProfiles(tuned, table, who, said);
}

std::string nameOf(const scene::Owner& owner, const scene::Tuned& tuned) {
    std::string list(scene::listName(owner.list));
    list.pop_back();
    return list + " \"" + tuned.name + "\"";
}

/// Keys stay in the file whatever this version makes of them; those that count lie within range.
void settleShots(scene::Scene& scene, std::vector<std::string>& said) {
    for (std::size_t i = 0; i < scene.shots.size(); ++i)
        for (const auto& [owner, all] : scene.shots[i].keys) {
            const scene::Tuned* tuned = std::as_const(scene).tuned(owner);
            if (!tuned) continue;
            const scene::Table table = tableOf(scene, owner);
            for (const auto& [id, keys] : all) {
                if (scene::isResting(id) && findRow(table, scene::restingId(id))) continue;
                const scene::SettingSpec* spec = findRow(table, id);
                const std::string who = nameOf(owner, *tuned);
                if (!spec || !spec->keyable) {
                    if (!table.empty())
                        said.push_back(who + ": \"" + id +
                                       "\" cannot have keys in this version; the file keeps them and they do nothing");
                    continue;
                }
                const auto moved = std::count_if(
                    keys.begin(), keys.end(), [&](const scene::KeyAt& k) { return scene::clampTo(*spec, k.value) != k.value; });
                if (moved == 0) continue;
                for (scene::KeyAt& k : scene.shots.edit(i).keys[owner].find(id)->second) k.value = scene::clampTo(*spec, k.value);
                said.push_back(who + ", " + std::string(spec->label) + ": " + std::to_string(moved) +
                               " of its keys lay outside " + shown(spec->range.low) + " to " + shown(spec->range.high) +
                               "; the nearest value is used");
            }
        }
}

void settleItems(scene::Scene& scene, std::vector<std::string>& said) {
    const auto missing = [&](const scene::Mount& mount) {
        const scene::ActorEntry* actor = std::as_const(scene).actor(mount.actor);
        return !actor || (!mount.spot && actor->actor->skeleton.find(mount.joint) == rig::kNoJoint);
    };
    const auto settled = [&](auto& list, scene::Table table, const char* what) {
        for (std::size_t i = 0; i < list.size(); ++i)
            settleTuned(list.edit(i), table, std::string(what) + " \"" + list[i].name + "\"", said);
    };
    for (std::size_t i = 0; i < scene.actors.size(); ++i)
        settleTuned(scene.actors.edit(i), scene::actorTable(scene.actors[i]), "actor \"" + scene.actors[i].name + "\"", said);
    settled(scene.colliders, scene::colliderTable(), "collider");
    settled(scene.pins, scene::pinTable(), "pin");
    settled(scene.winds, scene::windTable(), "wind");
    settled(scene.gauges, scene::gaugeTable(), "gauge");
    for (const scene::Collider& c : scene.colliders)
        if (!c.mount.world() && missing(c.mount))
            said.push_back("collider \"" + c.name + "\": there is no joint \"" + c.mount.joint +
                           "\"; the collider is kept and does nothing");
    for (const scene::Pin& p : scene.pins) {
        if (missing({p.actor, p.joint}))
            said.push_back("pin \"" + p.name + "\": there is no joint \"" + p.joint +
                           "\" to hold; the pin is kept and does nothing");
        else if (!p.to.world() && missing(p.to))
            said.push_back("pin \"" + p.name + "\": there is no joint \"" + p.to.joint +
                           "\" to hold to; the pin is kept and does nothing");
    }
    for (const scene::Wind& w : scene.winds)
        for (const std::string& id : w.layers)
            if (!std::as_const(scene).layer(id))
                said.push_back("wind \"" + w.name + "\": there is no layer \"" + id + "\" to blow on");
    for (const scene::Gauge& g : scene.gauges)
        if (missing(g.of) || (g.to && missing(*g.to)))
            said.push_back("gauge \"" + g.name + "\": there is no joint \"" + (missing(g.of) ? g.of : *g.to).joint +
                           "\"; the gauge is kept and reads nothing");
}

}  // namespace

std::span<const LayerKind* const> kinds() {
    return kKinds;
}

namespace {
const LayerKind* g_extra = nullptr;
}

ExtraKind::ExtraKind(const LayerKind& kind) {
    g_extra = &kind;
}
ExtraKind::~ExtraKind() {
    g_extra = nullptr;
}

const LayerKind* findKind(std::string_view id) {
    if (g_extra && g_extra->id == id) return g_extra;
    const auto at = std::find_if(std::begin(kKinds), std::end(kKinds), [&](const LayerKind* k) { return k->id == id; });
    return at == std::end(kKinds) ? nullptr : *at;
}

scene::Table tableOf(const scene::Scene& scene, const scene::Owner& owner) {
    switch (owner.list) {
        case scene::List::Actors: {
            const scene::ActorEntry* a = scene.actor(owner.id);
            return a ? scene::actorTable(*a) : scene::actorTable();
        }
        case scene::List::Colliders:
            return scene::colliderTable();
        case scene::List::Winds:
            return scene::windTable();
        case scene::List::Pins:
            return scene::pinTable();
        case scene::List::Gauges:
            return scene::gaugeTable();
        case scene::List::Layers: {
            const scene::Layer* l = scene.layer(owner.id);
            const LayerKind* kind = l ? findKind(l->kind) : nullptr;
            return kind ? kind->settings : scene::Table{};
        }
    }
    return {};
}

scene::Layer newLayer(const LayerKind& kind, const scene::Scene& scene, const scene::ActorEntry& actor,
                      std::vector<std::string> joints) {
    scene::Layer l;
    l.kind = kind.id;
    l.actor = actor.id;
    l.values = scene::startValues(kind.settings);
    // Of clips, the first one that does not play already.
    for (const scene::SettingSpec& row : kind.settings)
        if (row.type == scene::SettingType::Clip && !actor.actor->clips.empty())
            l.set(row.id, scene::clipReference(*actor.actor,
                                               scene.clipOf(scene.shot(), actor) == 0 && actor.actor->clips.size() > 1 ? 1 : 0));
    const int first = joints.empty() ? rig::kNoJoint : actor.actor->skeleton.find(joints.front());
    l.name = joints.empty()           ? std::string(kind.label)
             : first == rig::kNoJoint ? joints.front()
                                      : rig::partName(rig::plainName(actor.actor->skeleton, first));
    if (joints.size() > 1) l.name += " +" + std::to_string(joints.size() - 1);
    // Two of a kind on the same joints are told apart by a number.
    const std::string name = l.name;
    std::unordered_set<std::string_view> taken;
    for (const scene::Layer& other : scene.layers)
        if (other.kind == l.kind) taken.insert(other.name);
    for (int n = 2; taken.count(l.name) > 0; ++n) l.name = name + " " + std::to_string(n);
    l.set(kind.target(), std::move(joints));
    l.id = scene.freshId(name + "-" + std::string(kind.id));
    return l;
}

std::vector<JointRows> rowsByJoint(const LayerKind& kind, const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<JointRows> out;
    if (kind.byHand) return out;
    // Asked for while the stage is drawn: what it moves is found once, and only where a row wants it.
    std::vector<int> moved;
    for (const scene::SettingSpec& row : kind.settings) {
        if (row.each != scene::Each::Joint) continue;
        std::vector<int> joints;
        if (kind.concerned) {
            joints = kind.concerned(actor, layer, row.id);
        } else {
            if (moved.empty())
                for (const Moved& m : kind.moves(actor, layer)) moved.push_back(m.joint);
            joints = moved;
        }
        for (int joint : joints) {
            auto at = std::find_if(out.begin(), out.end(), [&](const JointRows& r) { return r.joint == joint; });
            if (at == out.end()) at = out.insert(out.end(), JointRows{joint, {}});
            at->rows.push_back(&row);
        }
    }
    return out;
}

Result<scene::Value> parseValue(const scene::SettingSpec& spec, std::string_view text, const rig::Actor& actor) {
    const std::string id(spec.id);
    const auto joint = [&](std::string_view name) { return actor.skeleton.find(name) != rig::kNoJoint; };
    switch (spec.type) {
        case scene::SettingType::Number: {
            double v = 0;
            const auto [at, bad] = std::from_chars(text.data(), text.data() + text.size(), v);
            if (bad != std::errc() || at != text.data() + text.size() || !std::isfinite(v))
                return Error{"", id, "\"" + std::string(text) + "\" is not a number"};
            if (v < spec.range.low || v > spec.range.high)
                return Error{"", id, shown(v) + " is outside " + shown(spec.range.low) + " to " + shown(spec.range.high)};
            return scene::Value(v);
        }
        case scene::SettingType::Axes:
            if (text == "none") return scene::Value(std::string());
            if (text.empty() || text.find_first_not_of("xyz") != std::string_view::npos)
                return Error{"", id, "axes are some of x, y, z, or none"};
            return scene::Value(inOrder(text));
        case scene::SettingType::Choice:
            if (!isChoice(spec, text)) return Error{"", id, "\"" + std::string(text) + "\" is not one of " + choiceList(spec)};
            return scene::Value(std::string(text));
        case scene::SettingType::Colliders: {
            std::vector<std::string> ids;
            for (std::size_t from = 0; from < text.size();) {
                const std::size_t to = std::min(text.find('+', from), text.size());
                ids.emplace_back(text.substr(from, to - from));
                from = to + 1;
            }
            return scene::Value(std::move(ids));
        }
        case scene::SettingType::Region:
            return scene::Value(std::string(text));
        case scene::SettingType::Clip:
            if (!text.empty() && actor.findClip(text) < 0) return Error{"", id, "there is no clip \"" + std::string(text) + "\""};
            return scene::Value(std::string(text));
        case scene::SettingType::Joint:
            if (!text.empty() && !joint(text)) return Error{"", id, "there is no joint \"" + std::string(text) + "\""};
            return scene::Value(std::string(text));
        case scene::SettingType::Mount: {
            // What another actor has only its scene can tell; of the own one a spot needs no joint.
            const auto mount = scene::mountIn(actor.skeleton, {}, std::string(text));
            if (mount && mount->world() && !mount->spot && !joint(mount->joint))
                return Error{"", id, "there is no joint \"" + mount->joint + "\""};
            return scene::Value(std::string(text));
        }
        case scene::SettingType::Joints: {
            std::vector<std::string> names;
            if (joint(text)) return scene::Value(std::vector<std::string>{std::string(text)});
            for (std::size_t from = 0; from <= text.size();) {
                const std::size_t to = std::min(text.find('+', from), text.size());
                names.emplace_back(text.substr(from, to - from));
                if (!joint(names.back())) return Error{"", id, "there is no joint \"" + names.back() + "\""};
                from = to + 1;
            }
            return scene::Value(std::move(names));
        }
    }
    return Error{"", id, "the value cannot be read"};
}

std::vector<bool> swungJoints(const scene::Scene& scene, const scene::ActorEntry& actor) {
    std::vector<bool> out(static_cast<std::size_t>(actor.actor->skeleton.size()), false);
    for (const scene::Layer& l : scene.layers)
        if (const LayerKind* kind = l.actor == actor.id ? findKind(l.kind) : nullptr;
            kind && kind->simulated && kind->simulated->swings)
            for (int j : kind->simulated->swings(*actor.actor, l)) out[static_cast<std::size_t>(j)] = true;
    return out;
}

std::vector<std::string> settle(scene::Scene& scene) {
    std::vector<std::string> said;
    for (std::size_t i = 0; i < scene.layers.size(); ++i) {
        scene::Layer& layer = scene.layers.edit(i);
        const LayerKind* kind = findKind(layer.kind);
        const scene::ActorEntry* actor = std::as_const(scene).actor(layer.actor);
        if (!kind) {
            said.push_back("layer \"" + layer.name + "\": this version has no layer kind \"" + layer.kind +
                           "\"; the layer is kept and does nothing");
            continue;
        }
        settleTuned(layer, kind->settings, "layer \"" + layer.name + "\"", said);
        if (!layer.shot.empty() &&
            (!std::as_const(scene).findShot(layer.shot) || std::as_const(scene).findShot(layer.shot)->id != layer.shot))
            said.push_back("layer \"" + layer.name + "\": there is no shot \"" + layer.shot + "\", in which alone it is to act");
        if (!actor)
            said.push_back("layer \"" + layer.name + "\": there is no actor \"" + layer.actor +
                           "\"; the layer is kept and does nothing");
        else if (const auto problem = kind->problem(*actor->actor, layer))
            said.push_back("layer \"" + layer.name + "\": " + *problem + "; the layer is kept and does nothing");
    }
    settleItems(scene, said);
    settleShots(scene, said);
    return said;
}

}  // namespace nutatio::layers
