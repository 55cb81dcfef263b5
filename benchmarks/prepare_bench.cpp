// Preparing a body of 50,000 vertices: the check, a proposal of weights, and a dab of the brush. make bench.
#include <benchmark/benchmark.h>

#include "files/scene_file.h"
#include "measure/check.h"
#include "rig/helper.h"
#include "rig/paint.h"

using namespace nutatio;

namespace {

constexpr int kAround = 250, kAlong = 200, kJoints = 40;

/// A sausage two metres long, bent by joints along it.
std::shared_ptr<const rig::Actor> body() {
    auto a = std::make_shared<rig::Actor>();
    std::vector<rig::Joint> joints;
    rig::Skin skin;
    for (int j = 0; j < kJoints; ++j) {
        rig::Joint joint;
        joint.name = "bone_" + std::to_string(j);
        joint.parent = j - 1;
        joint.rest.t = Vec3(0, j == 0 ? 0 : 2.0 / kJoints, 0);
        joints.push_back(joint);
        skin.joints.push_back(j);
        Affine bind;
        bind.t = Vec3(0, -2.0 * j / kJoints, 0);
        skin.inverseBind.push_back(bind);
    }
    a->skeleton = rig::Skeleton(std::move(joints));
    rig::Primitive p;
    for (int y = 0; y < kAlong; ++y)
        for (int x = 0; x < kAround; ++x) {
            const double turn = 2 * kPi * x / kAround, up = 2.0 * y / (kAlong - 1), wide = 0.2 + 0.05 * std::sin(5 * up);
            p.positions.edit().emplace_back(Vec3(wide * std::cos(turn), up, wide * std::sin(turn)).cast<float>());
            p.normals.edit().emplace_back(Vec3(std::cos(turn), 0, std::sin(turn)).cast<float>());
            const double at = std::min(up / 2 * kJoints, kJoints - 1.001);
            rig::Influence f;
            f.joint[0] = static_cast<std::uint16_t>(at);
            f.joint[1] = static_cast<std::uint16_t>(at + 1);
            f.weight[1] = static_cast<float>(at - std::floor(at));
            f.weight[0] = 1 - f.weight[1];
            p.influences.edit().push_back(f);
            if (y == 0) continue;
            const auto v = [&](int row, int column) { return static_cast<std::uint32_t>(row * kAround + column % kAround); };
            for (const std::uint32_t corner : {v(y - 1, x), v(y, x), v(y, x + 1), v(y - 1, x), v(y, x + 1), v(y - 1, x + 1)})
                p.triangles.edit().push_back(corner);
        }
    rig::Mesh mesh;
    mesh.primitives.push_back(std::move(p));
    a->meshes = std::vector<rig::Mesh>{std::move(mesh)};
    a->skins = std::vector<rig::Skin>{std::move(skin)};
    a->instances = std::vector<rig::MeshInstance>{{0, 0, 0}};
    a->finish();
    return a;
}

void check(benchmark::State& state) {
    const scene::Scene s = files::sceneOf(body());
    for (auto _ : state) benchmark::DoNotOptimize(measure::check(s).size());
}
BENCHMARK(check)->Unit(benchmark::kMillisecond);

void proposal(benchmark::State& state) {
    const auto a = body();
    const rig::Surface surface = rig::Surface::of(*a);
    for (auto _ : state) benchmark::DoNotOptimize(rig::shareOf(*a, surface, 20, Vec3(0.15, 1, 0), 0.3 * a->height).size());
}
BENCHMARK(proposal)->Unit(benchmark::kMillisecond);

/// A dab, and the numbers that the stage tints by.
void dab(benchmark::State& state) {
    const auto a = body();
    rig::Painter painter(*a);
    std::vector<float> tint(a->meshes[0].primitives[0].positions.size());
    double turn = 0;
    for (auto _ : state) {
        turn += 0.01;
        painter.dab(20, rig::Brush::Add, Vec3(0.22 * std::cos(turn), 1, 0.22 * std::sin(turn)), 0.1 * a->height, 0.3);
        for (std::size_t v = 0; v < tint.size(); ++v) tint[v] = painter.share(painter.surface().pointOf(0, 0, v), 20);
        benchmark::DoNotOptimize(tint.data());
    }
}
BENCHMARK(dab)->Unit(benchmark::kMillisecond);

/// A stroke let go: the actor with its new weights.
void keptStroke(benchmark::State& state) {
    const auto a = body();
    rig::Painter painter(*a);
    painter.dab(20, rig::Brush::Add, Vec3(0.22, 1, 0), 0.1 * a->height, 0.3);
    for (auto _ : state) benchmark::DoNotOptimize(painter.painted());
}
BENCHMARK(keptStroke)->Unit(benchmark::kMillisecond);

}  // namespace
