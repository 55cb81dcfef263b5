// One body of segments: where its animation has it, what its springs aim at, what it meets and does.
#pragma once

#include <optional>

#include "layers/anchors.h"
#include "layers/cuts.h"
#include "layers/figure_parts.h"
#include "layers/ragdoll/hanging.h"
#include "layers/ragdoll/ragdoll_acts.h"
#include "layers/ragdoll/way_back.h"
#include "physics/one_body.h"

namespace nutatio::layers::ragdoll {

/// In the world and in SI units, whatever its actor's are.
class RagdollBody {
  public:
    /// `fellows`: the other bodies that it moves together with.
    RagdollBody(const LayerContext& context, std::span<const LayerContext* const> fellows);

    /// What it is made of, for who solves it.
    physics::ArticulatedDef define() const;
    /// It is solved as one of several; needed before all that follows.
    void join(physics::Articulated& all, std::size_t body);
    /// By segment: the part that it swings in, named by a segment.
    const std::vector<int>& parts() const { return m_part; }
    /// Those of its segments, then what hangs on them.
    const std::vector<int>& joints() const { return m_written; }

    void start(double dt, const PoseView& pose, const PoseView& next, double h);
    /// What becomes of it in a step: it is solved, laid where its animation has it, or on its way back to that.
    enum class Way { Solved, Laid, Recovers };
    Way begin(double dt, const PoseView& goal, const PoseView& next);
    /// What it meets, at `u` of the way to the frame.
    void addSurfaces(double u, double dt, std::vector<physics::Surface>& to) const;
    /// Where the pose has its segments at `u` of the way to the frame; 2: a frame later.
    void addStand(double u, std::vector<Vec3>& places, std::vector<Quat>& turns) const;
    /// What the springs aim at in a substep whose momenta go from u0 to u1 of the frame's way, its places to `ends`.
    void aimAt(double u0, double u1, double ends, double h);
    /// What its acts pull and push with in a substep at `u` of the way.
    void drive(double u, double h, double dt, std::vector<physics::Grip>& grips, std::vector<physics::Thrust>& thrusts);
    void finish(Way way, double dt, int frame, double h);

    void write(const PoseView& goal, std::span<Xform> out) const;
    void appendState(State& out) const;
    const double* takeState(const double* from);
    std::vector<std::string> remarks() const;
    std::vector<Came> came() const { return m_acts.came(); }
    Vec3 probe() const;
    Vec3 probeGoal() const;
    double probeLever() const;
    bool watch(int joint);
    void pull(int joint, const std::optional<Vec3>& to);

  private:
    using Stand = SegmentStand;
    using Pose = BodyPose;
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

    void addColliders(const LayerContext& context, std::span<const LayerContext* const> fellows);
    double apart(const PartChannels& channels, std::size_t segment, int frame) const;
    void tune(int frame, double dt);
    void ease(double u);
    double limpness(std::size_t segment, double u) const;
    void read(const PoseView& pose, Pose& out);
    Vec3 toWorld(const Vec3& p) const { return m_placement.toWorld(p); }
    /// The animation at `u` of the way from the frame before to the one being stepped to.
    Stand between(std::size_t segment, double u) const;
    void lay(double dt, const Pose& now, const Pose& then, int frame, double h);
    void follow(std::size_t segment, double h);
    void restSkin();
    void bendSkin();
    Vec3 windPlace() const;
    void readColliders(const PoseView& pose);
    void recover(double dt, double h);
    void beginBack(double dt, double seconds);
    bool comesBack(double dt);
    void crouch(Pose& pose) const { m_acts.bend(pose); }
    std::vector<std::pair<std::string, physics::Body>> bodies() const;
    bool carried() const { return m_follow >= 1; }

    ResolvedPtr m_settings;
    std::shared_ptr<const rig::Figure> m_figure;
    const rig::Skeleton& m_skeleton;
    scene::Placement m_placement;
    Hanging m_hanging;
    std::vector<int> m_joints, m_written;
    std::vector<int> m_riders;   // joints without a segment of their own that hold skin of corners
    std::vector<Affine> m_rest;  // worlds of all joints in the rest pose
    std::optional<physics::OneBody> m_body;
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
    std::vector<double> m_thicker;    // by segment: by how much, of its thickness
    std::vector<Affine>
        m_rides;  // by joint that rides: from where its segment has its skin at rest to where the animation has it
    std::vector<Vec3> m_bent;
    Pose m_before, m_now, m_next, m_from, m_to;
    Stand m_led;  // the root as the animation has it at the frame
    std::vector<Slope> m_slope, m_nextSlope;
    WayBack m_back;
    double m_freedBefore = 0;       // how much its root was its own in the frame before
    std::vector<int> m_backFrames;  // that it took to come back, time after time
    std::vector<Vec3> m_bones;      // by segment: from its parent's centre, in the parent's axes, as it last followed its pose
    double m_stiffens = 0;          // in the frame
    std::vector<double> m_limpnessWas, m_limpness;  // by segment: what is limp no longer stiffens again over kStiffens
    // By segment, at the frame before and at the one being stepped to: strength of its joint, between which substeps go.
    std::vector<double> m_strengthWas, m_strengthIs;
    double m_followWas = 1, m_followIs = 1, m_follow = 1, m_floor = 0;
    double m_carries = 0;  // what the body is held up by, of a joint of full strength
    bool m_meetsFloor = true, m_allows = true;
    std::vector<double> m_share;  // by segment: how far it follows its pose, as far as all that it hangs on does
    std::size_t m_watched = 0;
    int m_pulled = -1;                                                                // segment that a hand has hold of
    Vec3 m_pullAt = Vec3::Zero(), m_pullTo = Vec3::Zero(), m_pullNow = Vec3::Zero();  // from its centre, at rest; in the world
};

}  // namespace nutatio::layers::ragdoll
