// A body of rigid segments on ball joints: it chases a pose by springs, lets go, falls, lands and holds on.
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <utility>
#include <vector>

#include "base/maths.h"
#include "physics/colliders.h"

namespace nutatio::physics {

/// One rigid segment in the rest pose, in which the axes of all segments are the world's. SI units throughout.
struct SegmentDef {
    int parent = -1;  // below 0: a root; parents come first
    double mass = 1;  // [kg]
    Vec3 centre = Vec3::Zero();
    Mat3 inertia = Mat3::Identity();                // about the centre [kg m^2]
    Vec3 joint = Vec3::Zero();                      // on which it hangs
    Vec3 endA = Vec3::Zero(), endB = Vec3::Zero();  // of its capsule
    double radius = 0.05;
    std::vector<Vec3> corners;  // with which it meets planes in place of its capsule; may be empty
    bool edged = false;         // it meets boxes with them too, as a thing with edges does
    bool limited = false;
    Quat middle = Quat::Identity();                   // of its joint's range, against the parent
    Vec3 axis = Vec3::UnitY(), side = Vec3::UnitX();  // about which it twists; square to it, about which the first swing goes
    double swingA = 1, swingB = 1, twist = 1;         // half ranges about `side`, about axis x side, about axis [rad]
};

struct ArticulatedDef {
    std::vector<SegmentDef> segments;
    std::vector<std::pair<int, int>> meets;  // segments that may touch
    double friction = 0.3;                   // between them
    double size = 1;                         // [m] of the whole: what counts as slow, shallow, near
};

/// What a joint's springs aim at in a step.
struct JointAim {
    double swing = 0;              // [1/s]
    double zeta = 1;               // damping ratio
    double strength = 1;           // 0..1: of both
    double carried = 0;            // 0..1: share of the weight below the joint that it does not feel, where the body is held up
    double drag = 0;               // [1/s] of the segment by the air
    Quat turn = Quat::Identity();  // against the parent, where the step begins: half a step ago
    Vec3 spin = Vec3::Zero();      // its rate in the middle of the step [rad/s], in the parent's axes
};

/// What carries a root in a step.
struct RootAim {
    bool held = false;           // it goes just as it is told
    double swing = 0, zeta = 1;  // else by a spring on the weight of the whole; 0: it is free
    Vec3 place = Vec3::Zero();   // of its centre; half a step ago, but where it will be at the end of the step if it is held
    Quat turn = Quat::Identity();
    Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();
};

/// A point of a segment that is drawn to a place, or a segment that is turned to a heading.
struct Grip {
    int segment = 0;
    bool turns = false;
    Vec3 at = Vec3::Zero();                              // from the segment's centre, in its axes
    Vec3 place = Vec3::Zero(), velocity = Vec3::Zero();  // wanted [m], [m/s]
    Quat turn = Quat::Identity();                        // wanted of a segment that is turned
    double most = 0;                                     // force [N] or torque [N m] at which it gives way
    double swing = 0, zeta = 1;                          // of a spring in place of a firm hold; 0: firm
    bool anchors = false;                                // the body's places hang on this one
};

/// A force by which a segment drives another one away from itself, as a leg does between what it stands on and the weight that it
/// carries: on both at one point, so that the body as a whole gets nothing but what the ground gives back.
struct Thrust {
    int segment = 0, off = 0;    // driven, and off which
    Vec3 at = Vec3::Zero();      // in the world [m]
    Vec3 along = Vec3::UnitY();  // unit
    double force = 0;            // [N]
};

/// How the animated pose moves a segment in a step, and how far the segment follows it: what its pose does against what it
/// touches is no hit, and friction holds it to the way that the pose slides.
struct Following {
    double share = 0;              // 0..1
    Vec3 place = Vec3::Zero();     // of its centre in the middle of the step
    Quat turn = Quat::Identity();  //
    Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();
    double rate = 0;  // [1/s] at which it makes good what it is off its pose
};

/// A body that segments meet.
struct Surface {
    Body body;
    double bounce = 0;  // share of the speed of arrival that is given back
    int of = -1;        // the one of several bodies that meets it; below 0: all
};

/// One or several bodies, which move each other where they meet. The state is places at a time and momenta half a step before it.
/// A step takes no memory, and the same steps from the same state give the same bits. Derivation at the top of articulated.cpp.
class Articulated {
  public:
    explicit Articulated(ArticulatedDef def) : Articulated(std::vector<ArticulatedDef>{std::move(def)}) {}
    /// Segments of several bodies follow one another, body by body; those of two may touch throughout.
    explicit Articulated(std::vector<ArticulatedDef> bodies);
    /// The most segments of all bodies together.
    static constexpr std::size_t kMostSegments = 128;

    std::size_t size() const { return m_defs.size(); }
    const SegmentDef& segment(std::size_t i) const { return m_defs[i]; }
    /// The segments of a body: the first, and how many.
    std::pair<std::size_t, std::size_t> range(std::size_t body) const { return {m_bodies[body].first, m_bodies[body].count}; }
    double mass(std::size_t body = 0) const { return m_bodies[body].mass; }

    void setGravity(const Vec3& g, std::size_t body = 0) { m_bodies[body].gravity = g; }
    const Vec3& gravity(std::size_t body = 0) const { return m_bodies[body].gravity; }
    void setAir(const Vec3& velocity, std::size_t body = 0) { m_bodies[body].air = velocity; }
    JointAim& aim(std::size_t segment) { return m_aims[segment]; }
    RootAim& root(std::size_t segment) { return m_rootAims[segment]; }
    /// Where the joint stands on its parent, when a pose moves it about: from the parent's centre, in its axes.
    void setOffset(std::size_t segment, const Vec3& offset) { m_s[segment].offset = offset; }
    /// Inertias below the joints in the aims' pose: to be called when that has changed, once a frame.
    void refit();
    /// How much stiffer joints must be so that the first mode of those of one part is the asked one: `part` by segment, in the
    /// aims' pose. Derivation at the top of articulated.cpp.
    void coupleParts(std::span<const int> part);

    /// Other corners for a segment, from its centre and in its axes, as a pose bends what it stands for. What sleeps goes on.
    void setCorners(std::size_t segment, const std::vector<Vec3>& fromCentre);
    /// Puts a segment that is a body of its own elsewhere, at the speeds that it has.
    void moveCentre(std::size_t segment, const Vec3& by) { m_s[segment].x += by; }

    std::vector<Surface>& surfaces() { return m_surfaces; }
    /// Lets segments be as deep in surfaces and in one another, and turned as far beyond their ranges, as the animated pose has
    /// them on its way through a frame, times how far each follows it (Following::share); what is followed less and less is let
    /// go slowly, so that being pushed out throws nobody. In order: `beginPoses`, `poseIs` at several moments of the way with the
    /// surfaces where they stand then, `endPoses`. The surfaces stay as many. Rules and what they brought: README.md.
    void beginPoses();
    void poseIs(std::span<const Vec3> places, std::span<const Quat> turns);
    /// `was` and `is`: depths that count as the pose's own are those that its own way makes of the surfaces as they stand now;
    /// what a moving surface makes of them is a hit. Without `was`: the pose begins here, and all that it has is its own.
    struct Pose {
        std::span<const Vec3> places;
        std::span<const Quat> turns;
    };
    void endPoses(const Pose* was, const Pose& is);
    Following& following(std::size_t segment) { return m_following[segment]; }
    std::vector<Grip>& grips() { return m_grips; }
    std::vector<Thrust>& thrusts() { return m_thrusts; }

    /// Lays a body into a pose; a step of length `h` is to follow. `velocities` and `spins` of its segments [m/s], [rad/s].
    void start(std::span<const Vec3> rootPlaces, std::span<const Quat> turns, std::span<const Vec3> velocities,
               std::span<const Vec3> spins, double h, std::size_t body = 0);
    void step(double h);

    /// Gives a whole body a speed and a spin about its centre of mass more; no joint feels it.
    void hurl(const Vec3& velocity, const Vec3& spin, std::size_t body = 0);
    /// An impulse [N s] on a point of a segment (from its centre, in its axes), within the next step.
    void push(std::size_t segment, const Vec3& at, const Vec3& impulse) { m_blows.push_back({segment, at, impulse}); }

    const Vec3& place(std::size_t i) const { return m_s[i].x; }
    const Quat& turn(std::size_t i) const { return m_s[i].q; }
    const Vec3& velocity(std::size_t i) const { return m_s[i].v; }
    const Vec3& spin(std::size_t i) const { return m_s[i].w; }
    Vec3 at(std::size_t i, const Vec3& own) const { return m_s[i].x + m_s[i].q * own; }
    Vec3 centreOfMass(std::size_t body = 0) const;
    Vec3 meanVelocity(std::size_t body = 0) const;
    Vec3 spinOfWhole(std::size_t body = 0) const;
    /// Kinetic energy and gravity's [J]; springs apart.
    double energy() const;
    /// How many of its radii the fastest point of the body goes in a second.
    double quickness() const;
    /// How far joints have come apart [m].
    double separation() const;
    /// How far the worst joint is beyond its range [rad].
    double beyondLimits() const;
    /// How deep the body is in what it meets [m], with its own limbs or without.
    double deepest(bool limbs) const;
    /// Share of its weight that what a body touched in the last step carried, and whether a segment touched anything.
    double supported(std::size_t body = 0) const { return m_bodies[body].supported; }
    bool touches(std::size_t i) const { return m_s[i].load > 0; }
    /// What holds the grip pulled with in the last step [N], [N m].
    double pullOf(std::size_t grip) const;
    bool sleeps() const { return m_asleep; }
    void wake() { m_calm = m_rocks = 0, m_asleep = false; }

    /// All of the state. The first `smooth()` numbers follow the motion; those behind them are what a step may begin to guess
    /// from.
    std::size_t smooth() const { return 20 * m_s.size(); }
    void appendState(std::vector<double>& to) const;
    /// Reads as much as was appended; returns what lies behind it. Turns are made unit again.
    std::span<const double> takeState(std::span<const double> from);

  private:
    static constexpr int kMostHalvings = 3;
    static constexpr std::size_t kMostRows = 384, kMostCached = 192;
    struct Segment {
        int parent = -1, tree = 0, body = 0;
        double mass = 1, radius = 0.05, half = 0, far = 0;  // half: of its capsule's length; far: what of it is farthest away
        Vec3 offset, lever;                                 // parent's centre -> joint, joint -> centre, in their axes
        Vec3 endA, endB;                                    // from the centre
        Mat3 inertia, inverse;
        Vec3 x, v, momentum, w;  // momentum: angular, about the centre
        Quat q, qh;              // now, and half a drift ago
        double load = 0;         // normal impulse of the last step
        // within a step
        Mat3 turned, turnedInverse;  // inertia in the world
        Mat3 J, H, M, C, D, E, G;
        Vec3 pt, pf, u, joint, up, r, jw, jv;  // up: parent's joint -> joint; r: joint -> centre
        Vec3 below;                            // mass times place, of all below
        double massBelow = 0;
    };
    struct Fitted {
        double swing = -1, zeta = 0, strength = 0, h = 0, k = 0, d = 0;
    };
    struct Whole {
        std::size_t first = 0, count = 0;
        double mass = 0, size = 1, friction = 0.3, supported = 0;
        Vec3 gravity{0, -kEarthGravity, 0}, air = Vec3::Zero(), sleptGravity = Vec3::Zero();
    };
    struct Root {
        int segment = 0;
        double mass = 0;
        Eigen::Matrix<double, 6, 6> inverse;
        Mat3 whole;  // inertia about the centre of mass
    };
    struct Row {
        int a = 0, b = -1, normal = -1;  // normal: the row whose impulse bounds this one and the next by friction
        Vec3 n, ta, tb;
        double v0 = 0, target = 0, low = 0, high = 0, mu = 0, p = 0, soft = 0;
        double error = 0, goal = 0, swing = 0, zeta = 1;
        bool contact = false;
    };
    struct Touch {
        int a, b;
        Vec3 p, n, v;  // n: towards a
        double gap, mu, bounce;
        std::uint32_t id;
    };
    struct Cached {
        std::uint32_t id;
        double p, t1, t2, arrive;
    };
    struct Blow {
        std::size_t segment;
        Vec3 at, impulse;
    };
    struct Motion {
        Vec3 x, v, momentum, w;
        Quat q, qh;
        double load;
    };
    struct Kept {
        std::vector<Motion> motion;
        std::vector<Cached> cache;
        std::vector<Blow> blows;
        std::vector<double> supported;  // by body
    };
    struct LimitNow;

    std::pair<double, double> fitted(std::size_t i, double h);
    void factor(double h);
    void gather(std::size_t i, double h);
    void solveRoots(double h);
    void reflect();
    void limitRows(double h);
    void findTouches(double h, double margin, bool limbs, std::vector<Touch>& out) const;
    void touchSurface(std::size_t i, std::size_t k, const Vec3& x, const Quat& q, double allowed, double far,
                      std::vector<Touch>& out) const;
    double depthIn(std::size_t i, std::size_t k, const Vec3& x, const Quat& q) const;
    double depthBetween(std::size_t i, std::size_t j, const Vec3& xi, const Quat& qi, const Vec3& xj, const Quat& qj) const;
    double sharedBy(std::size_t pair) const;
    void wear(double h);
    void wearTurns(double h);
    Vec3 slideOf(const Segment& s, const Following& f, const Vec3& p) const;
    bool meetsSurface(const Segment& s, std::size_t k) const { return m_surfaces[k].of < 0 || m_surfaces[k].of == s.body; }
    double allowedIn(std::size_t i, std::size_t k) const {
        const std::size_t at = i * m_surfaces.size() + k;
        return at < m_in.now.size() ? m_in.now[at] : 0;
    }
    void contactRows(double h);
    void gripRows(double h);
    void thrustRows(double h);
    std::span<Segment> segmentsOf(std::size_t body) { return std::span(m_s).subspan(m_bodies[body].first, m_bodies[body].count); }
    std::span<const Segment> segmentsOf(std::size_t body) const {
        return std::span(m_s).subspan(m_bodies[body].first, m_bodies[body].count);
    }
    const Whole& wholeOf(const Segment& s) const { return m_bodies[static_cast<std::size_t>(s.body)]; }
    void addRow(int a, int b, const Vec3& n, const Vec3& p, bool angular, double target, double low, double high, double warm,
                std::uint32_t id);
    const Cached* cached(std::uint32_t id) const;
    void respond();
    void soften(double h);
    void iterate();
    void applyRows(double h);
    void keepRows();
    void drift(double h);
    bool limitNow(std::size_t i, LimitNow& out) const;
    void placeByJoints();
    void anchor(double h, const std::vector<Vec3>& centres, const std::vector<Vec3>& speeds);
    void move(double h, int halvings);
    void keep(Kept& to) const;
    void takeBack(const Kept& from);
    void carryOn(double time);
    bool undisturbed() const;
    void rest(double h);
    bool rocks(double h, bool left);

    std::vector<SegmentDef> m_defs;
    std::vector<Segment> m_s;
    std::vector<Whole> m_bodies;
    std::vector<Root> m_roots;
    std::vector<std::pair<int, int>> m_meets;
    std::vector<JointAim> m_aims, m_sleptAims;
    std::vector<RootAim> m_rootAims;
    std::vector<Fitted> m_fits, m_rootFits;
    std::vector<Mat3> m_below;  // inertia of all below the joint about it, in the goal's axes of its segment
    std::vector<double> m_sigma;
    std::vector<Surface> m_surfaces;
    /// Depths that are allowed [m]: by segment and surface, or by pair of segments.
    struct Allowed {
        std::vector<double> posed;  // what the pose has at the deepest of its way
        std::vector<double> owed;   // of that, what its own way made
        std::vector<double> given;  // what it is allowed if it follows wholly
        std::vector<double> now;    // and what it is still allowed
    };
    Allowed m_in, m_pairs;
    std::vector<double> m_swingLet, m_twistLet;  // by segment: ends of its range as they hold [ranges; rad]
    std::vector<Following> m_following;
    std::vector<Grip> m_grips;
    std::vector<Thrust> m_thrusts;
    std::vector<Blow> m_blows;
    double m_size = 1;  // of the smallest body
    double m_calm = 0;
    double m_rockedBy = 0;      // the way that the quickest of it has gone meanwhile [sizes]
    double m_rocks = 0;         // for how long it has stayed about the places below [s]
    std::vector<Vec3> m_about;  // by segment
    std::vector<Quat> m_aboutTurn;
    double m_lying = 0;  // [s] since it has come to lie; below 0: it still falls, or stands
    bool m_asleep = false, m_carries = false;
    std::vector<Row> m_rows;
    std::vector<Touch> m_touches;
    mutable std::vector<Touch> m_probed;
    std::vector<Cached> m_cache, m_fresh;
    std::vector<std::pair<std::uint32_t, int>> m_ids;  // of rows
    std::vector<double> m_gripPulls;
    std::array<Kept, kMostHalvings + 1> m_kept;
    std::vector<float> m_W, m_v;
    std::vector<char> m_need, m_on;
    std::vector<Vec3> m_t, m_f, m_old, m_centres, m_speeds;
};

/// A capsule's inertia about its middle [kg m^2] for its mass, with the smallest principal one no less than 0.3 of the largest:
/// thin arms else spin up about themselves when a fall is arrested by a grip.
Mat3 capsuleInertia(double mass, const Vec3& endA, const Vec3& endB, double radius);

/// Pairs of segments that do not touch in the rest pose, and are no parent, grandparent or sibling of one another.
std::vector<std::pair<int, int>> mayTouch(const std::vector<SegmentDef>& segments);

/// How far apart two capsules of the rest pose are [m].
double gapBetween(const SegmentDef& a, const SegmentDef& b);

}  // namespace nutatio::physics
