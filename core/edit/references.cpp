#include "edit/references.h"

#include <algorithm>

#include "edit/channels.h"
#include "edit/edit.h"
#include "edit/mounts.h"
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

/// True when the layer has nothing left to act on.
bool followLayer(scene::Scene& s, std::size_t i, const Followed& followed) {
    const layers::LayerKind* kind = layers::findKind(s.layers[i].kind);
    if (!kind) return false;
    for (const scene::SettingSpec& row : kind->settings) {
        if (row.type == scene::SettingType::Joint && !s.layers[i].text(row.id).empty()) {
            const std::string was = s.layers[i].text(row.id);
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
    remount(s, [&](const scene::Mount& was) -> std::optional<scene::Mount> {
        if (was.actor != actor) return was;
        scene::Mount is = was;
        const auto joint = followed(was.joint);
        // A spot stays on the surface, whatever carries that now.
        if (!joint && !was.spot) return std::nullopt;
        is.joint = joint.value_or(std::string());
        return is;
    });
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
