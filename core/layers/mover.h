// The facet of simulated kinds: movers, which the track function, seals, loops, the Scope and Tug all step.
#pragma once

#include "layers/layer_context.h"
#include "layers/told.h"

namespace nutatio::layers {

/// All that a mover carries from one step to the next: numbers whose meaning is the mover's own.
using State = std::vector<double>;

/// One independently moving piece of a simulated layer. Live and baked motion both go through start and step.
class Mover {
  public:
    virtual ~Mover() = default;
    /// Joints whose local transforms `write` gives; may be none.
    virtual const std::vector<int>& joints() const = 0;
    /// Lays the mover along `pose`; `next`, one `dt` [s] later, tells how the body moves.
    virtual void start(double dt, const PoseView& pose, const PoseView& next) = 0;
    /// Moves on by `dt` to body pose `goal`. `next` is the pose one dt after it and shapes the speed at the end; `goal` again
    /// when unknown.
    virtual void step(double dt, const PoseView& goal, const PoseView& next) = 0;
    /// Local transforms of joints(), as many as there are, for the pose last stepped to.
    virtual void write(const PoseView& goal, std::span<Xform> out) const = 0;

    /// Vertices that it moves beside joints or in place of them: patches without offsets, none twice.
    virtual std::span<const rig::Patch> surfaces() const { return {}; }
    /// Offsets of one of surfaces() [units of the mesh, in bind space], as many as it has vertices, for the pose last stepped to.
    /// They are added to what other layers do.
    virtual void writeSurface(const PoseView& /*goal*/, std::size_t /*surface*/, std::span<Vec3f> /*out*/) const {}

    /// What it carries from the pose last stepped to beyond what that pose tells.
    virtual State state() const = 0;
    /// Goes on from a state: a mover of the same layer that was started at the same pose, with the same one ahead, makes the same
    /// bits from there on. Numbers may have been altered meanwhile, as who closes a loop does: turns are made unit again and
    /// places follow from them. Expects as many numbers as state() gives.
    virtual void setState(const State& state) = 0;
    /// How many of the first of those numbers vary as the motion does; those behind them are guesses to begin a step with, which
    /// nobody should reckon with.
    virtual std::size_t smooth() const { return static_cast<std::size_t>(-1); }

    /// A hand has hold of a joint and pulls it to a place in the actor's world [units], or has let go; the body below is pulled
    /// besides. For movers that go where they fall, whatever the body below does.
    virtual void pull(int /*joint*/, const std::optional<Vec3>& /*to*/) {}

    /// What a person should know of how it went, a sentence each; asked for after the last step.
    virtual std::vector<std::string> remarks() const { return {}; }
    /// What came of the acts that it carried out; asked for after the last step.
    virtual std::vector<Came> came() const { return {}; }

    /// The point whose answer the Scope shows [units], where the body alone would have it, and the lever that turns its
    /// way into an angle (0: it answers by moving, not by turning).
    /// Of a joint of the mover, or the end beyond it, when `watch` was told of one.
    virtual Vec3 probe() const = 0;
    virtual Vec3 probeGoal() const = 0;
    virtual double probeLever() const = 0;
    /// Makes `joint` the one that is watched; false when the mover does not move it.
    virtual bool watch(int joint) = 0;
};

using Movers = std::vector<std::unique_ptr<Mover>>;

struct Simulated {
    /// Movers for a layer without problem, laid out from pose `rest`.
    Movers (*movers)(const LayerContext&, const PoseView& rest) = nullptr;
    /// Joints that a layer makes swing as chains: colliders that were fitted to them stand aside. Null: none.
    std::vector<int> (*swings)(const rig::Actor&, const scene::Layer&) = nullptr;
    /// Whether a layer, as it is set in a shot, moves others of its kind on other actors that are set so, and is moved by them.
    /// Null: none does.
    bool (*joins)(const scene::Resolved&) = nullptr;
};

}  // namespace nutatio::layers
