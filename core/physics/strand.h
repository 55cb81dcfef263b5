// Spring dynamics of chains and trees of rigid links, solved in time linear in the links, several strands at a time.
// Sources: Featherstone, Rigid Body Dynamics Algorithms (2008), chapter 7 (articulated-body recursion), applied to
// implicit-midpoint velocities; the pole fit is derived in strand.cpp. Design record: README.md.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "base/maths.h"
#include "physics/colliders.h"

namespace nutatio::physics {

inline constexpr double kNoLimit = 1e30;

/// One link of a strand, from its joint to its end. Lengths [units], masses [any unit: only ratios count].
struct LinkDef {
    int parent = -1;          // an earlier link, or -1: the base
    double length = 0.1;      // > 0
    Vec3 direction{0, 0, 1};  // unit, in the joint's own axes
    Vec3 attach{0, 0, 0};     // from the parent's joint to this joint, in the parent's axes; from the base's place for the first
    Vec3 restPlace{0, 0, 0};  // of the joint in the rest pose, for the mode's stiffness
    Vec3 restDirection{0, 0, 1};  // of the link in the rest pose
    Vec3 axisU{0, 0, 0};          // first axis across the link, in the joint's axes; zero: any

    double radius = 0;            // kept clear of bodies
    double swing = 1;             // share of the strand's swing rate that this joint's own spring is shaped to
    double zeta = 1;              // times the strand's damping ratio
    double airDrag = 1;           // times the strand's
    double bendLimit = kNoLimit;  // [rad] from the animated direction
    /// How far it may bend forwards and back about its first axis across, then about its second [rad], and in an ellipse between;
    /// the least of these and bendLimit counts.
    std::array<double, 4> stops{kNoLimit, kNoLimit, kNoLimit, kNoLimit};
    double easeOver = 0;           // [s] in which it comes to a bend limit, so that nothing is seen to hit; 0: stops dead
    double twistLimit = kNoLimit;  // [rad] about the link
    double stretch = 0;            // how far it may lengthen or shorten, in shares of its length
};

/// What the strand answers to.
struct StrandDef {
    double swing = 2;                               // f [1/s]; 0: no springs
    double zeta = 0.2;                              // damping ratio of the first mode
    double airDrag = 0;                             // gamma [1/s]
    Vec3 gravity{0, 0, 0};                          // [units/s^2]
    double bendLimit = kPi;                         // [rad] for every link; >= pi: none
    double endWeight = 0;                           // at each tip, in shares of the strand's own weight
    double stiffU = 1, stiffV = 1, stiffTwist = 1;  // stiffness about the two axes across and about the link, against the usual
    double stretchSwing = 4;                        // swing rate of stretching [1/s]
};

/// Motion of the base over one substep: place and turn at its start, and the velocities the solve needs.
struct BaseStep {
    Vec3 place0 = Vec3::Zero(), place1 = Vec3::Zero();
    Quat turn0 = Quat::Identity(), turn1 = Quat::Identity();
    Vec3 velocityEnd = Vec3::Zero();  // [units/s] at the end of the step
};

/// How a link's animated turn against its parent moves over one substep.
struct LinkGoal {
    Quat turn0 = Quat::Identity(), turn1 = Quat::Identity();  // at the start, at the end
    Vec3 spin = Vec3::Zero();                                 // mean angular velocity between them, in the parent's axes [rad/s]
};

/// Something that holds a point of a link. Strength 0 lets go; 1 holds as fast as the step allows.
struct PinStep {
    double strength = 0;
    Vec3 lever = Vec3::Zero();                           // the held point, in the joint's axes
    Vec3 place = Vec3::Zero(), velocity = Vec3::Zero();  // where it is held
};

/// One strand for a batch.
struct StrandPlan {
    std::vector<LinkDef> links;  // parents first
    StrandDef def;
};

/// The most links that one strand may have.
inline constexpr std::size_t kMostLinks = 2000;

/// Whether every link begins where the one above it ends and the first one at the base: such strands need less arithmetic.
bool hangsInLine(std::span<const LinkDef> links);

/// How many strands this machine's instruction set computes at once: 2 (SSE2, which every x86-64 has), 4 (AVX2) or 8 (AVX-512).
int bestWidth();

/// State and solver of up to `width` strands of one make: all may stretch or none, all have limits or none, as strands of one
/// layer do, and all hang in line or none. Every lane then gives the same bits at every width and beside any neighbours. `step`
/// does not allocate. Strands of one batch have the same parents link by link; a chain may be shorter than the others.
class StrandBatch {
  public:
    /// `h` [s] is the substep that every `step` takes; `width` 2, 4 or 8, at least as many as there are plans.
    StrandBatch(std::span<const StrandPlan> plans, double h, int width = bestWidth());

    int lanes() const { return m_lanes; }
    std::size_t links(int lane) const { return m_count[static_cast<std::size_t>(lane)]; }
    double stepSize() const { return m_h; }
    void setStep(double h);

    /// Takes a definition whose numbers have changed; lengths, parents and end weight stay.
    void tune(int lane, const StrandPlan& plan);
    void setGravity(int lane, const Vec3& g);
    void setBase(int lane, const BaseStep& base);
    void setGoal(int lane, std::size_t link, const LinkGoal& goal);
    /// What moves the air at a link: its velocity [units/s] and the drag it adds [1/s].
    void setAir(int lane, std::size_t link, const Vec3& velocity, double drag);
    /// An acceleration of the link's own [units/s^2], and a speed of the base [units/s] that its air does not make it feel.
    void setPull(int lane, std::size_t link, const Vec3& acceleration, const Vec3& unfelt);
    void setPin(int lane, std::size_t link, const PinStep& pin);
    /// Bodies for the end of the step; the same number and kinds for every lane.
    void setBodies(std::size_t count);
    void setBody(int lane, std::size_t body, const Body& what);
    /// Lets this lane pass through the body.
    void passBody(int lane, std::size_t body);
    /// How deep a link may be inside a body [units]: it is met that far below its surface. 0 until it is told.
    void allowDepth(int lane, std::size_t link, std::size_t body, double depth);

    /// Lays the links along `goals`, moving with the base: `velocity` and `spin` [rad/s] of the base as a rigid body.
    void start(int lane, const Vec3& place, const Quat& turn, std::span<const Quat> goals, const Vec3& velocity,
               const Vec3& spin);
    /// Carries the lane's state rigidly: by turn `by` about `from`, which lands on `to`; speeds turn along and gain `gained`.
    void carry(int lane, const Vec3& from, const Quat& by, const Vec3& to, const Vec3& gained);
    /// Advances every lane by one substep.
    void step();
    /// Appends the lane's state: goals, turns, speeds, lengths, and how calmly it lies.
    void appendState(int lane, std::vector<double>& to) const;
    /// Reads as much as was appended; returns what lies behind it.
    std::span<const double> takeState(int lane, std::span<const double> from);

    Quat turn(int lane, std::size_t link) const;
    Vec3 place(int lane, std::size_t link) const;
    Vec3 end(int lane, std::size_t link) const;
    Vec3 endVelocity(int lane, std::size_t link) const;
    /// How long the link is now, against its length.
    double stretchOf(int lane, std::size_t link) const;
    /// Kinetic energy plus gravity's, springs apart [mass-units x units^2/s^2].
    double energy(int lane) const;
    /// sigma: how much stiffer the coupled chain must be than its joints alone.
    double modeFactor(int lane) const { return m_prepared[static_cast<std::size_t>(lane)].sigma; }

  private:
    struct Prepared {
        double sigma = 1, stretchSigma = 1, total = 1, gravityShare = 1;
        double endWeight = -1;        // that the masses were made for; below 0: none yet
        std::vector<double> inertia;  // by link: sigma I_i scaled by its profile
        Vec3 gravity = Vec3::Zero();
    };
    double& at(int lane, std::size_t link, std::size_t field) {
        return m_data[(link * m_fields + field) * static_cast<std::size_t>(m_width) + static_cast<std::size_t>(lane) + m_linksAt];
    }
    double at(int lane, std::size_t link, std::size_t field) const {
        return m_data[(link * m_fields + field) * static_cast<std::size_t>(m_width) + static_cast<std::size_t>(lane) + m_linksAt];
    }
    void put(int lane, std::size_t link, std::size_t field, const Vec3& v);
    void put(int lane, std::size_t link, std::size_t field, const Quat& q);
    Vec3 vector(int lane, std::size_t link, std::size_t field) const;
    Quat quaternion(int lane, std::size_t link, std::size_t field) const;
    void prepareShape(int lane, const StrandPlan& plan);
    void prepareMasses(int lane, const StrandPlan& plan);
    void prepareStiffness(int lane, const StrandPlan& plan);
    void addBeyond(int lane, const StrandPlan& plan, Eigen::MatrixXd& M, Eigen::MatrixXd& S) const;
    void prepareEmpty(int lane, std::size_t from);
    void wake(int lane);
    void makeWhole(int lane);

    int m_width, m_lanes;
    double m_h;
    unsigned m_features = 0;
    std::size_t m_fields, m_linksAt = 0;
    std::vector<int> m_parents;
    std::vector<std::size_t> m_count;
    std::vector<Prepared> m_prepared;
    std::vector<double> m_data, m_baseData, m_bodyData, m_allowedData;
    std::size_t m_baseAt = 0, m_bodyAt = 0, m_allowedAt = 0;
    std::vector<int> m_bodyKinds, m_bodiesMet;
};

/// A batch of one.
class Strand {
  public:
    Strand(std::span<const LinkDef> links, const StrandDef& def, double h)
        : m_batch(std::vector<StrandPlan>{{{links.begin(), links.end()}, def}}, h, 2) {}

    void start(const Vec3& place, const Quat& turn, std::span<const Quat> goals, const Vec3& velocity, const Vec3& spin) {
        m_batch.start(0, place, turn, goals, velocity, spin);
    }
    void step(const BaseStep& base, std::span<const LinkGoal> goals, std::span<const Body> bodies);
    Quat turn(std::size_t link) const { return m_batch.turn(0, link); }
    Vec3 place(std::size_t link) const { return m_batch.place(0, link); }
    Vec3 end(std::size_t link) const { return m_batch.end(0, link); }
    double energy() const { return m_batch.energy(0); }
    StrandBatch& batch() { return m_batch; }

  private:
    StrandBatch m_batch;
};

/// Substeps a frame of `dt` [s] takes: a grid of at most 1/120 s, halved each time the swing rate doubles beyond 6 /s, and once
/// more when `quick` says that a body moves by more than its radius in a substep.
int substepsFor(double dt, double swing, bool quick = false);

}  // namespace nutatio::physics
