// What stands on one side of a body, put on its other side too.
#include <algorithm>

#include "edit/across.h"
#include "edit/channels.h"
#include "edit/edit.h"
#include "edit/mounts.h"
#include "layers/registry.h"

namespace nutatio::edit {

namespace {

using scene::List;
using scene::Owner;

/// Applies a map to a vector's plain value and, in every shot, at each time that any of its numbers has a key.
template <class Map>
void mapVector(scene::Scene& s, const Owner& owner, const std::string& stem, const Map& map) {
    scene::Tuned& t = *s.tuned(owner);
    const Vec3 plain = t.vector(stem);
    t.setVector(stem, map(plain));
    mapVectorKeys(s, owner, {stem + "_x", stem + "_y", stem + "_z"}, plain, map);
}

template <class Map>
void mapNumber(scene::Scene& s, const Owner& owner, const std::string& id, const Map& map) {
    scene::Tuned& t = *s.tuned(owner);
    t.set(id, map(t.number(id)));
    for (std::size_t i = 0; i < s.shots.size(); ++i)
        if (s.shots[i].keysOf(owner, id))
            for (scene::KeyAt& k : s.shots.edit(i).keys[owner][id]) {
                k.value = map(k.value);
                k.before = map(k.before) - map(0.0);
                k.after = map(k.after) - map(0.0);
            }
}

/// The copy takes the place of `was`, which keeps its id and name; its keys too.
template <class Item>
std::string standIn(scene::Scene& s, SharedList<Item>& list, List which, const std::string& copy, const std::string& was) {
    const Owner from{which, copy}, to{which, was};
    const std::size_t at = list.find([&](const Item& x) { return x.id == was; });
    Item item = list[list.find([&](const Item& x) { return x.id == copy; })];
    item.id = was;
    item.name = list[at].name;
    for (std::size_t i = 0; i < s.shots.size(); ++i) {
        if (!s.shots[i].keysOf(from) && !s.shots[i].keysOf(to)) continue;
        scene::Shot& shot = s.shots.edit(i);
        shot.keys.erase(to);
        if (auto keys = shot.keys.extract(from)) {
            keys.key() = to;
            shot.keys.insert(std::move(keys));
        }
    }
    list.edit(at) = std::move(item);
    list.eraseIf([&](const Item& x) { return x.id == copy; });
    return was;
}

std::string nameOf(const std::string& name, const std::string& joint, const std::string& fellow) {
    const std::string other = rig::otherSideOf(name);
    if (other != name) return other;
    return name == joint ? fellow : name + ", other side";
}

bool isOfJoints(const scene::SettingSpec& row) {
    return row.type == scene::SettingType::Joint || row.type == scene::SettingType::Joints ||
           row.type == scene::SettingType::Mount;
}

std::string mirrorLayer(scene::Scene& s, const scene::Layer& l, const Across& m) {
    const layers::LayerKind& kind = *layers::findKind(l.kind);
    const std::string id = duplicate(s, {List::Layers, l.id});
    scene::Layer& copy = *s.layer(id);
    for (const scene::SettingSpec& row : kind.settings) {
        const std::string setting(row.id);
        if (row.type == scene::SettingType::Joint) {
            if (!l.text(setting).empty()) copy.set(setting, m.reference(l.text(setting)));
        } else if (row.type == scene::SettingType::Joints) {
            std::vector<std::string> joints = l.list(setting);
            for (std::string& j : joints) j = m.reference(j);
            copy.set(setting, std::move(joints));
        }
    }
    remount(copy, m.entry.actor->skeleton, [&](const scene::Mount& mount) { return std::optional(m.mount(mount)); });
    const std::vector<std::string>&was = l.list(kind.target()), &now = copy.list(kind.target());
    if (was.empty()) throw refused("\"" + l.name + "\" acts on no joint: it has no other side");
    if (std::is_permutation(was.begin(), was.end(), now.begin(), now.end()))
        throw refused("\"" + l.name + "\" stands in the middle: it has no other side");
    copy.name = nameOf(l.name, was.front(), now.front());
    for (const scene::SettingSpec& row : kind.settings)
        if (row.role == scene::Role::Heading)
            mapNumber(s, {List::Layers, id}, std::string(row.id), [&](double deg) { return m.heading(deg); });
    mirrorChannels(s, id, m);
    const scene::Layer made = *std::as_const(s).layer(id);
    for (const scene::Layer& o : std::as_const(s).layers) {
        const bool there = o.id != id && o.kind == made.kind && o.actor == made.actor &&
                           std::all_of(kind.settings.begin(), kind.settings.end(), [&](const scene::SettingSpec& row) {
                               if (!isOfJoints(row)) return true;
                               const auto a = o.values.find(row.id), b = made.values.find(row.id);
                               return a != o.values.end() && b != made.values.end() && a->second == b->second;
                           });
        if (there) return standIn(s, s.layers, List::Layers, id, std::string(o.id));
    }
    return id;
}

std::string mirrorCollider(scene::Scene& s, const scene::Collider& c, const Across& m) {
    const scene::Mount other = m.mount(c.mount);
    if (other == c.mount && m.offset(c.mount, c.vector("offset")).isApprox(c.vector("offset"), 1e-3))
        throw refused("\"" + c.name + "\" stands in the middle: it has no other side");
    const std::string id = duplicate(s, {List::Colliders, c.id});
    scene::Collider& copy = *s.collider(id);
    copy.mount = other;
    copy.name = nameOf(c.name, c.mount.joint, other.joint);
    mapVector(s, {List::Colliders, id}, "offset", [&](const Vec3& v) { return m.offset(c.mount, v); });
    mapVector(s, {List::Colliders, id}, "turn", [&](const Vec3& v) { return m.turned(c.mount, v); });
    if (other != c.mount)
        for (const scene::Collider& o : std::as_const(s).colliders)
            if (o.id != id && o.mount == other && o.shape() == c.shape())
                return standIn(s, s.colliders, List::Colliders, id, std::string(o.id));
    return id;
}

std::string mirrorPin(scene::Scene& s, const scene::Pin& p, const Across& m) {
    const int joint = m.entry.actor->skeleton.find(p.joint);
    const std::string other = m.reference(p.joint);
    if (other == p.joint) throw refused("\"" + p.name + "\" stands in the middle: it has no other side");
    const std::string id = duplicate(s, {List::Pins, p.id});
    scene::Pin& copy = *s.pin(id);
    copy.joint = other;
    copy.name = nameOf(p.name, p.joint, other);
    const Owner owner{List::Pins, id};
    if (p.to.world()) {
        mapVector(s, owner, "offset", [&](const Vec3& v) { return m.place(joint, v); });
    } else if (p.to.actor == p.actor) {
        copy.to = m.mount(p.to);
        mapVector(s, owner, "offset", [&](const Vec3& v) { return m.offset(p.to, v); });
    }
    for (const scene::Pin& o : std::as_const(s).pins)
        if (o.id != id && o.actor == p.actor && o.joint == other && o.end == p.end)
            return standIn(s, s.pins, List::Pins, id, std::string(o.id));
    return id;
}

}  // namespace

Result<std::string> mirror(scene::Scene& scene, const scene::Owner& owner) {
    scene::Scene s = scene;
    const auto across = [&](const std::string& actor) {
        const scene::ActorEntry* a = std::as_const(scene).actor(actor);
        if (!a) throw refused("it stands in the world: there is no other side");
        return Across(scene, *a);
    };
    std::string id;
    try {
        if (const auto* l = owner.list == List::Layers ? std::as_const(scene).layer(owner.id) : nullptr)
            id = mirrorLayer(s, *l, across(l->actor));
        else if (const auto* c = owner.list == List::Colliders ? std::as_const(scene).collider(owner.id) : nullptr)
            id = mirrorCollider(s, *c, across(c->mount.actor));
        else if (const auto* p = owner.list == List::Pins ? std::as_const(scene).pin(owner.id) : nullptr)
            id = mirrorPin(s, *p, across(p->actor));
        else
            return refused("only layers, colliders and pins have another side");
    } catch (const Error& why) {
        return why;
    }
    scene = std::move(s);
    return id;
}

}  // namespace nutatio::edit
