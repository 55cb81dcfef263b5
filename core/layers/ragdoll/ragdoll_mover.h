// The mover of a Ragdoll layer: its body, and those of other actors that it moves together with.
#pragma once

#include "layers/ragdoll/ragdoll_body.h"

namespace nutatio::layers::ragdoll {

/// Bodies that meet are solved as one, so that each moves the others by what it weighs. The layer of each solves all of them,
/// lowest in the stack first, to the same bits, and shows its own.
class RagdollMover final : public Mover {
  public:
    explicit RagdollMover(const LayerContext& context);

    const std::vector<int>& joints() const override { return own().joints(); }
    void start(double dt, const PoseView& pose, const PoseView& next) override;
    void step(double dt, const PoseView& goal, const PoseView& next) override;
    void write(const PoseView& goal, std::span<Xform> out) const override { own().write(goal, out); }
    State state() const override;
    void setState(const State& state) override;
    std::size_t smooth() const override { return m_all->smooth(); }
    std::vector<std::string> remarks() const override;
    std::vector<Came> came() const override { return own().came(); }
    Vec3 probe() const override { return own().probe(); }
    Vec3 probeGoal() const override { return own().probeGoal(); }
    double probeLever() const override { return own().probeLever(); }
    void pull(int joint, const std::optional<Vec3>& to) override { m_bodies[m_own].body->pull(joint, to); }
    bool watch(int joint) override { return m_bodies[m_own].body->watch(joint); }

  private:
    struct One {
        std::unique_ptr<RagdollBody> body;
        const rig::Track* track = nullptr;  // of a fellow
        RagdollBody::Way way = RagdollBody::Way::Solved;
    };
    const RagdollBody& own() const { return *m_bodies[m_own].body; }
    static PoseView seenBy(const One& one, const PoseView& pose);
    /// Into how many a substep is parted, as quick as the body is: it goes no farther in one than it is thick.
    int quickened() const;
    double substepOf(double dt) const;
    void placeSurfaces(double u, double dt);
    void standAt(double u, std::vector<Vec3>& places, std::vector<Quat>& turns) const;
    void allowPoses(bool begins, double dt);

    std::vector<One> m_bodies;
    std::size_t m_own = 0;
    std::optional<physics::Articulated> m_all;
    std::vector<std::string> m_remarks;
    std::vector<Vec3> m_places, m_placesWere;
    std::vector<Quat> m_turns, m_turnsWere;
};

}  // namespace nutatio::layers::ragdoll
