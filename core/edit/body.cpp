#include "edit/body.h"

#include <algorithm>

#include "layers/hold/hold.h"
#include "layers/ragdoll/ragdoll.h"
#include "layers/registry.h"
#include "rig/roles.h"
#include "rig/sides.h"

namespace nutatio::edit {

Result<std::string> loosen(scene::Scene& s, const std::string& actor) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return Error{"", actor, "there is no such actor"};
    const std::string id = addLayer(s, layers::ragdoll::kKind.id, actor, {});
    scene::Layer& l = *s.layer(id);
    l.name = a->name + " loose";
    l.set("swing", 1.5);
    l.set("bounces", 1.5);
    l.set("meets", std::string("nothing"));
    // Eleven times the rate holds a pose to a fraction of a degree.
    for (const rig::Limb& leg : rig::rolesOf(*a->actor).legs)
        if (leg.found()) l.values[scene::channelId("stiffer", a->actor->skeleton.reference(leg.upper))] = 10.0;
    return id;
}

Result<std::string> holdFeet(scene::Scene& s, const std::string& actor) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return Error{"", actor, "there is no such actor"};
    const rig::Roles roles = rig::rolesOf(*a->actor);
    std::vector<std::string> feet;
    for (const auto* limbs : {&roles.legs, &roles.arms})
        if (limbs == &roles.legs || roles.fourLegged)
            for (const rig::Limb& l : *limbs)
                if (l.found()) feet.push_back(a->actor->skeleton.reference(l.end));
    if (feet.empty()) return Error{"", a->name, "no feet are told by names or shape: choose the joints that stand"};
    const std::string id = addLayer(s, layers::hold::kKind.id, actor, std::move(feet));
    s.layer(id)->name = a->name + " feet";
    return id;
}

bool holdsSomething(const scene::Layer& layer, const layers::Told& told) {
    return layer.kind == layers::hold::kKind.id && !told.lane.empty();
}

Result<Done> sameOnOtherSide(scene::Scene& s, const std::string& layer, const std::string& joint) {
    const scene::Layer* l = std::as_const(s).layer(layer);
    const scene::ActorEntry* a = l ? std::as_const(s).actor(l->actor) : nullptr;
    if (!a) return refused("there is no layer \"" + layer + "\"");
    const rig::Skeleton& k = a->actor->skeleton;
    const int from = k.find(joint);
    if (from == rig::kNoJoint) return refused("there is no joint \"" + joint + "\"");
    const int to = rig::sidesOf(*a->actor).fellow[static_cast<std::size_t>(from)];
    if (to == rig::kNoJoint || to == from) return refused("\"" + joint + "\" has no other side");
    const std::string own = k.reference(from), other = k.reference(to);
    const scene::Owner owner{scene::List::Layers, layer};
    for (const scene::SettingSpec& row : layers::findKind(l->kind)->settings) {
        if (row.each != scene::Each::Joint) continue;
        const std::string here = scene::channelId(row.id, own), there = scene::channelId(row.id, other);
        scene::Values& values = s.layer(layer)->values;
        if (const auto at = values.find(here); at != values.end())
            values[there] = scene::Value(at->second);
        else
            values.erase(there);
        if (const scene::Keys* keys = s.shot().keysOf(owner, here))
            s.editShot().keys[owner][there] = scene::Keys(*keys);
        else if (s.shot().keysOf(owner, there))
            s.editShot().keys[owner].erase(there);
    }
    return Done{};
}

}  // namespace nutatio::edit
