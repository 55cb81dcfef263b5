// The operations of core/edit by name, for scripts: what `nutatio-cli edit --do NAME:key=value,...` carries out.
#pragma once

#include <map>
#include <span>
#include <string>
#include <vector>

#include "base/error.h"
#include "scene/scene.h"

namespace nutatio::edit {

using Arguments = std::map<std::string, std::string, std::less<>>;

struct Operation {
    std::string_view name;
    std::string_view wants;  // arguments that it must have, joined by ','
    std::string_view takes;  // and those that it may have
    std::string_view help;   // one sentence
    Result<Done> (*apply)(scene::Scene&, const Arguments&);
};

std::span<const Operation> operations();
/// A thing that an operation made: which list of the scene it stands in ("layers", "shots", "takes" ...), or, of an actor,
/// "joints", "clips", "parts" or "maps"; and its id, or there its name.
struct Made {
    std::string list, id;
};

/// Reads "NAME:key=value,..." and carries it out; a comma of a value stands as "\\,". Any operation that makes a thing with an id
/// takes `id=` for it (of several the first). Returns what it made. Errors: the text, and what is wrong with it; the scene is as
/// it was then.
Result<std::vector<Made>> carryOut(scene::Scene& scene, const std::string& text);

}  // namespace nutatio::edit
