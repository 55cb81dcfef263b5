// The stack as a fold, with every result kept under the key of what went into it.
#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "base/cancel.h"
#include "base/error.h"
#include "base/hash.h"
#include "rig/track.h"
#include "scene/scene.h"

namespace nutatio::pipeline {

using TrackPtr = std::shared_ptr<const rig::Track>;

/// One layer's place in an evaluated stack.
struct LayerResult {
    std::string id;
    bool acts = false;
    std::string problem;               // why it does nothing although it should; empty when all is well
    TrackPtr below;                    // what it started from
    TrackPtr result;                   // what it made of it; the same pointer when it did nothing
    std::vector<std::string> remarks;  // what a person should know of how it went
};

struct ActorResult {
    std::string id;
    TrackPtr body;
    TrackPtr result;
    std::vector<LayerResult> layers;  // of this actor, bottom first
};

struct Evaluation {
    std::vector<ActorResult> actors;
    double milliseconds = 0;
    int simulated = 0;  // layers that ran; the rest were known

    const ActorResult* actor(std::string_view id) const;
    const LayerResult* layer(std::string_view id) const;
};

/// Evaluates scenes and remembers layers' results. One at a time may evaluate; the cache itself is safe to share.
class Evaluator {
  public:
    /// Throws Cancelled when asked to stop; what was finished before stays known. Throws Failure, which names the actor's file,
    /// when a shot asks for more motion than the size of that file allows (kBaseTransforms, kBytesATransform).
    Evaluation evaluate(const scene::Scene& scene, const Cancel& cancel, const Progress& progress = {});
    /// The same for one actor's clip, on a grid of the caller's; `trial`: its trial instead of the clip.
    ActorResult evaluateActor(const scene::Scene& scene, const scene::ActorEntry& actor, int clip, const rig::FrameGrid& grid,
                              const Cancel& cancel, int* simulated = nullptr, const Progress& progress = {}, bool trial = false);
    /// The actor's motion below all layers, as the scene plays it: its clip, its trial, or its rest pose.
    TrackPtr bodyOf(const scene::Scene& scene, const scene::ActorEntry& actor);
    std::size_t cachedBytes() const;

    /// Transforms that a body's motion may hold whatever its file's size, and the bytes of the file that buy one more; the layers
    /// of an actor may hold four times as many.
    static constexpr std::size_t kBaseTransforms = std::size_t{1} << 21, kBytesATransform = 4;

  private:
    struct Kept {
        TrackPtr track;
        std::vector<std::string> remarks;
        std::size_t bytes = 0;
        std::uint64_t used = 0;
    };
    TrackPtr body(const scene::ActorEntry& actor, int clip, const rig::FrameGrid& grid, bool trial, const Cancel& cancel = {});
    std::optional<Kept> known(const Key& key);
    void keep(const Key& key, TrackPtr track, const rig::Track* below, std::vector<std::string> remarks = {});

    mutable std::mutex m_lock;
    std::map<Key, Kept> m_kept;
    std::size_t m_bytes = 0;
    std::uint64_t m_clock = 0;
};

}  // namespace nutatio::pipeline
