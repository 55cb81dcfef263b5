#include "pipeline/open.h"

#include "files/scene_file.h"
#include "layers/registry.h"

namespace nutatio::pipeline {

namespace {

/// What a take shared with the scene before it was settled, it shares with it again.
template <class T>
void shareAgain(SharedList<T>& settled, const SharedList<T>& take, const SharedList<T>& before, const SharedList<T>& after) {
    SharedList<T> out;
    for (std::size_t i = 0; i < take.size(); ++i) {
        const std::size_t at = before.find([&](const T& t) { return &t == &take[i]; });
        if (at < after.size() && after[at].id == take[i].id)
            out.share(after, at);
        else
            out.share(settled, i);
    }
    settled = std::move(out);
}

scene::Scene settledTake(const scene::Scene& take, const scene::Scene& before, const scene::Scene& after) {
    scene::Scene out = take;
    layers::settle(out);
    shareAgain(out.layers, take.layers, before.layers, after.layers);
    shareAgain(out.colliders, take.colliders, before.colliders, after.colliders);
    shareAgain(out.winds, take.winds, before.winds, after.winds);
    shareAgain(out.pins, take.pins, before.pins, after.pins);
    shareAgain(out.gauges, take.gauges, before.gauges, after.gauges);
    shareAgain(out.actors, take.actors, before.actors, after.actors);
    shareAgain(out.shots, take.shots, before.shots, after.shots);
    return out;
}

}  // namespace

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
    std::swap(out.warnings, out.scene.changedOnReading);
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
    const scene::Scene before = out.scene;
    for (std::string& w : layers::settle(out.scene)) out.warnings.push_back(std::move(w));
    for (std::size_t i = 0; i < before.takes.size(); ++i)
        out.scene.takes.edit(i).scene =
            std::make_shared<const scene::Scene>(settledTake(*before.takes[i].scene, before, out.scene));
    return out;
}

}  // namespace nutatio::pipeline
