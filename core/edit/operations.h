// The operations of core/edit by name, for scripts: what `nutatio-cli edit --do NAME:key=value,...` carries out.
#pragma once

#include <map>
#include <span>
#include <string>

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
/// Reads "NAME:key=value,..." and carries it out; a comma of a value stands as "\\,". Errors: the text, and what is wrong with
/// it; the scene is as it was then.
Result<Done> carryOut(scene::Scene& scene, const std::string& text);

}  // namespace nutatio::edit
