#include "layers/strand/strand_layer.h"

#include <algorithm>

#include "layers/joint_worlds.h"
#include "physics/oscillator.h"
#include "physics/strand.h"

namespace nutatio::layers {

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec kSettings[] = {
    {.id = "root",
     .label = "Root",
     .type = SettingType::Joints,
     .help = "The joint a strand starts at; every joint below it swings too."},
    {.id = "tip",
     .label = "Tip",
     .type = SettingType::Joint,
     .help = "Where the strand ends, if not at the last joint below its root."},
    {.id = "end",
     .label = "End length",
     .unit = Unit::Times,
     .range = {0, 20},
     .soft = {0, 3},
     .start = 1,
     .help = "How far the strand reaches beyond its last joint, against the length before it; 0 leaves the last joint stiff.",
     .more = "More: a longer, lazier tip. Less: a shorter, quicker one."},
    {.id = "swing",
     .label = "Swing rate",
     .unit = Unit::PerSecond,
     .range = {0, 60},
     .soft = {0, 8},
     .start = 2,
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
    {.id = "gravity",
     .label = "Gravity",
     .unit = Unit::Gravities,
     .range = {-5, 20},
     .soft = {0, 2},
     .start = 0,
     .help = "How much of the earth's pull it feels on top of the animated pose.",
     .more = "More: hangs. Less: keeps the pose."},
    {.id = "drag",
     .label = "Air drag",
     .unit = Unit::PerSecond,
     .range = {0, 200},
     .soft = {0, 10},
     .start = 0,
     .help = "How strongly still air slows it.",
     .more = "More: floats and trails. Less: cuts through.",
     .curved = true},
    {.id = "bend",
     .label = "Bend limit",
     .unit = Unit::Degrees,
     .range = {1, 180},
     .soft = {5, 180},
     .start = 180,
     .help = "How far each joint may bend away from its animated direction; 180 sets no limit.",
     .more = "More: limp. Less: keeps its shape."},
    {.id = "felt_travel",
     .label = "Felt travel",
     .unit = Unit::Share,
     .range = {0, 2},
     .soft = {0, 1},
     .start = 1,
     .help = "How much of the body's moving about it feels.",
     .more = "More: dragged along. Less: carried as if the body stood still."},
    {.id = "felt_turn",
     .label = "Felt turn",
     .unit = Unit::Share,
     .range = {0, 2},
     .soft = {0, 1},
     .start = 1,
     .help = "How much of the body's turning it feels.",
     .more = "More: thrown outwards. Less: carried round stiffly."},
    {.id = "end_weight",
     .label = "End weight",
     .unit = Unit::Times,
     .range = {0, 100},
     .soft = {0, 5},
     .start = 0,
     .help = "A weight at the tip, against the strand's own.",
     .more = "More: swings as one, like a lantern. Less: waves like a rope.",
     .curved = true},
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

/// Which joints a strand has, how they form links, and where the links point. Made once, from the rest pose.
struct Plan {
    std::vector<int> joints;  // one a link: the joint that the link turns
    std::vector<physics::LinkDef> links;
    int root = 0;
};

/// The joints of a strand: all below the root, or those on the way to the tip.
std::vector<int> members(const rig::Skeleton& s, int root, int tip) {
    if (tip == rig::kNoJoint) return s.subtree(root);
    return s.path(root, tip);
}

class Planner {
  public:
    Planner(const LayerContext& context, const PoseView& rest, int root)
        : m_skeleton(context.actor.skeleton),
          m_members(members(m_skeleton, root, m_skeleton.find(context.layer.text("tip")))),
          m_worlds(m_skeleton, m_skeleton.subtree(root)),
          m_endRatio(context.layer.number("end")),
          m_root(root),
          m_fallback(0.1 * context.actor.height) {
        m_worlds.update(rest);
        m_isMember.assign(static_cast<std::size_t>(m_skeleton.size()), false);
        for (int j : m_members) m_isMember[static_cast<std::size_t>(j)] = true;
        m_depth.assign(static_cast<std::size_t>(m_skeleton.size()), 0.0);
        for (auto j = m_members.rbegin(); j != m_members.rend(); ++j)
            for (int c : m_skeleton.joint(*j).children)
                if (isMember(c)) m_depth[at(*j)] = std::max(m_depth[at(*j)], m_depth[at(c)] + (place(c) - place(*j)).norm());
    }

    Plan plan() {
        Plan p;
        p.root = m_root;
        std::vector<int> linkOf(static_cast<std::size_t>(m_skeleton.size()), -1);  // by joint: the link that carries it
        const Quat base = rotationOf(m_worlds.above(m_root).m);
        const double tiny = 1e-5 * std::max(m_depth[at(m_root)], 1e-4 * m_fallback);
        for (int j : m_members) {
            const int above = j == m_root ? -1 : linkOf[at(m_skeleton.joint(j).parent)];
            linkOf[at(j)] = above;
            const Vec3 way = lever(j, above, p);
            if (way.norm() <= tiny) continue;  // nothing to swing: it rides on the link above
            physics::LinkDef l;
            l.parent = above;
            l.length = way.norm();
            l.restPlace = place(j);
            l.restDirection = way / l.length;
            l.direction = m_worlds.turn(j).conjugate() * l.restDirection;
            l.attach = above < 0 ? base.conjugate() * (place(j) - place(m_root))
                                 : m_worlds.turn(p.joints[static_cast<std::size_t>(above)]).conjugate() *
                                       (place(j) - p.links[static_cast<std::size_t>(above)].restPlace);
            linkOf[at(j)] = static_cast<int>(p.links.size());
            p.links.push_back(l);
            p.joints.push_back(j);
        }
        return p;
    }

  private:
    static std::size_t at(int j) { return static_cast<std::size_t>(j); }
    bool isMember(int j) const { return m_isMember[at(j)]; }
    const Vec3& place(int j) const { return m_worlds.world(j).t; }

    /// From the joint to the end of its link: to the child that the longest way leads through, or beyond the last joint.
    Vec3 lever(int j, int above, const Plan& p) const {
        int best = rig::kNoJoint;
        double longest = -1;
        const bool inner = std::any_of(m_skeleton.joint(j).children.begin(), m_skeleton.joint(j).children.end(),
                                       [&](int c) { return isMember(c); });
        for (int c : m_skeleton.joint(j).children) {
            if (inner && !isMember(c)) continue;
            const double way = m_depth[at(c)] + (place(c) - place(j)).norm();
            if (way > longest) {
                longest = way;
                best = c;
            }
        }
        if (best != rig::kNoJoint) return place(best) - place(j);
        if (above >= 0)
            return m_endRatio * p.links[static_cast<std::size_t>(above)].length *
                   p.links[static_cast<std::size_t>(above)].restDirection;
        // A lone joint points on from its parent, or hangs down when that says nothing.
        const int parent = m_skeleton.joint(j).parent;
        const Vec3 way = parent == rig::kNoJoint ? Vec3::Zero() : Vec3(place(j) - m_worlds.above(j).t);
        return m_endRatio * (way.norm() > 1e-6 * m_fallback ? way : Vec3(0, -m_fallback, 0));
    }

    const rig::Skeleton& m_skeleton;
    std::vector<int> m_members;
    JointWorlds m_worlds;
    double m_endRatio;
    int m_root;
    double m_fallback;
    std::vector<bool> m_isMember;
    std::vector<double> m_depth;
};

std::vector<int> watched(const Plan& plan, const LayerContext& context) {
    std::vector<int> w = plan.joints;
    w.push_back(plan.root);
    for (const scene::Collider* c : context.colliders) w.push_back(context.actor.skeleton.find(c->joint));
    return w;
}

class StrandPart final : public Part {
  public:
    StrandPart(const LayerContext& context, Plan plan)
        : m_plan(std::move(plan)), m_worlds(context.actor.skeleton, watched(m_plan, context)), m_nextWorlds(m_worlds) {
        const scene::Layer& l = context.layer;
        m_def.swing = l.number("swing");
        m_def.zeta = physics::dampingRatio(l.number("bounces"));
        m_def.airDrag = l.number("drag");
        m_def.bendLimit = l.number("bend") >= 180 ? kPi : radians(l.number("bend"));
        m_def.endWeight = l.number("end_weight");
        m_gravity = Vec3(0, -kEarthGravity * l.number("gravity") / context.actor.metresPerUnit, 0);
        m_feltTravel = l.number("felt_travel");
        m_feltTurn = l.number("felt_turn");
        for (const scene::Collider* c : context.colliders) {
            const int joint = context.actor.skeleton.find(c->joint);
            // A body that rides on the strand itself would push what carries it.
            if (!context.actor.skeleton.isBelow(joint, m_plan.root)) m_colliders.push_back({c, joint, {}, {}});
        }
        const std::size_t n = m_plan.links.size();
        m_goals.resize(n);
        for (auto* v : {&m_turn, &m_last, &m_slope, &m_nextTurn}) v->resize(n, Quat::Identity());
        m_moving.resize(n, false);
        m_bodies.resize(m_colliders.size());
        double longest = -1;
        std::vector<double> reach(n, 0.0);
        for (std::size_t i = 0; i < n; ++i) {
            const int p = m_plan.links[i].parent;
            reach[i] = m_plan.links[i].length + (p < 0 ? 0 : reach[static_cast<std::size_t>(p)]);
            if (reach[i] > longest) {
                longest = reach[i];
                m_probe = i;
            }
        }
    }

    const std::vector<int>& joints() const override { return m_plan.joints; }

    void start(double dt, const PoseView& pose, const PoseView& next) override {
        prepare(dt);
        m_worlds.update(pose);
        m_nextWorlds.update(next);
        readGoals(m_worlds, m_turn);
        readGoals(m_nextWorlds, m_nextTurn);
        for (std::size_t i = 0; i < m_turn.size(); ++i)
            m_slope[i].coeffs() = sameSide(m_nextTurn[i], m_turn[i]).coeffs() - m_turn[i].coeffs();
        m_base = actualBase(m_worlds);
        const Base ahead = actualBase(m_nextWorlds);
        m_felt = m_base;
        const Base feltAhead = feltStep(m_felt, m_base, ahead);
        m_placeSlope = feltAhead.place - m_felt.place;
        m_turnSlope.coeffs() = sameSide(feltAhead.turn, m_felt.turn).coeffs() - m_felt.turn.coeffs();
        const Vec3 spin = rotationVector(feltAhead.turn * m_felt.turn.conjugate()) / dt;
        m_solver->start(m_felt.place, m_felt.turn, m_turn, m_placeSlope / dt, spin);
        placeBodies(m_worlds);
        for (Ridden& r : m_colliders) r.before = r.now;
    }

    void step(double dt, const PoseView& goal, const PoseView& next) override {
        prepare(dt);
        m_last = m_turn;
        m_worlds.update(goal);
        m_nextWorlds.update(next);
        readGoals(m_worlds, m_turn);
        readGoals(m_nextWorlds, m_nextTurn);
        const Base before = m_felt, now = actualBase(m_worlds);
        m_felt = feltStep(before, m_base, now);
        const Base ahead = feltStep(m_felt, now, actualBase(m_nextWorlds));
        m_base = now;
        for (Ridden& r : m_colliders) r.before = r.now;
        placeBodies(m_worlds);
        m_solver->setGravity(carry().conjugate() * m_gravity);
        runSubsteps(dt, before, ahead);
    }

    void write(const PoseView& goal, std::span<Xform> out) const override {
        const Quat carried = carry();
        for (std::size_t i = 0; i < m_plan.joints.size(); ++i) {
            const int j = m_plan.joints[i], p = m_plan.links[i].parent;
            const Quat by = (carried * m_solver->turn(i)) * m_worlds.turn(j).conjugate();
            const Quat above = p < 0 ? Quat::Identity()
                                     : (carried * m_solver->turn(static_cast<std::size_t>(p))) *
                                           m_worlds.turn(m_plan.joints[static_cast<std::size_t>(p)]).conjugate();
            out[i] = turnedInWorld(goal.local(j), m_worlds.above(j), above.conjugate() * by);
        }
    }

    Vec3 probe() const override { return m_base.place + carry() * (m_solver->end(m_probe) - m_felt.place); }
    Vec3 probeGoal() const override {
        const int j = m_plan.joints[m_probe];
        return m_worlds.world(j).t + m_worlds.turn(j) * (m_plan.links[m_probe].length * m_plan.links[m_probe].direction);
    }
    double probeLever() const override { return std::max((probeGoal() - m_base.place).norm(), 1e-9); }

  private:
    struct Base {
        Vec3 place;
        Quat turn;
    };
    struct Ridden {
        const scene::Collider* collider;
        int joint;
        ColliderPlace before, now;  // in the felt world
    };

    void prepare(double dt) {
        const int n = physics::substepsFor(dt, m_def.swing);
        if (m_solver && n == m_substeps && dt == m_dt) return;
        m_substeps = n;
        m_dt = dt;
        m_solver.emplace(m_plan.links, m_def, dt / n);
        m_solver->setGravity(m_gravity);
    }

    Base actualBase(const JointWorlds& worlds) const {
        return {worlds.world(m_plan.root).t, rotationOf(worlds.above(m_plan.root).m)};
    }

    /// The base as the strand feels it: each step only a share of the body's travel and turn arrives.
    Base feltStep(const Base& felt, const Base& from, const Base& to) const {
        if (m_feltTravel == 1 && m_feltTurn == 1) return to;
        // What is carried is carried in the felt axes: the part's own way relative to the body stays whole.
        const Quat toFelt = felt.turn * from.turn.conjugate();
        const Vec3 turned = rotationVector(to.turn * from.turn.conjugate());
        return {felt.place + m_feltTravel * (toFelt * (to.place - from.place)),
                (fromRotationVector(m_feltTurn * (toFelt * turned)) * felt.turn).normalized()};
    }

    /// Turn from the felt world to the real one.
    Quat carry() const { return m_feltTravel == 1 && m_feltTurn == 1 ? Quat::Identity() : m_base.turn * m_felt.turn.conjugate(); }

    void readGoals(const JointWorlds& worlds, std::vector<Quat>& out) const {
        const Quat base = rotationOf(worlds.above(m_plan.root).m);
        for (std::size_t i = 0; i < out.size(); ++i) {
            const int p = m_plan.links[i].parent;
            const Quat above = p < 0 ? base : worlds.turn(m_plan.joints[static_cast<std::size_t>(p)]);
            out[i] = sameSide(above.conjugate() * worlds.turn(m_plan.joints[i]), m_turn[i]);
        }
    }

    void placeBodies(const JointWorlds& worlds) {
        const Quat back = carry().conjugate();
        for (Ridden& r : m_colliders) {
            const ColliderPlace p = placeCollider(*r.collider, worlds.world(r.joint));
            r.now = {m_felt.place + back * (p.centre - m_base.place), back * p.turn};
        }
    }

    void runSubsteps(double dt, const Base& before, const Base& ahead) {
        // Hermite between the frames, each with the slope of its neighbours: speeds do not jump at frames.
        const Vec3 slope = 0.5 * (ahead.place - before.place);
        const Quat turn1 = sameSide(m_felt.turn, before.turn), turn2 = sameSide(ahead.turn, turn1);
        Quat turnSlope;
        turnSlope.coeffs() = 0.5 * (turn2.coeffs() - before.turn.coeffs());
        for (std::size_t i = 0; i < m_turn.size(); ++i) {
            const Quat a2 = sameSide(m_nextTurn[i], m_turn[i]);
            m_moving[i] = (m_turn[i].coeffs() - m_last[i].coeffs()).norm() > 1e-11 ||
                          (a2.coeffs() - m_turn[i].coeffs()).norm() > 1e-11 || m_slope[i].norm() > 1e-11;
            m_nextTurn[i].coeffs() = 0.5 * (a2.coeffs() - m_last[i].coeffs());
            m_goals[i] = {m_last[i], m_last[i], Vec3::Zero()};
        }
        const double h = dt / m_substeps;
        physics::BaseStep b;
        b.place1 = before.place;
        b.turn1 = before.turn;
        for (int k = 1; k <= m_substeps; ++k) {
            const double u = static_cast<double>(k) / m_substeps;
            const Hermite at(u);
            b.place0 = b.place1;
            b.turn0 = b.turn1;
            if (k == m_substeps) {
                b.place1 = m_felt.place;
                b.turn1 = turn1;
            } else {
                b.place1 = at.p0 * before.place + at.m0 * m_placeSlope + at.p1 * m_felt.place + at.m1 * slope;
                b.turn1 = Quat(at.p0 * before.turn.coeffs() + at.m0 * m_turnSlope.coeffs() + at.p1 * turn1.coeffs() +
                               at.m1 * turnSlope.coeffs())
                              .normalized();
            }
            const double d0 = 6 * u * u - 6 * u, dm0 = 3 * u * u - 4 * u + 1, dm1 = 3 * u * u - 2 * u;
            b.velocityEnd = (d0 * (before.place - m_felt.place) + dm0 * m_placeSlope + dm1 * slope) / dt;
            moveGoals(at, h);
            moveBodies(u, dt);
            m_solver->step(b, m_goals, m_bodies);
        }
        m_placeSlope = slope;
        m_turnSlope = turnSlope;
        m_felt.turn = turn1;
        std::swap(m_slope, m_nextTurn);
    }

    void moveGoals(const Hermite& at, double h) {
        for (std::size_t i = 0; i < m_goals.size(); ++i) {
            if (!m_moving[i]) continue;
            physics::LinkGoal& g = m_goals[i];
            g.turn0 = g.turn1;
            g.turn1 = Quat(at.p0 * m_last[i].coeffs() + at.m0 * m_slope[i].coeffs() + at.p1 * m_turn[i].coeffs() +
                           at.m1 * m_nextTurn[i].coeffs())
                          .normalized();
            g.spin = rotationVector(g.turn1 * g.turn0.conjugate()) / h;
        }
    }

    void moveBodies(double u, double dt) {
        for (std::size_t i = 0; i < m_bodies.size(); ++i) {
            const Ridden& r = m_colliders[i];
            physics::Body& b = m_bodies[i];
            const Quat turn = blend(r.before.turn, r.now.turn, u);
            const Vec3 centre = r.before.centre + u * (r.now.centre - r.before.centre),
                       speed = (r.now.centre - r.before.centre) / dt;
            const Vec3 spin = rotationVector(r.now.turn * r.before.turn.conjugate()) / dt;
            b.plane = r.collider->shape == scene::Shape::Plane;
            b.radius = b.plane ? 0 : r.collider->radius;
            b.normal = turn * Vec3::UnitY();
            const Vec3 half =
                r.collider->shape == scene::Shape::Capsule ? Vec3(0.5 * r.collider->length * b.normal) : Vec3(Vec3::Zero());
            b.a = centre - half;
            b.b = centre + half;
            b.va = speed - spin.cross(half);
            b.vb = speed + spin.cross(half);
        }
    }

    Plan m_plan;
    JointWorlds m_worlds, m_nextWorlds;
    physics::StrandDef m_def;
    Vec3 m_gravity;
    double m_feltTravel = 1, m_feltTurn = 1;
    std::vector<Ridden> m_colliders;
    std::optional<physics::Strand> m_solver;
    int m_substeps = 0;
    double m_dt = 0;
    std::size_t m_probe = 0;
    Base m_base, m_felt;
    Vec3 m_placeSlope = Vec3::Zero();
    Quat m_turnSlope = Quat::Identity();
    std::vector<Quat> m_turn, m_last, m_slope, m_nextTurn;  // goals at the frame, the frame before, its slope, and ahead
    std::vector<char> m_moving;
    std::vector<physics::LinkGoal> m_goals;
    std::vector<physics::Body> m_bodies;
};

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    const auto& roots = layer.list("root");
    if (roots.empty()) return "it has no root joint";
    const std::string& tip = layer.text("tip");
    const int tipJoint = actor.skeleton.find(tip);
    if (!tip.empty() && tipJoint == rig::kNoJoint) return "there is no joint \"" + tip + "\" to be its tip";
    std::vector<int> found;
    for (const std::string& r : roots) {
        const int root = actor.skeleton.find(r);
        if (root == rig::kNoJoint) return "there is no joint \"" + r + "\" to be its root";
        if (!tip.empty() && !actor.skeleton.isBelow(tipJoint, root))
            return "its tip \"" + tip + "\" does not hang below its root \"" + r + "\"";
        for (int other : found)
            if (actor.skeleton.isBelow(root, other) || actor.skeleton.isBelow(other, root))
                return "two of its roots hang on one another";
        found.push_back(root);
    }
    return std::nullopt;
}

Parts parts(const LayerContext& context, const PoseView& rest) {
    Parts out;
    for (const std::string& r : context.layer.list("root")) {
        Plan plan = Planner(context, rest, context.actor.skeleton.find(r)).plan();
        if (!plan.links.empty()) out.push_back(std::make_unique<StrandPart>(context, std::move(plan)));
    }
    return out;
}

}  // namespace

const LayerKind kStrandKind{
    .id = "strand",
    .label = "Strand",
    .help = "Coupled spring dynamics on a chain or a tree of joints: hair, tails, antennae, cords, hanging props.",
    .target = "root",
    .settings = kSettings,
    .problem = problem,
    .parts = parts};

}  // namespace nutatio::layers
