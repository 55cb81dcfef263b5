#include "edit/mounts.h"

#include "edit/edit.h"
#include "layers/registry.h"

namespace nutatio::edit {

namespace {

/// False: it is gone.
bool become(scene::Mount& mount, const Remounted& becomes) {
    auto is = becomes(mount);
    if (is) mount = std::move(*is);
    return is.has_value();
}

}  // namespace

std::optional<scene::Collider> remounted(scene::Collider c, const Remounted& becomes) {
    return become(c.mount, becomes) ? std::optional(std::move(c)) : std::nullopt;
}

std::optional<scene::Pin> remounted(scene::Pin p, const Remounted& becomes) {
    scene::Mount held{p.actor, p.joint};
    if (!become(held, becomes) || !become(p.to, becomes)) return std::nullopt;
    p.actor = std::move(held.actor);
    p.joint = std::move(held.joint);
    return p;
}

std::optional<scene::Gauge> remounted(scene::Gauge g, const Remounted& becomes) {
    return become(g.of, becomes) && (!g.to || become(*g.to, becomes)) ? std::optional(std::move(g)) : std::nullopt;
}

std::vector<std::pair<const scene::SettingSpec*, scene::Mount>> mountsOf(const scene::Layer& layer, const rig::Skeleton& own) {
    std::vector<std::pair<const scene::SettingSpec*, scene::Mount>> out;
    if (const layers::LayerKind* kind = layers::findKind(layer.kind))
        for (const scene::SettingSpec& row : kind->settings)
            if (row.type == scene::SettingType::Mount)
                if (auto mount = scene::mountIn(own, layer.actor, layer.text(row.id))) out.emplace_back(&row, std::move(*mount));
    return out;
}

Result<Done> mountOn(scene::Scene& s, const scene::Owner& owner, const std::string& own, const std::string& to) {
    const scene::Scene& now = s;
    scene::Mount mount;
    if (const scene::ActorEntry* a = now.actor(own)) mount = scene::mountIn(a->actor->skeleton, own, to).value_or(mount);
    if (!to.empty()) {
        const scene::ActorEntry* a = now.actor(mount.actor);
        if (!a) return refused("there is no actor \"" + mount.actor + "\"");
        const auto on = scene::found(*a->actor, mount);
        if (!on) return refused(mount.spot ? "\"" + a->name + "\" has no surface" : "there is no joint \"" + mount.joint + "\"");
        // A spot is told by the joint that carries it, whichever was named to find it.
        mount.joint = a->actor->skeleton.reference(on->joint);
    }
    if (now.collider(owner.id)) {
        s.collider(owner.id)->mount = mount;
    } else if (now.pin(owner.id)) {
        s.pin(owner.id)->to = mount;
    } else if (now.gauge(owner.id)) {
        if (mount.world()) return refused("a gauge stands on an actor");
        s.gauge(owner.id)->of = mount;
        return Done{};
    } else {
        return refused("only colliders, pins and gauges are fixed somewhere");
    }
    s.tuned(owner)->setVector("offset", Vec3::Zero());
    return Done{};
}

std::vector<std::pair<std::string, scene::Mount>> remount(scene::Layer& layer, const rig::Skeleton& own,
                                                          const Remounted& becomes) {
    std::vector<std::pair<std::string, scene::Mount>> gone;
    for (const auto& [row, was] : mountsOf(layer, own)) {
        scene::Mount mount = was;
        const bool there = become(mount, becomes);
        if (!there) gone.emplace_back(row->label, was);
        if (!there || !(mount == was)) layer.set(row->id, there ? scene::mountText(mount, layer.actor) : std::string());
    }
    return gone;
}

void remount(scene::Scene& s, const Remounted& becomes) {
    std::vector<scene::Owner> gone;
    const auto all = [&](auto& list, scene::List which, const auto& same) {
        for (std::size_t i = 0; i < list.size(); ++i) {
            auto is = remounted(list[i], becomes);
            if (!is)
                gone.push_back({which, list[i].id});
            else if (!same(*is, list[i]))
                list.edit(i) = std::move(*is);
        }
    };
    all(s.colliders, scene::List::Colliders, [](const auto& a, const auto& b) { return a.mount == b.mount; });
    all(s.pins, scene::List::Pins,
        [](const auto& a, const auto& b) { return a.actor == b.actor && a.joint == b.joint && a.to == b.to; });
    all(s.gauges, scene::List::Gauges, [](const auto& a, const auto& b) { return a.of == b.of && a.to == b.to; });
    for (std::size_t i = 0; i < s.layers.size(); ++i) {
        const scene::ActorEntry* own = std::as_const(s).actor(s.layers[i].actor);
        if (!own) continue;
        scene::Layer layer = s.layers[i];
        remount(layer, own->actor->skeleton, becomes);
        if (layer.values != s.layers[i].values) s.layers.edit(i) = std::move(layer);
    }
    for (const scene::Owner& o : gone) remove(s, o);
}

}  // namespace nutatio::edit
