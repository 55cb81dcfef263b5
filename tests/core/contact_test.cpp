// Contact with fitted bodies: the animated pose is left alone, what lies still comes to rest.
#include <catch2/catch.hpp>

#include "layers/registry.h"
#include "physics/oscillator.h"
#include "scene/fit.h"
#include "tests/support/rigs.h"

using namespace nutatio;

namespace {

/// The largest turn against its parent that any joint of the layer makes from one frame to the next [deg].
double mostTurn(const rig::Track& below, const rig::Track& above) {
    double most = 0;
    for (int j = 0; j < above.joints(); ++j)
        if (above.column(j) != below.column(j))
            for (int f = 1; f < above.frames(); ++f)
                most = std::max(most, degrees(above.at(j, f).r.angularDistance(above.at(j, f - 1).r)));
    return most;
}

struct Case {
    std::string name;
    std::shared_ptr<const rig::Actor> actor;
    std::vector<std::string> roots;
};

std::vector<Case> cases() {
    const auto otter = test::read(test::kOtterFile);
    std::vector<Case> out{{"otter's tail", otter, {"tail_01"}},
                          {"otter's scarf", otter, {"scarf_L_01", "scarf_R_01"}},
                          {"otter's ears", otter, {"ear_L", "ear_R"}},
                          {"otter's skirt", otter, {"skirt1_01", "skirt3_01", "skirt5_01", "skirt8_01"}},
                          {"otter's lantern", otter, {"chain_01"}}};
    for (const test::BeastSpec& spec : {test::BeastSpec{}, test::BeastSpec{0.01, false, true}, test::BeastSpec{1, true, true}}) {
        const auto beast = test::beastActor(spec);
        const std::string which = spec.zUp ? " (z up)" : spec.rootScale != 1 ? " (root scaled)" : "";
        for (const char* root : {"cape_1", "trunk_1", "feather_1"}) out.push_back({root + which, beast, {root}});
    }
    return out;
}

/// 24 chains of 8 links round a ring, hanging over two still thighs under gravity.
struct Skirt {
    static constexpr int kChains = 24, kLinks = 8;
    std::vector<physics::StrandBatch> chains;

    Skirt(double bounces, double friction, double f, double h) {
        for (int c = 0; c < kChains; ++c) {
            const double a = 2 * kPi * c / kChains;
            const Vec3 out(std::sin(a), 0, std::cos(a)), way = (0.11 * out - Vec3(0, 0.4877, 0)).normalized();
            physics::StrandPlan plan{test::straightLinks(kLinks, 0.5, way), {}};
            for (physics::LinkDef& l : plan.links) l.radius = 0.004;
            plan.def.swing = f;
            plan.def.zeta = physics::dampingRatio(bounces);
            plan.def.gravity = Vec3(0, -9.81, 0);
            physics::StrandBatch b(std::vector<physics::StrandPlan>{plan}, h, 2);
            physics::BaseStep base;
            base.place0 = base.place1 = 0.19 * out;
            b.setBase(0, base);
            b.setBodies(2);
            for (int k = 0; k < 2; ++k) {
                physics::Body body;
                const double lean = k ? 0.61 : -0.35;
                body.a = Vec3(k ? 0.09 : -0.09, -0.06, 0);
                body.b = body.a + 0.42 * Vec3(0, -std::cos(lean), std::sin(lean));
                body.radiusA = body.radiusB = 0.085;
                body.friction = friction;
                b.setBody(0, static_cast<std::size_t>(k), body);
            }
            b.start(0, 0.19 * out, Quat::Identity(), std::vector<Quat>(kLinks, Quat::Identity()), Vec3::Zero(), Vec3::Zero());
            chains.push_back(std::move(b));
        }
    }
    /// Runs for `seconds`; the farthest that any link's end goes in a frame of the last one [m].
    double restlessness(int seconds, double h) {
        const int steps = static_cast<int>(std::lround(1.0 / 24 / h));
        double most = 0;
        for (physics::StrandBatch& b : chains)
            for (int f = 0; f < 24 * seconds; ++f) {
                std::vector<Vec3> before;
                for (std::size_t i = 0; i < kLinks; ++i) before.push_back(b.end(0, i));
                for (int k = 0; k < steps; ++k) b.step();
                if (f >= 24 * (seconds - 1))
                    for (std::size_t i = 0; i < kLinks; ++i) most = std::max(most, (b.end(0, i) - before[i]).norm());
            }
        return most;
    }
};

}  // namespace

TEST_CASE("chains that lie on still bodies come to rest") {
    int which = 0;
    for (double f : {2.0, 0.8, 5.0})
        for (double bounces : {0.0, 2.0, 8.0})
            for (double friction : {0.0, 0.2, 0.8}) {
                if (!test::tries(which++)) continue;
                if (bounces / f > 5) continue;  // chains beside the bodies still ring after 20 s, as they were asked to
                Skirt skirt(bounces, friction, f, 1.0 / 120);
                const double most = 1000 * skirt.restlessness(20, 1.0 / 120);
                INFO(f << " swings/s, " << bounces << " bounces, friction " << friction << ": " << most
                       << " mm a frame after 20 s");
                CHECK(most < 0.001);
            }
}

TEST_CASE("fitted colliders leave the animated pose alone: they hardly raise the largest turn of a frame") {
    for (const Case& c : cases()) {
        scene::Scene s = test::sceneWith(c.actor);
        // Fitted before the strand is there, and after: the same colliders count.
        for (scene::Collider& fit : scene::fitColliders(s, s.actors[0], layers::swungJoints(s, s.actors[0]), 0.02))
            s.colliders.push_back(fit);
        REQUIRE(s.colliders.size() > 3);
        test::addLayer(s, "strand", c.roots);
        for (std::size_t clip = 0; clip < c.actor->clips.size(); ++clip) {
            test::play(s, c.actor->clips[clip].name);
            scene::Scene bare = s;
            bare.colliders.clear();
            const auto with = test::evaluate(s), without = test::evaluate(bare);
            const double most = mostTurn(*with.actors[0].body, *with.actors[0].result),
                         free = mostTurn(*without.actors[0].body, *without.actors[0].result);
            INFO(c.name << ", " << test::played(s) << ": " << free << " degrees a frame without colliders, " << most << " with");
            CHECK((most <= free + 12 || most <= 2.5 * free));
        }
    }
}
