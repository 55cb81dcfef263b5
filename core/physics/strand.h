// Spring dynamics of a chain or tree of rigid links, solved in time linear in the links.
// Sources: Featherstone, Rigid Body Dynamics Algorithms (2008), chapter 7 (articulated-body recursion), applied to
// implicit-midpoint velocities; the pole fit is derived in strand.cpp. Design record: README.md.
#pragma once

#include <span>
#include <vector>

#include "base/maths.h"
#include "physics/colliders.h"

namespace nutatio::physics {

/// One link of a strand, from its joint to its end. Lengths [units], masses [any unit: only ratios count].
struct LinkDef {
    int parent = -1;              // an earlier link, or -1: the base
    double length = 0.1;          // > 0
    Vec3 direction{0, 0, 1};      // unit, in the joint's own axes
    Vec3 attach{0, 0, 0};         // from the parent's joint to this joint, in the parent's axes (ignored for the first link)
    Vec3 restPlace{0, 0, 0};      // of the joint in the rest pose, for the mode's stiffness
    Vec3 restDirection{0, 0, 1};  // of the link in the rest pose
};

/// What the strand answers to.
struct StrandDef {
    double swing = 2;        // f [1/s]; 0: no springs
    double zeta = 0.2;       // damping ratio of the first mode
    double airDrag = 0;      // gamma [1/s]
    Vec3 gravity{0, 0, 0};   // [units/s^2]
    double bendLimit = kPi;  // [rad] from the animated direction; >= pi: none
    double endWeight = 0;    // at each tip, in shares of the strand's own weight
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

/// State and solver of one strand. `step` does not allocate.
class Strand {
  public:
    /// Links in an order in which parents come first; h [s] is the substep that every `step` takes.
    Strand(std::span<const LinkDef> links, const StrandDef& def, double h);

    std::size_t size() const { return m_links.size(); }
    double stepSize() const { return m_h; }

    /// Lays the links along their goals, moving with the base: `velocity` and `spin` [rad/s] of the base as a rigid body.
    void start(const Vec3& place, const Quat& turn, std::span<const Quat> goals, const Vec3& velocity, const Vec3& spin);
    /// Advances by one substep. Everything is in the base's world; `bodies` hold for the end of the step.
    void step(const BaseStep& base, std::span<const LinkGoal> goals, std::span<const Body> bodies);

    /// Gravity may turn during a shot when the strand feels only a share of its base's turning.
    void setGravity(const Vec3& g) { m_def.gravity = g; }

    const Quat& turn(std::size_t link) const { return m_links[link].q; }
    const Vec3& place(std::size_t link) const { return m_links[link].x; }
    Vec3 end(std::size_t link) const { return m_links[link].x + m_links[link].length * m_links[link].d; }
    /// Kinetic energy plus gravity's, springs apart [mass-units x units^2/s^2].
    double energy() const;
    /// sigma: how much stiffer the coupled chain must be than its joints alone.
    double modeFactor() const { return m_sigma; }

  private:
    struct Link {
        int parent;
        double length, mass, inertia, twistInertia, stiff, damp;
        Vec3 direction, attach;
        bool hasChild = false;
        // state
        Quat q = Quat::Identity();
        Vec3 d{0, 0, 1}, x{0, 0, 0}, v{0, 0, 0}, w{0, 0, 0};
        // within a step
        Vec3 dbar, shift;
        Mat3 J, H, M, D, Hs;
        Vec3 pt, pf, u, s, vMid, wMid, base;
        double c = 0;
        double tension = 0;   // along the link, of the last step [mass-units x units/s^2]
        double lightest = 0;  // the lighter of the weights at its two ends
    };

    void prepareMasses(std::span<const LinkDef> links);
    void prepareStiffness(std::span<const LinkDef> links);
    void predict(const BaseStep& base, std::span<const LinkGoal> goals);
    void gather();
    void spread(const Vec3& baseVelocity, const Vec3& baseSpin);
    void drift(const BaseStep& base);
    void constrain(const BaseStep& base, std::span<const LinkGoal> goals, std::span<const Body> bodies);
    void limitBend(Link& l, const Quat& goal, const Vec3& baseVelocity);
    /// Whether the link had to be moved.
    bool keepClear(Link& l, const Body& body, const Vec3& baseVelocity);
    void place(Link& l, const Vec3& basePlace, const Quat& baseTurn);
    Vec3 baseVelocityOf(const Link& l, const Vec3& rootVelocity) const;
    static void redirect(Link& l, const Vec3& d);

    StrandDef m_def;
    double m_h = 0, m_khat = 0, m_dhat = 0, m_sigma = 1, m_gravityShare = 1;
    std::vector<Link> m_links;
};

/// Substeps a frame of `dt` [s] takes: a grid of at most 1/120 s, halved each time the swing rate doubles beyond 6 /s.
int substepsFor(double dt, double swing);

}  // namespace nutatio::physics
