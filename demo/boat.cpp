#include "demo/otter.h"
#include "demo/shapes.h"

namespace nutatio::demo {

namespace {

constexpr int kRopeJoints = 10;

/// From the boat's post to the jetty's, sagging.
std::vector<Vec3> ropeLine() {
    const Vec3 from(0.50, 0.58, 1.75), to(0.86, 0.29, 1.2);
    std::vector<Vec3> out;
    for (int k = 0; k <= kRopeJoints; ++k) {
        const double u = static_cast<double>(k) / kRopeJoints;
        out.push_back(from + u * (to - from) - Vec3(0, 4 * 0.12 * u * (1 - u), 0));
    }
    return out;
}

}  // namespace

void buildBoat(GltfBuilder& b) {
    const int boat = b.node("boat", -1);
    const std::vector<Vec3> line = ropeLine();
    std::vector<int> joints;
    int above = boat;
    Vec3 from = Vec3::Zero();
    for (int k = 0; k < kRopeJoints; ++k) {
        Xform x;
        x.t = line[static_cast<std::size_t>(k)] - from;
        above = b.node(k + 1 < 10 ? "rope_0" + std::to_string(k + 1) : "rope_" + std::to_string(k + 1), above, x);
        from = line[static_cast<std::size_t>(k)];
        joints.push_back(above);
    }
    Surface hull;
    const auto put = [&](Surface s, const Vec3& colour) {
        paint(s, colour);
        bindTo(s, boat);
        hull.append(s);
    };
    put(box(Vec3(0, -0.285, 2.35), Vec3(0.60, 0.025, 0.78)), Vec3(0.26, 0.20, 0.14));
    put(box(Vec3(0, -0.40, 2.35), Vec3(0.56, 0.09, 0.74)), Vec3(0.055, 0.16, 0.17));
    for (double x : {-0.60, 0.60}) put(box(Vec3(x, -0.21, 2.35), Vec3(0.03, 0.06, 0.80)), Vec3(0.50, 0.19, 0.10));
    put(box(Vec3(0, -0.21, 3.13), Vec3(0.60, 0.06, 0.03)), Vec3(0.50, 0.19, 0.10));
    put(tube({Vec3(0.50, -0.40, 1.75), Vec3(0.50, 0.60, 1.75), Vec3(0.50, 0.64, 1.75)}, {0.035, 0.03, 0.02}, 14),
        Vec3(0.17, 0.125, 0.085));
    Surface rope = tube(line, std::vector<double>(line.size(), 0.014), 8);
    paint(rope, Vec3(0.55, 0.47, 0.33));
    bindAlong(rope, joints, {line.begin(), line.end() - 1});
    hull.append(rope);
    b.mesh("hull", hull);
}

void buildFloat(GltfBuilder& b) {
    const int node = b.node("float", -1);
    Surface s = tube({Vec3(0, -0.11, 0), Vec3(0, -0.08, 0), Vec3(0, 0, 0), Vec3(0, 0.08, 0), Vec3(0, 0.11, 0)},
                     {0.03, 0.085, 0.115, 0.085, 0.03}, 20);
    paint(s, Vec3(0.62, 0.14, 0.07));
    Surface stick = tube({Vec3(0, 0.09, 0), Vec3(0, 0.44, 0)}, {0.009, 0.007}, 8);
    paint(stick, Vec3(0.3, 0.235, 0.165));
    s.append(stick);
    Surface pennant = box(Vec3(0.06, 0.39, 0), Vec3(0.055, 0.035, 0.003));
    paint(pennant, Vec3(0.055, 0.16, 0.17));
    s.append(pennant);
    b.mesh("ball", s, true, node);
}

}  // namespace nutatio::demo
