#include "tests/support/wobble.h"

#include "layers/common_rows.h"
#include "layers/joint_worlds.h"
#include "layers/mover.h"
#include "layers/showing.h"
#include "rig/region.h"

namespace nutatio::test {

namespace {

using layers::LayerContext;
using layers::PoseView;

constexpr scene::SettingSpec kRows[] = {
    {.id = "joint",
     .label = "Joints",
     .type = scene::SettingType::Joints,
     .help = "It hangs there.",
     .role = scene::Role::Target},
    {.id = "on", .label = "On", .type = scene::SettingType::Region, .help = "What of the surface wobbles."},
    {.id = "off", .label = "Not on", .type = scene::SettingType::Region, .help = "What of that does not."},
    {.id = "swing",
     .label = "Swing",
     .unit = scene::Unit::PerSecond,
     .range = {0.2, 20},
     .soft = {0.2, 8},
     .start = 2,
     .help = "."},
    {.id = "far", .label = "How far", .range = {0, 4}, .soft = {0, 2}, .start = 1, .help = "How far it goes."},
    layers::kAmountRow,
    layers::kMixRow};

class Wobble final : public layers::Mover {
  public:
    explicit Wobble(const LayerContext& c)
        : m_joint(c.actor.skeleton.find(c.layer.list("joint").front())),
          m_worlds(c.actor.skeleton, {m_joint}),
          m_settings(c.settings) {
        std::vector<Affine> rest;
        rig::worldTransforms(c.actor.skeleton, c.actor.restPose(), rest);
        m_rest = rotationOf(rest[static_cast<std::size_t>(m_joint)].m);
        const rig::Region* on = c.region("on");
        if (!on) return;
        const rig::Region* off = c.region("off");
        for (std::size_t i = 0; i < c.actor.instances->size(); ++i) {
            const auto& primitives = (*c.actor.meshes)[static_cast<std::size_t>((*c.actor.instances)[i].mesh)].primitives;
            for (std::size_t k = 0; k < primitives.size(); ++k) {
                rig::Patch p{static_cast<int>(i), static_cast<int>(k), {}, {}};
                std::vector<float> shares;
                for (std::size_t v = 0; v < primitives[k].positions->size(); ++v) {
                    const std::uint32_t point = on->surface.pointOf(i, k, v);
                    const float share = on->values[point] * (off ? 1 - off->values[point] : 1);
                    if (share <= 0) continue;
                    p.vertices.push_back(static_cast<std::uint32_t>(v));
                    shares.push_back(share);
                }
                if (p.vertices.empty()) continue;
                m_patches.push_back(std::move(p));
                m_shares.push_back(std::move(shares));
            }
        }
    }
    const std::vector<int>& joints() const override { return m_none; }
    std::span<const rig::Patch> surfaces() const override { return m_patches; }
    void start(double, const PoseView& pose, const PoseView&) override {
        m_worlds.update(pose);
        m_place = m_goal = m_worlds.world(m_joint).t;
        m_speed.setZero();
    }
    void step(double dt, const PoseView& goal, const PoseView&) override {
        m_worlds.update(goal);
        const Vec3 from = m_goal, to = m_worlds.world(m_joint).t;
        const double w = 2 * kPi * m_settings->at("swing", goal.frame());
        constexpr int kSteps = 16;
        for (int k = 1; k <= kSteps; ++k) {
            const double h = dt / kSteps;
            m_speed += h * (w * w * (from + k * (to - from) / kSteps - m_place) - 0.4 * w * m_speed);
            m_place += h * m_speed;
        }
        m_goal = to;
    }
    void write(const PoseView&, std::span<Xform>) const override {}
    void writeSurface(const PoseView& goal, std::size_t at, std::span<Vec3f> out) const override {
        const Vec3 by = m_settings->at("far", goal.frame()) *
                        (m_rest * m_worlds.turn(m_joint).conjugate() * Vec3(m_place - m_worlds.world(m_joint).t));
        for (std::size_t v = 0; v < out.size(); ++v) out[v] = m_shares[at][v] * by.cast<float>();
    }
    layers::State state() const override {
        return {m_place.x(), m_place.y(), m_place.z(), m_speed.x(), m_speed.y(), m_speed.z()};
    }
    void setState(const layers::State& s) override {
        m_place = Vec3(s[0], s[1], s[2]);
        m_speed = Vec3(s[3], s[4], s[5]);
    }
    Vec3 probe() const override { return m_place; }
    Vec3 probeGoal() const override { return m_goal; }
    double probeLever() const override { return 0; }
    bool watch(int joint) override { return joint == m_joint; }

  private:
    int m_joint;
    std::vector<int> m_none;
    layers::JointWorlds m_worlds;
    layers::ResolvedPtr m_settings;
    std::vector<rig::Patch> m_patches;
    std::vector<std::vector<float>> m_shares;
    Quat m_rest;
    Vec3 m_place = Vec3::Zero(), m_goal = Vec3::Zero(), m_speed = Vec3::Zero();
};

layers::Movers movers(const LayerContext& c, const PoseView&) {
    layers::Movers out;
    out.push_back(std::make_unique<Wobble>(c));
    return out;
}

Vec3 centreOf(const layers::OnShow& now) {
    return now.worlds[static_cast<std::size_t>(now.actor.skeleton.find(now.layer.list("joint").front()))].t;
}

constexpr layers::Showing kShowing{
    [](const layers::OnShow& now) {
        return std::vector<layers::Mark>{
            layers::ringMark(centreOf(now), 0.2 * now.size * now.settings.at("far"), layers::Mark::Tone::Force, 2)};
    },
    [](const layers::OnShow& now) {
        return std::vector<layers::Handle>{{"far", centreOf(now) + Vec3(0.2 * now.size * now.settings.at("far"), 0, 0)}};
    },
    [](const layers::OnShow& now, const layers::Handle&, const Vec3& to) {
        return layers::Changes{{"far", (to - centreOf(now)).norm() / (0.2 * now.size)}};
    }};

}  // namespace

const layers::Simulated kSimulated{.movers = movers};

const layers::LayerKind kWobble{
    .id = "wobble",
    .label = "Wobble",
    .help = "A region of the surface hangs on springs.",
    .glyph = "M4 12h16",
    .takes = layers::Takes::Joints,
    .settings = kRows,
    .problem = [](const rig::Actor& a, const scene::Layer& l) -> std::optional<std::string> {
        if (l.list("joint").empty() || a.skeleton.find(l.list("joint").front()) == rig::kNoJoint) return "it hangs nowhere";
        return std::nullopt;
    },
    .moves = [](const rig::Actor&, const scene::Layer&) { return std::vector<layers::Moved>(); },
    .simulated = &kSimulated,
    .showing = &kShowing,
    .reads = [](const rig::Actor& a,
                const scene::Layer& l) { return std::vector<int>{a.skeleton.find(l.list("joint").front())}; }};

}  // namespace nutatio::test
