// The movers of a Strand layer: strands that are computed side by side.
#pragma once

#include <array>
#include <optional>

#include "layers/anchors.h"
#include "layers/cuts.h"
#include "layers/mover.h"
#include "layers/strand/strand_joints.h"
#include "physics/air.h"

namespace nutatio::layers::strand {

/// Strands of one layer, computed in batches of those that are built alike. Strands that meet one another share a mover.
class StrandMover final : public Mover {
  public:
    StrandMover(const LayerContext& context, std::vector<StrandJoints> strands);

    const std::vector<int>& joints() const override { return m_joints; }
    void start(double dt, const PoseView& pose, const PoseView& next) override;
    void step(double dt, const PoseView& goal, const PoseView& next) override;
    void write(const PoseView& goal, std::span<Xform> out) const override;
    State state() const override;
    void setState(const State& state) override;
    Vec3 probe() const override;
    Vec3 probeGoal() const override;
    double probeLever() const override;
    bool watch(int joint) override;
    std::vector<std::string> remarks() const override;

  private:
    struct Base {
        Vec3 place = Vec3::Zero();
        Quat turn = Quat::Identity();
    };
    struct Speed {
        Vec3 travel, spin;  // [units/s], [rad/s]
    };
    struct Strand {
        StrandJoints plan;
        ResolvedPtr settings;
        std::size_t batch = 0;
        int lane = 0;
        Base base, felt, before, ahead;  // felt: as the strand feels it; before, ahead: felt, around the frame being stepped
        Quat hang = Quat::Identity();    // from what is felt to the own base, when the strand was laid
        Vec3 placeSlope = Vec3::Zero(), nextPlaceSlope = Vec3::Zero();
        Quat turnSlope = Quat::Identity(), nextTurnSlope = Quat::Identity();
        Cuts::Step lastStep;                            // of the base, in the frame before
        std::vector<Quat> turn, last, slope, nextTurn;  // goals at the frame, the frame before, its slope, and ahead
        std::vector<Quat> turnNow;                      // and where they are within the frame
        std::vector<char> moving;
        std::vector<Vec3> air;                       // at each link's end, at the frame last stepped to
        std::vector<char> passes;                    // by collider: it rides on this strand
        std::vector<std::size_t> near;               // colliders that can be reached within this frame
        std::vector<double> allowed, allowedBefore;  // by link and collider: how deep it may be, now and a frame ago [units]
        std::vector<char> allows;                    // by collider: kNow and kBefore where some link may, kTold where the kernel
                                                     // was told of a depth
        Mat3 mirror = Mat3::Identity();              // of ways in the actor's axes, where it is on the right and mirrored
        std::vector<std::array<std::size_t, 4>> takes;  // by link then: which of its fellow's stops each of its own is
        scene::Resolved::Number radius, gravity, tilt, heading, catches, feltTravel, feltTurn;
        physics::BaseStep step;
    };
    struct Ridden {
        bool inReach = false;  // of some strand, within this frame
        std::string name;
        ResolvedPtr settings;
        scene::ColliderNumbers numbers;  // in the own actor's units
        int anchor = 0;
        bool solid = false;             // whatever the animated pose does
        ColliderPlace before{}, now{};  // in the own actor's world
        physics::Body body{};           // within the frame, there
        double size = 0;                // of a ball round it
        /// Where the animated pose stands deepest inside it.
        struct Inside {
            double depth = 0;  // [units]
            int joint = rig::kNoJoint, frame = 0;
        };
        Inside first{}, deepest{};
    };
    struct Held {
        ResolvedPtr settings;
        int anchor;
        std::size_t strand, link;
        Vec3 lever;  // in the joint's axes
        Vec3 before = Vec3::Zero(), now = Vec3::Zero();
        double strength = 0;
    };
    void addColliders(const LayerContext& context);
    void addPins(const LayerContext& context);
    void makeBatches(const PoseView& pose);
    void readNumbers(Ridden& r, int frame) const;
    static void mirror(Strand& s, const StrandJoints& plan, const rig::Actor& actor);
    Vec3 gravityAt(const Strand& s, int frame) const;
    /// The highest that the swing rate of any of the strands comes to.
    double quickest() const;
    physics::StrandPlan planOf(const Strand& s, int frame) const;
    static constexpr char kNow = 1, kBefore = 2, kTold = 4;
    /// A link as the animated pose has it.
    struct Posed {
        Vec3 from, way;
        double radius;
    };
    void prepare(double dt, const PoseView& pose, bool quick);
    void tuneAll(int frame);
    template <class S, class Each>
    static void eachCarried(S& s, Each&& each);
    Base actualBase(const Strand& s, const JointWorlds& worlds) const;
    /// The share of the body's travel and turn by which the felt world moves.
    std::pair<double, double> feltShares(const Strand& s, int frame) const;
    /// `from`, `to`: the own base; what is felt is that, or the way from `source` to `sourceTo` where that is another one's.
    Base feltStep(const Base& felt, const Base& from, const Base& to, double travel, double turn) const;
    Base feltStep(const Base& felt, const Base& from, const Base& source, const Base& sourceTo, double travel, double turn) const;
    static Base baseOf(const FeltSource::Stand& stand) { return {stand.place, stand.turn}; }
    /// The base that would hang on what is felt as the own one stood to it when the strand was laid.
    static Base hangingOn(const Base& source, const Strand& s) { return {source.place, source.turn * s.hang}; }
    static Quat carryOf(const Strand& s) { return s.base.turn * s.felt.turn.conjugate(); }
    /// From the world to the strand's felt world.
    static Vec3 toFelt(const Strand& s, const Vec3& p) { return s.felt.place + carryOf(s).conjugate() * (p - s.base.place); }
    void readGoals(Strand& s, const JointWorlds& worlds, std::vector<Quat>& out) const;
    bool isCut(const Strand& s, const PoseView& goal, const Base& now, const Base& ahead, double dt) const;
    void carryAcross(Strand& s, double dt, const Base& now, const Base& ahead);
    void startGoals(Strand& s);
    bool bodiesAreQuick(double dt) const;
    void readPlaces(const PoseView& pose);
    void meetOthers(int frame);
    void blow(const PoseView& pose, bool first);
    void runSubsteps(double dt, int frame);
    /// The base's speed and spin within the frame.
    Speed speedOf(const Strand& s, double u, double dt) const;
    void moveBase(Strand& s, double u, double dt, bool last);
    void pullLinks(const Strand& s, int frame, double u0, double u1, double dt);
    void moveGoals(Strand& s, const Hermite& at, double h);
    void findReachable();
    void allowDepths(const PoseView& pose, double decay);
    void findAllowing(Strand& s);
    void passAllowances(double u);
    double pushedShare(const PoseView& pose) const;
    void placeBodies(double u, double dt);
    void moveBodies(const Strand& s);
    void movePins(double u, double dt);

    ResolvedPtr m_settings;
    scene::Placement m_placement;
    const rig::Skeleton& m_skeleton;
    double m_height, m_metres;
    std::vector<int> m_joints;
    std::vector<Strand> m_strands;
    std::vector<std::vector<std::size_t>> m_batchStrands;
    JointWorlds m_worlds, m_nextWorlds;
    Anchors m_anchors;
    FeltSource m_source;
    Base m_sourceNow;  // at the pose last stepped to
    Cuts::Step m_sourceStep;
    std::vector<Ridden> m_colliders;
    std::vector<physics::Body> m_standing;  // the same as bodies, at the pose last stepped to
    std::vector<Posed> m_posed;
    std::vector<Held> m_pins;
    Air m_air;
    Cuts m_cuts;
    bool m_meets = false;
    bool m_feltByLink = false;  // shares of travel and turn differ along the strand
    std::vector<physics::StrandBatch> m_batches;
    double m_dt = 0;
    int m_tunedAt = -1;
    int m_substeps = 0;
    std::size_t m_probeStrand = 0, m_probe = 0;  // the link whose end is watched
};

/// How far from its base a strand may get, in lengths of its own: stretched, and as thick as it becomes.
double reachOf(const scene::Resolved& settings);

/// How many links of other strands each strand looks out for, when they meet one another.
inline constexpr std::size_t kNeighbours = 4;

}  // namespace nutatio::layers::strand
