// Which joints of an actor answer to what a person looks for in a long list.
#pragma once

#include "scene/scene.h"

namespace nutatio::measure {

/// Simulated: a layer that acts moves it. CanBe: it is of a part that suits some kind of layer, and none moves it. Skin: some of
/// the mesh follows it. Moves: it turns or travels against its parent in the clip of the shot on show. Locked: brushes leave its
/// weights alone.
enum class JointFilter { All, Simulated, CanBe, Skin, Moves, Locked };

/// In the skeleton's order.
std::vector<int> jointsThat(const scene::Scene& scene, const scene::ActorEntry& actor, JointFilter filter);

/// By joint: whether a clip turns, moves or scales it against its parent by what can be seen (half a degree, a thousandth of the
/// height).
std::vector<char> movedBy(const rig::Actor& actor, const rig::Clip& clip);
/// By joint: whether a layer that acts moves it.
std::vector<char> simulated(const scene::Scene& scene, const scene::ActorEntry& actor);

}  // namespace nutatio::measure
