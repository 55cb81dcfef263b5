#include "layers/jiggle/jiggle.h"

#include <algorithm>

#include "layers/anchors.h"
#include "layers/common_rows.h"
#include "layers/cuts.h"
#include "layers/descent.h"
#include "layers/meeting.h"
#include "layers/mover.h"
#include "physics/oscillator.h"

namespace nutatio::layers::jiggle {

// Offset x of the part from its goal: x'' + 2 zeta w x' + w^2 x = -(acceleration of the goal) + sag g, in world axes; chosen axes
// are picked from it at the end. Between frames the goal runs on a Hermite cubic, so its acceleration is linear within a frame
// and the oscillator's step is exact. Turning follows a point at lever L along d: theta'' + ... = d x (sag g - a_point)/L -
// (alpha . d) d, whose first term holds both the pivot's travel and the goal's turning across d. The air pushes with c(|v|) v,
// v = wind - drag x the goal tip's own velocity.

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

/// A stop row: how far an offset may go along or about one axis to one side.
constexpr SettingSpec stopRow(std::string_view id, std::string_view label, bool turns, std::string_view group = {}) {
    return {
        .id = id,
        .label = label,
        .unit = turns ? Unit::Degrees : Unit::Share,
        .range = {0, turns ? 180.0 : 5.0},
        .soft = {0, turns ? 180.0 : 2.0},
        .start = turns ? 180.0 : 5.0,
        .help = turns ? "How far it may turn about this axis to this side; 180 sets no stop."
                      : "How far it may shift along this axis to this side, against the length of its bone; 500 % sets no stop.",
        .more = "It eases into the stop, so that nothing is seen to hit.",
        .keyable = true,
        .group = group,
        .folded = !group.empty()};
}

constexpr SettingSpec shareRow(std::string_view id, std::string_view label, std::string_view group = {}) {
    return {.id = id,
            .label = label,
            .unit = Unit::Share,
            .range = {0, 3},
            .soft = {0, 1},
            .start = 1,
            .help = "How much of its swing shows along and about this axis.",
            .more = "More: wider. Less: held.",
            .keyable = true,
            .group = group,
            .folded = !group.empty()};
}

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Joints",
     .type = SettingType::Joints,
     .help = "The joints that jiggle, each on springs of its own.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "move",
     .label = "Move",
     .type = SettingType::Axes,
     .axes = "",
     .help = "Axes along which it may shift from its place."},
    {.id = "turn",
     .label = "Turn",
     .type = SettingType::Axes,
     .axes = "xyz",
     .help = "Axes about which it may turn from its pose."},
    {.id = "frame",
     .label = "Axes of",
     .type = SettingType::Choice,
     .help = "Whose axes are meant: the joint's own, its parent's, the whole body's, or the world's.",
     .choices = "joint|parent|body|world"},
    swingRow({0.05, 60}, {0.2, 12}, 4, true),
    bouncesRow(true),
    shareRow("share_x", "Share x", "Shares"),
    shareRow("share_y", "Share y"),
    shareRow("share_z", "Share z"),
    {.id = "sag",
     .label = "Sag",
     .unit = Unit::Gravities,
     .range = {-5, 20},
     .soft = {0, 2},
     .start = 0,
     .help = "How much of the earth's pull it gives way to.",
     .more = "More: hangs lower. Less: keeps the pose.",
     .role = scene::Role::Pull,
     .keyable = true,
     .profiled = true,
     .group = "Forces"},
    kCatchRow,
    {.id = "drag",
     .label = "Air drag",
     .unit = Unit::Times,
     .range = {0, 20},
     .soft = {0, 2},
     .start = 0,
     .help = "How much of the air that it moves through it feels, so that speed alone tilts it; its wind catch counts too.",
     .more = "1: as a wind of its own speed. 0: still air costs nothing.",
     .keyable = true,
     .profiled = true},
    kFeltTravelRow,
    kFeltTurnRow,
    kFeltFromRow,
    {.id = "squash",
     .label = "Squash, stretch",
     .unit = Unit::Share,
     .range = {0, 5},
     .soft = {0, 1},
     .start = 0,
     .help = "How much it lengthens and thins, or shortens and bulges, as it is thrown along its bone; its volume stays.",
     .more = "More: like a water bag. Less: firm.",
     .keyable = true,
     .profiled = true,
     .group = "Shape",
     .folded = true},
    stopRow("turn_max_x", "Turn +x stop", true, "Stops"),
    stopRow("turn_min_x", "Turn -x stop", true),
    stopRow("turn_max_y", "Turn +y stop", true),
    stopRow("turn_min_y", "Turn -y stop", true),
    stopRow("turn_max_z", "Turn +z stop", true),
    stopRow("turn_min_z", "Turn -z stop", true),
    stopRow("move_max_x", "Move +x stop", false),
    stopRow("move_min_x", "Move -x stop", false),
    stopRow("move_max_y", "Move +y stop", false),
    stopRow("move_min_y", "Move -y stop", false),
    stopRow("move_max_z", "Move +z stop", false),
    stopRow("move_min_z", "Move -z stop", false),
    kPrerollRow,
    kCutsRow,
    kAmountRow,
    kMixRow,
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

/// A value that nears its stop slows down before it and never passes it: straight to six tenths of the way, then a tanh.
double softStop(double v, double low, double high) {
    constexpr double kKnee = 0.6;
    const double most = v < 0 ? low : high, a = std::abs(v);
    if (a <= kKnee * most) return v;
    if (most <= 0) return 0;
    return std::copysign(most * (kKnee + (1 - kKnee) * std::tanh((a / most - kKnee) / (1 - kKnee))), v);
}

constexpr double kOpen = 1e30;        // no stop is set
constexpr double kFarthestShift = 4;  // actor heights: no soft spring under gravity shifts farther

/// Per axis of the chosen frame: whether it is free, its share, and its stops.
struct Axes {
    double share[3] = {}, low[3] = {}, high[3] = {};

    Axes() = default;
    Axes(const scene::Resolved& settings, const char* which, int frame, double unit, double none) {
        const std::string& free = settings.text(which);
        for (int k = 0; k < 3; ++k) {
            const std::string axis(1, "xyz"[k]), id = std::string(which) + "_";
            share[k] = free.find(axis) == std::string::npos ? 0 : settings.at("share_" + axis, frame);
            const double min = settings.at(id + "min_" + axis, frame), max = settings.at(id + "max_" + axis, frame);
            low[k] = min >= none ? kOpen : unit * min;
            high[k] = max >= none ? kOpen : unit * max;
        }
    }
    Vec3 applied(const Quat& frame, const Vec3& v) const {
        Vec3 own = frame.conjugate() * v;
        for (int k = 0; k < 3; ++k) own[k] = softStop(share[k] * own[k], low[k], high[k]);
        return frame * own;
    }
    bool any() const { return share[0] != 0 || share[1] != 0 || share[2] != 0; }
};

class JiggleMover final : public Mover {
  public:
    JiggleMover(const LayerContext& context, const PoseView& rest, int joint, double place)
        : m_settings(context.settingsOf(context.actor.skeleton.reference(joint))),
          m_place01(place),
          m_height(context.actor.height),
          m_joints{joint},
          m_frame(context.settings->text("frame")),
          m_metres(context.placement.metres),
          m_down(downIn(context.placement)),
          m_world(context.placement.turn.conjugate()),
          m_winds(context),
          m_source(context),
          m_cuts(context),
          m_root(rootOf(context.actor.skeleton, joint)),
          m_worlds(context.actor.skeleton, context.actor.skeleton.joint(joint).children.empty()
                                               ? m_joints
                                               : context.actor.skeleton.joint(joint).children),
          m_lever(1) {
        m_worlds.update(rest);
        const Vec3 way = lever(context.actor.skeleton, joint, 0.1 * context.actor.height);
        m_lever = way.norm();
        readAxes(0);
        m_direction = m_worlds.turn(joint).conjugate() * (way / m_lever);
        m_direction.cwiseAbs().maxCoeff(&m_along);
    }

    const std::vector<int>& joints() const override { return m_joints; }

    void start(double dt, const PoseView& pose, const PoseView& next) override {
        prepare(dt, pose.frame());
        const Goal then = read(next), now = read(pose);  // the pose last: write() looks at its worlds
        if (m_source) {
            m_felt = felt(pose);
            m_feltLever = m_felt.turn.conjugate() * (tip(now) - now.place);
        }
        follow(now, then, next);
        m_air = airAt(tip(now), wayOfTip() / dt, pose);
        m_x = m_v = m_theta = m_omega = Vec3::Zero();
    }

    void step(double dt, const PoseView& pose, const PoseView& next) override {
        prepare(dt, pose.frame());
        const Goal before = m_goal;
        const bool cutAhead = m_cuts.marked(next.frame()) && next.frame() != pose.frame();
        Goal then = read(cutAhead ? pose : next);
        const Goal now = read(pose);
        const Cuts::Step went = Cuts::between(before.place, before.turn, now.place, now.turn);
        if (m_cuts.marked(pose.frame()) ||
            m_cuts.found(m_went, went, Cuts::between(now.place, now.turn, then.place, then.turn), dt)) {
            const Quat by = now.turn * before.turn.conjugate();
            for (Vec3* v : {&m_x, &m_v, &m_theta, &m_omega}) *v = by * *v;
            if (m_source) m_felt = felt(pose);
            follow(now, then, next);
            return;
        }
        m_went = went;
        // What lies beyond a cut says nothing about the speed before it.
        if (m_cuts.looms(went, Cuts::between(now.place, now.turn, then.place, then.turn), dt)) then = now;
        const double perSecond2 = 1 / (dt * dt), travel = value("felt_travel", pose.frame()),
                     turning = value("felt_turn", pose.frame());
        const Vec3 sag = (kEarthGravity * value("sag", pose.frame()) / m_metres) * m_down;
        // What it hangs on, or what it is to feel in place of that.
        Goal feltBefore = before, feltNow = now, feltThen = then;
        bool jumps = false;
        if (m_source) {
            feltBefore = m_felt;
            feltNow = felt(pose);
            feltThen = felt(cutAhead ? pose : next);
            const Cuts::Step goes = Cuts::between(feltBefore.place, feltBefore.turn, feltNow.place, feltNow.turn),
                             on = Cuts::between(feltNow.place, feltNow.turn, feltThen.place, feltThen.turn);
            jumps = m_cuts.found(m_feltWent, goes, on, dt);
            if (m_cuts.looms(goes, on, dt)) feltThen = feltNow;
            m_feltWent = goes;
            m_felt = feltNow;
        }
        Vec3 a0 = Vec3::Zero(), a1 = a0, tip0 = a0, tip1 = a0;
        if (jumps) {
            // A jump of the other one throws nothing either.
            m_place.start(feltNow.place, feltThen.place);
            m_arm.start(feltArm(now, feltNow), feltArm(now, feltThen));
            m_spin = rotationVector(feltThen.turn * feltNow.turn.conjugate());
        } else {
            m_place.step(feltNow.place, feltThen.place, a0, a1);
            m_arm.step(feltArm(now, feltNow), m_source ? feltArm(now, feltThen) : Vec3(tip(then) - then.place), tip0, tip1);
        }
        const Vec3 air = airAt(tip(now), wayOfTip() / dt, pose), pull0 = sag + m_air, pull1 = sag + air;
        m_air = air;
        a0 *= travel * perSecond2;
        a1 *= travel * perSecond2;
        for (int k = 0; k < 3; ++k) m_spring->step(m_x[k], m_v[k], pull0[k] - a0[k], pull1[k] - a1[k]);
        tip0 = a0 + turning * perSecond2 * tip0;
        tip1 = a1 + turning * perSecond2 * tip1;
        Vec3 alpha0 = Vec3::Zero(), alpha1 = alpha0;
        if (!jumps) {
            const Vec3 turned = rotationVector(feltNow.turn * feltBefore.turn.conjugate());
            const Vec3 spin = 0.5 * (turned + rotationVector(feltThen.turn * feltNow.turn.conjugate()));
            alpha0 = turning * (6 * turned - 4 * m_spin - 2 * spin);
            alpha1 = turning * (-6 * turned + 2 * m_spin + 4 * spin);
            m_spin = spin;
        }
        const Vec3 d0 = before.turn * m_direction, d1 = now.turn * m_direction;
        const Vec3 f0 = d0.cross(pull0 - tip0) / m_lever - alpha0.dot(d0) * perSecond2 * d0;
        const Vec3 f1 = d1.cross(pull1 - tip1) / m_lever - alpha1.dot(d1) * perSecond2 * d1;
        for (int k = 0; k < 3; ++k) m_spring->step(m_theta[k], m_omega[k], f0[k], f1[k]);
        m_goal = now;
    }

    void write(const PoseView& goal, std::span<Xform> out) const override {
        const Affine& above = m_worlds.above(m_joints[0]);
        out[0] = m_turn.any() ? turnedInWorld(goal.local(m_joints[0]), above, offsetTurn()) : goal.local(m_joints[0]);
        if (m_move.any()) out[0].t += above.inverse().m * m_move.applied(m_goal.frame, m_x);
        if (m_squash > 0) {
            const double s = 1 + softStop(m_squash * m_x.dot(m_goal.turn * m_direction) / m_lever, 0.5, 1.0);
            for (int k = 0; k < 3; ++k) out[0].s[k] *= k == m_along ? s : 1 / std::sqrt(s);
        }
    }

    State state() const override {
        State out{m_went.travel, m_went.turn};
        for (const Vec3* v : {&m_place.slope, &m_arm.at, &m_arm.slope, &m_spin, &m_air, &m_x, &m_v, &m_theta, &m_omega})
            out.insert(out.end(), v->begin(), v->end());
        if (m_source) {
            for (const Vec3* v : {&m_felt.place, &m_feltLever, &m_place.at}) out.insert(out.end(), v->begin(), v->end());
            for (double v : m_felt.turn.coeffs()) out.push_back(v);
            out.insert(out.end(), {m_feltWent.travel, m_feltWent.turn});
        }
        return out;
    }
    void setState(const State& state) override {
        m_went = {state[0], state[1]};
        const double* from = state.data() + 2;
        for (Vec3* v : {&m_place.slope, &m_arm.at, &m_arm.slope, &m_spin, &m_air, &m_x, &m_v, &m_theta, &m_omega}) {
            *v = Vec3::Map(from);
            from += 3;
        }
        if (!m_source) return;
        for (Vec3* v : {&m_felt.place, &m_feltLever, &m_place.at}) {
            *v = Vec3::Map(from);
            from += 3;
        }
        for (double& v : m_felt.turn.coeffs()) v = *from++;
        m_felt.turn.normalize();
        m_feltWent = {from[0], from[1]};
    }
    std::vector<std::string> remarks() const override { return m_source.remarks(); }

    Vec3 probe() const override {
        if (m_move.any()) return m_goal.place + m_move.applied(m_goal.frame, m_x);
        return m_goal.place + offsetTurn() * (tip(m_goal) - m_goal.place);
    }
    Vec3 probeGoal() const override { return m_move.any() ? m_goal.place : tip(m_goal); }
    double probeLever() const override { return m_move.any() ? 0.0 : m_lever; }
    bool watch(int joint) override { return joint == m_joints[0]; }

  private:
    struct Goal {
        Vec3 place = Vec3::Zero();
        Quat turn = Quat::Identity(), frame = Quat::Identity();
    };

    Quat offsetTurn() const { return fromRotationVector(m_turn.applied(m_goal.frame, eased(m_theta))); }
    Vec3 tip(const Goal& g) const { return g.place + g.turn * (m_lever * m_direction); }

    Goal read(const PoseView& pose) {
        m_worlds.update(pose);
        const int j = m_joints[0];
        Goal g{m_worlds.world(j).t, m_worlds.turn(j), m_world};
        if (m_frame == "joint") g.frame = g.turn;
        if (m_frame == "parent") g.frame = rotationOf(m_worlds.above(j).m);
        if (m_frame == "body") g.frame = m_worlds.turn(m_root);
        return g;
    }

    void follow(const Goal& now, const Goal& then, const PoseView& next) {
        m_goal = now;
        m_went = m_feltWent = {};
        const Goal feltThen = m_source ? felt(next) : then, &feltNow = m_source ? m_felt : now;
        m_place.start(feltNow.place, feltThen.place);
        m_arm.start(feltArm(now, feltNow), m_source ? feltArm(now, feltThen) : Vec3(tip(then) - then.place));
        m_spin = rotationVector(feltThen.turn * feltNow.turn.conjugate());
    }

    /// Where the joint stands whose motion is felt.
    Goal felt(const PoseView& pose) {
        const FeltSource::Stand s = m_source.at(pose);
        return {s.place, s.turn, m_world};
    }
    /// From the joint to its tip, as though it hung on what is felt.
    Vec3 feltArm(const Goal& own, const Goal& source) const {
        return m_source ? Vec3(source.turn * m_feltLever) : Vec3(tip(own) - own.place);
    }

    /// How far the goal's tip goes in a step, at the frame [units].
    Vec3 wayOfTip() const { return m_place.slope + m_arm.slope; }

    /// What the wind, and the air that it moves through at `speed`, push with [units/s^2].
    Vec3 airAt(const Vec3& p, const Vec3& speed, const PoseView& pose) {
        const double drag = value("drag", pose.frame());
        if (m_winds.still() && drag == 0) return Vec3::Zero();
        Vec3 v = -drag * speed;
        if (!m_winds.still()) {
            m_winds.setFrame(pose.frame());
            v += m_winds.at(p, pose.time());
        }
        return physics::windDrag(m_metres * v.norm(), value("catch", pose.frame())) * v;
    }

    double value(std::string_view setting, int frame) const { return m_settings->at(setting, frame, m_place01); }

    void readAxes(int frame) {
        m_turn = Axes(*m_settings, "turn", frame, radians(1), 180);
        m_move = Axes(*m_settings, "move", frame, 1, 5);
        for (double* stops : {m_move.low, m_move.high})
            for (int k = 0; k < 3; ++k)
                stops[k] = std::min(stops[k] >= kOpen ? kOpen : m_lever * stops[k], kFarthestShift * m_height);
    }

    void prepare(double dt, int frame) {
        const double swing = value("swing", frame), bounces = value("bounces", frame);
        m_squash = value("squash", frame);
        if (m_settings->anyKeyed()) readAxes(frame);
        if (m_spring && dt == m_dt && swing == m_swing && bounces == m_bounces) return;
        m_dt = dt;
        m_swing = swing;
        m_bounces = bounces;
        m_spring.emplace(2 * kPi * swing, physics::dampingRatio(bounces), dt);
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

    ResolvedPtr m_settings;
    double m_place01, m_height;  // place among the layer's joints, from 0 to 1
    std::vector<int> m_joints;
    std::string m_frame;
    double m_metres;
    Vec3 m_down;
    Quat m_world;
    Air m_winds;
    FeltSource m_source;
    Cuts m_cuts;
    int m_root;
    JointWorlds m_worlds;
    double m_lever;
    Axes m_turn, m_move;
    Vec3 m_direction;
    Eigen::Index m_along = 0;  // the joint's own axis that lies most along its bone
    std::optional<physics::Oscillator> m_spring;
    double m_dt = 0, m_swing = 0, m_bounces = 0, m_squash = 0;
    Goal m_goal, m_felt;
    Vec3 m_feltLever = Vec3::Zero();
    Cuts::Step m_went, m_feltWent;
    Followed m_place, m_arm;
    Vec3 m_spin = Vec3::Zero(), m_air = Vec3::Zero();
    Vec3 m_x = Vec3::Zero(), m_v = Vec3::Zero(), m_theta = Vec3::Zero(), m_omega = Vec3::Zero();
};

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (layer.list("joint").empty()) return "it has no joint";
    for (const std::string& j : layer.list("joint"))
        if (actor.skeleton.find(j) == rig::kNoJoint) return "there is no joint \"" + j + "\"";
    if (layer.text("move").empty() && layer.text("turn").empty()) return "it may neither move nor turn";
    return std::nullopt;
}

/// Each joint once, spread from 0 for the first to 1 for the last: what a profile of the layer runs along.
std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<Moved> out;
    for (const std::string& name : layer.list("joint")) {
        const int joint = actor.skeleton.find(name);
        if (std::none_of(out.begin(), out.end(), [&](const Moved& m) { return m.joint == joint; })) out.push_back({joint, 0});
    }
    for (std::size_t i = 1; i < out.size(); ++i) out[i].along = static_cast<double>(i) / static_cast<double>(out.size() - 1);
    return out;
}

constexpr rig::Sort kSuits[] = {rig::Sort::Ear, rig::Sort::Soft};

Movers movers(const LayerContext& context, const PoseView& rest) {
    Movers out;
    for (const Moved& m : moves(context.actor, context.layer))
        out.push_back(std::make_unique<JiggleMover>(context, rest, m.joint, m.along));
    return out;
}

}  // namespace

const Simulated kSimulated{.movers = movers};
const Meeting kMeeting{.wind = true};

const LayerKind kKind{
    .id = "jiggle",
    .label = "Jiggle",
    .help = "One or many joints on springs, moving and turning about their animated place: ears, cheeks, bellies, pouches.",
    .glyph =
        "M8.8 12a3.2 3.2 0 1 0 6.4 0a3.2 3.2 0 1 0 -6.4 0 M17.4 7.5a7 7 0 0 0 -10.8 0 M6.6 16.5a7 7 0 0 0 10.8 0 "
        "M17.5 2.5a11 11 0 0 0 -11 0 M6.5 21.5a11 11 0 0 0 11 0",
    .takes = Takes::Joints,
    .settings = kSettings,
    .problem = problem,
    .moves = moves,
    .simulated = &kSimulated,
    .meets = &kMeeting,
    .suits = kSuits,
    .feels = jiggleFeels};

}  // namespace nutatio::layers::jiggle
