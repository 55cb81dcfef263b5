#include "edit/edit.h"

#include <algorithm>
#include <set>

#include "edit/gauges.h"
#include "edit/mounts.h"
#include "files/set_piece.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "rig/carried.h"
#include "rig/record.h"
#include "rig/roles.h"
#include "scene/fit.h"
#include "scene/items.h"

namespace nutatio::edit {

namespace {

/// Every shot whose keys or cuts the change concerns, and no other.
template <class Test, class Change>
void eachShot(scene::Scene& s, const Test& concerns, const Change& change) {
    for (std::size_t i = 0; i < s.shots.size(); ++i)
        if (concerns(s.shots[i])) change(s.shots.edit(i));
}

/// Whether a shot has keys, intervals or a seal of a thing.
bool belongs(const scene::Shot& shot, const scene::Owner& owner) {
    return shot.keysOf(owner) ||
           (owner.list == scene::List::Layers && (shot.intervals.count(owner.id) > 0 || shot.seals.count(owner.id) > 0));
}

template <class Item>
std::string copyOf(scene::Scene& s, SharedList<Item>& list, const scene::Owner& owner, std::size_t after) {
    const std::size_t at = list.find([&](const Item& x) { return x.id == owner.id; });
    if (at == list.size()) return {};
    Item copy = list[at];
    copy.id = s.freshId(copy.id);
    copy.name += " copy";
    const std::string id = copy.id;
    list.insert(after == 0 ? list.size() : at + after, std::move(copy));
    eachShot(
        s, [&](const scene::Shot& shot) { return belongs(shot, owner); },
        [&](scene::Shot& shot) {
            if (shot.keysOf(owner)) shot.keys[{owner.list, id}] = shot.keys[owner];
            if (owner.list == scene::List::Layers && shot.intervals.count(owner.id) > 0)
                shot.intervals[id] = shot.intervals[owner.id];
        });
    return id;
}

template <class Item>
std::size_t eraseOf(SharedList<Item>& list, const std::string& id) {
    return list.eraseIf([&](const Item& x) { return x.id == id; });
}

/// Nothing passes through a collider or a piece that is gone.
void forgetBody(scene::Scene& s, const std::string& body) {
    for (std::size_t i = 0; i < s.layers.size(); ++i)
        for (const auto& [id, value] : s.layers[i].values) {
            const scene::SettingSpec* row = findRow(layers::tableOf(s, {scene::List::Layers, s.layers[i].id}), id);
            const auto* list = std::get_if<std::vector<std::string>>(&value);
            if (!row || row->type != scene::SettingType::Colliders || !list ||
                std::find(list->begin(), list->end(), body) == list->end())
                continue;
            std::vector<std::string> left = *list;
            std::erase(left, body);
            s.layers.edit(i).set(std::string(id), std::move(left));
            break;
        }
}

/// What a gauge that is gone has fed goes by its keys or its plain value again.
void forgetGauge(scene::Scene& s, const std::string& gauge) {
    const auto forget = [&](auto& list) {
        for (std::size_t i = 0; i < list.size(); ++i) {
            const auto& feeds = list[i].feeds;
            if (std::any_of(feeds.begin(), feeds.end(), [&](const auto& f) { return f.second.gauge == gauge; }))
                std::erase_if(list.edit(i).feeds, [&](const auto& f) { return f.second.gauge == gauge; });
        }
    };
    forget(s.layers);
    forget(s.actors);
    forget(s.colliders);
    forget(s.winds);
    forget(s.pins);
}

/// The topmost joints of what a kind takes as a whole: of all that the kind moves of the actor, whichever joint was chosen; of
/// what was chosen alone where that is a prop beside the body, or where there is no body.
std::vector<std::string> wholeOf(const rig::Actor& actor, const layers::LayerKind& kind, const std::vector<std::string>& chosen) {
    const rig::Skeleton& skeleton = actor.skeleton;
    const std::vector<int> body = rig::carriersOf(skeleton, rig::rolesOf(actor));
    std::vector<std::string> roots;
    for (const std::string& name : chosen) {
        int j = skeleton.find(name);
        while (j != rig::kNoJoint && skeleton.joint(j).parent != rig::kNoJoint) j = skeleton.joint(j).parent;
        if (j == rig::kNoJoint) continue;
        // The node that a skin stands on is chosen by a click on the mesh, and is no prop.
        if (!actor.instances->empty() && rig::carriedBelow(actor, *rig::carriedBy(actor), j) <= 0) continue;
        if (std::any_of(body.begin(), body.end(), [&](int b) { return b == j || skeleton.isBelow(b, j); })) continue;
        if (std::find(roots.begin(), roots.end(), skeleton.reference(j)) == roots.end()) roots.push_back(skeleton.reference(j));
    }
    scene::Layer prop;
    prop.set(kind.target(), roots);
    if (!roots.empty() && !kind.problem(actor, prop)) return roots;
    const std::vector<layers::Moved> whole = kind.moves(actor, {});
    std::vector<std::string> out;
    std::set<int> taken;
    for (const layers::Moved& m : whole)
        if (taken.insert(m.joint).second && std::none_of(whole.begin(), whole.end(), [&](const layers::Moved& o) {
                return o.joint != m.joint && skeleton.isBelow(m.joint, o.joint);
            }))
            out.push_back(skeleton.reference(m.joint));
    return out;
}

}  // namespace

std::string addLayer(scene::Scene& s, std::string_view kind, const std::string& actor, std::vector<std::string> joints) {
    const layers::LayerKind* k = layers::findKind(kind);
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!k || !a) return {};
    if (k->takes == layers::Takes::Body)
        joints = wholeOf(*a->actor, *k, joints);
    else if (joints.empty())
        return {};
    std::string end;
    std::vector<std::string> without;
    if (k->takes == layers::Takes::Chains) {
        // A chain hangs from the topmost joints chosen; a lone lower end says where to stop.
        const rig::Skeleton& skeleton = a->actor->skeleton;
        std::vector<int> chosen, tops;
        for (const std::string& j : joints)
            if (const int at = skeleton.find(j); at != rig::kNoJoint) chosen.push_back(at);
        for (int j : chosen)
            if (std::none_of(chosen.begin(), chosen.end(), [&](int o) { return o != j && skeleton.isBelow(j, o); }))
                tops.push_back(j);
        joints.clear();
        for (int t : tops) joints.push_back(skeleton.reference(t));
        if (tops.size() == 1 && chosen.size() > 1 && chosen.size() < skeleton.subtree(tops.front()).size()) {
            std::vector<int> way;
            for (int j : chosen)
                if (auto path = skeleton.path(tops.front(), j); path.size() > way.size()) way = path;
            const bool line = std::all_of(chosen.begin(), chosen.end(),
                                          [&](int j) { return std::find(way.begin(), way.end(), j) != way.end(); });
            if (line) {
                end = skeleton.reference(way.back());
            } else {
                // What was taken out of a tree stays out, with all below it.
                for (int j : skeleton.subtree(tops.front()))
                    if (std::none_of(chosen.begin(), chosen.end(), [&](int c) { return c == j || skeleton.isBelow(c, j); }) &&
                        std::none_of(without.begin(), without.end(),
                                     [&](const std::string& o) { return skeleton.isBelow(j, skeleton.find(o)); }))
                        without.push_back(skeleton.reference(j));
            }
        }
    }
    scene::Layer l = layers::newLayer(*k, s, *a, std::move(joints));
    if (k->takes == layers::Takes::Body) l.name = a->name + " " + std::string(k->label);
    if (const scene::SettingSpec* row = k->setting(scene::Role::End); row && !end.empty()) l.set(row->id, end);
    if (const scene::SettingSpec* row = k->setting(scene::Role::Without); row && !without.empty()) l.set(row->id, without);
    const std::string id = l.id;
    s.layers.push_back(std::move(l));
    return id;
}

Result<Done> moveLayer(scene::Scene& s, const std::string& layer, int by) {
    const std::size_t at = s.layers.find([&](const scene::Layer& l) { return l.id == layer; });
    if (at == s.layers.size()) return refused("there is no layer \"" + layer + "\"");
    scene::Scene next = s;
    next.layers.move(at, static_cast<std::size_t>(within(static_cast<int>(at) + by, 0, static_cast<int>(s.layers.size()) - 1)));
    if (auto ring = ringIn(next)) return refused(*ring);
    s = std::move(next);
    return Done{};
}

std::string duplicate(scene::Scene& s, const scene::Owner& owner) {
    switch (owner.list) {
        case scene::List::Layers:
            return copyOf(s, s.layers, owner, 1);
        case scene::List::Colliders:
            return copyOf(s, s.colliders, owner, 0);
        case scene::List::Winds:
            return copyOf(s, s.winds, owner, 0);
        case scene::List::Pins:
            return copyOf(s, s.pins, owner, 0);
        case scene::List::Gauges:
            return copyOf(s, s.gauges, owner, 0);
        case scene::List::Actors: {
            const scene::ActorEntry* a = std::as_const(s).actor(owner.id);
            return a && a->isPiece() ? copyOf(s, s.actors, owner, 0) : std::string();
        }
    }
    return {};
}

std::string addPiece(scene::Scene& s, std::string_view form) {
    const auto forms = scene::pieceForms();
    if (std::find(forms.begin(), forms.end(), form) == forms.end()) return {};
    scene::ActorEntry piece = scene::newPiece(s, form);
    files::shapePiece(piece);
    const std::string id = piece.id;
    s.actors.push_back(std::move(piece));
    return id;
}

std::string addCollider(scene::Scene& s, const std::string& actor, const std::string& joint, scene::Shape shape) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    const int j = a ? a->actor->skeleton.find(joint) : rig::kNoJoint;
    if (j == rig::kNoJoint) return {};
    scene::Collider c = scene::newCollider(s, *a, j, shape);
    const std::string id = c.id;
    s.colliders.push_back(std::move(c));
    return id;
}

int fitColliders(scene::Scene& s, const std::string& actor, const std::vector<std::string>& joints) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return 0;
    std::vector<bool> without = layers::swungJoints(s, *a);
    constexpr double kThin = 0.004, kBody = 0.02;  // heights
    if (!joints.empty()) {
        without.assign(static_cast<std::size_t>(a->actor->skeleton.size()), true);
        for (const std::string& j : joints)
            if (const int at = a->actor->skeleton.find(j); at != rig::kNoJoint) without[static_cast<std::size_t>(at)] = false;
    }
    std::vector<scene::Collider> fitted = scene::fitColliders(s, *a, without, joints.empty() ? kBody : kThin);
    for (scene::Collider& c : fitted) s.colliders.push_back(std::move(c));
    return static_cast<int>(fitted.size());
}

void standInWorld(scene::Scene& s, const std::string& collider, const Affine& world) {
    const scene::Collider* c = std::as_const(s).collider(collider);
    const scene::ActorEntry* a = c ? std::as_const(s).actor(c->mount.actor) : nullptr;
    if (!a) return;
    const scene::Placement stands = scene::placementOf(*a);
    const scene::ColliderNumbers n = scene::numbersOf(*c);
    const layers::ColliderPlace at = layers::placeCollider(n, world);
    scene::Collider& hit = *s.collider(collider);
    hit.mount = {};
    for (const char* length : {"radius", "radius_end", "length"}) hit.set(length, stands.metres * hit.number(length));
    hit.setVector("size", stands.metres * n.size);
    hit.setVector("offset", stands.toWorld(at.centre));
    hit.setVector("turn", rotationVector(stands.turn * at.turn) * degrees(1));
}

std::string addWind(scene::Scene& s, const std::string& actor) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return {};
    scene::Wind w = scene::newWind(s, *a);
    const std::string id = w.id;
    s.winds.push_back(std::move(w));
    return id;
}

void blowOn(scene::Scene& s, const std::string& wind, const std::string& layer, bool on) {
    if (!std::as_const(s).wind(wind)) return;
    scene::Wind& w = *s.wind(wind);
    // No list means every layer, those still to come too; taking one out spells the rest out.
    std::vector<std::string> chosen = w.layers;
    if (chosen.empty())
        for (const scene::Layer& each : s.layers) chosen.push_back(each.id);
    std::erase(chosen, layer);
    if (on) chosen.push_back(layer);
    if (chosen.size() == s.layers.size()) chosen.clear();
    if (chosen.empty() && !on)
        w.on = false;
    else
        w.layers = chosen;
}

std::string addPin(scene::Scene& s, const std::string& actor, int joint, const std::vector<Affine>& worlds) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return {};
    scene::Pin p = scene::newPin(s, *a, joint, worlds);
    const std::string id = p.id;
    s.pins.push_back(std::move(p));
    return id;
}

void pinTo(scene::Scene& s, const std::string& pin, const std::string& actor, const std::string& joint) {
    if (!std::as_const(s).pin(pin) || !std::as_const(s).actor(actor)) return;
    scene::Pin& p = *s.pin(pin);
    p.to = {actor, joint};
    p.setVector("offset", Vec3::Zero());
}

void remove(scene::Scene& s, const scene::Owner& owner) {
    std::size_t gone = 0;
    switch (owner.list) {
        case scene::List::Layers:
            gone = eraseOf(s.layers, owner.id);
            // Gauges that read the removed layer's result read the body's motion from now on.
            for (std::size_t i = 0; i < s.gauges.size(); ++i)
                if (s.gauges[i].after == owner.id) s.gauges.edit(i).after.clear();
            for (std::size_t i = 0; i < s.winds.size(); ++i) {
                const auto& on = s.winds[i].layers;
                if (std::find(on.begin(), on.end(), owner.id) == on.end()) continue;
                scene::Wind& w = s.winds.edit(i);
                std::erase(w.layers, owner.id);
                // It blew on that layer alone: now on none, and not on all.
                if (w.layers.empty()) w.on = false;
            }
            break;
        case scene::List::Colliders:
            gone = eraseOf(s.colliders, owner.id);
            forgetBody(s, owner.id);
            for (std::size_t i = 0; i < s.gauges.size(); ++i)
                if (const auto& over = s.gauges[i].over; std::find(over.begin(), over.end(), owner.id) != over.end())
                    std::erase(s.gauges.edit(i).over, owner.id);
            break;
        case scene::List::Winds:
            gone = eraseOf(s.winds, owner.id);
            break;
        case scene::List::Pins:
            gone = eraseOf(s.pins, owner.id);
            break;
        case scene::List::Gauges:
            gone = eraseOf(s.gauges, owner.id);
            forgetGauge(s, owner.id);
            break;
        case scene::List::Actors: {
            gone = eraseOf(s.actors, owner.id);
            forgetBody(s, owner.id);
            const auto of = [&](const auto& x) { return x.actor == owner.id; };
            std::vector<scene::Owner> more;
            for (const scene::Layer& l : s.layers)
                if (of(l)) more.push_back({scene::List::Layers, l.id});
            for (const scene::Owner& o : more) remove(s, o);
            remount(s, [&](const scene::Mount& m) { return m.actor == owner.id ? std::nullopt : std::optional(m); });
            s.shots.eraseIf([&](const scene::Shot& shot) { return shot.lead == owner.id; });
            eachShot(
                s, [&](const scene::Shot& shot) { return shot.clips.count(owner.id) + shot.lines.count(owner.id) > 0; },
                [&](scene::Shot& shot) {
                    shot.clips.erase(owner.id);
                    shot.lines.erase(owner.id);
                });
            if (!s.findShot(s.shown)) s.shown = s.shots.empty() ? "" : s.shots.front().id;
            break;
        }
    }
    if (gone == 0) return;
    eachShot(
        s, [&](const scene::Shot& shot) { return belongs(shot, owner); },
        [&](scene::Shot& shot) {
            shot.keys.erase(owner);
            if (owner.list != scene::List::Layers) return;
            shot.intervals.erase(owner.id);
            shot.seals.erase(owner.id);
        });
}

void rename(scene::Scene& s, const scene::Owner& owner, const std::string& name) {
    if (std::as_const(s).tuned(owner) && !name.empty()) s.tuned(owner)->name = name;
}

bool isOn(const scene::Scene& s, const scene::Owner& owner) {
    if (const scene::Collider* c = owner.list == scene::List::Colliders ? s.collider(owner.id) : nullptr) return c->on;
    if (const scene::Wind* w = owner.list == scene::List::Winds ? s.wind(owner.id) : nullptr) return w->on;
    if (const scene::Pin* p = owner.list == scene::List::Pins ? s.pin(owner.id) : nullptr) return p->on;
    if (const scene::ActorEntry* a = owner.list == scene::List::Actors ? s.actor(owner.id) : nullptr) return !a->hidden;
    return std::as_const(s).tuned(owner) != nullptr;
}

void turnOn(scene::Scene& s, const scene::Owner& owner, bool on) {
    if (isOn(s, owner) == on) return;
    if (scene::Collider* c = owner.list == scene::List::Colliders ? s.collider(owner.id) : nullptr) c->on = on;
    if (scene::Wind* w = owner.list == scene::List::Winds ? s.wind(owner.id) : nullptr) w->on = on;
    if (scene::Pin* p = owner.list == scene::List::Pins ? s.pin(owner.id) : nullptr) p->on = on;
    if (scene::ActorEntry* a = owner.list == scene::List::Actors ? s.actor(owner.id) : nullptr) a->hidden = !on;
}

void hide(scene::Scene& s, const scene::Owner& owner, bool hidden) {
    const scene::Tuned* t = std::as_const(s).tuned(owner);
    if (t && owner.list != scene::List::Layers && t->hidden != hidden) s.tuned(owner)->hidden = hidden;
}

void lock(scene::Scene& s, const scene::Owner& owner, bool on) {
    if (const scene::Tuned* t = std::as_const(s).tuned(owner); t && t->lock != on) s.tuned(owner)->lock = on;
}

void actHere(scene::Scene& s, const std::string& layer, bool alone) {
    if (s.shots.empty()) return;
    if (scene::Layer* l = s.layer(layer)) l->shot = alone ? s.shot().id : std::string();
}

void set(scene::Scene& s, const scene::Owner& owner, std::string_view setting, const scene::Value& value, int frame) {
    if (!std::as_const(s).tuned(owner)) return;
    const double* number = std::get_if<double>(&value);
    if (number && s.shot().keysOf(owner, setting))
        s.setNumber(owner, setting, frame, *number);
    else
        setPlain(s, owner, setting, value);
}

void setPlain(scene::Scene& s, const scene::Owner& owner, std::string_view setting, const scene::Value& value) {
    if (!std::as_const(s).tuned(owner)) return;
    s.tuned(owner)->set(setting, value);
    const scene::ActorEntry* a = owner.list == scene::List::Actors ? std::as_const(s).actor(owner.id) : nullptr;
    const scene::SettingSpec* row = a && a->isPiece() ? findRow(scene::pieceTable(), setting) : nullptr;
    if (row && scene::shapesPiece(*row)) files::shapePiece(*s.actor(owner.id));
}

void toggleKey(scene::Scene& s, const scene::Owner& owner, std::string_view setting, int frame) {
    if (!std::as_const(s).tuned(owner)) return;
    const std::string id(setting);
    const double value = s.numberAt(owner, setting, frame);
    scene::Shot& shot = s.editShot();
    scene::Keys& keys = shot.keys[owner][id];
    const double time = shot.timeOf(frame);
    const auto here = scene::keyAt(keys, time);
    if (here == keys.end()) {
        scene::putKey(keys, time, value);
        return;
    }
    keys.erase(here);
    if (!keys.empty()) return;
    shot.keys[owner].erase(id);
    if (shot.keys[owner].empty()) shot.keys.erase(owner);
    setPlain(s, owner, setting, value);
}

void markCut(scene::Scene& s, int frame) {
    scene::Shot& shot = s.editShot();
    const auto at = std::find_if(shot.cuts.begin(), shot.cuts.end(), [&](double c) { return shot.frameOf(c) == frame; });
    if (at != shot.cuts.end()) {
        shot.cuts.erase(at);
        return;
    }
    shot.cuts.push_back(shot.timeOf(frame));
    std::sort(shot.cuts.begin(), shot.cuts.end());
}

void cutFirst(scene::Scene& s, const std::string& actor, const std::string& clip) {
    eachShot(
        s,
        [&](const scene::Shot& shot) {
            const auto at = shot.clips.find(actor);
            return at != shot.clips.end() && at->second == clip &&
                   std::none_of(shot.cuts.begin(), shot.cuts.end(), [&](double t) { return shot.frameOf(t) == 1; });
        },
        [](scene::Shot& shot) { shot.cuts.insert(shot.cuts.begin(), shot.timeOf(1)); });
}

void showShot(scene::Scene& s, const std::string& shot) {
    if (const scene::Shot* found = s.findShot(shot)) s.shown = found->id;
}

void playClip(scene::Scene& s, const std::string& actor, const std::string& clip) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    const int wanted = a ? a->actor->findClip(clip) : -1;
    if (wanted < 0) return;
    for (const scene::Shot& shot : s.shots)
        if (shot.lead == actor && s.clipOf(shot, *a) == wanted) {
            s.shown = shot.id;
            return;
        }
    scene::Shot fresh;
    fresh.name = a->actor->clipLabel(wanted);
    if (s.findShot(fresh.name)) fresh.name = a->name + " " + fresh.name;
    fresh.id = s.freshId("shot-" + fresh.name);
    fresh.fps = s.shot().fps;
    fresh.lead = actor;
    fresh.clips = s.shot().clips;
    fresh.clips[actor] = scene::clipReference(*a->actor, wanted);
    s.shown = fresh.id;
    s.shots.push_back(std::move(fresh));
}

void setRate(scene::Scene& s, double fps) {
    s.editShot();
    eachShot(
        s, [&](const scene::Shot& shot) { return shot.fps != fps; }, [&](scene::Shot& shot) { shot.fps = fps; });
}

void addClip(scene::Scene& s, const std::string& actor, rig::Clip clip) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return;
    const std::string name = clip.name;
    const auto with = rig::withClip(*a->actor, std::move(clip));
    s.actor(actor)->actor = with;
    playClip(s, actor, name);
}

}  // namespace nutatio::edit
