// The stack as a graph: a node a layer, its edges what it reads. Every result is kept under the key of what went into it.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

#include "base/cancel.h"
#include "base/error.h"
#include "base/hash.h"
#include "layers/layer_kind.h"
#include "layers/run.h"
#include "pipeline/memory.h"
#include "pipeline/plan.h"
#include "pipeline/readings.h"
#include "pipeline/sweeps.h"
#include "rig/track.h"
#include "scene/scene.h"

namespace nutatio::pipeline {

/// One layer's place in an evaluated stack.
struct LayerResult : layers::Told {
    std::string id;
    bool acts = false;
    std::string problem;           // why it does nothing although it should; empty when all is well
    std::string idle;              // why it does nothing, though nothing is wrong: muted, mixed to nothing
    std::vector<std::string> met;  // ids of the colliders that it can reach
    Changed changed;               // empty when it did nothing
    layers::ResolvedPtr settings;  // as they held in the shot, feeds counted; null for an unknown kind
    std::map<std::string_view, layers::RegionPtr> regions;  // that it is laid over, by the row that names them
    Key key;                                                // of what it made and of the motion that it made it from
};

struct ActorResult {
    std::string id;
    std::shared_ptr<const rig::Actor> actor;
    TrackPtr body;
    TrackPtr result;
    std::vector<LayerResult> layers;  // of this actor, bottom first

    /// The motion below the layer of that place in `layers`; as many as there are: the result.
    TrackPtr below(std::size_t layer) const;
};

struct Evaluation {
    std::vector<ActorResult> actors;
    std::vector<GaugeReadingPtr> gauges;                    // in the scene's order
    std::map<scene::Owner, layers::ResolvedPtr> items;      // settings of items that are fed
    std::map<scene::Owner, std::vector<std::string>> said;  // of those, what a person should know
    double milliseconds = 0;
    int simulated = 0;  // layers that ran; the rest were known

    const ActorResult* actor(std::string_view id) const;
    const LayerResult* layer(std::string_view id) const;
    /// What came of a layer that others carry out, the earliest first.
    std::vector<layers::Came> cameOf(std::string_view layer) const;
    /// A layer's settings as they held, or those of an item that is fed; null for anything else.
    layers::ResolvedPtr settingsOf(const scene::Owner& owner) const;
    /// Null where there is no such gauge.
    const GaugeReading* gauge(std::string_view id) const;
    /// The motion below and above a layer that changes something; null for any other.
    TrackPtr below(std::string_view layer) const;
    TrackPtr above(std::string_view layer) const;
};

/// Evaluates shots and remembers what layers made. One evaluation at a time; the memory may be shared with other evaluators.
///
/// A layer meets other actors as they are below it in the one stack of the scene, so no two can wait for each other.
class Evaluator {
  public:
    Evaluator();
    /// One that knows what `beside` knows and the other way about; the two may evaluate at the same time.
    explicit Evaluator(const Evaluator& beside) : m_memory(beside.m_memory) {}
    Evaluator& operator=(const Evaluator&) = delete;

    /// The shot with trials, as it is looked at. Throws Cancelled when asked to stop; what was finished before stays known.
    /// Throws Failure, which names the actor's file, when a shot asks for more motion than the size of that file allows
    /// (kBaseTransforms, kBytesATransform).
    Evaluation evaluate(const scene::Scene& scene, const scene::Shot& shot, const Cancel& cancel, const Progress& progress = {});
    Evaluation evaluate(const scene::Scene& scene, const Cancel& cancel, const Progress& progress = {}) {
        return evaluate(scene, scene.shot(), cancel, progress);
    }
    /// The actor's motion below all layers: its clip, its trial, or its rest pose.
    TrackPtr bodyOf(const scene::Scene& scene, const scene::Shot& shot, const scene::ActorEntry& actor,
                    const Cancel& cancel = {});
    /// What a set piece is set to in a shot: keyed, or fed from what gauges read of the motion below all layers. `said` hears
    /// which feeds cannot be had and why, a sentence each.
    layers::ResolvedPtr pieceIn(const scene::Scene& scene, const scene::Shot& shot, const scene::ActorEntry& piece,
                                const Cancel& cancel, std::vector<std::string>* said = nullptr);
    std::size_t cachedBytes() const { return m_memory->bytes(); }

    /// Transforms that a body's motion may hold whatever its file's size, and the bytes of the file that buy one more; the layers
    /// of an actor may hold four times as many.
    static constexpr std::size_t kBaseTransforms = std::size_t{1} << 21, kBytesATransform = 4;

    /// The region of an actor's surface that a part or map of that name stands for; null: there is none. Kept for the next time.
    layers::RegionPtr regionFor(const scene::ActorEntry& actor, const std::string& name);

  private:
    friend class Run;
    /// `piece`: what a set piece is set to; null for a character.
    TrackPtr bodyOf(const scene::Scene& scene, const scene::Shot& shot, const scene::ActorEntry& actor,
                    const scene::Resolved* piece, const Cancel& cancel);

    std::shared_ptr<Memory> m_memory;
    // Of the one evaluation that runs, and the one before.
    struct Last {
        scene::Scene scene;
        std::shared_ptr<const scene::Shot> shot;
        Evaluation evaluation;
    };
    std::optional<Last> m_last;
    Plans m_plans;
    Sweeps::Memo m_sweeps;
    std::map<Key, int> m_laps;
    Readings::Memo m_readings;
    /// Regions that layers are laid over, with what they were made of.
    struct Laid {
        std::shared_ptr<const rig::Actor> actor;
        std::vector<rig::MapStep> steps;
        std::vector<rig::Map> maps;
        std::shared_ptr<const rig::Region> region;
    };
    std::vector<Laid> m_regions;
};

/// Throws Failure where a shot of a clip on a grid asks for more transforms than the actor's file, by its size, may ask for:
/// Evaluator::kBaseTransforms and one for each kBytesATransform; a clip that was made here brings its own numbers along.
void refuseTooMuch(const rig::Actor& actor, int clip, const rig::FrameGrid& grid);

}  // namespace nutatio::pipeline
