// A body that is shifted, leant and turned while its feet, and hands that grip, stay where they are.
#pragma once

#include "rig/mass.h"
#include "rig/roles.h"
#include "rig/track.h"

namespace nutatio::layers::balance {

/// What is done to a pose; ways and places in the actor's world [units], turns there as rotation vectors.
struct Posture {
    Vec3 shift = Vec3::Zero();  // of the body as a whole
    Vec3 lean = Vec3::Zero();   // of it about `pivot`
    Vec3 pivot = Vec3::Zero();
    std::vector<Vec3> turns;   // of Poised::turned(), each about its joint, upon those above it
    std::vector<Vec3> ends;    // of Poised::limbs(): where hand or foot is to be
    std::vector<double> held;  // and how much it is: 0 goes along with the body
};

class Poised {
  public:
    struct Limb {
        int upper, lower, end;
        bool foot;
        double length = 0;  // at rest [units]
    };
    /// `turned`: joints that postures turn. The limbs are legs, then arms, of which four legs have none.
    Poised(const rig::Actor& actor, const rig::Roles& roles, const rig::Masses& masses, std::vector<int> turned);

    /// The joints that take the whole body along: see rig::carriersOf.
    const std::vector<int>& carriers() const { return m_carriers; }
    const std::vector<int>& turned() const { return m_turned; }
    const std::vector<Limb>& limbs() const { return m_limbs; }
    /// All joints that a posture may change, parents first.
    const std::vector<int>& joints() const { return m_joints; }
    /// Reads how limbs bend over the shot, for where they are straight: their hinges in upper bones' axes.
    void readHinges(const std::vector<std::vector<Affine>>& worlds);

    /// Poses `locals` (those below, changed in place) and gives the worlds that come of it.
    void pose(const Posture& posture, std::vector<Xform>& locals, std::vector<Affine>& worlds) const;
    Vec3 centreOf(const std::vector<Affine>& worlds) const { return rig::centreOfMass(m_masses, worlds); }
    /// What hangs on a turned joint, itself included: its share of the mass, and that mass's centre.
    std::pair<double, Vec3> hangingOn(std::size_t turned, const std::vector<Affine>& worlds) const;

  private:
    struct Chain {
        std::vector<int> below;  // upper bone and all that hangs on it, parents first
        Vec3 hinge = Vec3::UnitX();
    };
    const rig::Skeleton& m_s;
    const rig::Masses& m_masses;
    std::vector<int> m_turned, m_joints;
    std::vector<int> m_turnOf;  // by joint: its place among the turned, -1
    std::vector<Limb> m_limbs;
    std::vector<Chain> m_chains;
    std::vector<std::vector<int>> m_hanging;  // by turned joint
    std::vector<int> m_carriers;
};

}  // namespace nutatio::layers::balance
