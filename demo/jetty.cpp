#include <random>

#include "demo/otter.h"
#include "demo/shapes.h"

namespace nutatio::demo {

void buildJetty(GltfBuilder& b) {
    b.node("jetty", -1);
    std::mt19937 noise(7);
    const auto jitter = [&](double size) { return size * (static_cast<double>(noise() % 2001) / 1000.0 - 1.0); };
    Surface wood;
    constexpr int kPlanks = 13;
    for (int i = 0; i < kPlanks; ++i) {
        const double z = -1.45 + 2.9 * (i + 0.5) / kPlanks;
        Surface plank =
            box(Vec3(jitter(0.03), -0.02 + jitter(0.0015), z), Vec3(0.88 + jitter(0.03), 0.0185, 2.9 / kPlanks / 2 - 0.008));
        const double shade = 1 + jitter(0.14);
        paint(plank, Vec3(0.30, 0.235, 0.165) * shade);
        wood.append(plank);
    }
    for (double x : {-0.62, 0.62}) {
        Surface beam = box(Vec3(x, -0.085, 0), Vec3(0.05, 0.045, 1.42));
        paint(beam, Vec3(0.15, 0.115, 0.08));
        wood.append(beam);
    }
    for (double x : {-0.86, 0.86})
        for (double z : {-1.2, 1.2}) {
            Surface post = tube({Vec3(x, -0.5, z), Vec3(x, 0.30, z), Vec3(x, 0.33, z)}, {0.062, 0.058, 0.045}, 18);
            paint(post, Vec3(0.17, 0.125, 0.085));
            wood.append(post);
            std::vector<Vec3> coil;
            std::vector<double> radius;
            for (int k = 0; k <= 60; ++k) {
                const double a = 2 * kPi * k / 20;
                coil.push_back(Vec3(x + 0.07 * std::cos(a), 0.15 + 0.026 * k / 20.0, z + 0.07 * std::sin(a)));
                radius.push_back(0.012);
            }
            Surface rope = tube(coil, radius, 8);
            paint(rope, Vec3(0.55, 0.47, 0.33));
            wood.append(rope);
        }
    b.mesh("planks", wood, false, 0);
}

}  // namespace nutatio::demo
