#include "layers/jiggle/jiggle_mover.h"

#include <algorithm>

#include "layers/descent.h"
#include "layers/jiggle/feeling.h"
#include "layers/jiggle/soft_stops.h"
#include "layers/sided.h"
#include "physics/oscillator.h"

namespace nutatio::layers::jiggle {

// Offset x of the part from its goal: x'' + 2 zeta w x' + w^2 x = -(acceleration of the goal) + sag g, in world axes; chosen axes
// are picked from it at the end. Between frames the goal runs on a Hermite cubic, so its acceleration is linear within a frame
// and the oscillator's step is exact. Turning follows a point at lever L along d: theta'' + ... = d x (sag g - a_point)/L -
// (alpha . d) d, whose first term holds both the pivot's travel and the goal's turning across d. The air pushes with c(|v|) v,
// v = wind - drag x the goal tip's own velocity.

namespace {

/// An offset on three springs alike, with its speed.
struct Sprung {
    Vec3 at = Vec3::Zero(), speed = Vec3::Zero();
    /// Under a push that goes from one to the other within the step.
    void step(const physics::Oscillator& spring, const Vec3& from, const Vec3& to) {
        for (int k = 0; k < 3; ++k) spring.step(at[k], speed[k], from[k], to[k]);
    }
    void turn(const Quat& by) {
        at = by * at;
        speed = by * speed;
    }
};

class JiggleMover final : public Mover {
    /// All vectors of its state, to be read or set.
    template <class Self>
    static auto moving(Self& m) {
        const auto felt = m.m_feeling.moving();
        return std::array{felt[0],       felt[1],          felt[2],        felt[3],          &m.m_air,
                          &m.m_shift.at, &m.m_shift.speed, &m.m_turned.at, &m.m_turned.speed};
    }

  public:
    JiggleMover(const LayerContext& context, const PoseView& rest, int joint, double along)
        : m_settings(context.settingsOf(context.actor.skeleton.reference(joint))),
          m_along(along),
          m_height(context.actor.height),
          m_joints{joint},
          m_axes(context.settings->text("frame")),
          m_placement(context.placement),
          m_winds(context),
          m_feeling(context),
          m_cuts(context),
          m_root(rootOf(context.actor.skeleton, joint)),
          m_worlds(context.actor.skeleton, context.actor.skeleton.joint(joint).children.empty()
                                               ? m_joints
                                               : context.actor.skeleton.joint(joint).children) {
        m_worlds.update(rest);
        const Vec3 way = boneOf(context.actor.skeleton, joint, 0.1 * context.actor.height);
        m_bone.length = way.norm();
        if (m_settings->text("sides") == "mirrored") mirror(context.actor);
        readAxes(0);
        m_bone.direction = m_worlds.turn(joint).conjugate() * (way / m_bone.length);
    }

    const std::vector<int>& joints() const override { return m_joints; }

    void start(double dt, const PoseView& pose, const PoseView& next) override {
        prepare(dt, pose.frame());
        const Goal then = read(next), now = read(pose);  // the pose last: write() looks at its worlds
        m_goal = now;
        m_went = {};
        m_feeling.start(m_bone, now, then, pose, next);
        m_air = airAt(m_bone.tip(now), m_feeling.wayOfTip() / dt, pose);
        m_shift = m_turned = {};
    }

    void step(double dt, const PoseView& pose, const PoseView& next) override {
        prepare(dt, pose.frame());
        const Goal before = m_goal;
        const PoseView& ahead = m_cuts.marked(next.frame()) && next.frame() != pose.frame() ? pose : next;
        Goal then = read(ahead);
        const Goal now = read(pose);
        m_goal = now;
        const Cuts::Step went = Cuts::between(before.place, before.turn, now.place, now.turn),
                         goes = Cuts::between(now.place, now.turn, then.place, then.turn);
        if (m_cuts.marked(pose.frame()) || m_cuts.found(m_went, went, goes, dt)) {
            const Quat by = now.turn * before.turn.conjugate();
            m_shift.turn(by);
            m_turned.turn(by);
            m_went = {};
            m_feeling.begin(m_bone, now, then, pose, next);
            return;
        }
        m_went = went;
        // A pose beyond a cut says nothing about the speed before the cut.
        if (m_cuts.looms(went, goes, dt)) then = now;
        const Feeling::Felt felt = m_feeling.step(m_bone, before, now, then, pose, ahead, m_cuts, dt);
        push(felt, before, now, dt, pose);
    }

    void write(const PoseView& goal, std::span<Xform> out) const override {
        const Affine& above = m_worlds.above(m_joints[0]);
        out[0] = m_turn.any() ? turnedInWorld(goal.local(m_joints[0]), above, offsetTurn()) : goal.local(m_joints[0]);
        if (m_move.any()) out[0].t += above.inverse().m * m_move.applied(m_goal.frame, m_shift.at);
        if (const double squash = value("squash", goal.frame()); squash > 0) {
            Eigen::Index most = 0;  // the joint's own axis that lies most along its bone
            m_bone.direction.cwiseAbs().maxCoeff(&most);
            const double s = 1 + stopped(squash * m_shift.at.dot(m_goal.turn * m_bone.direction) / m_bone.length, 0.5, 1.0);
            for (int k = 0; k < 3; ++k) out[0].s[k] *= k == most ? s : 1 / std::sqrt(s);
        }
    }

    State state() const override {
        State out{m_went.travel, m_went.turn};
        for (const Vec3* v : moving(*this)) out.insert(out.end(), v->begin(), v->end());
        m_feeling.appendElsewhere(out);
        return out;
    }
    void setState(const State& state) override {
        m_went = {state[0], state[1]};
        const double* from = state.data() + 2;
        for (Vec3* v : moving(*this)) {
            *v = Vec3::Map(from);
            from += 3;
        }
        m_feeling.takeElsewhere(from);
    }
    std::vector<std::string> remarks() const override { return m_feeling.remarks(); }

    Vec3 probe() const override {
        if (m_move.any()) return m_goal.place + m_move.applied(m_goal.frame, m_shift.at);
        return m_goal.place + offsetTurn() * (m_bone.tip(m_goal) - m_goal.place);
    }
    Vec3 probeGoal() const override { return m_move.any() ? m_goal.place : m_bone.tip(m_goal); }
    double probeLever() const override { return m_move.any() ? 0.0 : m_bone.length; }
    bool watch(int joint) override { return joint == m_joints[0]; }

  private:
    Quat offsetTurn() const { return fromRotationVector(m_turn.applied(m_goal.frame, eased(m_turned.at))); }

    Goal read(const PoseView& pose) {
        m_worlds.update(pose);
        const int j = m_joints[0];
        Goal g{m_worlds.world(j).t, m_worlds.turn(j), m_placement.turn.conjugate()};
        if (m_axes == "joint") g.frame = g.turn;
        if (m_axes == "parent") g.frame = rotationOf(m_worlds.above(j).m);
        if (m_axes == "body") g.frame = m_worlds.turn(m_root);
        return g;
    }

    /// Moves both offsets on by a step under what is felt, gravity and air.
    void push(const Feeling::Felt& felt, const Goal& before, const Goal& now, double dt, const PoseView& pose) {
        const double perSecond2 = 1 / (dt * dt), travel = value("felt_travel", pose.frame()),
                     turning = value("felt_turn", pose.frame());
        const Vec3 sag = pullAt(pose.frame());
        const Vec3 air = airAt(m_bone.tip(now), m_feeling.wayOfTip() / dt, pose);
        const Vec3 pulls[2] = {sag + m_air, sag + air};
        m_air = air;
        Vec3 shifts[2], turns[2];
        for (int end = 0; end < 2; ++end) {
            const Vec3 a = felt.place[end] * (travel * perSecond2), tip = a + turning * perSecond2 * felt.tip[end],
                       d = (end == 0 ? before : now).turn * m_bone.direction;
            shifts[end] = pulls[end] - a;
            turns[end] = d.cross(pulls[end] - tip) / m_bone.length - (turning * felt.turn[end]).dot(d) * perSecond2 * d;
        }
        m_shift.step(*m_spring, shifts[0], shifts[1]);
        m_turned.step(*m_spring, turns[0], turns[1]);
    }

    /// What the wind, and the air that it moves through at `speed`, push with [units/s^2].
    Vec3 airAt(const Vec3& p, const Vec3& speed, const PoseView& pose) {
        const double drag = value("drag", pose.frame());
        if (m_winds.still() && drag == 0) return Vec3::Zero();
        Vec3 v = -drag * speed;
        if (!m_winds.still()) {
            m_winds.setFrame(pose.frame());
            v += m_winds.at(p, pose.time());
        }
        return physics::windDrag(m_placement.metres * v.norm(), value("catch", pose.frame())) * v;
    }

    /// What is told of the left counts on the right as it is seen in a mirror.
    void mirror(const rig::Actor& actor) {
        const Sided sided(actor);
        const int joint = m_joints[0], other = sided.fellow(joint);
        if (!sided.right(joint)) return;
        const auto frameOf = [&](int j) {
            return m_axes == "joint"    ? j
                   : m_axes == "parent" ? actor.skeleton.joint(j).parent
                   : m_axes == "body"   ? rootOf(actor.skeleton, j)
                                        : rig::kNoJoint;
        };
        m_side = sided.seen(frameOf(joint), frameOf(other));
        m_turnSide = -m_side;
        m_pullSide = sided.seen();
    }

    /// Gravity's pull, leaning as it is told to, in the actor's own axes [units/s^2].
    Vec3 pullAt(int frame) const {
        const Vec3 way = pullWay(m_placement, value("pull_tilt", frame), value("pull_heading", frame));
        return kEarthGravity * value("sag", frame) / m_placement.metres * (m_pullSide * way);
    }

    double value(std::string_view setting, int frame) const { return m_settings->at(setting, frame, m_along); }

    void readAxes(int frame) {
        m_turn = Axes(*m_settings, "turn", frame, radians(1), 180);
        m_move = Axes(*m_settings, "move", frame, 1, 5);
        m_turn.side = m_turnSide;
        m_move.side = m_side;
        for (double* stops : {m_move.low, m_move.high})
            for (int k = 0; k < 3; ++k)
                stops[k] = std::min(stops[k] >= kOpen ? kOpen : m_bone.length * stops[k], kFarthestShift * m_height);
    }

    void prepare(double dt, int frame) {
        if (m_settings->anyKeyed()) readAxes(frame);
        const Made wanted{dt, value("swing", frame), value("bounces", frame)};
        if (m_spring && wanted == m_made) return;
        m_made = wanted;
        m_spring.emplace(2 * kPi * wanted.swing, physics::dampingRatio(wanted.bounces), dt);
    }

    /// To the farthest child; a last joint points on from its parent.
    Vec3 boneOf(const rig::Skeleton& s, int joint, double fallback) const {
        Vec3 best = Vec3::Zero();
        const Vec3& here = m_worlds.world(joint).t;
        for (int c : s.joint(joint).children)
            if ((m_worlds.world(c).t - here).norm() > best.norm()) best = m_worlds.world(c).t - here;
        if (best.norm() <= 1e-6 * fallback && s.joint(joint).parent != rig::kNoJoint) best = here - m_worlds.above(joint).t;
        return best.norm() > 1e-6 * fallback ? best : Vec3(0, fallback, 0);
    }

    ResolvedPtr m_settings;
    double m_along, m_height;
    std::vector<int> m_joints;
    std::string m_axes;  // whose they are, in which offsets are measured
    scene::Placement m_placement;
    Air m_winds;
    Feeling m_feeling;
    Cuts m_cuts;
    int m_root;
    JointWorlds m_worlds;
    Bone m_bone;
    Axes m_turn, m_move;
    Mat3 m_side = Mat3::Identity(), m_turnSide = Mat3::Identity(), m_pullSide = Mat3::Identity();
    /// What the spring was made of.
    struct Made {
        double dt, swing, bounces;
        bool operator==(const Made&) const = default;
    };
    Made m_made{};
    std::optional<physics::Oscillator> m_spring;
    Goal m_goal;
    Cuts::Step m_went;
    Vec3 m_air = Vec3::Zero();
    Sprung m_shift, m_turned;
};

}  // namespace

std::unique_ptr<Mover> jiggleMover(const LayerContext& context, const PoseView& rest, int joint, double along) {
    return std::make_unique<JiggleMover>(context, rest, joint, along);
}

}  // namespace nutatio::layers::jiggle
