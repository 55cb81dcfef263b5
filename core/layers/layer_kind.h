// What a layer kind is, and the parts a simulated layer is made of.
#pragma once

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/cancel.h"
#include "rig/track.h"
#include "scene/scene.h"

namespace nutatio::layers {

/// The body at one instant: one frame of a track, or an array of local transforms. Borrows what it looks at.
class PoseView {
  public:
    /// `time` [s] runs on through pre-roll and loops; frame 0 of the shot has time 0.
    PoseView(const rig::Track& track, int frame, double time) : m_track(&track), m_frame(frame), m_time(time) {}
    PoseView(const rig::Track& track, int frame) : PoseView(track, frame, frame / track.grid().fps) {}
    /// A pose from elsewhere (a tug, a measurement), at a moment of the shot.
    explicit PoseView(std::span<const Xform> locals, int frame = 0, double time = 0)
        : m_frame(frame), m_time(time), m_locals(locals) {}
    const Xform& local(int joint) const {
        return m_track ? m_track->at(joint, m_frame) : m_locals[static_cast<std::size_t>(joint)];
    }
    /// Frame of the shot whose keys, cuts and other actors hold.
    int frame() const { return m_frame; }
    double time() const { return m_time; }

  private:
    const rig::Track* m_track = nullptr;
    int m_frame = 0;
    double m_time = 0;
    std::span<const Xform> m_locals;
};

/// What a layer may read beside its input motion.
struct LayerContext {
    /// Another actor: its joints, and how its body moves. Strands meet bodies, not what layers add to them elsewhere, so that no
    /// two actors can wait for each other.
    struct Other {
        std::string_view id;
        const rig::Actor* actor = nullptr;
        const rig::Track* body = nullptr;
    };
    const rig::Actor& actor;
    const scene::Layer& layer;
    std::vector<const scene::Collider*> colliders{};  // switched on, with a joint to ride on
    std::vector<const scene::Wind*> winds{};          // switched on, blowing on this layer
    std::vector<const scene::Pin*> pins{};            // switched on, holding joints of this actor
    std::vector<Other> others{};
    std::vector<int> cuts{};  // frames at which the motion begins anew
    double period = 0;        // [s] of a shot that loops; 0: it does not
};

/// One independently moving part of a simulated layer. Live and baked motion both go through start and step.
class Part {
  public:
    virtual ~Part() = default;
    /// Joints whose local transforms `write` gives.
    virtual const std::vector<int>& joints() const = 0;
    /// Lays the part along `pose`; `next`, one `dt` [s] later, tells how the body moves.
    virtual void start(double dt, const PoseView& pose, const PoseView& next) = 0;
    /// Moves on by `dt` to body pose `goal`. `next` is the pose one dt after it and shapes the speed at the end; `goal` again
    /// when unknown.
    virtual void step(double dt, const PoseView& goal, const PoseView& next) = 0;
    /// Local transforms of joints(), as many as there are, for the pose last stepped to.
    virtual void write(const PoseView& goal, std::span<Xform> out) const = 0;

    /// What a person should know of how it went, a sentence each; asked for after the last step.
    virtual std::vector<std::string> remarks() const { return {}; }

    /// The point whose answer the Scope shows [units], where the body alone would have it, and the lever that turns its
    /// way into an angle (0: it answers by moving, not by turning).
    /// Of a joint of the part, or the end beyond it, when `watch` was told of one.
    virtual Vec3 probe() const = 0;
    virtual Vec3 probeGoal() const = 0;
    virtual double probeLever() const = 0;
    /// Makes `joint` the one that is watched; false when the part does not move it.
    virtual bool watch(int joint) = 0;
};

using Parts = std::vector<std::unique_ptr<Part>>;

/// One kind of layer: its words, its table, and how its parts are made.
struct LayerKind {
    std::string_view id;
    std::string_view label;
    std::string_view help;
    std::string_view target;  // id of the setting that says which joints it acts on
    std::span<const scene::SettingSpec> settings;
    /// What stands in the way of running the layer, in one sentence; nothing when it can run.
    std::optional<std::string> (*problem)(const rig::Actor&, const scene::Layer&);
    /// Parts for a layer without problem, laid out from pose `rest`.
    Parts (*parts)(const LayerContext&, const PoseView& rest);
    /// Joints that a layer makes swing as chains: colliders that were fitted to them stand aside. Null: none.
    std::vector<int> (*swings)(const rig::Actor&, const scene::Layer&) = nullptr;

    const scene::SettingSpec* setting(std::string_view id) const;
};

}  // namespace nutatio::layers
