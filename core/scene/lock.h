// Things that are locked against accidents.
#pragma once

#include <optional>
#include <string>

#include "scene/scene.h"

namespace nutatio::scene {

/// What an edit did to something that was locked and still is, or is gone: its name; nothing where it did nothing to any.
/// Settings, profiles, feeds, names, what it acts on, its keys, intervals and, of an actor, what it plays count; its place in a
/// list, muting, soloing and hiding do not.
std::optional<std::string> lockedChange(const Scene& before, const Scene& after);

/// What an edit did within frames that are sealed and still are: keys and intervals of a sealed layer there, in a sentence;
/// nothing where it did nothing of that. What else it is set to may change: the sealed frames do not.
std::optional<std::string> sealedChange(const Scene& before, const Scene& after);

}  // namespace nutatio::scene
