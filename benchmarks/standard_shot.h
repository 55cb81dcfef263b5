// The standard shot, by which the solver's speed is told: chains of joints among six capsules, swaying, at 24 frames a second and
// 120 steps.
#pragma once

#include <vector>

#include "physics/strand.h"

namespace nutatio::benchmarks {

struct ShotSize {
    int chains = 12, joints = 8, frames = 120, bodies = 6;
    long jointSteps() const { return static_cast<long>(chains) * joints * frames * 5; }
};

inline std::vector<physics::LinkDef> standardLinks(int n) {
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

inline physics::Body standardBody(int i) {
    physics::Body b;
    b.radiusA = b.radiusB = 0.1;
    b.a = Vec3(0.2 * i - 0.5, -0.6, 0.4);
    b.b = b.a + Vec3(0, 0.4, 0);
    return b;
}

/// Where chain `c` is carried at step `k`.
inline double swayAt(int k, int c) {
    return 0.2 * std::sin(0.03 * k + c);
}

/// Runs it on one thread; returns something that depends on all of it.
inline double runStandardShot(const ShotSize& size, int width = physics::bestWidth()) {
    double sum = 0;
    for (int from = 0; from < size.chains; from += width) {
        const int count = std::min(width, size.chains - from);
        int narrow = 2;
        while (narrow < count) narrow *= 2;
        std::vector<physics::StrandPlan> plans(
            static_cast<std::size_t>(count),
            {standardLinks(size.joints), {.swing = 2, .zeta = 0.2, .gravity = Vec3(0, -9.8, 0)}});
        physics::StrandBatch batch(plans, 1.0 / 120, narrow);
        batch.setBodies(static_cast<std::size_t>(size.bodies));
        const std::vector<Quat> still(static_cast<std::size_t>(size.joints), Quat::Identity());
        for (int l = 0; l < count; ++l) batch.start(l, Vec3::Zero(), Quat::Identity(), still, Vec3::Zero(), Vec3::Zero());
        std::vector<physics::BaseStep> bases(static_cast<std::size_t>(count));
        for (int k = 0; k < size.frames * 5; ++k) {
            for (int l = 0; l < count; ++l) {
                physics::BaseStep& b = bases[static_cast<std::size_t>(l)];
                b.place0 = b.place1;
                b.place1 = Vec3(swayAt(k, from + l), 0, 0);
                b.velocityEnd = Vec3(0.2 * 0.03 * 120 * std::cos(0.03 * k + from + l), 0, 0);
                batch.setBase(l, b);
                for (int i = 0; i < size.bodies; ++i) batch.setBody(l, static_cast<std::size_t>(i), standardBody(i));
            }
            batch.step();
        }
        for (int l = 0; l < count; ++l) sum += batch.end(l, static_cast<std::size_t>(size.joints) - 1).y();
    }
    return sum;
}

}  // namespace nutatio::benchmarks
