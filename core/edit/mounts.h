// Mounts of all things in a scene, rewritten in one place: joints are renamed or go, sides are mirrored, kits put on.
#pragma once

#include <functional>
#include <optional>

#include "base/error.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// What becomes of a mount; nothing: what it was fixed to is gone.
using Remounted = std::function<std::optional<scene::Mount>(const scene::Mount&)>;

/// A thing with its mounts rewritten, the joint that a pin holds too; nothing where one of them is gone.
std::optional<scene::Collider> remounted(scene::Collider collider, const Remounted& becomes);
std::optional<scene::Pin> remounted(scene::Pin pin, const Remounted& becomes);
std::optional<scene::Gauge> remounted(scene::Gauge gauge, const Remounted& becomes);
/// Settings of a layer that name mounts; one that is gone is emptied. `own`: of the layer's actor, as its settings name it.
/// Returns the layer's labels of those that were emptied, with what they named.
std::vector<std::pair<std::string, scene::Mount>> remount(scene::Layer& layer, const rig::Skeleton& own,
                                                          const Remounted& becomes);
/// All of a scene: a collider, pin or gauge whose mount is gone goes too.
void remount(scene::Scene& scene, const Remounted& becomes);

/// Fixes a collider, the end of a pin or a gauge to what `to` names, as settings name mounts (see scene::mountIn; `own`: id of
/// the actor whose joints need no '@'); empty: the world. Colliders and pins stand there without an offset. Errors: nothing is
/// there.
Result<Done> mountOn(scene::Scene& scene, const scene::Owner& owner, const std::string& own, const std::string& to);

/// Of each setting of a layer that names a mount, its row and what it names.
std::vector<std::pair<const scene::SettingSpec*, scene::Mount>> mountsOf(const scene::Layer& layer, const rig::Skeleton& own);

}  // namespace nutatio::edit
