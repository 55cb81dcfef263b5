#include "pipeline/open.h"

#include "files/scene_file.h"
#include "layers/registry.h"

namespace nutatio::pipeline {

Result<Opened> open(const std::filesystem::path& path) {
    Opened out;
    out.isScene = path.extension() == ".nutatio";
    if (out.isScene) {
        auto scene = files::readScene(path);
        if (!scene) return scene.error();
        out.scene = std::move(scene.value());
    } else {
        auto actor = files::readActor(path);
        if (!actor) return actor.error();
        out.scene = files::sceneOf(std::move(actor.value()));
    }
    for (const scene::Unread& u : out.scene.unread)
        out.warnings.push_back("left out of \"" + u.list + "\" and kept for the next saving: " + u.why);
    for (const scene::ActorEntry& a : out.scene.actors) {
        for (std::size_t k = 0; k < a.undone.size(); ++k)
            if (!a.undone[k].empty())
                out.warnings.push_back(a.name + ": step " + std::to_string(k + 1) + " of Prepare (" +
                                       std::string(rig::preparationName(a.preparations[k].what)) +
                                       ") is not in force and kept: " + a.undone[k]);
        for (const std::string& w : a.actor->warnings) out.warnings.push_back(a.name + ": " + w);
    }
    for (std::string& w : layers::settle(out.scene)) out.warnings.push_back(std::move(w));
    return out;
}

}  // namespace nutatio::pipeline
