// Gauges as the layers of a shot see them, and what feeds make of settings.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/hash.h"
#include "files/csv.h"
#include "layers/layer_kind.h"
#include "scene/scene.h"

namespace nutatio::pipeline {

/// What a gauge reads of a shot: a value a frame, or why there is none.
struct GaugeReading {
    std::string id;
    scene::Curve values;
    std::string problem;
    bool round = false;  // its last value is the first one again
};
using GaugeReadingPtr = std::shared_ptr<const GaugeReading>;

/// Frames, seconds and what each gauge of the scene reads, with its unit.
std::vector<files::CsvColumn> tableOf(const scene::Scene& scene, const std::vector<GaugeReadingPtr>& gauges);

/// An actor's motion above a layer of the stack, with the key of each joint's column.
struct Motion {
    std::shared_ptr<const rig::Track> track;
    std::vector<Key> keys;
    bool loops = false;
    Key surface{};  // of all that bends its surface up to there
};
/// Below all layers where the layer is empty.
using MotionAfter = std::function<Motion(const scene::ActorEntry& actor, std::string_view layer)>;

/// Reads gauges of one shot, each once.
class Readings {
  public:
    /// Readings by the key of all that they were made from.
    using Memo = std::map<Key, GaugeReadingPtr>;
    Readings(const scene::Scene& scene, const scene::Shot& shot, int frames, MotionAfter motion, Memo& memo);

    /// All layers up to the one that it reads must have run.
    GaugeReadingPtr of(const scene::Gauge& gauge);
    /// Curves for the fed settings of a thing that is used by the layer at place `at` of the stack, whose gauges may read the
    /// layers below it. Feeds that cannot be had are left out; `said` hears why, a sentence each.
    scene::FedCurves fed(const scene::Tuned& tuned, scene::Table table, std::size_t at, std::vector<std::string>& said);
    /// Whether all of a thing's feeds can be had by the layer at a place.
    bool ready(const scene::Tuned& tuned, std::size_t at) const;

  private:
    /// How many layers must have run for a gauge: those up to the one that it reads.
    std::size_t wants(const scene::Gauge& gauge) const;

    const scene::Scene& m_scene;
    const scene::Shot& m_shot;
    int m_frames;
    MotionAfter m_motion;
    Memo& m_memo;
    std::map<std::string, GaugeReadingPtr, std::less<>> m_read;
};

}  // namespace nutatio::pipeline
