// The mover of a Ragdoll layer.
#pragma once

#include <optional>

#include "layers/anchors.h"
#include "layers/cuts.h"
#include "layers/figure_parts.h"
#include "layers/ragdoll/ragdoll_acts.h"
#include "physics/articulated.h"

namespace nutatio::layers {

/// One body, in the world and in SI units, whatever its actor's are.
class RagdollMover final : public Mover {
  public:
    explicit RagdollMover(const LayerContext& context);

    const std::vector<int>& joints() const override { return m_joints; }
    void start(double dt, const PoseView& pose, const PoseView& next) override;
    void step(double dt, const PoseView& goal, const PoseView& next) override;
    void write(const PoseView& goal, std::span<Xform> out) const override;
    State state() const override;
    void setState(const State& state) override;
    std::size_t smooth() const override { return m_body->smooth(); }
    std::vector<std::string> remarks() const override;
    Vec3 probe() const override;
    Vec3 probeGoal() const override;
    double probeLever() const override;
    bool watch(int joint) override;

  private:
    /// Where the animation has a segment: its joint's place [m] and its turn away from rest, in the world.
    struct Stand {
        Vec3 joint = Vec3::Zero();
        Quat turn = Quat::Identity();
        Vec3 offset = Vec3::Zero();  // from its parent's centre, in the parent's axes
    };
    using Pose = std::vector<Stand>;
    /// How a segment goes on from a frame, a step: of a root its place too.
    struct Slope {
        Vec3 turn = Vec3::Zero(), place = Vec3::Zero();
    };
    struct Met {
        std::string id;
        ResolvedPtr settings;
        int anchor = 0;
        scene::ColliderNumbers numbers;
        ColliderPlace before{}, now{};
    };

    physics::ArticulatedDef define() const;
    void addColliders(const LayerContext& context);
    double apart(const PartChannels& channels, std::size_t segment, int frame) const;
    void tune(int frame);
    void read(const PoseView& pose, Pose& out);
    Vec3 toWorld(const Vec3& p) const { return m_placement.toWorld(p); }
    /// The animation at `u` of the way from the frame before to the one being stepped to.
    Stand between(std::size_t segment, double u) const;
    void lay(double dt, const Pose& now, const Pose& then, int frame);
    void aimAt(double u0, double u1, double ends, double h);
    Vec3 windPlace() const;
    Vec3 jointOf(std::size_t segment) const;
    void allowPose();
    void placeColliders(double u, double dt);
    void readColliders(const PoseView& pose);
    int substepsOf(double dt) const;
    void recover(double dt);
    std::vector<std::pair<std::string, physics::Body>> bodies() const;
    bool carried() const { return m_follow >= 1; }

    ResolvedPtr m_settings;
    std::shared_ptr<const rig::Figure> m_figure;
    const rig::Skeleton& m_skeleton;
    scene::Placement m_placement;
    std::vector<int> m_joints;
    std::vector<Affine> m_rest;  // worlds of all joints in the rest pose
    std::optional<physics::Articulated> m_body;
    JointWorlds m_worlds;
    Anchors m_anchors;
    BodyActs m_acts;
    Air m_air;
    Cuts m_cuts;
    Cuts::Step m_went;
    std::vector<Met> m_met;
    PartChannels m_stiffer, m_bouncier, m_looser;
    std::vector<int> m_limb, m_part;  // by segment: where its limb leaves the trunk; the part that it swings in
    int m_alone = -1;                 // part that is measured
    std::vector<Vec3> m_lever;        // by segment: joint -> centre at rest [m]
    Pose m_before, m_now, m_next, m_from, m_to;
    std::vector<Vec3> m_poseAt;
    std::vector<Quat> m_poseTurn;
    std::vector<Slope> m_slope, m_nextSlope;
    /// What the body was off its animation when it began to recover: turns of joints [rad], of the root its place too, and their
    /// rates.
    struct Off {
        Vec3 turn = Vec3::Zero(), turnRate = Vec3::Zero(), place = Vec3::Zero(), placeRate = Vec3::Zero();
    };
    std::vector<Off> m_off;
    bool m_recovers = false;
    double m_follow = 1, m_floor = 0;
    bool m_meetsFloor = true;
    std::size_t m_watched = 0;
};

}  // namespace nutatio::layers
