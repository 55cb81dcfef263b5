// Many chains and layers at once.
#include <algorithm>

#include "edit/edit.h"
#include "layers/meeting.h"
#include "layers/registry.h"
#include "rig/parts.h"

namespace nutatio::edit {

namespace {

scene::Owner owner(const std::string& layer) {
    return {scene::List::Layers, layer};
}

/// Settings that say what a thing acts on or where it stands, and not how it moves.
bool isPlace(const scene::SettingSpec& row) {
    const auto begins = [&](std::string_view stem) { return row.id.substr(0, stem.size()) == stem; };
    return row.type == scene::SettingType::Joint || row.type == scene::SettingType::Mount ||
           row.type == scene::SettingType::Joints || row.role == scene::Role::Target || begins("offset_") || begins("place_") ||
           begins("turn_");
}

}  // namespace

std::vector<Suited> suitedTo(const scene::Scene& scene, std::string_view kind, const std::string& actor) {
    const scene::ActorEntry* a = scene.actor(actor);
    const layers::LayerKind* k = layers::findKind(kind);
    std::vector<Suited> out;
    if (!a || !k || k->suits.empty()) return out;
    const rig::Skeleton& s = a->actor->skeleton;
    std::vector<char> taken(static_cast<std::size_t>(s.size()), false);
    for (const scene::Layer& l : scene.layers) {
        const layers::LayerKind* other = l.actor == actor ? layers::findKind(l.kind) : nullptr;
        if (other && !other->problem(*a->actor, l))
            for (const layers::Moved& m : other->moves(*a->actor, l)) taken[static_cast<std::size_t>(m.joint)] = true;
    }
    const std::vector<rig::Part> suggested = rig::suggestedParts(*a->actor);
    std::vector<int> sortOf(taken.size(), -1);
    for (const rig::Part& p : suggested)
        for (int j : p.joints) sortOf[static_cast<std::size_t>(j)] = static_cast<int>(p.sort);
    const auto add = [&](const std::string& name, const std::vector<int>& joints) {
        if (joints.empty() || sortOf[static_cast<std::size_t>(joints.front())] < 0) return;
        const auto sort = static_cast<rig::Sort>(sortOf[static_cast<std::size_t>(joints.front())]);
        if (std::find(k->suits.begin(), k->suits.end(), sort) == k->suits.end()) return;
        if (std::any_of(joints.begin(), joints.end(), [&](int j) { return taken[static_cast<std::size_t>(j)] != 0; })) return;
        Suited fit{name, {}};
        for (int j : joints) {
            taken[static_cast<std::size_t>(j)] = true;
            if (std::none_of(joints.begin(), joints.end(), [&](int o) { return o != j && s.isBelow(j, o); }))
                fit.joints.push_back(s.reference(j));
        }
        out.push_back(std::move(fit));
    };
    for (const scene::Part& p : a->parts) {
        std::vector<int> joints;
        for (const std::string& name : p.joints)
            if (const int j = s.find(name); j != rig::kNoJoint) joints.push_back(j);
        add(p.name, joints);
    }
    for (const rig::Part& p : suggested) add(p.name, p.joints);
    return out;
}

std::string addLayerTo(scene::Scene& scene, std::string_view kind, const std::string& actor, const std::vector<Suited>& parts) {
    std::vector<std::string> joints;
    for (const Suited& p : parts) joints.insert(joints.end(), p.joints.begin(), p.joints.end());
    return joints.empty() ? std::string() : addLayer(scene, kind, actor, std::move(joints));
}

Result<Done> setApart(scene::Scene& s, const std::string& layer, const std::string& joint, std::string_view setting,
                      std::optional<double> value) {
    const scene::Layer* l = std::as_const(s).layer(layer);
    const scene::ActorEntry* a = l ? std::as_const(s).actor(l->actor) : nullptr;
    const layers::LayerKind* kind = l ? layers::findKind(l->kind) : nullptr;
    if (!a || !kind) return refused("there is no layer \"" + layer + "\"");
    const rig::Skeleton& k = a->actor->skeleton;
    const int j = k.find(joint);
    const auto& targets = l->list(kind->target());
    if (j == rig::kNoJoint || std::none_of(targets.begin(), targets.end(), [&](const std::string& t) { return k.find(t) == j; }))
        return refused("the layer does not act on \"" + joint + "\"");
    const scene::SettingSpec* row = kind->setting(setting);
    if (!row) return refused("\"" + layer + "\" has no setting \"" + std::string(setting) + "\"");
    if (!scene::mayDiffer(*row)) return refused("\"" + std::string(row->label) + "\" is the same for all that the layer acts on");
    auto apart = l->apart;
    auto& own = apart[k.reference(j)];
    if (value)
        own[std::string(setting)] = scene::clampTo(*row, *value);
    else if (const auto at = own.find(setting); at != own.end())
        own.erase(at);
    if (own.empty()) apart.erase(k.reference(j));
    if (apart != l->apart) s.layer(layer)->apart = std::move(apart);
    return Done{};
}

Result<std::vector<std::string>> splitLayer(scene::Scene& scene, const std::string& layer) {
    const scene::Layer* l = std::as_const(scene).layer(layer);
    const scene::ActorEntry* a = l ? std::as_const(scene).actor(l->actor) : nullptr;
    const layers::LayerKind* kind = l ? layers::findKind(l->kind) : nullptr;
    if (!a || !kind) return refused("there is no layer \"" + layer + "\"");
    const std::vector<std::string> targets = l->list(kind->target());
    if (targets.size() < 2) return refused("it acts on one thing alone: there is nothing to split");
    scene::Scene s = scene;
    std::vector<std::string> ids{layer};
    for (std::size_t n = 1; n < targets.size(); ++n) ids.push_back(duplicate(s, owner(ids.back())));
    const rig::Skeleton& k = a->actor->skeleton;
    for (std::size_t n = 0; n < targets.size(); ++n) {
        scene::Layer& one = *s.layer(ids[n]);
        const int j = k.find(targets[n]);
        one.set(kind->target(), std::vector<std::string>{targets[n]});
        one.name = j == rig::kNoJoint ? targets[n] : rig::partName(rig::plainName(k, j));
        // What was apart is its own value now.
        if (const auto own = one.apart.find(k.reference(j)); own != one.apart.end()) {
            const auto values = own->second;
            for (const auto& [setting, value] : values) {
                one.set(setting, value);
                for (std::size_t i = 0; i < s.shots.size(); ++i)
                    if (s.shots[i].keysOf(owner(ids[n]), setting)) s.shots.edit(i).keys[owner(ids[n])].erase(setting);
            }
        }
        one.apart.clear();
    }
    // Winds that blew on it blow on all of them.
    for (std::size_t i = 0; i < s.winds.size(); ++i) {
        const auto& on = s.winds[i].layers;
        if (std::find(on.begin(), on.end(), layer) != on.end())
            s.winds.edit(i).layers.insert(s.winds.edit(i).layers.end(), ids.begin() + 1, ids.end());
    }
    scene = std::move(s);
    return ids;
}

Result<Done> mergeLayers(scene::Scene& scene, const std::vector<std::string>& which) {
    if (which.size() < 2) return refused("at least two layers are wanted");
    const scene::Layer* first = std::as_const(scene).layer(which.front());
    const layers::LayerKind* kind = first ? layers::findKind(first->kind) : nullptr;
    if (!kind) return refused("there is no layer \"" + which.front() + "\"");
    const scene::ActorEntry* a = std::as_const(scene).actor(first->actor);
    if (!a) return refused("the layer has no actor");
    const rig::Skeleton& k = a->actor->skeleton;
    scene::Scene s = scene;
    std::vector<std::string> targets = first->list(kind->target());
    auto apart = first->apart;
    const auto keysIn = [&](std::size_t shot, const std::string& layer) {
        const scene::KeysOf* keys = scene.shots[shot].keysOf(owner(layer));
        return keys ? *keys : scene::KeysOf();
    };
    for (std::size_t n = 1; n < which.size(); ++n) {
        const scene::Layer* other = std::as_const(scene).layer(which[n]);
        if (!other) return refused("there is no layer \"" + which[n] + "\"");
        if (other->kind != first->kind || other->actor != first->actor)
            return refused("\"" + other->name + "\" is of another kind or actor than \"" + first->name + "\"");
        // A value set apart for one joint is a plain number: keys of that joint would be lost.
        for (std::size_t i = 0; i < scene.shots.size(); ++i)
            if (const scene::KeysOf own = keysIn(i, other->id); !own.empty() && own != keysIn(i, first->id))
                return refused("\"" + other->name + "\" has keys of its own in \"" + scene.shots[i].name +
                               "\": they would be lost");
        // A wind that blew on it blows on what takes its place.
        for (std::size_t i = 0; i < s.winds.size(); ++i) {
            const auto& on = s.winds[i].layers;
            if (std::find(on.begin(), on.end(), other->id) != on.end() && std::find(on.begin(), on.end(), first->id) == on.end())
                s.winds.edit(i).layers.push_back(first->id);
        }
        for (const std::string& t : other->list(kind->target())) {
            if (std::find(targets.begin(), targets.end(), t) != targets.end()) continue;
            targets.push_back(t);
            const std::string joint = k.reference(std::max(0, k.find(t)));
            auto own =
                other->apart.count(joint) > 0 ? other->apart.find(joint)->second : std::map<std::string, double, std::less<>>();
            for (const scene::SettingSpec& row : kind->settings)
                if (scene::mayDiffer(row) && own.count(row.id) == 0 && other->number(row.id) != first->number(row.id))
                    own[std::string(row.id)] = other->number(row.id);
            if (!own.empty()) apart[joint] = std::move(own);
        }
        remove(s, owner(which[n]));
    }
    scene::Layer& all = *s.layer(which.front());
    const std::string stem = all.name.substr(0, all.name.rfind(" +"));
    all.name = stem + (targets.size() > 1 ? " +" + std::to_string(targets.size() - 1) : "");
    all.set(kind->target(), std::move(targets));
    all.apart = std::move(apart);
    scene = std::move(s);
    return Done{};
}

Result<Done> copySettings(scene::Scene& scene, const scene::Owner& from, const std::vector<scene::Owner>& to) {
    const scene::Tuned* source = std::as_const(scene).tuned(from);
    if (!source) return refused("there is nothing to copy from");
    const scene::Table table = layers::tableOf(scene, from);
    scene::Scene s = scene;
    for (const scene::Owner& o : to) {
        if (o == from) continue;
        if (o.list != from.list || !std::as_const(s).tuned(o)) return refused("settings are copied between things of one list");
        const scene::Table theirs = layers::tableOf(s, o);
        for (const scene::SettingSpec& row : table) {
            const scene::SettingSpec* same = findRow(theirs, row.id);
            const auto value = source->values.find(row.id);
            if (!same || same->type != row.type || isPlace(row) || value == source->values.end()) continue;
            const std::string id(row.id);
            scene::Tuned& t = *s.tuned(o);
            const double* number = std::get_if<double>(&value->second);
            t.set(id, number ? scene::Value(scene::clampTo(*same, *number)) : value->second);
            t.profiles.erase(id);
            if (const auto p = source->profiles.find(id); p != source->profiles.end() && same->profiled)
                t.profiles[id] = p->second;
            for (std::size_t i = 0; i < s.shots.size(); ++i) {
                const scene::Keys* keys = scene.shots[i].keysOf(from, id);
                if (!keys && !s.shots[i].keysOf(o, id)) continue;
                scene::Shot& shot = s.shots.edit(i);
                if (keys && same->keyable)
                    shot.keys[o][id] = *keys;
                else
                    shot.keys[o].erase(id);
                if (shot.keys[o].empty()) shot.keys.erase(o);
            }
        }
    }
    scene = std::move(s);
    return Done{};
}

const scene::SettingSpec* passesOf(const scene::Layer& layer) {
    const layers::LayerKind* kind = layers::findKind(layer.kind);
    if (!kind || !kind->meets || !kind->meets->all()) return nullptr;
    for (const scene::SettingSpec& row : kind->settings)
        if (row.type == scene::SettingType::Colliders) return &row;
    return nullptr;
}

bool meets(const scene::Layer& layer, const std::string& body) {
    const scene::SettingSpec* row = passesOf(layer);
    if (!row) return false;
    const std::vector<std::string>& passed = layer.list(std::string(row->id));
    return std::find(passed.begin(), passed.end(), body) == passed.end();
}

void meet(scene::Scene& s, const std::string& layer, const std::vector<std::string>& bodies, bool minds) {
    const scene::Layer* l = std::as_const(s).layer(layer);
    const scene::SettingSpec* row = l ? passesOf(*l) : nullptr;
    if (!row) return;
    std::vector<std::string> passed = l->list(std::string(row->id));
    for (const std::string& b : bodies) {
        std::erase(passed, b);
        if (!minds) passed.push_back(b);
    }
    if (passed != l->list(std::string(row->id))) s.layer(layer)->set(std::string(row->id), std::move(passed));
}

}  // namespace nutatio::edit
