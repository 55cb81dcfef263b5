// Prints what was asked of bodies of segments against what came of it, with the bars of core/physics/README.md: nutatio-bars.
#include "benchmarks/body_bars.h"

#include <cstdio>
#include <ctime>

#include "layers/bodily.h"
#include "layers/registry.h"
#include "pipeline/evaluate.h"
#include "pipeline/open.h"
#include "tests/support/body_trials.h"

namespace nutatio {

namespace {

double milliseconds() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return 1e3 * static_cast<double>(t.tv_sec) + 1e-6 * static_cast<double>(t.tv_nsec);
}

bool springs() {
    double rate = 0, zeta = 0, modeRate = 0, modeZeta = 0;
    for (int joint : {7, 8, 9})
        for (double f : {1.0, 3.0, 8.0})
            for (double z : {0.05, 0.2}) {
                const test::Ring r = test::branchRing(joint, true, f, z, 1 / 120.0);
                rate = std::max(rate, std::abs(r.rate / f - 1));
                zeta = std::max(zeta, std::abs(r.zeta / z - 1));
            }
    for (int joint : {6, 7, 9}) {
        const test::Ring r = test::branchRing(joint, false, 3, 0.1, 1 / 120.0);
        modeRate = std::max(modeRate, std::abs(r.rate / 3 - 1));
        modeZeta = std::max(modeZeta, std::abs(r.zeta / 0.1 - 1));
    }
    const test::Ring laden = test::branchRing(7, false, 3, 0.1, 1 / 120.0, 30);
    std::printf(
        "  one joint: f %.3f %%, zeta %.2f %% (1, 3); first mode: %.3f, %.2f %% (1, 3); 30 times in the hand: %.3f, %.2f %%\n",
        100 * rate, 100 * zeta, 100 * modeRate, 100 * modeZeta, 100 * std::abs(laden.rate / 3 - 1),
        100 * std::abs(laden.zeta / 0.1 - 1));
    return std::max({rate, modeRate}) < 0.01 && std::max(zeta, modeZeta) < 0.03;
}

bool landings() {
    bool kept = true;
    for (bool limp : {true, false})
        for (double rate : {120.0, 240.0, 0.0}) {
            double spent = 0;
            int steps = 0;
            const test::Landing l = test::landing(limp, rate, [&](physics::Articulated& body, double h) {
                const double from = milliseconds();
                body.step(h);
                if (++steps <= 5 / h) spent += milliseconds() - from;
            });
            std::printf(
                "  %s, %3.0f Hz: floor %.1f mm, limbs %.1f (17.5); a limit %.1f deg, later %.2f (5); apart %.0e; after 5 s %.3f "
                "mm a "
                "frame, %.2f in 1 s (0.05, 0.5)%s; 120 frames in %.0f ms (60)\n",
                limp ? "limp" : "springs at 2", rate, 1e3 * l.floor, 1e3 * l.limbs, degrees(l.beyond), degrees(l.beyondLater),
                l.apart, 1e3 * l.moves, 1e3 * l.wanders, l.sleeps ? ", asleep" : "", spent);
            kept = kept && l.floor < 0.0175 && l.limbs < 0.0175 && l.beyond < radians(5) && l.moves < 5e-5 && l.wanders < 5e-4;
        }
    return kept;
}

/// The slip of the demo: all of it simulated anew as a slider moves, and the body alone on one core.
bool slip() {
    const auto opened = pipeline::open(NUTATIO_SOURCE_DIR "/demo/slip.nutatio");
    if (!opened) return false;
    const auto time = [](const scene::Scene& scene, double swing, pipeline::Evaluator& evaluator, bool alone) {
        scene::Scene s = scene;
        for (std::size_t i = 0; i < s.layers.size(); ++i) {
            const layers::LayerKind* kind = layers::findKind(s.layers[i].kind);
            if (kind->acts) s.layers.edit(i).set("swing", swing);
            if (alone && kind->simulated && !layers::actsOut(*kind)) s.layers.edit(i).muted = true;
        }
        return evaluator.evaluate(s, s.shot(), {}, {}).milliseconds * 120 / s.frames(s.shot());
    };
    double all = 0, alone = 0;
    constexpr int kTurns = 7;
    pipeline::Evaluator evaluator;
    time(opened.value().scene, 15, evaluator, false);
    for (int k = 0; k < kTurns; ++k) {
        all += time(opened.value().scene, 16 + 0.1 * k, evaluator, false) / kTurns;
        alone += time(opened.value().scene, 18 + 0.1 * k, evaluator, true) / kTurns;
    }
    std::printf("  the slip, for 120 frames: all of it anew as a slider moves %.0f ms, its body alone on one core %.0f (60)\n",
                all, alone);
    return alone < 60;
}

}  // namespace

bool bodyBars() {
    std::printf("Bodies of segments, a person of 1.75 m and 73 kg:\n");
    bool kept = springs() & landings() & slip();
    for (double rate : {120.0, 240.0}) {
        const auto one = test::tumbleEnergy(rate, 1), ten = test::tumbleEnergy(rate, 10);
        const double bounces =
            std::max(std::abs(test::bounceOf(0.3, 1 / rate) / 0.09 - 1), std::abs(test::bounceOf(0.7, 1 / rate) / 0.49 - 1));
        const test::Slide gentle = test::slideOn(25, rate), a = test::slideOn(28, rate), b = test::slideOn(35, rate);
        std::printf(
            "  %.0f Hz: tumble keeps %.2f %% after 1 s, %.1f after 10 (99, 85 - differs by draw), most %.4f; creep %.2f mm/s "
            "(0.5), slides off by "
            "%.1f, "
            "%.1f %% (2); bounce off by %.1f %% (10); bar at 1, 3, 10 m/s %.1f %.1f %.1f mm (17.5)\n",
            rate, 100 * one.first, 100 * ten.first, std::max(one.second, ten.second), 1e3 * gentle.creep,
            100 * std::abs(a.gains / a.coulomb - 1), 100 * std::abs(b.gains / b.coulomb - 1), 100 * bounces,
            1e3 * test::knockBy(1, rate), 1e3 * test::knockBy(3, rate), 1e3 * test::knockBy(10, rate));
        kept = kept && one.first > 0.99 && ten.second < 1 + 1e-9 && gentle.creep < 5e-4 && bounces < 0.1;
    }
    std::printf("  chase at 30 swings/s: falling %.2f, guided %.2f deg (1); at 12: %.2f, %.2f\n",
                degrees(test::chaseBy(30, false)), degrees(test::chaseBy(30, true)), degrees(test::chaseBy(12, false)),
                degrees(test::chaseBy(12, true)));
    return kept;
}

}  // namespace nutatio
