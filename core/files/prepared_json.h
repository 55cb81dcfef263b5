// Parts, maps and what was done to an actor, as scene files and kits hold them.
#pragma once

#include "files/json.h"
#include "scene/scene.h"

namespace nutatio::files {

rig::Preparation readPreparation(const Place& p);
Json preparationJson(const rig::Preparation& edit);

/// Members "parts" and "maps" of an actor's entry; none where there are none.
std::vector<scene::Part> readParts(const Place& entry);
void putParts(Json& entry, const std::vector<scene::Part>& parts);
std::vector<rig::Map> readMaps(const Place& entry);
void putMaps(Json& entry, const std::vector<rig::Map>& maps);

}  // namespace nutatio::files
