// Speed: the demo scene as a person meets it, and the solver by itself. make bench.
#include <benchmark/benchmark.h>
#include <tbb/global_control.h>

#include <filesystem>

#include "files/gltf_reader.h"
#include "layers/registry.h"
#include "measure/response.h"
#include "physics/strand.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"

using namespace nutatio;

namespace {

const std::string kDemo = std::string(NUTATIO_SOURCE_DIR) + "/demo/lake-landing.nutatio";

scene::Scene demoScene() {
    return pipeline::open(kDemo).value().scene;
}

std::vector<physics::LinkDef> links(int n) {
    std::vector<physics::LinkDef> out(static_cast<std::size_t>(n));
    for (int i = 0; i < n; ++i) {
        physics::LinkDef& l = out[static_cast<std::size_t>(i)];
        l.parent = i - 1;
        l.length = 1.0 / n;
        l.restPlace = (i * 1.0 / n) * Vec3::UnitZ();
        if (i > 0) l.attach = (1.0 / n) * Vec3::UnitZ();
    }
    return out;
}

/// `chains` strands of 8 joints among 6 capsules, 120 frames at 24 fps, the base swaying; one thread.
void standardShot(benchmark::State& state) {
    const int chains = static_cast<int>(state.range(0)), joints = static_cast<int>(state.range(1)), frames = 120;
    const double h = 1.0 / 120;
    std::vector<physics::Body> bodies(6);
    for (std::size_t i = 0; i < bodies.size(); ++i) {
        bodies[i].radius = 0.1;
        bodies[i].a = Vec3(0.2 * static_cast<double>(i) - 0.5, -0.6, 0.4);
        bodies[i].b = bodies[i].a + Vec3(0, 0.4, 0);
    }
    for (auto _ : state) {
        double sum = 0;
        for (int c = 0; c < chains; ++c) {
            physics::Strand s(links(joints), {.swing = 2, .zeta = 0.2, .gravity = Vec3(0, -9.8, 0)}, h);
            const std::vector<Quat> still(static_cast<std::size_t>(joints), Quat::Identity());
            std::vector<physics::LinkGoal> goals(static_cast<std::size_t>(joints));
            s.start(Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
            physics::BaseStep b;
            for (int k = 0; k < frames * 5; ++k) {
                b.place0 = b.place1;
                b.place1 = Vec3(0.2 * std::sin(0.03 * k + c), 0, 0);
                b.velocityEnd = Vec3(0.2 * 0.03 * 120 * std::cos(0.03 * k + c), 0, 0);
                s.step(b, goals, bodies);
            }
            sum += s.end(static_cast<std::size_t>(joints) - 1).y();
        }
        benchmark::DoNotOptimize(sum);
    }
    state.counters["ns_per_joint_substep"] =
        benchmark::Counter(static_cast<double>(chains) * joints * frames * 5,
                           benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}
BENCHMARK(standardShot)->Args({12, 8})->Args({24, 8})->Args({12, 16})->Args({12, 32})->Unit(benchmark::kMillisecond);

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
    for (auto _ : state) benchmark::DoNotOptimize(measure::response(*kind, {*s.actors[0].actor, s.layers[0], {}}, pose)->swing);
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
