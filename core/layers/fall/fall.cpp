#include "layers/fall/fall.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "layers/anchors.h"
#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/fall/fall_shown.h"
#include "layers/filter.h"
#include "layers/joint_worlds.h"
#include "layers/meeting.h"
#include "physics/articulated.h"
#include "rig/figure.h"
#include "rig/figure_limits.h"
#include "rig/mass.h"
#include "rig/outer.h"
#include "rig/roles.h"
#include "scene/items.h"

namespace nutatio::layers::fall {

// The carrier is one rigid segment (physics/articulated.h) about the body's centre of mass. With C its motion since the fall
// began, every root goes to C X. Its corners are the outermost points of the mesh as the animation has it, frame by frame: what
// it bends, stretches or draws in while it lies is met too. The centre goes along with the animated one where that has gone
// kMostOff of its size, so that the weight is where the body is. Where the airborne stretch of the animation is held or goes
// round, what plays at frame f is take-off + (f - start) or that modulo the stretch before the touch, and landing + (f - touch)
// after it.

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Body",
     .type = SettingType::Joints,
     .help = "Joints of what falls: the top joint that each of them hangs on goes; none: the whole actor.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "lift",
     .label = "Dropped from",
     .unit = Unit::Metres,
     .range = {-100, 1000},
     .soft = {0, 3},
     .start = 0,
     .help = "How far above its animated place it begins.",
     .more = "More: a longer drop.",
     .feel = false,
     .together = true,
     .group = "Throw"},
    {.id = "speed",
     .label = "Thrown at",
     .unit = Unit::MetresPerSecond,
     .range = {0, 200},
     .soft = {0, 8},
     .start = 0,
     .help = "How fast it goes as it begins.",
     .more = "More: farther. 0: it drops.",
     .feel = false,
     .together = true},
    {.id = "heading",
     .label = "Heading",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .help = "Which way it is thrown: 0 along +z, 90 along +x.",
     .feel = false,
     .together = true},
    {.id = "rise",
     .label = "Rise",
     .unit = Unit::Degrees,
     .range = {-90, 90},
     .soft = {-90, 90},
     .start = 30,
     .help = "How steeply it is thrown upwards.",
     .feel = false,
     .together = true},
    {.id = "spin",
     .label = "Spin",
     .unit = Unit::DegreesPerSecond,
     .range = {-3600, 3600},
     .soft = {-720, 720},
     .help = "How fast it turns over, the way that it is thrown.",
     .more = "Below 0: backwards.",
     .feel = false,
     .together = true},
    {.id = "twirl",
     .label = "Twirl",
     .unit = Unit::DegreesPerSecond,
     .range = {-3600, 3600},
     .soft = {-720, 720},
     .help = "How fast it turns about the upright.",
     .feel = false,
     .together = true},
    {.id = "gravity",
     .label = "Gravity",
     .unit = Unit::Gravities,
     .range = {0, 20},
     .soft = {0, 2},
     .start = 1,
     .help = "How strongly the earth pulls.",
     .more = "More: heavy, quick falls. Less: as on the moon.",
     .together = true,
     .group = "Falls"},
    floorRow(false),
    gripRow("How the floor holds what slides on it; other bodies have a friction of their own."),
    givesBackRow(0.2),
    {.id = "turns",
     .label = "On the ground",
     .type = SettingType::Choice,
     .help = "It tips and rolls as it may, or keeps as it is turned when it falls.",
     .feel = false,
     .together = true,
     .choices = "rolls|stays turned"},
    {.id = "air",
     .label = "In the air",
     .type = SettingType::Choice,
     .help = "Its animation plays on, or is held at take-off, or goes round from take-off to landing until it touches.",
     .feel = false,
     .together = true,
     .choices = "plays on|is held|goes round",
     .group = "Animation"},
    {.id = "takeoff",
     .label = "Take-off",
     .unit = Unit::Frames,
     .range = {1, 1e5},
     .soft = {1, 100},
     .start = 1,
     .help = "Frame of the shot whose pose is held in the air, or where what goes round begins.",
     .feel = false,
     .whole = true,
     .together = true,
     .only = "air=is held|goes round"},
    {.id = "lands",
     .label = "Landing",
     .unit = Unit::Frames,
     .range = {1, 1e5},
     .soft = {1, 100},
     .start = 12,
     .help = "Frame of the shot from which it plays on when it touches, whenever that is.",
     .feel = false,
     .whole = true,
     .together = true,
     .only = "air=is held|goes round"},
    kMixRow,
};

bool retimes(const scene::Layer& layer) {
    return layer.text("air") != "plays on";
}

/// A root that a skinned mesh stands on and nothing hangs on goes nowhere by itself: the skin is where its joints are.
bool bearsSkinAlone(const rig::Actor& actor, int root) {
    return actor.skeleton.joint(root).children.empty() && !actor.isSkinJoint[static_cast<std::size_t>(root)] &&
           std::any_of(actor.instances->begin(), actor.instances->end(),
                       [&](const rig::MeshInstance& i) { return i.joint == root && i.skin >= 0; });
}

/// The roots of what hangs together with the joints that are named. A body goes as a whole, with what is in its hands and on
/// roots of its own; a prop alone.
std::vector<int> rootsOf(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<int> out;
    const std::vector<int> carriers = rig::carriersOf(actor.skeleton, rig::rolesOf(actor));
    const auto carries = [&](int root) {
        return std::any_of(carriers.begin(), carriers.end(), [&](int j) { return rootOf(actor.skeleton, j) == root; });
    };
    for (const std::string& name : layer.list("joint")) {
        const int root = rootOf(actor.skeleton, actor.skeleton.find(name));
        if (carries(root) || bearsSkinAlone(actor, root)) return actor.skeleton.roots();
        if (std::find(out.begin(), out.end(), root) == out.end()) out.push_back(root);
    }
    return out.empty() ? actor.skeleton.roots() : out;
}

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (auto unknown = unknownJoint(actor.skeleton, layer.list("joint"))) return unknown;
    if (actor.skeleton.size() == 0) return "the actor has no joints";
    return std::nullopt;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<Moved> out;
    for (int root : rootsOf(actor, layer)) {
        if (!retimes(layer)) {
            out.push_back({root, 0});
            continue;
        }
        for (int j : actor.skeleton.subtree(root)) out.push_back({j, 0});
    }
    return out;
}

/// What a pose reaches: its centre of mass, and points that stand out, in the world [m].
struct Outline {
    Vec3 centre = Vec3::Zero();
    std::vector<Vec3> points;
};

class Falling {
  public:
    Falling(const LayerContext& context, const rig::Track& below, const Cancel& cancel)
        : m_c(context),
          m_below(below),
          m_cancel(cancel),
          m_s(*context.settings),
          m_roots(rootsOf(context.actor, context.layer)),
          m_masses(rig::massesOf(context.actor)),
          m_n(below.frames()),
          m_falls(static_cast<std::size_t>(context.actor.skeleton.size())) {
        for (int root : m_roots)
            for (int j : context.actor.skeleton.subtree(root)) m_falls[static_cast<std::size_t>(j)] = true;
        for (const rig::OuterPoint& p : *rig::outerPointsOf(context.actor))
            if (m_falls[static_cast<std::size_t>(p.joint)]) m_points.push_back(p);
        const double fps = below.grid().fps;
        m_from = context.spans.empty() ? 0 : within(static_cast<int>(std::lround(context.spans.front().from * fps)), 0, m_n - 1);
        m_to = context.spans.empty() ? m_n - 1
                                     : within(static_cast<int>(std::lround(context.spans.front().to * fps)), m_from, m_n - 1);
        readColliders();
    }

    void run() {
        m_touch = -1;
        m_speed = 0;
        const Vec3 below = -Vec3::UnitY();
        const Outline outline = outlineAt(m_from, below);
        const Vec3 start = outline.centre;
        physics::ArticulatedDef def;
        Eigen::AlignedBox3d box;
        for (const Vec3& v : outline.points) box.extend(v);
        const Vec3 sides = box.sizes();
        def.size = std::max(1e-6, sides.maxCoeff());
        physics::SegmentDef s;
        s.mass = rig::usualMass(def.size);
        s.centre = start;
        s.joint = s.endA = s.endB = start;
        s.radius = 0.5 * std::max(1e-6, sides.minCoeff());
        for (const Vec3& v : outline.points) s.corners.push_back(v);
        s.edged = true;
        const Vec3 d = sides.cwiseAbs2();
        Vec3 moments = s.mass / 12 * Vec3(d.y() + d.z(), d.z() + d.x(), d.x() + d.y());
        moments = moments.cwiseMax(0.1 * moments.maxCoeff());
        // One that stays turned is too heavy to turn.
        if (m_s.text("turns") != "rolls") moments *= 1e6;
        s.inertia = moments.asDiagonal();
        def.segments.push_back(std::move(s));
        const double size = def.size;
        physics::Articulated body(std::move(def));
        body.setGravity(Vec3(0, -kEarthGravity * m_s.at("gravity"), 0));
        const double fps = m_below.grid().fps, dt = 1 / fps;
        const int steps = std::max(1, static_cast<int>(std::ceil(kRate * dt - 1e-6)));
        const double h = dt / steps;
        const Vec3 way = scene::windDirection(m_s.at("heading"), m_s.at("rise")),
                   level = scene::windDirection(m_s.at("heading"), 0);
        const Vec3 spin =
            radians(m_s.at("spin")) * Vec3(Vec3::UnitY().cross(level)) + radians(m_s.at("twirl")) * Vec3(Vec3::UnitY());
        const Vec3 from = start + Vec3(0, m_s.at("lift"), 0);
        body.start(std::vector<Vec3>{from}, std::vector<Quat>{Quat::Identity()}, std::vector<Vec3>{m_s.at("speed") * way},
                   std::vector<Vec3>{spin}, h);
        // What stands in the floor as it begins rises out of it over a while: thrown out, it would fall over.
        double low = 1e300;
        for (const Vec3& v : outline.points) low = std::min(low, v.y() + m_s.at("lift"));
        m_deep = outline.points.empty() ? 0 : std::max(0.0, m_s.at("floor") - low);
        m_path.assign(1, {from, Quat::Identity()});
        m_start = start;
        Vec3 centre = start;  // that the weight hangs about, in the animation
        for (int f = m_from + 1; f <= m_to; ++f) {
            if (m_cancel.asked()) throw Cancelled{};
            const Outline now = outlineAt(f, body.turn(0).conjugate() * below);
            if ((now.centre - centre).norm() > kMostOff * size) {
                body.moveCentre(0, body.turn(0) * (now.centre - centre));
                centre = now.centre;
            }
            std::vector<Vec3> corners;
            for (const Vec3& v : now.points) corners.push_back(v - centre);
            body.setCorners(0, std::move(corners));
            body.wake();
            for (int k = 0; k < steps; ++k) {
                meet(body, f, static_cast<double>(k) / steps, dt);
                const double speed = body.velocity(0).norm();
                body.step(h);
                if (m_touch < 0 && body.touches(0)) {
                    m_touch = f;
                    m_speed = speed;
                }
            }
            m_path.push_back({body.place(0) + body.turn(0) * (start - centre), body.turn(0)});
        }
    }

    Filtered made() const {
        Filtered out;
        const rig::Skeleton& s = m_c.actor.skeleton;
        const auto fill = [&](int joint, bool root) {
            rig::Column column(static_cast<std::size_t>(m_n));
            for (int f = 0; f < m_n; ++f) {
                Xform x = poseOf(joint, f);
                if (root) x = carried(x, f);
                column[static_cast<std::size_t>(f)] = x;
            }
            out.joints.emplace_back(joint, std::move(column));
        };
        for (int root : m_roots) {
            if (!retimes(m_c.layer)) {
                fill(root, true);
                continue;
            }
            for (int j : s.subtree(root)) fill(j, j == root);
        }
        auto thrown = std::make_shared<Thrown>();
        thrown->from = m_from;
        thrown->touch = m_touch;
        thrown->rests = m_start;
        for (const auto& [place, turn] : m_path) thrown->places.push_back(place);
        out.notes = std::move(thrown);
        if (m_touch < 0) out.remarks.push_back("it touches nothing in this shot");
        char text[80];
        std::snprintf(text, sizeof text, "touches first at frame %d, at %.3g m/s", m_touch + 1, m_speed);
        out.said = m_touch < 0 ? "touches nothing in this shot" : text;
        return out;
    }

  private:
    static constexpr int kRate = 240, kBlend = 3;
    static constexpr double kMostOff = 0.02;  // sizes
    static constexpr double kRises = 0.5;     // [s]
    struct Met {
        ResolvedPtr settings;
        int anchor = 0;
        std::vector<physics::Body> at;  // by frame, in the world [m]
    };

    void readColliders() {
        Anchors anchors(m_c);
        for (const LayerContext::Body& b : m_c.colliders) {
            const int anchor = anchors.add(b.collider->mount);
            // A collider on one of the body's own joints would push the body off itself.
            if (anchor >= 0 && b.collider->mount.actor != m_c.layer.actor) m_met.push_back({b.settings, anchor, {}});
        }
        anchors.close();
        if (m_met.empty()) return;
        for (int f = 0; f < m_n; ++f) {
            anchors.update(PoseView(m_below, f));
            for (Met& m : m_met) {
                const StandingBody stands = standingBody(*m.settings, f, anchors, m.anchor, m_c.placement);
                m.at.push_back(bodyOf(stands.numbers, stands.place));
            }
        }
    }

    /// The frame that plays at `f`, for a touch at `touch` (below 0: none).
    int playedAt(int f, int touch) const {
        if (!retimes(m_c.layer) || f < m_from || f > m_to) return f;
        const int off = within(static_cast<int>(m_s.at("takeoff")) - 1, 0, m_n - 1),
                  lands = within(static_cast<int>(m_s.at("lands")) - 1, 0, m_n - 1);
        if (touch >= 0 && f >= touch) return std::min(lands + f - touch, m_n - 1);
        if (m_s.text("air") == "is held") return off;
        return off + (f - m_from) % std::max(1, lands - off);
    }

    /// A joint's animated transform at a frame, re-timed, with a short blend where it jumps.
    Xform poseOf(int joint, int f) const {
        const Xform now = m_below.at(joint, playedAt(f, m_touch));
        if (!retimes(m_c.layer) || f < m_from || f > m_to) return now;
        const auto from = [&](int edge, int before) {
            const double u = static_cast<double>(f - edge + 1) / (kBlend + 1);
            const Xform was = m_below.at(joint, within(before, 0, m_n - 1));
            return Xform{was.t + eased(u) * (now.t - was.t), blend(was.r, now.r, eased(u)), was.s + eased(u) * (now.s - was.s)};
        };
        if (m_touch >= 0 && f >= m_touch && f < m_touch + kBlend && m_touch > m_from)
            return from(m_touch, playedAt(m_touch - 1, m_touch));
        if (f < m_from + kBlend && m_from > 0) return from(m_from, m_from - 1);
        return now;
    }

    /// What the pose of a frame reaches, as it is played; before the touch is known, as if there were none. `down`: the way that
    /// is down for what is turned so far.
    Outline outlineAt(int frame, const Vec3& down) const {
        const rig::Skeleton& skeleton = m_c.actor.skeleton;
        std::vector<Xform> pose(static_cast<std::size_t>(skeleton.size()));
        std::vector<Affine> worlds;
        for (int j = 0; j < skeleton.size(); ++j) pose[static_cast<std::size_t>(j)] = poseOf(j, frame);
        rig::worldTransforms(skeleton, pose, worlds);
        const scene::Placement& p = m_c.placement;
        std::vector<Vec3> all;
        for (const rig::OuterPoint& o : m_points) all.push_back(p.toWorld(worlds[static_cast<std::size_t>(o.joint)].apply(o.at)));
        if (all.empty()) addSegments(worlds, all);
        Outline out;
        Eigen::AlignedBox3d box;
        for (const Vec3& v : all) box.extend(v);
        // A part of the actor has no masses of its own: its middle serves.
        const bool whole = m_roots.size() == skeleton.roots().size();
        out.centre = whole || all.empty() ? p.toWorld(rig::centreOfMass(m_masses, worlds)) : Vec3(box.center());
        constexpr std::size_t kMost = 48, kMostBelow = 24;
        constexpr double kSlack = 0.003, kBelow = 0.03, kSlackBelow = 0.001;  // of what it measures
        const double size = all.empty() ? 1 : box.diagonal().norm();
        for (std::size_t k : rig::outermost(all, kMost, kSlack * size)) out.points.push_back(all[k]);
        // What it may stand on: the outermost of what is near its lowest, level.
        double low = -1e300;
        for (const Vec3& v : all) low = std::max(low, v.dot(down));
        std::vector<std::size_t> near;
        std::vector<Vec3> level;
        for (std::size_t k = 0; k < all.size(); ++k)
            if (all[k].dot(down) > low - kBelow * size) {
                near.push_back(k);
                level.push_back(all[k] - (0.9 * all[k].dot(down)) * down);
            }
        for (std::size_t k : rig::outermost(level, kMostBelow, kSlackBelow * size)) out.points.push_back(all[near[k]]);
        return out;
    }

    /// Without a mesh: the segments that it would have, as balls at their ends.
    void addSegments(const std::vector<Affine>& worlds, std::vector<Vec3>& all) const {
        const scene::Placement& p = m_c.placement;
        std::vector<Affine> rest;
        rig::worldTransforms(m_c.actor.skeleton, m_c.actor.restPose(), rest);
        for (const rig::FigureSegment& g : rig::figureOf(m_c.actor)->segments) {
            const auto j = static_cast<std::size_t>(g.joint);
            if (!m_falls[j]) continue;
            const Quat turn = rig::turnFromRest(worlds[j], rest[j]);
            for (const Vec3& end : {g.endA, g.endB})
                for (const Vec3& way :
                     {Vec3(1, 0, 0), Vec3(-1, 0, 0), Vec3(0, 1, 0), Vec3(0, -1, 0), Vec3(0, 0, 1), Vec3(0, 0, -1)})
                    all.push_back(p.toWorld(worlds[j].t + turn * (end - g.at)) + p.metres * g.radius * way);
        }
        for (std::size_t j = 0; j < m_falls.size() && all.empty(); ++j)
            if (m_falls[j]) all.push_back(p.toWorld(worlds[j].t));
    }

    void meet(physics::Articulated& body, int f, double u, double dt) const {
        std::vector<physics::Surface>& surfaces = body.surfaces();
        surfaces.resize(1 + m_met.size());
        physics::Body& floor = surfaces[0].body;
        floor.kind = physics::Body::Kind::Plane;
        floor.a = Vec3(0, m_s.at("floor") - m_deep * (1 - eased(std::min(1.0, (f - 1 + u - m_from) * dt / kRises))), 0);
        floor.friction = m_s.at("friction");
        surfaces[0].bounce = m_s.at("bounce");
        for (std::size_t k = 0; k < m_met.size(); ++k) {
            const physics::Body &a = m_met[k].at[static_cast<std::size_t>(f) - 1], &b = m_met[k].at[static_cast<std::size_t>(f)];
            physics::Surface& s = surfaces[k + 1];
            s.body = a;
            const Vec3 spin = rotationVector(b.turn * a.turn.conjugate());
            s.body.a = a.a + u * (b.a - a.a);
            s.body.b = a.b + u * (b.b - a.b);
            s.body.turn = (fromRotationVector(u * spin) * a.turn).normalized();
            s.body.velocity = (b.a - a.a) / dt;
            s.body.spin = spin / dt;
            s.bounce = m_met[k].settings->at("bounce");
        }
    }

    /// A root as the carrier takes it along.
    Xform carried(const Xform& root, int f) const {
        if (f < m_from) return root;
        const auto& [place, turn] = m_path[static_cast<std::size_t>(std::min(f, m_to) - m_from)];
        const scene::Placement& p = m_c.placement;
        Xform x = root;
        x.t = p.toOwn(place + turn * (p.toWorld(root.t) - m_start));
        x.r = (p.turn.conjugate() * turn * p.turn * root.r).normalized();
        return x;
    }

    const LayerContext& m_c;
    const rig::Track& m_below;
    const Cancel& m_cancel;
    const scene::Resolved& m_s;
    std::vector<int> m_roots;
    rig::Masses m_masses;
    int m_n, m_from = 0, m_to = 0;
    std::vector<char> m_falls;              // by joint
    std::vector<rig::OuterPoint> m_points;  // of the mesh that it carries
    std::vector<Met> m_met;
    Vec3 m_start = Vec3::Zero();
    std::vector<std::pair<Vec3, Quat>> m_path;  // of the centre, from the frame that it begins at
    int m_touch = -1;
    double m_speed = 0;
    double m_deep = 0;  // [m] under the floor as it begins
};

Filtered filter(const LayerContext& context, const rig::Track& below, const Cancel& cancel) {
    Falling falling(context, below, cancel);
    falling.run();
    return falling.made();
}

}  // namespace

const Filter kFilter{.run = filter};
const Meeting kMeeting{.bodies = true, .wind = true};

const LayerKind kKind{.id = "fall",
                      .label = "Fall",
                      .help =
                          "The whole actor, or a prop, drops, is thrown, bounces, slides and rolls as one rigid thing; its "
                          "landing plays when it touches.",
                      .glyph = "M4 3c5 0 8 4 9 11 M13 14c1 -4 3 -5 4.5 -5s2.5 2 3 6 M3 20h18",
                      .takes = Takes::Body,
                      .settings = kSettings,
                      .problem = problem,
                      .moves = moves,
                      .filter = &kFilter,
                      .meets = &kMeeting,
                      .showing = &kShowing,
                      .readsSpans = true};

}  // namespace nutatio::layers::fall
