#include "layers/strand/strand_mover.h"

#include <algorithm>
#include <utility>

#include "layers/sided.h"
#include "physics/oscillator.h"

namespace nutatio::layers::strand {

// Each strand lives in a world of its own, the felt world, in which its base moves by that share of the body's travel and turn
// that reaches it. With both shares at 1 it is the world itself. Whatever a strand meets is carried into that world.
//
// Shares that differ along the strand have no world in common. Then the felt world is the world itself, and each link is pulled
// by what it does not feel. With v, a the base's velocity and acceleration, w, a' those of its turning, r the place of the link's
// end from the base and u its velocity seen from the base, shares f of travel and g of turn:
//     (1 - f) a + f (1 - g) w x v + (1 - g) a' x r + (1 - g^2) w x (w x r) + 2 (1 - g) w x u,
// and its drag does not act on (1 - f) v + (1 - g) w x r. This is the difference between the inertial forces seen from a base
// that moves wholly and from one that moves by those shares.

namespace {

constexpr double kEaseOver = 0.1;  // [s]
/// Forwards and back about the first, then about the second axis across, as physics::LinkDef::stops has them.
constexpr std::array kStops{"bend_max_first", "bend_min_first", "bend_max_second", "bend_min_second"};

std::vector<int> watched(const std::vector<StrandJoints>& strands) {
    std::vector<int> w;
    for (const StrandJoints& p : strands) {
        w.insert(w.end(), p.joints.begin(), p.joints.end());
        w.push_back(p.root);
    }
    return w;
}

bool isPlainChain(const StrandJoints& p) {
    for (std::size_t i = 0; i < p.links.size(); ++i)
        if (p.links[i].parent != static_cast<int>(i) - 1) return false;
    return true;
}

/// Whether one kernel can take both: the same parents link by link, or chains of whatever lengths.
bool areAlike(const StrandJoints& a, const StrandJoints& b) {
    if (physics::hangsInLine(a.links) != physics::hangsInLine(b.links)) return false;
    if (isPlainChain(a) && isPlainChain(b)) return true;
    return std::equal(a.links.begin(), a.links.end(), b.links.begin(), b.links.end(),
                      [](const physics::LinkDef& x, const physics::LinkDef& y) { return x.parent == y.parent; });
}

constexpr double kForgetting = 0.1;  // [s] over which an allowed depth fades when the pose is clear again

/// The narrowest kernel that takes `strands` at once.
int widthFor(std::size_t strands) {
    for (int w = 2; w < physics::bestWidth(); w *= 2)
        if (static_cast<std::size_t>(w) >= strands) return w;
    return physics::bestWidth();
}

}  // namespace

double reachOf(const scene::Resolved& settings) {
    return (1.05 + 1.1 * settings.span("stretch").second) * (1 + settings.span("radius").second);
}

StrandMover::StrandMover(const LayerContext& context, std::vector<StrandJoints> strands)
    : m_settings(context.settings),
      m_placement(context.placement),
      m_skeleton(context.actor.skeleton),
      m_height(context.actor.height),
      m_metres(context.placement.metres),
      m_worlds(context.actor.skeleton, watched(strands)),
      m_nextWorlds(m_worlds),
      m_anchors(context),
      m_source(context),
      m_air(context),
      m_cuts(context),
      m_meets(context.settings->text("meets") == "others"),
      m_feltByLink(!m_source &&
                   (!context.settings->profile("felt_travel").empty() || !context.settings->profile("felt_turn").empty())) {
    for (StrandJoints& p : strands) {
        Strand s;
        const std::size_t n = p.links.size();
        for (auto* v : {&s.turn, &s.last, &s.slope, &s.nextTurn, &s.turnNow}) v->resize(n, Quat::Identity());
        s.moving.resize(n, true);
        s.air.resize(n, Vec3::Zero());
        m_joints.insert(m_joints.end(), p.joints.begin(), p.joints.end());
        if (m_strands.empty() || m_batchStrands.back().size() == static_cast<std::size_t>(physics::bestWidth()) ||
            !areAlike(m_strands.back().plan, p))
            m_batchStrands.emplace_back();
        s.batch = m_batchStrands.size() - 1;
        s.lane = static_cast<int>(m_batchStrands.back().size());
        m_batchStrands.back().push_back(m_strands.size());
        s.settings = context.settingsOf(context.actor.skeleton.reference(p.root));
        for (const auto& [number, id] : {std::pair{&s.radius, "radius"},
                                         {&s.gravity, "gravity"},
                                         {&s.tilt, "pull_tilt"},
                                         {&s.heading, "pull_heading"},
                                         {&s.catches, "catch"},
                                         {&s.feltTravel, "felt_travel"},
                                         {&s.feltTurn, "felt_turn"}})
            *number = s.settings->number(id);
        if (s.settings->text("sides") == "mirrored") mirror(s, p, context.actor);
        s.plan = std::move(p);
        m_strands.push_back(std::move(s));
    }
    m_probe = m_strands.front().plan.farthest();
    addColliders(context);
    addPins(context);
    m_anchors.close();
}

/// On the right, what is told of the left is as it is seen in a mirror: of each link, which of its own axes and sides that is.
void StrandMover::mirror(Strand& s, const StrandJoints& plan, const rig::Actor& actor) {
    const Sided sided(actor);
    if (!sided.right(plan.root)) return;
    s.mirror = sided.seen();
    for (std::size_t i = 0; i < plan.links.size(); ++i) {
        const int joint = plan.joints[i];
        const physics::LinkDef& l = plan.links[i];
        const Mat3 seen = sided.seen(joint, sided.fellow(joint));
        const Vec3 d = seen.transpose() * l.direction;
        // The own axes as turns of the fellow's, and which of its stops stand there: forwards and back, about its first and
        // second.
        const Vec3 first = crossAxis(d), second = d.cross(first);
        std::array<std::size_t, 4>& takes = s.takes.emplace_back();
        for (std::size_t k = 0; k < 2; ++k) {
            const Vec3 own = -seen.transpose() * (k == 0 ? l.axisU : Vec3(l.direction.cross(l.axisU)));
            const bool isFirst = std::abs(own.dot(first)) >= std::abs(own.dot(second));
            const std::size_t ahead = isFirst ? 0 : 2, back = own.dot(isFirst ? first : second) > 0 ? 0 : 1;
            takes[2 * k] = ahead + back;
            takes[2 * k + 1] = ahead + 1 - back;
        }
    }
}

Vec3 StrandMover::gravityAt(const Strand& s, int frame) const {
    const Vec3 pull =
        kEarthGravity * s.gravity.at(frame) / m_metres * pullWay(m_placement, s.tilt.at(frame), s.heading.at(frame));
    return s.takes.empty() ? pull : Vec3(s.mirror * pull);
}

physics::StrandPlan StrandMover::planOf(const Strand& s, int frame) const {
    physics::StrandPlan out{s.plan.links, {}};
    const scene::Resolved& l = *s.settings;
    physics::StrandDef& d = out.def;
    d.swing = l.at("swing", frame);
    d.zeta = physics::dampingRatio(l.at("bounces", frame));
    d.airDrag = l.at("drag", frame);
    d.endWeight = l.at("end_weight", frame);
    d.stiffU = l.at("stiff_first", frame);
    d.stiffV = l.at("stiff_second", frame);
    d.stiffTwist = l.at("stiff_twist", frame);
    d.stretchSwing = l.at("stretch_swing", frame);
    d.gravity = gravityAt(s, frame);
    const auto shaped = [&](const char* id) { return !l.profile(id).empty(); };
    const auto share = [&](const char* id, double along) { return scene::profileAt(l.profile(id), along); };
    // What is not limited costs nothing; what becomes limited within the shot is from its first frame on.
    const auto limited = [&](const char* id) { return l.span(id).first < 180 || shaped(id); };
    const double size = s.plan.length;
    const bool eased = l.text("stops") == "eased";
    for (std::size_t i = 0; i < out.links.size(); ++i) {
        physics::LinkDef& k = out.links[i];
        const double u = s.plan.along[i];
        if (shaped("swing")) k.swing = share("swing", u);
        if (shaped("bounces")) k.zeta = physics::dampingRatio(l.at("bounces", frame, u)) / std::max(d.zeta, 1e-9);
        if (shaped("drag")) k.airDrag = share("drag", u);
        for (std::size_t side = 0; side < kStops.size(); ++side) {
            const char* id = kStops[s.takes.empty() ? side : s.takes[i][side]];
            k.stops[side] = limited(id) ? radians(l.at(id, frame, u)) : physics::kNoLimit;
        }
        k.easeOver = eased ? kEaseOver : 0;
        k.bendLimit = limited("bend") ? radians(l.at("bend", frame, u)) : physics::kNoLimit;
        k.twistLimit = limited("twist") ? radians(l.at("twist", frame, u)) : physics::kNoLimit;
        k.radius = size * l.at("radius", frame, u);
        k.stretch = l.at("stretch", frame) * (shaped("stretch") ? share("stretch", u) : 1);
    }
    return out;
}

void StrandMover::prepare(double dt, const PoseView& pose, bool quick) {
    const int n = physics::substepsFor(dt, quickest(), quick);
    const bool stepped = n != m_substeps || dt != m_dt;
    m_substeps = n;
    m_dt = dt;
    if (m_batches.empty())
        makeBatches(pose);
    else if (stepped || (m_settings->anyKeyed() && m_tunedAt != pose.frame()))
        tuneAll(pose.frame());
    m_tunedAt = pose.frame();
}

void StrandMover::tuneAll(int frame) {
    for (physics::StrandBatch& b : m_batches) b.setStep(m_dt / m_substeps);
    for (const Strand& s : m_strands) m_batches[s.batch].tune(s.lane, planOf(s, frame));
}

void StrandMover::makeBatches(const PoseView& pose) {
    for (const auto& group : m_batchStrands) {
        std::vector<physics::StrandPlan> plans;
        for (std::size_t k : group) plans.push_back(planOf(m_strands[k], pose.frame()));
        m_batches.emplace_back(plans, m_dt / m_substeps, widthFor(plans.size()));
        m_batches.back().setBodies(m_colliders.size() + (m_meets ? kNeighbours : 0));
    }
}

StrandMover::Base StrandMover::actualBase(const Strand& s, const JointWorlds& worlds) const {
    return {worlds.world(s.plan.root).t, worlds.turnAbove(s.plan.root)};
}

double StrandMover::quickest() const {
    double most = 0;
    for (const Strand& s : m_strands) most = std::max(most, s.settings->span("swing").second);
    return most;
}

std::pair<double, double> StrandMover::feltShares(const Strand& s, int frame) const {
    if (m_feltByLink) return {1, 1};
    return {s.feltTravel.at(frame), s.feltTurn.at(frame)};
}

StrandMover::Base StrandMover::feltStep(const Base& felt, const Base& from, const Base& to, double travel, double turn) const {
    if (travel == 1 && turn == 1 && felt.place == from.place && felt.turn.coeffs() == from.turn.coeffs()) return to;
    return feltStep(felt, from, from, to, travel, turn);
}

StrandMover::Base StrandMover::feltStep(const Base& felt, const Base& from, const Base& source, const Base& sourceTo,
                                        double travel, double turn) const {
    // The source's step is turned into the felt axes: the root's own way relative to the body stays whole.
    const Quat toFeltAxes = felt.turn * from.turn.conjugate();
    const Vec3 turned = rotationVector(sourceTo.turn * source.turn.conjugate());
    return {felt.place + travel * (toFeltAxes * (sourceTo.place - source.place)),
            (fromRotationVector(turn * (toFeltAxes * turned)) * felt.turn).normalized()};
}

void StrandMover::readGoals(Strand& s, const JointWorlds& worlds, std::vector<Quat>& out) const {
    const Quat& base = worlds.turnAbove(s.plan.root);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const int p = s.plan.links[i].parent;
        const Quat& above = p < 0 ? base : worlds.turn(s.plan.joints[static_cast<std::size_t>(p)]);
        out[i] = sameSide(above.conjugate() * worlds.turn(s.plan.joints[i]), s.turn[i]);
    }
}

void StrandMover::startGoals(Strand& s) {
    readGoals(s, m_worlds, s.turn);
    readGoals(s, m_nextWorlds, s.nextTurn);
    for (std::size_t i = 0; i < s.turn.size(); ++i) {
        s.slope[i].coeffs() = sameSide(s.nextTurn[i], s.turn[i]).coeffs() - s.turn[i].coeffs();
        s.moving[i] = true;
    }
}

void StrandMover::start(double dt, const PoseView& pose, const PoseView& next) {
    prepare(dt, pose, false);
    m_worlds.update(pose);
    m_nextWorlds.update(next);
    Base sourceNext;
    if (m_source) {
        m_sourceNow = baseOf(m_source.at(pose));
        sourceNext = baseOf(m_source.at(next));
        m_sourceStep = {};
    }
    for (Strand& s : m_strands) {
        const auto [travel, turn] = feltShares(s, pose.frame());
        startGoals(s);
        s.base = s.felt = actualBase(s, m_worlds);
        if (m_source) s.hang = m_sourceNow.turn.conjugate() * s.base.turn;
        const Base ahead = m_source ? feltStep(s.felt, s.base, m_sourceNow, sourceNext, travel, turn)
                                    : feltStep(s.felt, s.base, actualBase(s, m_nextWorlds), travel, turn);
        s.placeSlope = ahead.place - s.felt.place;
        s.turnSlope.coeffs() = sameSide(ahead.turn, s.felt.turn).coeffs() - s.felt.turn.coeffs();
        const Vec3 spin = rotationVector(ahead.turn * s.felt.turn.conjugate()) / dt;
        s.lastStep = {};
        m_batches[s.batch].setGravity(s.lane, gravityAt(s, pose.frame()));
        m_batches[s.batch].start(s.lane, s.felt.place, s.felt.turn, s.turn, s.placeSlope / dt, spin);
    }
    readPlaces(pose);
    for (Ridden& r : m_colliders) r.before = r.now;
    for (Held& h : m_pins) h.before = h.now;
    allowDepths(pose, 0);
    blow(pose, true);
}

bool StrandMover::isCut(const Strand& s, const PoseView& goal, const Base& now, const Base& ahead, double dt) const {
    return m_cuts.marked(goal.frame()) || m_cuts.found(s.lastStep, Cuts::between(s.base.place, s.base.turn, now.place, now.turn),
                                                       Cuts::between(now.place, now.turn, ahead.place, ahead.turn), dt);
}

void StrandMover::carryAcross(Strand& s, double dt, const Base& now, const Base& ahead) {
    const Quat by = now.turn * s.felt.turn.conjugate();
    const Vec3 speed = s.placeSlope / dt;
    const Base from = s.felt;
    s.base = s.felt = now;
    s.placeSlope = ahead.place - now.place;
    s.turnSlope.coeffs() = sameSide(ahead.turn, now.turn).coeffs() - now.turn.coeffs();
    m_batches[s.batch].carry(s.lane, from.place, by, now.place, s.placeSlope / dt - by * speed);
    s.lastStep = {};
    startGoals(s);
}

void StrandMover::step(double dt, const PoseView& goal, const PoseView& next) {
    // What was ahead is mostly what is stepped to now.
    m_worlds.swapPoses(m_nextWorlds);
    m_worlds.update(goal);
    m_nextWorlds.update(m_cuts.marked(next.frame()) && next.frame() != goal.frame() ? goal : next);
    // The frame after a cut begins where the cut ends. All strands of a part hang on one body, and are carried together.
    Base source, sourceNext;
    bool sourceJumps = false, sourceLooms = false;
    if (m_source) {
        const auto step = [](const Base& a, const Base& b) { return Cuts::between(a.place, a.turn, b.place, b.turn); };
        source = std::exchange(m_sourceNow, baseOf(m_source.at(goal)));
        sourceNext = baseOf(m_source.at(next));
        const Cuts::Step went = step(source, m_sourceNow), goes = step(m_sourceNow, sourceNext);
        sourceJumps = m_cuts.found(m_sourceStep, went, goes, dt);
        sourceLooms = m_cuts.looms(went, goes, dt);
        m_sourceStep = sourceJumps ? Cuts::Step{} : went;
        if (sourceLooms) sourceNext = m_sourceNow;
    }
    const bool carried = sourceJumps || std::any_of(m_strands.begin(), m_strands.end(), [&](const Strand& s) {
                             return isCut(s, goal, actualBase(s, m_worlds), actualBase(s, m_nextWorlds), dt);
                         });
    for (Ridden& r : m_colliders) r.before = r.now;
    for (Held& h : m_pins) h.before = h.now;
    readPlaces(goal);
    if (carried) {
        for (Strand& s : m_strands) {
            const auto [travel, turn] = feltShares(s, goal.frame());
            const Base now = actualBase(s, m_worlds);
            if (m_source) s.hang = m_sourceNow.turn.conjugate() * now.turn;
            carryAcross(s, dt, now,
                        m_source ? feltStep(now, now, m_sourceNow, sourceNext, travel, turn) : actualBase(s, m_nextWorlds));
        }
        allowDepths(goal, 0);
        blow(goal, true);
        return;
    }
    for (Strand& s : m_strands) {
        const auto [travel, turn] = feltShares(s, goal.frame());
        const Base now = actualBase(s, m_worlds);
        s.last = s.turn;
        readGoals(s, m_worlds, s.turn);
        readGoals(s, m_nextWorlds, s.nextTurn);
        s.before = s.felt;
        s.felt = m_source ? feltStep(s.before, hangingOn(source, s), source, m_sourceNow, travel, turn)
                          : feltStep(s.before, s.base, now, travel, turn);
        // A pose beyond a cut says nothing about the speed before the cut.
        const Base next1 = actualBase(s, m_nextWorlds);
        const bool looms = m_cuts.looms(Cuts::between(s.base.place, s.base.turn, now.place, now.turn),
                                        Cuts::between(now.place, now.turn, next1.place, next1.turn), dt);
        s.ahead = m_source ? feltStep(s.felt, hangingOn(m_sourceNow, s), m_sourceNow, sourceNext, travel, turn)
                           : feltStep(s.felt, now, looms ? now : next1, travel, turn);
        s.lastStep = Cuts::between(s.base.place, s.base.turn, now.place, now.turn);
        s.base = now;
    }
    findReachable();
    prepare(dt, goal, bodiesAreQuick(dt));
    for (const Strand& s : m_strands) m_batches[s.batch].setGravity(s.lane, carryOf(s).conjugate() * gravityAt(s, goal.frame()));
    blow(goal, false);
    if (m_meets) meetOthers(goal.frame());
    allowDepths(goal, std::exp(-dt / kForgetting));
    runSubsteps(dt, goal.frame());
}

void StrandMover::runSubsteps(double dt, int frame) {
    for (Strand& s : m_strands) {
        // Hermite between the frames, each with the slope of its neighbours: speeds do not jump at frames.
        s.nextPlaceSlope = 0.5 * (s.ahead.place - s.before.place);
        s.felt.turn = sameSide(s.felt.turn, s.before.turn);
        const Quat turn2 = sameSide(s.ahead.turn, s.felt.turn);
        s.nextTurnSlope.coeffs() = 0.5 * (turn2.coeffs() - s.before.turn.coeffs());
        for (std::size_t i = 0; i < s.turn.size(); ++i) {
            const Quat a2 = sameSide(s.nextTurn[i], s.turn[i]);
            const bool moves = (s.turn[i].coeffs() - s.last[i].coeffs()).norm() > 1e-11 ||
                               (a2.coeffs() - s.turn[i].coeffs()).norm() > 1e-11 || s.slope[i].norm() > 1e-11;
            s.nextTurn[i].coeffs() = 0.5 * (a2.coeffs() - s.last[i].coeffs());
            // A goal that has come to a stop is given to the solver once more, with no speed.
            if (moves || s.moving[i]) m_batches[s.batch].setGoal(s.lane, i, {s.last[i], s.last[i], Vec3::Zero()});
            s.turnNow[i] = s.last[i];
            s.moving[i] = moves;
        }
        s.step.place1 = s.before.place;
        s.step.turn1 = s.before.turn;
    }
    const double h = dt / m_substeps;
    for (int k = 1; k <= m_substeps; ++k) {
        const double u = static_cast<double>(k) / m_substeps;
        const Hermite at(u);
        for (Strand& s : m_strands) {
            moveBase(s, u, dt, k == m_substeps);
            moveGoals(s, at, h);
            if (m_feltByLink) pullLinks(s, frame, static_cast<double>(k - 1) / m_substeps, u, dt);
        }
        placeBodies(u, dt);
        passAllowances(u);
        for (const Strand& s : m_strands) moveBodies(s);
        movePins(u, dt);
        for (physics::StrandBatch& b : m_batches) b.step();
    }
    for (Strand& s : m_strands) {
        s.placeSlope = s.nextPlaceSlope;
        s.turnSlope = s.nextTurnSlope;
        std::swap(s.slope, s.nextTurn);
    }
}

StrandMover::Speed StrandMover::speedOf(const Strand& s, double u, double dt) const {
    const double d0 = 6 * u * u - 6 * u, dm0 = 3 * u * u - 4 * u + 1, dm1 = 3 * u * u - 2 * u;
    Speed out{(d0 * (s.before.place - s.felt.place) + dm0 * s.placeSlope + dm1 * s.nextPlaceSlope) / dt, Vec3::Zero()};
    if (m_feltByLink) {
        const Hermite at(u);
        const Quat turn(at.p0 * s.before.turn.coeffs() + at.m0 * s.turnSlope.coeffs() + at.p1 * s.felt.turn.coeffs() +
                        at.m1 * s.nextTurnSlope.coeffs());
        const Quat change(d0 * (s.before.turn.coeffs() - s.felt.turn.coeffs()) + dm0 * s.turnSlope.coeffs() +
                          dm1 * s.nextTurnSlope.coeffs());
        out.spin = (2 / (dt * turn.squaredNorm())) * (change * turn.conjugate()).vec();
    }
    return out;
}

void StrandMover::pullLinks(const Strand& s, int frame, double u0, double u1, double dt) {
    physics::StrandBatch& b = m_batches[s.batch];
    const double h = (u1 - u0) * dt;
    const Speed from = speedOf(s, u0, dt), to = speedOf(s, u1, dt);
    const Vec3 speed = 0.5 * (from.travel + to.travel), spin = 0.5 * (from.spin + to.spin), gain = (to.travel - from.travel) / h,
               spinGain = (to.spin - from.spin) / h;
    for (std::size_t i = 0; i < s.plan.links.size(); ++i) {
        const double f = s.feltTravel.at(frame, s.plan.along[i]), g = s.feltTurn.at(frame, s.plan.along[i]);
        const Vec3 velocity = b.endVelocity(s.lane, i) - from.travel, r0 = b.end(s.lane, i) - s.step.place0;
        const Vec3 seen = velocity - from.spin.cross(r0), r = r0 + 0.5 * h * velocity, turning = spin.cross(r);
        b.setPull(s.lane, i,
                  (1 - f) * gain + f * (1 - g) * spin.cross(speed) + (1 - g) * spinGain.cross(r) +
                      (1 - g * g) * spin.cross(turning) + 2 * (1 - g) * spin.cross(seen),
                  (1 - f) * speed + (1 - g) * turning);
    }
}

void StrandMover::moveBase(Strand& s, double u, double dt, bool last) {
    const Hermite at(u);
    physics::BaseStep& b = s.step;
    b.place0 = b.place1;
    b.turn0 = b.turn1;
    if (last) {
        b.place1 = s.felt.place;
        b.turn1 = s.felt.turn;
    } else {
        b.place1 = at.p0 * s.before.place + at.m0 * s.placeSlope + at.p1 * s.felt.place + at.m1 * s.nextPlaceSlope;
        b.turn1 = Quat(at.p0 * s.before.turn.coeffs() + at.m0 * s.turnSlope.coeffs() + at.p1 * s.felt.turn.coeffs() +
                       at.m1 * s.nextTurnSlope.coeffs())
                      .normalized();
    }
    b.velocityEnd = speedOf(s, u, dt).travel;
    m_batches[s.batch].setBase(s.lane, b);
}

void StrandMover::moveGoals(Strand& s, const Hermite& at, double h) {
    for (std::size_t i = 0; i < s.turn.size(); ++i) {
        if (!s.moving[i]) continue;
        physics::LinkGoal g;
        g.turn0 = s.turnNow[i];
        g.turn1 = Quat(at.p0 * s.last[i].coeffs() + at.m0 * s.slope[i].coeffs() + at.p1 * s.turn[i].coeffs() +
                       at.m1 * s.nextTurn[i].coeffs())
                      .normalized();
        g.spin = rotationVector(g.turn1 * g.turn0.conjugate()) / h;
        s.turnNow[i] = g.turn1;
        m_batches[s.batch].setGoal(s.lane, i, g);
    }
}

void StrandMover::write(const PoseView& goal, std::span<Xform> out) const {
    std::size_t at = 0;
    std::vector<Quat> turnBy;  // by link: from where it stands to where the strand has it
    for (const Strand& s : m_strands) {
        const physics::StrandBatch& b = m_batches[s.batch];
        const Quat carried = carryOf(s);
        turnBy.clear();
        for (std::size_t i = 0; i < s.plan.joints.size(); ++i)
            turnBy.emplace_back((carried * b.turn(s.lane, i)) * m_worlds.turn(s.plan.joints[i]).conjugate());
        for (std::size_t i = 0; i < s.plan.joints.size(); ++i, ++at) {
            const int j = s.plan.joints[i], p = s.plan.links[i].parent;
            const Quat above = p < 0 ? Quat::Identity() : turnBy[static_cast<std::size_t>(p)];
            out[at] = turnedInWorld(goal.local(j), m_worlds.above(j), m_worlds.turnAbove(j), above.conjugate() * turnBy[i]);
            if (p >= 0) {
                // A stretched link shows in the place of the joint at its end.
                const double stretched = b.stretchOf(s.lane, static_cast<std::size_t>(p));
                if (stretched != 1) {
                    const physics::LinkDef& link = s.plan.links[static_cast<std::size_t>(p)];
                    const Vec3 way = m_worlds.turn(s.plan.joints[static_cast<std::size_t>(p)]) * link.direction;
                    out[at].t += m_worlds.above(j).inverse().m * ((stretched - 1) * link.length * way);
                }
            }
        }
    }
}

/// The numbers of a strand that are not its batch's, in one order for reading and writing.
template <class S, class Each>
void StrandMover::eachCarried(S& s, Each&& each) {
    const auto all = [&](auto& v) {
        for (Eigen::Index k = 0; k < v.size(); ++k) each(v[k]);
    };
    all(s.felt.place);
    all(s.felt.turn.coeffs());
    all(s.hang.coeffs());
    all(s.placeSlope);
    all(s.turnSlope.coeffs());
    each(s.lastStep.travel);
    each(s.lastStep.turn);
    for (auto* turns : {&s.turn, &s.slope})
        for (auto& q : *turns) all(q.coeffs());
    for (auto& v : s.air) all(v);
    for (auto& depth : s.allowed) each(depth);
}

State StrandMover::state() const {
    State out{static_cast<double>(m_substeps)};
    for (const Strand& s : m_strands) {
        eachCarried(s, [&](double v) { out.push_back(v); });
        out.insert(out.end(), s.moving.begin(), s.moving.end());
        m_batches[s.batch].appendState(s.lane, out);
    }
    if (m_source) {
        for (double v : m_sourceNow.place) out.push_back(v);
        for (double v : m_sourceNow.turn.coeffs()) out.push_back(v);
        out.insert(out.end(), {m_sourceStep.travel, m_sourceStep.turn});
    }
    return out;
}

void StrandMover::setState(const State& state) {
    std::span<const double> left(state);
    const auto next = [&] {
        const double v = left.front();
        left = left.subspan(1);
        return v;
    };
    m_substeps = static_cast<int>(next());
    tuneAll(m_tunedAt);
    for (Strand& s : m_strands) {
        eachCarried(s, [&](double& v) { v = next(); });
        s.hang.normalize();
        for (char& moves : s.moving) moves = next() != 0;
        findAllowing(s);
        left = m_batches[s.batch].takeState(s.lane, left);
    }
    if (!m_source) return;
    for (double& v : m_sourceNow.place) v = next();
    for (double& v : m_sourceNow.turn.coeffs()) v = next();
    m_sourceNow.turn.normalize();
    m_sourceStep = {next(), next()};
}

Vec3 StrandMover::probe() const {
    const Strand& s = m_strands[m_probeStrand];
    return s.base.place + carryOf(s) * (m_batches[s.batch].end(s.lane, m_probe) - s.felt.place);
}

Vec3 StrandMover::probeGoal() const {
    const StrandJoints& p = m_strands[m_probeStrand].plan;
    return m_worlds.world(p.joints[m_probe]).t +
           m_worlds.turn(p.joints[m_probe]) * (p.links[m_probe].length * p.links[m_probe].direction);
}

double StrandMover::probeLever() const {
    return std::max((probeGoal() - m_strands[m_probeStrand].base.place).norm(), 1e-9);
}

bool StrandMover::watch(int joint) {
    for (std::size_t k = 0; k < m_strands.size(); ++k)
        for (std::size_t i = 0; i < m_strands[k].plan.joints.size(); ++i)
            if (m_strands[k].plan.joints[i] == joint) {
                // The root stands for its strand, and a strand is judged by its end.
                m_probeStrand = k;
                m_probe = i == 0 ? m_strands[k].plan.farthest() : i;
                return true;
            }
    return false;
}

}  // namespace nutatio::layers::strand
