// One point that is held: where it stands in the course of the shot, and how far it is from there.
#pragma once

#include "layers/hold/held_ground.h"
#include "layers/hold/hold_shown.h"
#include "rig/contacts.h"

namespace nutatio::layers::hold {

/// One point through the shot.
struct Point {
    int joint;
    Vec3 local;                // in its axes
    std::vector<Vec3> world;   // the actor's
    std::vector<Vec3> offset;  // that it is to move by
    std::vector<double> weight;
    std::vector<Held> held;
};

/// Median, coordinate by coordinate.
Vec3 middleOf(const std::vector<Vec3>& points);

/// Finds when a point stands, and where.
class PointFinder {
  public:
    PointFinder(const LayerContext& context, const HeldGround& ground, double fps) : m_c(context), m_ground(ground), m_fps(fps) {}
    /// `world`: where the point is, by frame [units]. `limb`: the length of the limb that it ends [units].
    /// `clip`: where it is in the motion below all layers, and the ground of that; it is there that it stands, whatever layers in
    /// between make of it. Empty: it is not known, or nowhere stands.
    Point find(int joint, const Vec3& local, std::vector<Vec3> world, double limb, const std::vector<Vec3>& clip,
               const HeldGround* clipGround) const;

  private:
    /// When it stands, cuts counted; of what goes round, what stands over the seam is there once before and once after it.
    /// `near`: how near to where it stands it is then [units], where that is found.
    std::vector<rig::Standing> spans(int joint, const std::vector<Vec3>& on, double limb, const HeldGround& ground,
                                     double& near) const;
    std::vector<rig::Standing> standingRound(const std::vector<Vec3>& places, const Vec3& lap, double limb,
                                             const rig::StandingRule& rule, const double* floor) const;
    std::vector<rig::Standing> cut(std::vector<rig::Standing> spans) const;
    std::vector<Vec3> middles(const std::vector<rig::Standing>& spans, const std::vector<Vec3>& on) const;
    /// One contact goes over the seam of what goes round.
    bool joins(const std::vector<rig::Standing>& spans, int frames) const;
    /// Lets what a point is off at the edges of a contact die away beyond them.
    void ease(Point& p, const std::vector<rig::Standing>& spans, std::size_t k) const;

    const LayerContext& m_c;
    const HeldGround& m_ground;
    double m_fps;
};

}  // namespace nutatio::layers::hold
