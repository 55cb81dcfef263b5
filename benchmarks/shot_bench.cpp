// Speed: the demo scene as a person meets it, and the solver by itself. make bench.
#include <benchmark/benchmark.h>
#include <tbb/global_control.h>

#include <filesystem>

#include "files/gltf_reader.h"
#include "layers/registry.h"
#include "measure/response.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"

using namespace nutatio;

namespace {

const std::string kDemo = std::string(NUTATIO_SOURCE_DIR) + "/demo/lake-landing.nutatio";

scene::Scene demoScene() {
    return pipeline::open(kDemo).value().scene;
}

void evaluateDemo(benchmark::State& state) {
    const tbb::global_control limit(tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(state.range(0)));
    const scene::Scene s = demoScene();
    for (auto _ : state) {
        pipeline::Evaluator e;
        benchmark::DoNotOptimize(e.evaluate(s, {}).milliseconds);
    }
}
BENCHMARK(evaluateDemo)->Arg(1)->Arg(2)->Unit(benchmark::kMillisecond);

/// One slider step on the tail: the other layers are known.
void dragSwingRate(benchmark::State& state) {
    scene::Scene s = demoScene();
    pipeline::Evaluator e;
    (void)e.evaluate(s, {});
    double v = 1;
    for (auto _ : state) {
        s.layer("ears")->values["swing"] = v += 1e-4;
        benchmark::DoNotOptimize(e.evaluate(s, {}).milliseconds);
    }
}
BENCHMARK(dragSwingRate)->Unit(benchmark::kMillisecond);

void measureTail(benchmark::State& state) {
    const scene::Scene s = demoScene();
    const layers::LayerKind* kind = layers::findKind("strand");
    const std::vector<Xform> pose = s.actors[0].actor->restPose();
    for (auto _ : state)
        benchmark::DoNotOptimize(
            measure::response(*kind, layers::LayerContext::bare(*s.actors[0].actor, s.layers[0]), pose)->swing);
}
BENCHMARK(measureTail)->Unit(benchmark::kMillisecond);

void openOtter(benchmark::State& state) {
    for (auto _ : state)
        benchmark::DoNotOptimize(files::readGltf(std::string(NUTATIO_SOURCE_DIR) + "/demo/assets/otter.glb").ok());
}
BENCHMARK(openOtter)->Unit(benchmark::kMillisecond);

void handOffOtter(benchmark::State& state) {
    const scene::Scene s = demoScene();
    const auto out = std::filesystem::temp_directory_path() / "nutatio-bench.glb";
    for (auto _ : state) {
        pipeline::Evaluator e;
        benchmark::DoNotOptimize(pipeline::bake(s, {}, out, e, {}).ok());
    }
    std::filesystem::remove(out);
}
BENCHMARK(handOffOtter)->Unit(benchmark::kMillisecond);

}  // namespace
