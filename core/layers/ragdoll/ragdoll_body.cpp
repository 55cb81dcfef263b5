#include "layers/ragdoll/ragdoll_body.h"

#include <algorithm>
#include <cmath>

#include "physics/oscillator.h"
#include "rig/capsule.h"
#include "rig/figure_limits.h"

namespace nutatio::layers::ragdoll {

namespace {

constexpr double kFollowSwing = 24;  // [1/s] of the spring that carries a root that follows but not wholly
constexpr double kYields = 0.99;     // of following, while it crouches
constexpr double kHandSpeed = 3;     // [sizes/s] of the hand that pulls it about
constexpr double kHandForce = 4;     // [times its weight] that it has
constexpr double kStiffens = 0.4;    // [s] over which a limb that was limp gets its strength back
constexpr double kWakes = 0.006;     // [heights] below the floor, of skin that its own animation moves while the body sleeps
constexpr double kHeldSwing = 60;    // [1/s] of joints outside a part that is measured

/// Joints without a segment of their own that hold skin by which segments meet the floor.
std::vector<int> ridersOf(const rig::Figure& figure) {
    std::vector<int> out;
    for (const rig::FigureSegment& g : figure.segments)
        for (const auto& shares : g.skin)
            for (const rig::FigureSegment::Share& s : shares)
                if (figure.find(s.joint) < 0) out.push_back(s.joint);
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

std::vector<int> readBy(std::vector<int> segments, const std::vector<int>& riders) {
    segments.insert(segments.end(), riders.begin(), riders.end());
    return segments;
}

Mat3 boxInertia(double mass, const std::vector<Vec3>& corners) {
    const rig::Spread spread = rig::spreadOf(corners);
    Eigen::AlignedBox3d box;
    for (const Vec3& c : corners) box.extend(spread.axes.transpose() * (c - spread.mean));
    const Vec3 d = box.sizes().cwiseAbs2();
    Vec3 moments = mass / 12 * Vec3(d.y() + d.z(), d.z() + d.x(), d.x() + d.y());
    moments = moments.cwiseMax(0.05 * moments.maxCoeff());
    return spread.axes * moments.asDiagonal() * spread.axes.transpose();
}

}  // namespace

RagdollBody::RagdollBody(const LayerContext& context, std::span<const LayerContext* const> fellows)
    : m_settings(context.settings),
      m_figure(rig::figureOf(context.actor, topsOf(context.actor, context.layer))),
      m_skeleton(context.actor.skeleton),
      m_placement(context.placement),
      m_hanging(context.actor, *m_figure, context.placement, hangingFrom(context.actor, *m_figure)),
      m_joints(jointsOf(*m_figure)),
      m_written(m_joints),
      m_riders(ridersOf(*m_figure)),
      m_worlds(m_skeleton, readBy(m_joints, m_riders)),
      m_anchors(context),
      m_acts(context, *m_figure, m_anchors),
      m_air(context),
      m_cuts(context),
      m_back(*m_figure) {
    m_written.insert(m_written.end(), m_hanging.joints().begin(), m_hanging.joints().end());
    rig::worldTransforms(m_skeleton, context.actor.restPose(), m_rest);
    m_rides.resize(static_cast<std::size_t>(m_skeleton.size()));
    m_stiffer = partsOf(*m_figure, m_skeleton, *m_settings, "stiffer");
    m_bouncier = partsOf(*m_figure, m_skeleton, *m_settings, "bouncier");
    const PartChannels thicker = partsOf(*m_figure, m_skeleton, *m_settings, "thicker");
    for (std::size_t i = 0; i < m_joints.size(); ++i) m_thicker.push_back(apart(thicker, i, 0));
    m_looser = partsOf(*m_figure, m_skeleton, *m_settings, "looser");
    const std::size_t n = m_figure->segments.size();
    for (const rig::FigureSegment& g : m_figure->segments) m_lever.push_back(toWorld(g.centre) - toWorld(g.at));
    // Trunk and limbs swing as parts of their own, and so does what is set apart: the first mode of each is the asked one.
    std::map<std::string, int> parts;
    for (std::size_t i = 0; i < n; ++i) {
        const int p = m_figure->segments[i].parent;
        const bool aside = m_figure->fellow[i] != static_cast<int>(i);
        const bool leaves = p >= 0 && aside && m_figure->fellow[static_cast<std::size_t>(p)] == p;
        m_limb.push_back(p < 0 || leaves ? static_cast<int>(i) : m_limb[static_cast<std::size_t>(p)]);
        m_part.push_back(
            parts.emplace(std::to_string(m_limb[i]) + m_stiffer[i] + "/" + m_bouncier[i] + "/" + m_looser[i], static_cast<int>(i))
                .first->second);
    }
    m_slope.resize(n);
    m_nextSlope.resize(n);
    m_limpness.assign(n, 0.0);
    m_limpnessWas.assign(n, 0.0);
    m_strengthIs.assign(n, 1.0);
    m_bones.assign(n, Vec3::Zero());
    addColliders(context, fellows);
    m_anchors.close();
    m_watched = n - 1;
}

void RagdollBody::join(physics::Articulated& all, std::size_t body) {
    m_body.emplace(all, body);
}

/// The figure in the world, in metres, with what the layer says of its segments.
physics::ArticulatedDef RagdollBody::define() const {
    physics::ArticulatedDef def;
    const rig::Figure& f = *m_figure;
    def.size = f.height * m_placement.metres;
    def.friction = m_settings->at("friction");
    const double kg = rig::usualMass(def.size);
    const bool limits = m_settings->text("limits") == "kept";
    const PartChannels heavier = partsOf(*m_figure, m_skeleton, *m_settings, "heavier"),
                       freer = partsOf(*m_figure, m_skeleton, *m_settings, "freer");
    const auto own = [&](const PartChannels& channels, std::size_t i) { return apart(channels, i, 0); };
    for (std::size_t i = 0; i < f.segments.size(); ++i) {
        const rig::FigureSegment& g = f.segments[i];
        physics::SegmentDef s;
        s.parent = g.parent;
        s.mass = std::max(g.share * kg * (1 + own(heavier, i)), kg / 300);
        s.joint = toWorld(g.at);
        s.centre = toWorld(g.centre);
        s.endA = toWorld(g.endA);
        s.endB = toWorld(g.endB);
        const double more = m_thicker[i];
        s.radius = m_placement.metres * g.radius * (1 + more);
        s.edged = g.edged;
        for (const Vec3& c : g.corners) s.corners.push_back(toWorld(c) + (g.edged ? 0 : more) * (toWorld(c) - s.centre));
        s.inertia = s.edged ? boxInertia(s.mass, s.corners) : physics::capsuleInertia(s.mass, s.endA, s.endB, s.radius);
        if (g.parent >= 0) {
            const double wider = radians(own(freer, i));
            const auto range = [&](double half) { return within(half + wider, radians(2), 2.9); };
            s.limited = limits;
            s.middle = (m_placement.turn * g.middle * m_placement.turn.conjugate()).normalized();
            s.axis = m_placement.turn * g.axis;
            s.side = m_placement.turn * g.side;
            s.swingA = range(g.swingA);
            s.swingB = range(g.swingB);
            s.twist = range(g.twist);
        }
        def.segments.push_back(std::move(s));
    }
    if (m_settings->text("meets") == "all") def.meets = physics::mayTouch(def.segments);
    // A head does not come down through its own neck: what stands on one another in the trunk meets along the line of its joints,
    // where nothing can give way.
    const auto below = [&](int i, int above) {
        while (i > above) i = f.segments[static_cast<std::size_t>(i)].parent;
        return i == above;
    };
    std::erase_if(def.meets, [&](const std::pair<int, int>& p) {
        return f.fellow[static_cast<std::size_t>(p.first)] == p.first &&
               f.fellow[static_cast<std::size_t>(p.second)] == p.second && below(p.second, p.first);
    });
    return def;
}

double RagdollBody::apart(const PartChannels& channels, std::size_t segment, int frame) const {
    return channels[segment].empty() ? 0 : m_settings->at(channels[segment], frame);
}

void RagdollBody::addColliders(const LayerContext& context, std::span<const LayerContext* const> fellows) {
    if (m_settings->text("meets") == "nothing" || m_settings->text("meets") == "floor") return;
    const auto& passes = m_settings->list("passes");
    for (const LayerContext::Body& b : context.colliders) {
        const scene::Collider& c = *b.collider;
        if (std::find(passes.begin(), passes.end(), c.id) != passes.end()) continue;
        const int anchor = m_anchors.add(c.mount);
        if (anchor < 0) continue;
        // A collider on one of the body's own joints would push the body off itself.
        const int joint = m_anchors.ownJoint(anchor);
        if (joint != rig::kNoJoint && m_figure->segmentOf[static_cast<std::size_t>(joint)] >= 0) continue;
        if (std::any_of(fellows.begin(), fellows.end(), [&](const LayerContext* f) {
                const int j = f->layer.actor == c.mount.actor ? f->actor.skeleton.find(c.mount.joint) : rig::kNoJoint;
                return j != rig::kNoJoint &&
                       rig::figureOf(f->actor, topsOf(f->actor, f->layer))->segmentOf[static_cast<std::size_t>(j)] >= 0;
            }))
            continue;
        Met m;
        m.id = c.id;
        m.settings = b.settings;
        m.anchor = anchor;
        m_met.push_back(std::move(m));
    }
}

void RagdollBody::readColliders(const PoseView& pose) {
    if (m_met.empty() && m_acts.none()) return;
    m_anchors.update(pose);
    for (Met& m : m_met) {
        const StandingBody stands = standingBody(*m.settings, pose.frame(), m_anchors, m.anchor, m_placement);
        m.numbers = stands.numbers;
        m.now = stands.place;
    }
}

void RagdollBody::addSurfaces(double u, double dt, std::vector<physics::Surface>& to) const {
    if (m_meetsFloor) {
        physics::Surface& s = to.emplace_back();
        s.of = static_cast<int>(m_body->body());
        s.body.kind = physics::Body::Kind::Plane;
        s.body.a = Vec3(0, m_floor, 0);
        s.body.friction = m_settings->at("friction");
        s.bounce = m_settings->at("bounce");
    }
    for (const Met& m : m_met) {
        const Vec3 spin = rotationVector(m.now.turn * m.before.turn.conjugate());
        const ColliderPlace at{m.before.centre + u * (m.now.centre - m.before.centre),
                               (fromRotationVector(u * spin) * m.before.turn).normalized()};
        physics::Surface& s = to.emplace_back();
        s.of = static_cast<int>(m_body->body());
        s.body = bodyOf(m.numbers, at);
        s.body.velocity = (m.now.centre - m.before.centre) / dt;
        s.body.spin = spin / dt;
        // Its speed is that of its middle; the body's is told at its start.
        s.body.velocity += s.body.spin.cross(s.body.a - at.centre);
        s.bounce = m.settings->at("bounce");
    }
}

void RagdollBody::addStand(double u, std::vector<Vec3>& places, std::vector<Quat>& turns) const {
    for (std::size_t i = 0; i < m_now.size(); ++i) {
        const Stand pose = u > 1 ? m_next[i] : u == 1 ? m_now[i] : u == 0 ? m_before[i] : between(i, u);
        turns.push_back(pose.turn);
        places.push_back(pose.joint + pose.turn * m_lever[i]);
    }
}

void RagdollBody::tune(int frame, double dt) {
    m_stiffens = dt / kStiffens;
    m_limpnessWas = m_limpness;
    for (std::size_t i = 0; i < m_limpness.size(); ++i) m_limpness[i] = limpness(i, 1);
    m_followWas = m_followIs;
    m_strengthWas = m_strengthIs;
    m_followIs = m_settings->at("follow", frame);
    m_floor = m_settings->at("floor", frame);
    m_meetsFloor = m_settings->text("meets") != "nothing";
    m_body->setGravity(Vec3(0, -kEarthGravity * m_settings->at("gravity", frame), 0));
    const double strength = m_settings->at("strength", frame);
    const double n = static_cast<double>(std::max<std::size_t>(2, m_body->size()));
    for (std::size_t i = 0; i < m_body->size(); ++i) {
        physics::JointAim& aim = m_body->aim(i);
        const double along = static_cast<double>(i) / (n - 1);
        aim.swing = m_settings->at("swing", frame, along) * std::max(0.0, 1 + apart(m_stiffer, i, frame));
        aim.zeta =
            physics::dampingRatio(m_settings->at("bounces", frame, along) * std::max(0.0, 1 + apart(m_bouncier, i, frame)));
        aim.strength = std::clamp(strength * (1 - apart(m_looser, i, frame)), 0.0, 1.0);
        aim.drag = m_settings->at("drag", frame);
        if (m_alone < 0 || m_part[i] == m_alone) continue;
        // A part is measured on a base that is held.
        aim.swing = kHeldSwing;
        aim.zeta = 1;
        aim.strength = 1;
    }
    if (m_alone >= 0) {
        m_followIs = 1;
        m_meetsFloor = false;
    }
    for (std::size_t i = 0; i < m_body->size(); ++i) m_strengthIs[i] = m_body->aim(i).strength;
    m_carries = m_settings->at("carried", frame);
    m_allows = m_settings->text("meets") != "nothing" && !m_acts.pushesOff();
    if (dt <= 0) {
        m_followWas = m_followIs;
        m_strengthWas = m_strengthIs;
    }
    // What it lets go of within the frame is still allowed what it had at the frame's beginning.
    ease(0);
    const std::vector<double> had = m_share;
    ease(1);
    for (std::size_t i = 0; i < m_share.size() && m_allows; ++i) m_body->following(i).share = std::max(m_share[i], had[i]);
    if (m_air.still()) return;
    m_air.setFrame(frame);
}

/// How firmly all of it follows at `u` of the way between two frames: what goes limp frame by frame would go limp sooner where
/// frames are long, and fall another way.
void RagdollBody::ease(double u) {
    m_follow = (m_followWas + u * (m_followIs - m_followWas)) * (m_alone < 0 ? 1 - m_acts.freed(u) : 1);
    // A root that is led down without yielding, on a leg that is straight, would throw it.
    if (m_acts.pushesOff()) m_follow = std::min(m_follow, kYields);
    m_share.resize(m_body->size());
    for (std::size_t i = 0; i < m_body->size(); ++i) {
        physics::JointAim& aim = m_body->aim(i);
        aim.strength = m_strengthWas[i] + u * (m_strengthIs[i] - m_strengthWas[i]);
        if (m_alone < 0 || m_part[i] == m_alone) aim.strength *= 1 - limpness(i, u);
        aim.carried = m_carries * aim.strength;
        const int p = m_figure->segments[i].parent;
        m_share[i] = p < 0 ? m_follow : std::min(m_share[static_cast<std::size_t>(p)], m_follow * aim.strength);
        m_body->following(i).share = m_allows ? m_share[i] : 0;
    }
}

/// A limb that is limp no longer would whip if all its strength came back at once.
double RagdollBody::limpness(std::size_t i, double u) const {
    return std::max({m_acts.limp(i, u), m_limpnessWas[i] - u * m_stiffens, 0.0});
}

void RagdollBody::read(const PoseView& pose, Pose& out) {
    m_worlds.update(pose);
    out.resize(m_figure->segments.size());
    for (std::size_t i = 0; i < out.size(); ++i) {
        const auto j = static_cast<std::size_t>(m_figure->segments[i].joint);
        const Affine& w = m_worlds.world(static_cast<int>(j));
        out[i].joint = toWorld(w.t);
        out[i].turn = (m_placement.turn * rig::turnFromRest(w, m_rest[j]) * m_placement.turn.conjugate()).normalized();
        if (m_figure->segments[i].parent < 0) continue;
        const auto p = static_cast<std::size_t>(m_figure->segments[i].parent);
        out[i].offset = out[p].turn.conjugate() * (out[i].joint - out[p].joint) - m_lever[p];
    }
}

RagdollBody::Stand RagdollBody::between(std::size_t i, double u) const {
    const Stand &a = m_before[i], &b = m_now[i];
    const Hermite at(u);
    const Vec3 way = rotationVector(b.turn * a.turn.conjugate());
    Stand out;
    out.turn = (fromRotationVector(at.m0 * m_slope[i].turn + at.p1 * way + at.m1 * m_nextSlope[i].turn) * a.turn).normalized();
    out.joint = at.p0 * a.joint + at.m0 * m_slope[i].place + at.p1 * b.joint + at.m1 * m_nextSlope[i].place;
    return out;
}

void RagdollBody::aimAt(double u0, double u1, double ends, double h) {
    const std::size_t n = m_body->size();
    Pose &from = m_from, &to = m_to;
    ease(std::clamp(0.5 * (u0 + u1), 0.0, 1.0));
    from.resize(n);
    to.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
        from[i] = between(i, u0);
        to[i] = between(i, u1);
        follow(i, h);
        const int parent = m_figure->segments[i].parent;
        if (parent < 0) {
            physics::RootAim& root = m_body->root(i);
            root.held = carried();
            root.swing = kFollowSwing * std::sqrt(std::max(0.0, m_follow));
            root.zeta = 1;
            if (root.held) {
                // Its places go from where it is to where it will be when the step ends.
                const Stand end = between(i, ends);
                root.turn = end.turn;
                root.place = end.joint + end.turn * m_lever[i];
                root.velocity = (root.place - m_body->place(i)) / h;
                root.spin = rotationVector(root.turn * m_body->turn(i).conjugate()) / h;
            } else {
                root.turn = from[i].turn;
                root.place = from[i].joint + from[i].turn * m_lever[i];
                root.velocity = (to[i].joint + to[i].turn * m_lever[i] - root.place) / h;
                root.spin = rotationVector(to[i].turn * from[i].turn.conjugate()) / h;
            }
            continue;
        }
        const auto p = static_cast<std::size_t>(parent);
        physics::JointAim& aim = m_body->aim(i);
        aim.turn = (from[p].turn.conjugate() * from[i].turn).normalized();
        const Quat then = (to[p].turn.conjugate() * to[i].turn).normalized();
        aim.spin = rotationVector(then * aim.turn.conjugate()) / h;
        if (aim.spin.norm() < 1e-9) aim.spin.setZero();
        // Bones are as long as they are in the frames, between them too, and as they are written at the frame.
        // What is let go keeps its bones as they were: lengths that go on changing under a pose that it does not follow (by a
        // scale that is not even) would drive it.
        const Vec3 posed = m_before[i].offset + ends * (m_now[i].offset - m_before[i].offset);
        if (aim.strength >= 1) m_bones[i] = posed;
        m_body->setOffset(i, m_bones[i] + aim.strength * (posed - m_bones[i]));
    }
}

/// How its pose takes a segment along in a substep.
void RagdollBody::follow(std::size_t i, double h) {
    const Stand &a = m_from[i], &b = m_to[i];
    physics::Following& f = m_body->following(i);
    f.velocity = (b.joint + b.turn * m_lever[i] - a.joint - a.turn * m_lever[i]) / h;
    f.spin = rotationVector(b.turn * a.turn.conjugate()) / h;
    f.turn = (fromRotationVector(0.5 * h * f.spin) * a.turn).normalized();
    f.place = 0.5 * (a.joint + b.joint) + f.turn * m_lever[i];
    f.rate = std::min(0.5 / h, 2 * kPi * m_body->aim(i).swing);
}

/// For who goes from pose to pose and looks at segments alone.
void RagdollBody::restSkin() {
    for (std::size_t i = 0; i < m_joints.size(); ++i) {
        const rig::FigureSegment& g = m_figure->segments[i];
        if (g.skin.empty()) continue;
        m_bent.clear();
        for (const Vec3& c : g.corners) m_bent.push_back((1 + m_thicker[i]) * (toWorld(c) - m_body->segment(i).centre));
        m_body->setCorners(i, m_bent);
    }
}

/// Skin at a joint that bends belongs to both of its segments, and is no longer where either had it at rest; nor is that of a jaw
/// that opens. A belly that breathes lifts the body that sleeps on it.
void RagdollBody::bendSkin() {
    for (int j : m_riders) {
        const auto joint = static_cast<std::size_t>(j);
        const int carrier = m_figure->segments[static_cast<std::size_t>(m_figure->segmentOf[joint])].joint;
        m_rides[joint] = m_rest[static_cast<std::size_t>(carrier)] * m_worlds.world(carrier).inverse() * m_worlds.world(j) *
                         m_rest[joint].inverse();
    }
    const double pressed = m_floor - kWakes * m_figure->height * m_placement.metres;
    bool wakes = false;
    for (std::size_t i = 0; i < m_joints.size(); ++i) {
        const rig::FigureSegment& g = m_figure->segments[i];
        if (g.skin.empty()) continue;
        m_bent.clear();
        for (std::size_t k = 0; k < g.corners.size(); ++k) {
            Vec3 at = Vec3::Zero();
            for (const rig::FigureSegment::Share& s : g.skin[k]) {
                const auto joint = static_cast<std::size_t>(s.joint);
                const auto of = static_cast<std::size_t>(m_figure->segmentOf[joint]);
                at += s.share * m_body->at(of, toWorld(m_rides[joint].apply(g.corners[k])) - m_body->segment(of).centre);
            }
            m_bent.push_back((1 + m_thicker[i]) * (m_body->turn(i).conjugate() * (at - m_body->place(i))));
            wakes = wakes || (m_share[i] <= 0 && m_body->at(i, m_bent.back()).y() < pressed);
        }
        m_body->setCorners(i, m_bent);
    }
    if (wakes && m_meetsFloor && m_body->sleeps()) m_body->wake();
}

void RagdollBody::lay(double dt, const Pose& now, const Pose& then, int frame, double h) {
    const std::size_t n = m_body->size();
    tune(frame, 0);
    std::vector<Vec3> roots, v(n), w(n);
    std::vector<Quat> turns(n);
    for (std::size_t i = 0; i < n; ++i) {
        turns[i] = now[i].turn;
        const Vec3 here = now[i].joint + now[i].turn * m_lever[i], there = then[i].joint + then[i].turn * m_lever[i];
        v[i] = (there - here) / dt;
        w[i] = rotationVector(then[i].turn * now[i].turn.conjugate()) / dt;
        m_slope[i] = {rotationVector(then[i].turn * now[i].turn.conjugate()), then[i].joint - now[i].joint};
        const int parent = m_figure->segments[i].parent;
        if (parent < 0) {
            roots.push_back(here);
            physics::RootAim& root = m_body->root(i);
            root.held = carried();
            root.swing = kFollowSwing * std::sqrt(std::max(0.0, m_follow));
            continue;
        }
        const auto p = static_cast<std::size_t>(parent);
        m_body->aim(i).turn = (now[p].turn.conjugate() * now[i].turn).normalized();
        m_bones[i] = now[i].offset;
        m_body->setOffset(i, now[i].offset);
    }
    m_body->start(roots, turns, v, w, h);
    m_went = {};
}

void RagdollBody::start(double dt, const PoseView& pose, const PoseView& next, double h) {
    read(next, m_next);
    read(pose, m_now);
    m_led = m_now[0];
    readColliders(pose);
    for (Met& m : m_met) m.before = m.now;
    m_acts.reset();
    m_back.stop();
    m_freedBefore = 0;
    m_backFrames.clear();
    std::fill(m_limpness.begin(), m_limpness.end(), 0.0);
    lay(dt, m_now, m_next, pose.frame(), h);
}

RagdollBody::Way RagdollBody::begin(double dt, const PoseView& goal, const PoseView& next) {
    m_before.swap(m_now);
    const bool cutAhead = m_cuts.marked(next.frame()) && next.frame() != goal.frame();
    read(cutAhead ? goal : next, m_next);
    read(goal, m_now);
    for (Met& m : m_met) m.before = m.now;
    readColliders(goal);
    const Cuts::Step went = Cuts::between(m_led.joint, m_led.turn, m_now[0].joint, m_now[0].turn),
                     goes = Cuts::between(m_now[0].joint, m_now[0].turn, m_next[0].joint, m_next[0].turn);
    m_led = m_now[0];
    // Lengths of cuts are the actor's.
    const auto own = [&](Cuts::Step s) { return Cuts::Step{s.travel / m_placement.metres, s.turn}; };
    if (m_cuts.marked(goal.frame()) || (m_follow > 0 && m_cuts.found(m_went, own(went), own(goes), dt))) {
        for (Met& m : m_met) m.before = m.now;
        m_before = m_now;
        std::fill(m_slope.begin(), m_slope.end(), Slope{});
        std::fill(m_nextSlope.begin(), m_nextSlope.end(), Slope{});
        return Way::Laid;
    }
    const bool looms = m_cuts.looms(own(went), own(goes), dt);
    m_went = own(went);
    if (!m_acts.none()) {
        std::vector<Quat> turns;
        for (const Stand& s : m_now) turns.push_back(s.turn);
        m_acts.headings(turns, *m_body);
        m_acts.advance(goal.frame(), dt, m_anchors, *m_body, bodies());
        crouch(m_now);
        crouch(m_next);
    }
    for (std::size_t i = 0; i < m_now.size(); ++i) {
        const Stand &a = m_before[i], &b = m_now[i], &c = looms ? m_now[i] : m_next[i];
        m_nextSlope[i] = {0.5 * (rotationVector(b.turn * a.turn.conjugate()) + rotationVector(c.turn * b.turn.conjugate())),
                          0.5 * (c.joint - a.joint)};
    }
    tune(goal.frame(), dt);
    // Bent from this pose alone: whoever goes on from a state sees the same skin.
    const bool came = m_back.on();
    if (!came) bendSkin();
    if (comesBack(dt)) {
        restSkin();
        return Way::Recovers;
    }
    if (came) bendSkin();
    if (!m_air.still()) m_body->setAir(m_placement.turn * (m_placement.metres * m_air.at(windPlace(), goal.time())));
    return Way::Solved;
}

void RagdollBody::drive(double u, double h, double dt, std::vector<physics::Grip>& grips, std::vector<physics::Thrust>& thrusts) {
    if (!m_acts.none()) m_acts.drive(u, h, dt, *m_body, grips, thrusts);
    if (m_pulled < 0) return;
    physics::Grip& g = grips.emplace_back();
    g.segment = m_body->number(static_cast<std::size_t>(m_pulled));
    g.at = m_pullAt;
    // The grip moves no faster than a hand does.
    const double most = kHandSpeed * m_figure->height * m_placement.metres * h;
    const Vec3 way = m_pullTo - m_pullNow;
    const Vec3 by = way.norm() > most ? Vec3(most / way.norm() * way) : way;
    g.place = m_pullNow;
    g.velocity = by / h;
    m_pullNow += by;
    g.most = kHandForce * m_body->mass() * kEarthGravity;
}

void RagdollBody::pull(int joint, const std::optional<Vec3>& to) {
    const int was = m_pulled;
    m_pulled = to && joint != rig::kNoJoint ? m_figure->segmentOf[static_cast<std::size_t>(joint)] : -1;
    if (m_pulled < 0) return;
    const auto i = static_cast<std::size_t>(m_pulled);
    m_pullAt = toWorld(m_rest[static_cast<std::size_t>(joint)].t) - m_body->segment(i).centre;
    m_pullTo = toWorld(*to);
    if (was != m_pulled) m_pullNow = m_body->at(i, m_pullAt);
}

void RagdollBody::finish(Way way, double dt, int frame, double h) {
    if (way == Way::Laid) {
        lay(dt, m_now, m_next, frame, h);
        return;
    }
    if (way == Way::Recovers) recover(dt, h);
    m_slope.swap(m_nextSlope);
}

std::vector<std::pair<std::string, physics::Body>> RagdollBody::bodies() const {
    std::vector<std::pair<std::string, physics::Body>> out;
    for (const Met& m : m_met) out.emplace_back(m.id, bodyOf(m.numbers, m.now));
    return out;
}

void RagdollBody::beginBack(double dt, double seconds) {
    std::vector<WayBack::Rate> rates;
    for (const Slope& s : m_slope) rates.push_back({s.turn / dt, s.place / dt});
    m_back.begin(*m_body, m_before, rates, m_lever, m_bones, seconds);
}

/// Whether the body is on its way back in this frame. Where an act that freed its root ends or fades, it begins one that is as
/// long as its distance needs; an act that asks it to recover says how long itself. What frees it anew ends it.
bool RagdollBody::comesBack(double dt) {
    const double freed = m_acts.freed(1);
    const bool asked = m_acts.recovering().has_value(), again = freed > m_freedBefore + 1e-9;
    const bool ends = freed < m_freedBefore - 1e-9 || (asked && !m_back.on());
    m_freedBefore = freed;
    if (again) m_back.stop();
    if (ends && !m_back.on() && m_settings->at("follow") > 0) {
        const double needs = m_back.needs(*m_body, m_before);
        const double seconds = asked ? std::max(needs, m_acts.recoverSeconds()) : needs;
        if (seconds > 0) {
            beginBack(dt, seconds);
            m_backFrames.push_back(static_cast<int>(std::lround(seconds / dt)));
        }
    }
    if (m_back.on()) m_back.advance(dt);
    return m_back.on();
}

void RagdollBody::recover(double dt, double h) {
    const std::size_t n = m_body->size();
    const double floor = m_meetsFloor ? m_floor : -1e30;
    std::vector<Vec3> roots, v(n), w(n), places, wereAt;
    std::vector<Quat> turns, were;
    m_back.pose(m_back.past() - dt, m_before, *m_body, m_lever, floor,
                leftOf(m_before[0].turn, m_placement.turn * m_figure->forward), were, wereAt);
    m_back.pose(m_back.past(), m_now, *m_body, m_lever, floor, leftOf(m_now[0].turn, m_placement.turn * m_figure->forward), turns,
                places);
    for (std::size_t i = 0; i < n; ++i) {
        v[i] = (places[i] - wereAt[i]) / dt;
        w[i] = rotationVector(turns[i] * were[i].conjugate()) / dt;
        if (m_figure->segments[i].parent < 0)
            roots.push_back(places[i]);
        else
            m_body->setOffset(i, m_back.bone(i, m_now[i].offset));
    }
    m_body->start(roots, turns, v, w, h);
}

Vec3 RagdollBody::windPlace() const {
    return m_placement.toOwn(m_body->centreOfMass());
}

void RagdollBody::write(const PoseView& goal, std::span<Xform> out) const {
    // Worlds of what the body turns, in the actor's own axes; what rides between its joints is animated.
    std::vector<Affine> worlds(m_joints.size());
    for (std::size_t i = 0; i < m_joints.size(); ++i) {
        const rig::FigureSegment& g = m_figure->segments[i];
        Affine above;
        std::vector<int> way;
        int up = m_skeleton.joint(g.joint).parent;
        while (up != rig::kNoJoint && (g.parent < 0 || up != m_figure->segments[static_cast<std::size_t>(g.parent)].joint)) {
            way.push_back(up);
            up = m_skeleton.joint(up).parent;
        }
        if (g.parent >= 0) above = worlds[static_cast<std::size_t>(g.parent)];
        for (auto j = way.rbegin(); j != way.rend(); ++j) above = above * goal.local(*j).affine();
        const Xform& local = goal.local(g.joint);
        const Quat wanted = m_placement.turn.conjugate() * m_body->turn(i) * m_placement.turn *
                            rotationOf(m_rest[static_cast<std::size_t>(g.joint)].m);
        const Quat is = rotationOf((above * local.affine()).m);
        Xform x = turnedInWorld(local, above, (wanted * is.conjugate()).normalized());
        if (g.parent < 0) x.t = above.inverse().apply(m_placement.toOwn(m_body->joint(i)));
        worlds[i] = above * x.affine();
        out[i] = x;
    }
    m_hanging.lay(goal, worlds, m_meetsFloor ? m_floor : -1e30, out.subspan(m_joints.size()));
}

void RagdollBody::appendState(State& out) const {
    for (const Slope& s : m_slope)
        for (const Vec3* v : {&s.turn, &s.place}) out.insert(out.end(), v->begin(), v->end());
    out.insert(out.end(), {m_went.travel, m_went.turn, m_freedBefore, m_followIs, m_follow});
    out.insert(out.end(), m_limpness.begin(), m_limpness.end());
    out.insert(out.end(), m_strengthIs.begin(), m_strengthIs.end());
    for (const Vec3& b : m_bones) out.insert(out.end(), b.begin(), b.end());
    m_back.appendState(out);
    m_acts.appendState(out);
}

const double* RagdollBody::takeState(const double* at) {
    for (Slope& s : m_slope)
        for (Vec3* v : {&s.turn, &s.place}) {
            *v = Vec3::Map(at);
            at += 3;
        }
    m_went = {at[0], at[1]};
    m_freedBefore = at[2];
    m_followIs = at[3];
    m_follow = at[4];
    at += 5;
    for (double& l : m_limpness) l = *at++;
    for (double& s : m_strengthIs) s = *at++;
    for (Vec3& b : m_bones) {
        b = Vec3::Map(at);
        at += 3;
    }
    at = m_back.takeState(at);
    at = m_acts.takeState(at);
    crouch(m_now);
    return at;
}

std::vector<std::string> RagdollBody::remarks() const {
    std::vector<std::string> out = m_acts.remarks();
    if (!m_backFrames.empty()) {
        std::string frames;
        for (std::size_t k = 0; k < m_backFrames.size(); ++k)
            frames += (k == 0 ? "" : k + 1 == m_backFrames.size() ? " and " : ", ") + std::to_string(m_backFrames[k]);
        out.push_back("it comes back to its animation over " + frames + " frames");
    }
    out.insert(out.end(), m_figure->doubts.begin(), m_figure->doubts.end());
    return out;
}

Vec3 RagdollBody::probe() const {
    const Vec3 own = m_body->segment(m_watched).endB - m_body->segment(m_watched).centre;
    return m_placement.toOwn(m_body->at(m_watched, own));
}

Vec3 RagdollBody::probeGoal() const {
    const Vec3 own = m_body->segment(m_watched).endB - m_body->segment(m_watched).joint;
    return m_placement.toOwn(m_now[m_watched].joint + m_now[m_watched].turn * own);
}

double RagdollBody::probeLever() const {
    return (m_body->segment(m_watched).endB - m_body->segment(m_watched).joint).norm() / m_placement.metres;
}

bool RagdollBody::watch(int joint) {
    int segment = joint == rig::kNoJoint ? -1 : m_figure->find(joint);
    if (segment < 0 && joint != rig::kNoJoint) return false;
    // Where no joint is chosen, the last joint of a limb is watched: it swings farthest.
    if (segment < 0) {
        segment = static_cast<int>(m_figure->segments.size()) - 1;
        for (std::size_t i = 0; i + 1 < m_limb.size(); ++i)
            if (m_limb[i] != m_limb[0] && m_limb[i + 1] != m_limb[i]) {
                segment = static_cast<int>(i);
                break;
            }
    }
    m_watched = static_cast<std::size_t>(segment);
    m_alone = m_part[m_watched];
    return true;
}

}  // namespace nutatio::layers::ragdoll
