// Coverage-guided fuzzing of every reader, with what stands behind it: evaluate, bake, save and open again. Built by `make fuzz`,
// once for each TARGET. Whatever is found becomes a test.
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <sstream>

#include "cli/commands.h"
#include "edit/kit.h"
#include "edit/motions.h"
#include "files/kit.h"
#include "files/scene_file.h"
#include "layers/feels.h"
#include "layers/registry.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "pipeline/trials.h"
#include "rig/mapping.h"
#include "rig/trial.h"

using namespace nutatio;
namespace fs = std::filesystem;

namespace {

/// A folder in memory where there is one, for this process alone.
const fs::path& folder() {
    static const fs::path kFolder = [] {
        std::string name = (fs::exists("/dev/shm") ? "/dev/shm" : "/tmp") + std::string("/nutatio-fuzz-XXXXXX");
        const fs::path made = mkdtemp(name.data());
        for (const char* actor : {"tiny.gltf", "tiny.bvh"})
            fs::copy(fs::path(NUTATIO_SOURCE_DIR) / "tests/fuzz" / actor, made / actor);
        return made;
    }();
    return kFolder;
}

fs::path written(const char* name, const std::uint8_t* data, std::size_t size) {
    const fs::path path = folder() / name;
    std::ofstream(path, std::ios::binary).write(reinterpret_cast<const char*>(data), static_cast<std::streamsize>(size));
    return path;
}

void want(bool so, const char* what) {
    if (so) return;
    std::fprintf(stderr, "broken promise: %s\n", what);
    std::abort();
}

/// Small enough a shot that a fuzzer gets somewhere in a second.
bool isSmall(const scene::Scene& s) {
    std::size_t work = 0, bodies = s.colliders.size() + 1;
    std::size_t frames = static_cast<std::size_t>(s.frames(s.shot()));
    for (const scene::Shot& shot : s.shots) frames = std::max(frames, static_cast<std::size_t>(s.frames(shot)));
    for (const scene::ActorEntry& a : s.actors) {
        for (const rig::Clip& c : a.actor->clips)
            frames = std::max(frames, static_cast<std::size_t>(rig::FrameGrid::covering(c, s.shot().fps).frames));
        work += frames * static_cast<std::size_t>(a.actor->skeleton.size()) * (s.shots.size() + 1);
    }
    return work * (s.layers.size() + 1) * bodies < 200000 && s.actors.size() < 20;
}

void throughAll(scene::Scene s) {
    if (!isSmall(s) || s.actors.empty()) return;
    pipeline::Evaluator e;
    try {
        const pipeline::Evaluation all = e.evaluate(s, {});
        for (const pipeline::ActorResult& a : all.actors)
            for (int j = 0; j < a.result->joints(); ++j)
                for (int f = 0; f < a.result->frames(); ++f)
                    if (a.result->column(j) != a.body->column(j))
                        want(a.result->at(j, f).isFinite(), "what layers make of a motion is finite");
    } catch (const Failure&) {
    }
    pipeline::BakeOptions o;
    o.actor = s.actors.front().id;
    const auto baked = pipeline::bake(s, o, folder() / "out.glb", e, {});
    if (baked) {
        const auto again = files::readActor(folder() / "out.glb");
        if (!again) std::fprintf(stderr, "%s\n", again.error().text().c_str());
        want(again.ok(), "what is baked can be read");
    }
    const auto saved = files::writeScene(s, folder() / "again.nutatio");
    want(saved.ok(), "what is open can be saved");
    const auto opened = pipeline::open(folder() / "again.nutatio");
    if (!opened) std::fprintf(stderr, "%s\n", opened.error().text().c_str());
    want(opened.ok(), "what is saved opens again");
}

void actorFile(const char* name, const std::uint8_t* data, std::size_t size) {
    auto actor = files::readActor(written(name, data, size));
    if (!actor) {
        want(!actor.error().sentence.empty(), "a refusal has a sentence");
        return;
    }
    const std::shared_ptr<const rig::Actor> a = actor.value();
    scene::Scene s = files::sceneOf(a);
    if (a->skeleton.size() > 200) return;
    // The longest chain swings, its root jiggles, and something stands in the way.
    const int joint = a->skeleton.size() > 1 ? 1 : 0;
    if (a->skeleton.size() > 0) {
        const std::string root = a->skeleton.reference(joint);
        for (const layers::LayerKind* kind : layers::kinds()) {
            scene::Layer l = layers::newLayer(*kind, s, s.actors.front(), {root});
            l.values["gravity"] = 1.0;
            l.values["move"] = std::string("xyz");
            layers::settle(s);
            s.layers.push_back(std::move(l));
        }
        s.colliders.push_back(scene::newCollider(s, s.actors.front(), 0, scene::Shape::Capsule));
    }
    layers::settle(s);
    throughAll(std::move(s));
}

/// A character of five joints, that kits, trials and motions of other files are put on.
scene::Scene tinyScene() {
    static const auto kActor = files::readActor(folder() / "tiny.bvh");
    return files::sceneOf(kActor.value());
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string target = FUZZ_TARGET;
    if (size > 1u << 16) return 0;
    if (target == "gltf") actorFile(size > 4 && data[0] == 'g' && data[1] == 'l' ? "a.glb" : "a.gltf", data, size);
    if (target == "bvh") actorFile("a.bvh", data, size);
    if (target == "scene") {
        auto opened = pipeline::open(written("s.nutatio", data, size));
        if (opened)
            throughAll(std::move(opened.value().scene));
        else
            want(!opened.error().sentence.empty(), "a refusal has a sentence");
    }
    if (target == "layer") {
        std::ostringstream out, err;
        const int code =
            cli::run({"bake", (folder() / "tiny.gltf").string(), "--layer",
                      std::string(reinterpret_cast<const char*>(data), size), "--out", (folder() / "out.glb").string()},
                     out, err);
        want(code == cli::kDone || code == cli::kBadArguments || code == cli::kBadInput, "an exit code of the contract");
        want((code == cli::kDone) == err.str().empty() || code == cli::kDone, "a refusal says something");
        if (code == cli::kDone) want(files::readActor(folder() / "out.glb").ok(), "what is baked can be read");
    }
    if (target == "feel") {
        std::vector<std::string> said;
        auto feel = layers::readFeel(written("f.json", data, size), said);
        if (feel) {
            for (const auto& frame : layers::feelMotion(feel.value()).frames)
                for (const Vec3& p : frame) want(p.allFinite(), "a feel's motion is finite");
            want(layers::writeFeel(feel.value(), folder() / "g.json").ok(), "a feel can be written");
            want(layers::readFeel(folder() / "g.json", said).ok(), "what is written can be read");
        }
    }
    if (target == "kit") {
        const auto kit = files::readKit(written("k.nutatio-kit", data, size));
        if (!kit) {
            want(!kit.error().sentence.empty(), "a refusal has a sentence");
            return 0;
        }
        want(files::writeKit(kit.value(), folder() / "again.nutatio-kit").ok(), "a kit that was read can be written");
        want(files::readKit(folder() / "again.nutatio-kit").ok(), "a kit that is written opens again");
        scene::Scene s = tinyScene();
        const auto fitted = edit::fitKit(kit.value(), *s.actors.front().actor);
        if (edit::applyKit(s, s.actors.front().id, kit.value(), fitted).ok()) throughAll(std::move(s));
    }
    if (target == "trial") {
        scene::Scene s = tinyScene();
        const auto kept = pipeline::keptTrial(written("t.glb", data, size), *s.actors.front().actor);
        if (!kept) {
            want(!kept.error().sentence.empty(), "a refusal has a sentence");
            return 0;
        }
        rig::Trial trial;
        trial.move = rig::kKeptMove;
        trial.kept = kept.value();
        std::vector<Xform> posed;
        const rig::Actor& a = *s.actors.front().actor;
        for (const double time : {0.0, 0.7}) rig::trialPose(a, trial, a.restPose(), time, 2, posed);
        for (const Xform& x : posed) want(x.isFinite(), "a kept trial poses finitely");
    }
    if (target == "motion") {
        const auto source = files::readActor(written(size > 0 && data[0] == 'H' ? "m.bvh" : "m.gltf", data, size));
        if (!source || source.value()->clips.empty() || source.value()->skeleton.size() > 200) return 0;
        scene::Scene s = tinyScene();
        const scene::ActorEntry& entry = s.actors.front();
        const auto map = rig::suggestMapping(*source.value(), *entry.actor);
        if (edit::bringMotion(s, entry.id, *source.value(), 0, map).ok()) throughAll(std::move(s));
    }
    return 0;
}
