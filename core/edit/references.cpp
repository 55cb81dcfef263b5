#include "edit/references.h"

#include <algorithm>

#include "edit/channels.h"
#include "edit/edit.h"
#include "layers/registry.h"

namespace nutatio::edit {

namespace {

/// False when it becomes another list.
bool follow(std::vector<std::string>& names, const Followed& followed) {
    const std::vector<std::string> was = names;
    names.clear();
    for (const std::string& n : was)
        if (auto is = followed(n)) names.push_back(std::move(*is));
    return names == was;
}

bool isElsewhere(const scene::Scene& s, const scene::Layer& layer, const std::string& text) {
    const scene::ActorEntry* own = s.actor(layer.actor);
    return own && !scene::jointIn(own->actor->skeleton, text).actor.empty();
}

/// Joints of an actor that layers of others name.
void followFromElsewhere(scene::Scene& s, const std::string& actor, const Followed& followed) {
    for (std::size_t i = 0; i < s.layers.size(); ++i) {
        const layers::LayerKind* kind = layers::findKind(s.layers[i].kind);
        const scene::ActorEntry* own = std::as_const(s).actor(s.layers[i].actor);
        if (!kind || !own || own->id == actor) continue;
        for (const scene::SettingSpec& row : kind->settings) {
            const scene::JointIn named =
                row.anywhere ? scene::jointIn(own->actor->skeleton, s.layers[i].text(row.id)) : scene::JointIn{};
            if (named.actor != actor) continue;
            const auto is = followed(named.joint);
            if (is != named.joint) s.layers.edit(i).set(row.id, is ? scene::jointText({actor, *is}) : std::string());
        }
    }
}

/// True when the layer has nothing left to act on.
bool followLayer(scene::Scene& s, std::size_t i, const Followed& followed) {
    const layers::LayerKind* kind = layers::findKind(s.layers[i].kind);
    if (!kind) return false;
    for (const scene::SettingSpec& row : kind->settings) {
        if (row.type == scene::SettingType::Joint && !s.layers[i].text(row.id).empty()) {
            const std::string was = s.layers[i].text(row.id);
            if (row.anywhere && isElsewhere(s, s.layers[i], was)) continue;
            const std::string is = followed(was).value_or(std::string());
            if (is != was) s.layers.edit(i).set(row.id, is);
        } else if (row.type == scene::SettingType::Joints) {
            std::vector<std::string> joints = s.layers[i].list(row.id);
            if (follow(joints, followed)) continue;
            if (joints.empty() && row.role == scene::Role::Target) return true;
            s.layers.edit(i).set(row.id, std::move(joints));
        }
    }
    followChannels(s, s.layers[i].id, followed);
    auto apart = s.layers[i].apart;
    apart.clear();
    for (const auto& [joint, own] : s.layers[i].apart)
        if (auto is = followed(joint)) apart[*is] = own;
    if (apart != s.layers[i].apart) s.layers.edit(i).apart = std::move(apart);
    return false;
}

void followEntry(scene::Scene& s, const std::string& actor, const Followed& followed) {
    const scene::ActorEntry& was = *std::as_const(s).actor(actor);
    std::vector<scene::Part> parts = was.parts;
    for (scene::Part& p : parts) follow(p.joints, followed);
    std::erase_if(parts, [](const scene::Part& p) { return p.joints.empty(); });
    std::vector<rig::Map> maps = was.maps;
    for (rig::Map& m : maps)
        std::erase_if(m.steps, [&](rig::MapStep& step) {
            const bool had = !step.joints.empty();
            follow(step.joints, followed);
            follow(step.stroke.locked, followed);
            return had && step.joints.empty();
        });
    std::vector<std::string> locked = was.locked;
    follow(locked, followed);
    if (parts == was.parts && maps == was.maps && locked == was.locked) return;
    scene::ActorEntry& a = *s.actor(actor);
    a.parts = std::move(parts);
    a.maps = std::move(maps);
    a.locked = std::move(locked);
}

}  // namespace

void followJoints(scene::Scene& s, const std::string& actor, const Followed& followed) {
    std::vector<scene::Owner> gone;
    for (std::size_t i = 0; i < s.layers.size(); ++i)
        if (s.layers[i].actor == actor && followLayer(s, i, followed)) gone.push_back({scene::List::Layers, s.layers[i].id});
    followFromElsewhere(s, actor, followed);
    for (std::size_t i = 0; i < s.colliders.size(); ++i) {
        if (s.colliders[i].actor != actor) continue;
        const auto is = followed(s.colliders[i].joint);
        if (!is)
            gone.push_back({scene::List::Colliders, s.colliders[i].id});
        else if (*is != s.colliders[i].joint)
            s.colliders.edit(i).joint = *is;
    }
    for (std::size_t i = 0; i < s.pins.size(); ++i) {
        const bool holds = s.pins[i].actor == actor, to = s.pins[i].toActor == actor;
        const auto joint = holds ? followed(s.pins[i].joint) : s.pins[i].joint,
                   toJoint = to ? followed(s.pins[i].toJoint) : s.pins[i].toJoint;
        if (!joint || !toJoint) {
            gone.push_back({scene::List::Pins, s.pins[i].id});
        } else if (*joint != s.pins[i].joint || *toJoint != s.pins[i].toJoint) {
            scene::Pin& p = s.pins.edit(i);
            p.joint = *joint;
            p.toJoint = *toJoint;
        }
    }
    for (std::size_t i = 0; i < s.gauges.size(); ++i) {
        const scene::Gauge& g = s.gauges[i];
        const bool to = g.toActor == actor;
        const auto joint = g.actor == actor ? followed(g.joint) : g.joint, toJoint = to ? followed(g.toJoint) : g.toJoint;
        if (!joint || !toJoint) {
            gone.push_back({scene::List::Gauges, g.id});
        } else if (*joint != g.joint || *toJoint != g.toJoint) {
            scene::Gauge& mine = s.gauges.edit(i);
            mine.joint = *joint;
            mine.toJoint = *toJoint;
        }
    }
    for (const scene::Owner& o : gone) remove(s, o);
    if (std::as_const(s).actor(actor)) followEntry(s, actor, followed);
}

void followRegion(scene::Scene& s, const std::string& actor, const std::string& was, const std::string& is) {
    for (std::size_t i = 0; i < s.layers.size(); ++i) {
        const layers::LayerKind* kind = s.layers[i].actor == actor ? layers::findKind(s.layers[i].kind) : nullptr;
        if (!kind) continue;
        for (const scene::SettingSpec& row : kind->settings)
            if (row.type == scene::SettingType::Region && s.layers[i].text(row.id) == was) s.layers.edit(i).set(row.id, is);
    }
}

}  // namespace nutatio::edit
