#include "edit/body.h"

#include "edit/edit.h"
#include "layers/registry.h"
#include "rig/roles.h"

namespace nutatio::edit {

Result<std::string> loosen(scene::Scene& s, const std::string& actor) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return Error{"", actor, "there is no such actor"};
    const auto& kinds = layers::kinds();
    const auto kind =
        std::find_if(kinds.begin(), kinds.end(), [](const layers::LayerKind* k) { return k->takes == layers::Takes::Body; });
    if (kind == kinds.end()) return Error{"", actor, "no kind of layer simulates a whole body"};
    const std::string id = addLayer(s, (*kind)->id, actor, {});
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
    const auto& kinds = layers::kinds();
    const auto kind = std::find_if(kinds.begin(), kinds.end(), [](const layers::LayerKind* k) { return k->readsSpans; });
    if (kind == kinds.end()) return Error{"", a->name, "no kind of layer holds what stands"};
    const std::string id = addLayer(s, (*kind)->id, actor, std::move(feet));
    s.layer(id)->name = a->name + " feet";
    return id;
}

}  // namespace nutatio::edit
