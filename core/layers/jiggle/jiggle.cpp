#include "layers/jiggle/jiggle.h"

#include <algorithm>

#include "layers/joint_worlds.h"
#include "physics/oscillator.h"

namespace nutatio::layers {

// Offset x of the part from its goal: x'' + 2 zeta w x' + w^2 x = -(acceleration of the goal) + sag g, in world axes; chosen axes
// are picked from it at the end. Between frames the goal runs on a Hermite cubic, so its acceleration is linear within a frame
// and the oscillator's step is exact. Turning follows a point at lever L along d: theta'' + ... = d x (sag g - a_point)/L -
// (alpha . d) d, whose first term holds both the pivot's travel and the goal's turning across d.

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Joints",
     .type = SettingType::Joints,
     .help = "The joints that jiggle, each on springs of its own."},
    {.id = "move",
     .label = "Move",
     .type = SettingType::Axes,
     .axes = "",
     .help = "Axes of the joint along which it may shift from its place."},
    {.id = "turn",
     .label = "Turn",
     .type = SettingType::Axes,
     .axes = "xyz",
     .help = "Axes of the joint about which it may turn from its pose."},
    {.id = "swing",
     .label = "Swing rate",
     .unit = Unit::PerSecond,
     .range = {0.05, 60},
     .soft = {0.2, 12},
     .start = 4,
     .help = "How often it swings each second.",
     .more = "More: tighter and lighter. Less: heavier and slower.",
     .curved = true},
    {.id = "bounces",
     .label = "Bounces",
     .unit = Unit::Count,
     .range = {0, 60},
     .soft = {0, 10},
     .start = 2,
     .help = "Full swings until it has come to rest.",
     .more = "More: rings on. Less: settles at once.",
     .curved = true},
    {.id = "sag",
     .label = "Sag",
     .unit = Unit::Gravities,
     .range = {-5, 20},
     .soft = {0, 2},
     .start = 0,
     .help = "How much of the earth's pull it gives way to.",
     .more = "More: hangs lower. Less: keeps the pose."},
    {.id = "preroll",
     .label = "Pre-roll",
     .unit = Unit::Frames,
     .range = {0, 500},
     .soft = {0, 96},
     .start = 24,
     .help = "Frames it swings before frame 1: of the loop's end when the shot loops, of the first pose otherwise.",
     .more = "More: settled at frame 1. Less: starts from the animated pose."},
    {.id = "mix",
     .label = "Mix",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .start = 1,
     .help = "How much of the layer's motion is used.",
     .more = "More: all of it. Less: closer to the motion below."},
};

/// A goal followed on a Hermite cubic: gives the accelerations at both ends of a frame.
struct Followed {
    Vec3 at = Vec3::Zero(), slope = Vec3::Zero();

    void start(const Vec3& p, const Vec3& next) {
        at = p;
        slope = next - p;
    }
    /// Second differences at the start and the end of the step to p [units a step^2].
    void step(const Vec3& p, const Vec3& next, Vec3& a0, Vec3& a1) {
        const Vec3 d = p - at, m1 = 0.5 * (next - at);
        a0 = 6 * d - 4 * slope - 2 * m1;
        a1 = -6 * d + 2 * slope + 4 * m1;
        at = p;
        slope = m1;
    }
};

/// Past two radians an offset is eased towards a half turn: violent bodies cannot wind a joint up.
Vec3 eased(const Vec3& theta) {
    constexpr double kKnee = 2.0, kMost = 3.0;
    const double a = theta.norm();
    if (a <= kKnee) return theta;
    return theta * ((kKnee + (kMost - kKnee) * std::tanh((a - kKnee) / (kMost - kKnee))) / a);
}

Vec3 pick(const Quat& axes, const std::string& which, const Vec3& v) {
    if (which.size() == 3) return v;
    Vec3 local = axes.conjugate() * v;
    for (int k = 0; k < 3; ++k)
        if (which.find("xyz"[k]) == std::string::npos) local[k] = 0;
    return axes * local;
}

class JigglePart final : public Part {
  public:
    JigglePart(const LayerContext& context, const PoseView& rest, int joint)
        : m_joints{joint},
          m_move(context.layer.text("move")),
          m_turn(context.layer.text("turn")),
          m_w(2 * kPi * context.layer.number("swing")),
          m_zeta(physics::dampingRatio(context.layer.number("bounces"))),
          m_gravity(0, -kEarthGravity * context.layer.number("sag") / context.actor.metresPerUnit, 0),
          m_worlds(context.actor.skeleton, context.actor.skeleton.joint(joint).children.empty()
                                               ? m_joints
                                               : context.actor.skeleton.joint(joint).children) {
        m_worlds.update(rest);
        const Vec3 way = lever(context.actor.skeleton, joint, 0.1 * context.actor.height);
        m_lever = way.norm();
        m_direction = m_worlds.turn(joint).conjugate() * (way / m_lever);
    }

    const std::vector<int>& joints() const override { return m_joints; }

    void start(double dt, const PoseView& pose, const PoseView& next) override {
        prepare(dt);
        const Goal then = read(next), now = read(pose);  // the pose last: write() looks at its worlds
        m_goal = now;
        m_place.start(now.place, then.place);
        m_tip.start(tip(now), tip(then));
        m_spin = rotationVector(then.turn * now.turn.conjugate());
        m_x = m_v = m_theta = m_omega = Vec3::Zero();
    }

    void step(double dt, const PoseView& pose, const PoseView& next) override {
        prepare(dt);
        const Goal before = m_goal, then = read(next), now = read(pose);
        const double perSecond2 = 1 / (dt * dt);
        Vec3 a0, a1;
        m_place.step(now.place, then.place, a0, a1);
        for (int k = 0; k < 3; ++k)
            m_spring->step(m_x[k], m_v[k], m_gravity[k] - a0[k] * perSecond2, m_gravity[k] - a1[k] * perSecond2);
        m_tip.step(tip(now), tip(then), a0, a1);
        const Vec3 turned = rotationVector(now.turn * before.turn.conjugate());
        const Vec3 spin = 0.5 * (turned + rotationVector(then.turn * now.turn.conjugate()));
        const Vec3 alpha0 = 6 * turned - 4 * m_spin - 2 * spin, alpha1 = -6 * turned + 2 * m_spin + 4 * spin;
        m_spin = spin;
        const Vec3 d0 = before.turn * m_direction, d1 = now.turn * m_direction;
        const Vec3 f0 = d0.cross(m_gravity - a0 * perSecond2) / m_lever - alpha0.dot(d0) * perSecond2 * d0;
        const Vec3 f1 = d1.cross(m_gravity - a1 * perSecond2) / m_lever - alpha1.dot(d1) * perSecond2 * d1;
        for (int k = 0; k < 3; ++k) m_spring->step(m_theta[k], m_omega[k], f0[k], f1[k]);
        m_goal = now;
    }

    void write(const PoseView& goal, std::span<Xform> out) const override {
        const Affine& above = m_worlds.above(m_joints[0]);
        out[0] = m_turn.empty() ? goal.local(m_joints[0]) : turnedInWorld(goal.local(m_joints[0]), above, offsetTurn());
        if (!m_move.empty()) out[0].t += above.inverse().m * pick(m_goal.turn, m_move, m_x);
    }

    Vec3 probe() const override {
        if (!m_move.empty()) return m_goal.place + pick(m_goal.turn, m_move, m_x);
        return m_goal.place + offsetTurn() * (tip(m_goal) - m_goal.place);
    }
    Vec3 probeGoal() const override { return m_move.empty() ? tip(m_goal) : m_goal.place; }
    double probeLever() const override { return m_move.empty() ? m_lever : 0.0; }

  private:
    struct Goal {
        Vec3 place = Vec3::Zero();
        Quat turn = Quat::Identity();
    };

    Quat offsetTurn() const { return fromRotationVector(eased(pick(m_goal.turn, m_turn, m_theta))); }
    Vec3 tip(const Goal& g) const { return g.place + g.turn * (m_lever * m_direction); }

    Goal read(const PoseView& pose) {
        m_worlds.update(pose);
        return {m_worlds.world(m_joints[0]).t, m_worlds.turn(m_joints[0])};
    }

    void prepare(double dt) {
        if (m_spring && dt == m_dt) return;
        m_dt = dt;
        m_spring.emplace(m_w, m_zeta, dt);
    }

    /// To the farthest child; a last joint points on from its parent.
    Vec3 lever(const rig::Skeleton& s, int joint, double fallback) const {
        Vec3 best = Vec3::Zero();
        const Vec3& here = m_worlds.world(joint).t;
        for (int c : s.joint(joint).children)
            if ((m_worlds.world(c).t - here).norm() > best.norm()) best = m_worlds.world(c).t - here;
        if (best.norm() <= 1e-6 * fallback && s.joint(joint).parent != rig::kNoJoint) best = here - m_worlds.above(joint).t;
        return best.norm() > 1e-6 * fallback ? best : Vec3(0, fallback, 0);
    }

    std::vector<int> m_joints;
    std::string m_move, m_turn;
    double m_w, m_zeta;
    Vec3 m_gravity;
    JointWorlds m_worlds;
    double m_lever = 1;
    Vec3 m_direction;
    std::optional<physics::Oscillator> m_spring;
    double m_dt = 0;
    Goal m_goal;
    Followed m_place, m_tip;
    Vec3 m_spin = Vec3::Zero();
    Vec3 m_x = Vec3::Zero(), m_v = Vec3::Zero(), m_theta = Vec3::Zero(), m_omega = Vec3::Zero();
};

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (layer.list("joint").empty()) return "it has no joint";
    for (const std::string& j : layer.list("joint"))
        if (actor.skeleton.find(j) == rig::kNoJoint) return "there is no joint \"" + j + "\"";
    if (layer.text("move").empty() && layer.text("turn").empty()) return "it may neither move nor turn";
    return std::nullopt;
}

Parts parts(const LayerContext& context, const PoseView& rest) {
    Parts out;
    std::vector<int> seen;
    for (const std::string& name : context.layer.list("joint")) {
        const int joint = context.actor.skeleton.find(name);
        if (std::find(seen.begin(), seen.end(), joint) != seen.end()) continue;
        seen.push_back(joint);
        out.push_back(std::make_unique<JigglePart>(context, rest, joint));
    }
    return out;
}

}  // namespace

const LayerKind kJiggleKind{
    .id = "jiggle",
    .label = "Jiggle",
    .help = "One or many joints on springs, moving and turning about their animated place: ears, cheeks, bellies, pouches.",
    .target = "joint",
    .settings = kSettings,
    .problem = problem,
    .parts = parts};

}  // namespace nutatio::layers
