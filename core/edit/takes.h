// Takes: scenes that are kept to compare with and to go back to, and how scenes differ, in words.
#pragma once

#include <string>
#include <vector>

#include "base/error.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// Keeps the scene as it is now, trials left out. An empty name: "Take n". Returns the take's id.
std::string keepTake(scene::Scene& scene, const std::string& name = {}, int frame = 0,
                     std::shared_ptr<const std::vector<std::uint8_t>> picture = {});
/// Layers, colliders, winds, pins and gauges become those of the take, with their keys and intervals in every shot that it has
/// too. Actors, clips, cuts and marks stay as they are now. Errors: no such take.
Result<Done> adoptTake(scene::Scene& scene, const std::string& take);
/// Everything becomes as it was when the take was kept; takes themselves stay. Errors: no such take.
Result<Done> restoreTake(scene::Scene& scene, const std::string& take);
Result<Done> renameTake(scene::Scene& scene, const std::string& take, const std::string& name);
Result<Done> noteTake(scene::Scene& scene, const std::string& take, const std::string& note);
Result<Done> removeTake(scene::Scene& scene, const std::string& take);

/// What is otherwise in `to` than in `from`, a phrase each: "tail: swing rate 2 -> 3.1 /s". Looks of things (colours, groups,
/// what is folded) are left out. At most `most` phrases and one that counts the rest.
std::vector<std::string> differences(const scene::Scene& from, const scene::Scene& to, std::size_t most = 200);

/// "swing rate 2 /s": a setting and a value that it has.
std::string settingWords(const scene::SettingSpec& row, std::string_view setting, const scene::Value& value);

}  // namespace nutatio::edit
