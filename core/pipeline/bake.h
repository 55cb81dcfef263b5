// From evaluated motion to keys on the source's nodes.
#pragma once

#include <filesystem>
#include <optional>

#include "files/gltf_writer.h"
#include "pipeline/evaluate.h"

namespace nutatio::pipeline {

/// How far a key curve may stray from the simulated frames. Both 0: a key on every frame.
struct Tolerance {
    double angleDeg = 0.05;
    double heightShare = 0.0001;  // of the actor's height

    bool keyEveryFrame() const { return angleDeg <= 0; }
};

/// Fewest frames, first and last among them, such that blending between neighbours stays within tolerance at every frame between.
/// `angle` [rad] for turns, `length` [local units] for places and scales. Source: Ramer (1972), Douglas and Peucker (1973).
std::vector<int> keyFrames(const rig::Column& column, rig::Path path, double angle, double length);

struct BakeOptions {
    std::string actor;                  // id; empty: the only one with layers, or the only one
    std::optional<std::string> clip;    // reference; unset: every clip of the actor, each by the first shot that it leads
    std::optional<std::string> shot;    // id or name; that shot alone, whatever its clip
    std::optional<std::string> beside;  // write new clips under this name beside the source's
    double fps = 0;                     // 0: the shot's
    int firstFrame = 0;                 // range within the shot, counted from 1; 0: the whole clip
    int lastFrame = 0;
    Tolerance tolerance;
};

struct BakeReport {
    struct ClipReport {
        std::string name;
        int frames = 0;
        int joints = 0;         // that a layer moved
        int keys = 0;           // written
        int framesKeys = 0;     // as many as a key on every frame would have been
        double errorDeg = 0;    // largest that a turn strays between its keys from the frames
        double errorShare = 0;  // and a place or scale, in heights of the actor
        std::string worst;      // the joint that strays most, against the tolerance
    };
    std::vector<ClipReport> clips;
    std::vector<std::string> warnings;
};

/// What `bake` would write, without writing it.
Result<BakeReport> planBake(const scene::Scene& scene, const BakeOptions& options, Evaluator& evaluator, const Cancel& cancel);

/// Evaluates each asked shot, without trials, and writes the actor's document to `out` (.glb, .gltf, or .bvh for what came from
/// BVH). Errors: a missing clip, shot or actor, a range outside the clip (these name no file); a shot that asks for more motion
/// than its file allows, motion that is not finite, a file that cannot be written. Throws Cancelled, and then nothing was
/// written.
Result<BakeReport> bake(const scene::Scene& scene, const BakeOptions& options, const std::filesystem::path& out,
                        Evaluator& evaluator, const Cancel& cancel, const Progress& progress = {});

}  // namespace nutatio::pipeline
