// Balance on mocap that nobody here made.
#include "benchmarks/balance_bars.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <filesystem>

#include "files/scene_file.h"
#include "layers/balance/balance_shown.h"
#include "layers/registry.h"
#include "layers/run.h"

using namespace nutatio;

namespace {

struct Made {
    layers::Filtered filtered;
    double milliseconds = 0;
};

Made balanced(const rig::Actor& actor, const rig::Track& below, const scene::Values& values) {
    scene::Layer layer;
    layer.kind = "balance";
    const layers::LayerKind& kind = *layers::findKind(layer.kind);
    layer.values = scene::startValues(kind.settings);
    for (const auto& [id, v] : values) layer.values[id] = v;
    const layers::LayerContext context = layers::LayerContext::bare(actor, layer);
    const Cancel never;
    const auto from = std::chrono::steady_clock::now();
    Made out{layers::run(kind, context, below, never), 0};
    out.milliseconds = std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - from).count();
    return out;
}

std::shared_ptr<rig::Actor> mocap(const char* file) {
    const std::filesystem::path path = std::filesystem::path(NUTATIO_THIRD_PARTY) / "BVH" / file;
    const auto read = files::readActor(path);
    return read ? std::make_shared<rig::Actor>(*read.value()) : nullptr;
}

}  // namespace

bool balanceBars() {
    const auto leaps = mocap("01_01.bvh"), boxing = mocap("Boxing_Toes.bvh");
    if (!leaps || !boxing) {
        std::printf("Balance: skipped, assimp-testmodels is not installed\n");
        return true;
    }
    leaps->metresPerUnit = 0.0564;
    bool kept = true;
    for (double fps : {24.0, 60.0, 120.0}) {
        const rig::Track clip = rig::bodyTrack(*leaps, 0, rig::FrameGrid::covering(leaps->clips[0], fps));
        const Made made = balanced(*leaps, clip, {});
        double low = 1e9, high = 0, off = 0;
        const auto& flights = made.filtered.noted<layers::balance::Weighed>()->flights;
        for (const auto& x : flights) {
            low = std::min(low, x.before);
            high = std::max(high, x.before);
            off = std::max(off, std::abs(x.after / kEarthGravity - 1));
        }
        std::printf(
            "Balance, 01_01.bvh at %3.0f/s: %zu leaps (10) fall with %.2f to %.2f m/s2, with 9.81 but for %.2f %% after (2); "
            "%.1f ms "
            "for 120 frames\n",
            fps, flights.size(), low, high, 100 * off, made.milliseconds * 120 / clip.frames());
        kept = kept && flights.size() == 10 && off < 0.02;
    }
    const rig::Track rounds = rig::bodyTrack(*boxing, 0, rig::FrameGrid::covering(boxing->clips[0], 60));
    const std::size_t none = balanced(*boxing, rounds, {}).filtered.noted<layers::balance::Weighed>()->flights.size();
    std::printf("Balance, Boxing_Toes.bvh: %zu flights (0)\n", none);
    return kept && none == 0;
}
