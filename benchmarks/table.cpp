// Prints the solver's table: the standard shot, the ratio to a rigid-body engine in the same run, growth with fitted exponents.
// With the word "cost" it runs the standard shot once, for an instruction counter (scripts/cost).
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <functional>

#include "benchmarks/bullet_shot.h"

using namespace nutatio;
using namespace nutatio::benchmarks;

namespace {

/// Best of several runs [ms]: the least disturbed one.
double best(const std::function<double()>& run, int times) {
    double least = 1e300;
    volatile double keep = 0;
    for (int i = 0; i < times; ++i) {
        const auto from = std::chrono::steady_clock::now();
        keep = keep + run();
        least = std::min(least, std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - from).count());
    }
    return least;
}

/// Slope of log time over log size, by least squares.
double exponent(const std::vector<std::pair<double, double>>& points) {
    double sx = 0, sy = 0, sxx = 0, sxy = 0;
    const auto n = static_cast<double>(points.size());
    for (const auto& [x, y] : points) {
        const double lx = std::log(x), ly = std::log(y);
        sx += lx;
        sy += ly;
        sxx += lx * lx;
        sxy += lx * ly;
    }
    return (n * sxy - sx * sy) / (n * sxx - sx * sx);
}

void growth(const char* what, std::initializer_list<int> sizes, const std::function<ShotSize(int)>& shot) {
    std::vector<std::pair<double, double>> points;
    std::printf("growth with %-7s", what);
    for (int s : sizes) {
        const double ms = best([&] { return runStandardShot(shot(s)); }, 5);
        points.emplace_back(s, ms);
        std::printf("  %d: %.2f ms", s, ms);
    }
    std::printf("   exponent %.3f\n", exponent(points));
}

}  // namespace

int main(int argc, char** argv) {
    const ShotSize standard;
    if (argc > 1 && std::strcmp(argv[1], "cost") == 0) {
        std::printf("%ld\n", standard.jointSteps());
        return std::isfinite(runStandardShot(standard)) ? 0 : 1;
    }
    std::printf("standard shot: 12 chains x 8 joints, 6 capsules, 120 frames at 24 fps, one thread, %d lanes at most\n",
                physics::bestWidth());
    for (int bodies : {6, 0}) {
        ShotSize s = standard;
        s.bodies = bodies;
        // In turns, so that both meet the machine in the same mood.
        double ours = 1e300, theirs = 1e300;
        for (int round = 0; round < 4; ++round) {
            ours = std::min(ours, best([&] { return runStandardShot(s); }, 8));
            theirs = std::min(theirs, best([&] { return runBulletShot(s); }, 1));
        }
        const auto steps = static_cast<double>(s.jointSteps());
        std::printf(
            "%d capsules: %.2f ms, %.0f ns a joint-step; Bullet's articulated chains %.1f ms, %.0f ns: %.1f times as much\n",
            bodies, ours, 1e6 * ours / steps, theirs, 1e6 * theirs / steps, theirs / ours);
    }
    for (int width : {2, 4, 8})
        if (width <= physics::bestWidth())
            std::printf("%d lanes at once: %.2f ms\n", width, best([&] { return runStandardShot(standard, width); }, 8));
    growth("joints", {4, 8, 16, 32, 64}, [](int n) { return ShotSize{16, n, 120, 6}; });
    growth("chains", {8, 16, 32, 64, 128}, [](int n) { return ShotSize{n, 8, 120, 6}; });
    growth("frames", {60, 120, 240, 480, 960}, [](int n) { return ShotSize{16, 8, n, 6}; });
    return 0;
}
