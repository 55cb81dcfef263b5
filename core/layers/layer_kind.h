// What a layer kind is, and the movers a simulated layer is made of.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/cancel.h"
#include "layers/told.h"
#include "rig/parts.h"
#include "rig/track.h"
#include "scene/scene.h"

namespace nutatio::rig {
struct Region;
}

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
    /// Frame of the shot whose settings, cuts and other actors hold.
    int frame() const { return m_frame; }
    double time() const { return m_time; }

  private:
    const rig::Track* m_track = nullptr;
    int m_frame = 0;
    double m_time = 0;
    std::span<const Xform> m_locals;
};

using RegionPtr = std::shared_ptr<const rig::Region>;
using ResolvedPtr = std::shared_ptr<const scene::Resolved>;

/// What a layer may read beside its input motion, settings resolved for the shot.
struct LayerContext {
    /// Another actor: its joints, where it stands, and how it moves below this layer.
    struct Other {
        std::string_view id;
        const rig::Actor* actor = nullptr;
        const rig::Track* track = nullptr;
        scene::Placement placement;
    };
    struct Body {
        const scene::Collider* collider;
        ResolvedPtr settings;
    };
    struct Blow {
        const scene::Wind* wind;
        ResolvedPtr settings;
    };
    struct Hold {
        const scene::Pin* pin;
        ResolvedPtr settings;
    };
    /// What a body is to do for a while: a layer of a kind that is an act.
    struct Act {
        const scene::Layer* layer;
        ResolvedPtr settings;
        std::vector<scene::Interval> spans;  // [s]; none: all through
        scene::Curve share;                  // by frame: strength within its spans, eased
    };
    /// Another layer of its kind, on another actor, that is solved together with it: as that one would be run.
    struct Fellow {
        std::shared_ptr<const LayerContext> context;
        std::shared_ptr<const rig::Track> track;  // of its actor, below it
        bool below = false;                       // it stands lower in the stack
    };
    const rig::Actor& actor;
    const scene::Layer& layer;
    ResolvedPtr settings;
    scene::Placement placement{};
    std::vector<Body> colliders{};  // switched on, with something to ride on
    std::vector<Blow> winds{};      // switched on, blowing on this layer
    std::vector<Hold> pins{};       // switched on, holding joints of this actor
    std::vector<Other> others{};
    std::map<std::string_view, RegionPtr> regions{};          // of the surface, by the row that names them; those that there are
    std::vector<int> cuts{};                                  // frames at which the motion begins anew
    double period = 0;                                        // [s] of a shot that loops; 0: it does not
    bool onward = false;                                      // it does but for the way that the body goes, lap after lap
    bool closes = false;                                      // then: what is simulated is to end as it begins
    std::vector<scene::Interval> spans{};                     // of the layer in the shot [s], where its kind reads them
    std::vector<Act> acts{};                                  // of the body, the lowest first
    std::vector<Fellow> fellows{};                            // in the order of the stack
    std::shared_ptr<const scene::Seal> seal{};                // what of the layer is kept as it is
    bool unfolds = false;                                     // the last frame is now: a hand makes what comes after it
    std::map<std::string, ResolvedPtr, std::less<>> apart{};  // of target joints that are set apart from the rest

    /// The region that a row names; null where it names none that there is.
    const rig::Region* region(std::string_view row) const {
        const auto at = regions.find(row);
        return at == regions.end() ? nullptr : at->second.get();
    }
    /// What holds for one of the layer's target joints.
    const ResolvedPtr& settingsOf(std::string_view joint) const {
        const auto at = apart.find(joint);
        return at == apart.end() ? settings : at->second;
    }
    /// And for any joint that hangs on one.
    const ResolvedPtr& settingsAt(int joint) const;

    /// Alone: a layer of an actor at its plain values, with nothing round it.
    static LayerContext bare(const rig::Actor& actor, const scene::Layer& layer);
};

/// The settings of what a layer sets apart, from those of the rest.
std::map<std::string, ResolvedPtr, std::less<>> apartOf(const scene::Layer& layer, const ResolvedPtr& settings);

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

/// A joint that a layer moves, and its place from root (0) to tip (1) for profiles.
struct Moved {
    int joint = rig::kNoJoint;
    double along = 0;
};

/// What a kind is put on.
enum class Takes { Chains, Joints, Map, Body };

/// What a layer made of a shot: the columns that it replaced, and what it tells of it.
struct Filtered : Told {
    std::vector<std::pair<int, rig::Column>> joints;
    std::vector<rig::PatchPtr> patches;  // what the layer alone moves, to be added to what others do
    std::vector<rig::MorphColumnPtr> morphs;
};

/// A segment of a body that is simulated as a whole, in its joint's own axes, turned with it and not scaled [units of the world
/// of its actor]: from a to b, as thick as radius all along; or, where it has any, between its corners.
struct Volume {
    int joint = rig::kNoJoint;
    Vec3 a = Vec3::Zero(), b = Vec3::Zero();
    double radius = 0;
    std::vector<Vec3> corners;
};

struct ByHand;
struct Feel;
struct Showing;

/// One kind of layer: all that other code wants to know of it. A kind has either movers or a filter.
struct LayerKind {
    std::string_view id;
    std::string_view label;
    std::string_view help;
    std::string_view glyph;  // strokes in a square of 24, as an SVG path
    Takes takes = Takes::Joints;
    scene::Table settings;
    /// What stands in the way of running the layer, in one sentence; nothing when it can run.
    std::optional<std::string> (*problem)(const rig::Actor&, const scene::Layer&);
    /// Joints that a layer without problem moves.
    std::vector<Moved> (*moves)(const rig::Actor&, const scene::Layer&);
    /// Simulated kinds: movers for a layer without problem, laid out from pose `rest`.
    Movers (*movers)(const LayerContext&, const PoseView& rest) = nullptr;
    /// Filters: the whole shot at once, from the motion below.
    Filtered (*filter)(const LayerContext&, const rig::Track& below, const Cancel&) = nullptr;
    /// A filter while somebody pulls the actor about: changes `locals`, which are the pose below.
    void (*live)(const LayerContext&, const PoseView& pose, std::vector<Xform>& locals) = nullptr;
    /// One that needs the motion to it: how much of the past [s], over which it is run then, its newest frame shown. Null, where
    /// there is no `live` either: it stands aside.
    double (*remembers)(const scene::Resolved&, double fps) = nullptr;
    /// What came of what was asked, measured of the motion below and above the layer, in a few words; empty where the motion does
    /// not tell. Null: the kind is measured by a push.
    std::string (*measured)(const LayerContext&, const rig::Track& below, const rig::Track& above) = nullptr;
    /// Joints that a layer makes swing as chains: colliders that were fitted to them stand aside. Null: none.
    std::vector<int> (*swings)(const rig::Actor&, const scene::Layer&) = nullptr;
    /// Of a kind whose layers are posed by hand. Null: they are not.
    const ByHand* byHand = nullptr;
    /// Morph targets whose weights a layer, as it is set in a shot, makes of those below. Null: none. What a layer adds to the
    /// places of vertices need not be told: nobody reads that on the way up.
    std::vector<rig::MorphId> (*morphs)(const rig::Actor&, const scene::Resolved&) = nullptr;
    /// Joints that a layer without problem looks at beside those that it moves, and those about them. Null: none.
    std::vector<int> (*reads)(const rig::Actor&, const scene::Layer&) = nullptr;
    /// What its layers show of themselves on the stage. Null: nothing of their own.
    const Showing* showing = nullptr;
    /// The segments of what a layer simulates, to be looked at. Null: it has none.
    std::vector<Volume> (*volumes)(const rig::Actor&, const scene::Layer&) = nullptr;
    /// What the Tuner calls a joint that a layer sets apart from the rest, and how it is chosen.
    struct PartWords {
        std::string_view heading = "One part of the body", name = "Part of the body that is set apart",
                         how = "Or click it on the stage. What hangs on it goes along, unless it is set apart itself.";
    };
    PartWords part{};
    /// What a person should know of a layer that was just put on. Null: nothing.
    std::string (*added)(const rig::Actor&, const scene::Layer&) = nullptr;
    /// It carries a body over the ground.
    bool goes = false;
    /// Joints for which a row counts that has a value for each of them. Null: those that the layer moves.
    std::vector<int> (*concerned)(const rig::Actor&, const scene::Layer&, std::string_view row) = nullptr;
    /// It moves nothing by itself: a layer of a kind that acts carries it out.
    bool isAct = false;
    /// The choice that tells what a layer of the kind does, shown beside its name: there are several alike. Empty: the name is
    /// enough.
    std::string_view sort = {};
    bool acts = false;
    /// Whether a layer, as it is set in a shot, moves others of its kind on other actors that are set so, and is moved by them.
    /// Null: none does.
    bool (*joins)(const scene::Resolved&) = nullptr;
    /// What it makes depends on its own intervals, beyond where it shows.
    bool readsSpans = false;
    /// It meets bodies, wind and pins.
    bool meets = false;
    /// The only bodies that a layer looks at, by id, where its kind is put onto some; null: it meets all that are in reach.
    std::vector<std::string> (*onto)(const scene::Resolved&) = nullptr;
    /// How far its joints may get from where they hang [units], 0: it meets nothing. Bodies farther away cannot matter.
    double (*reach)(const rig::Actor&, const scene::Layer&, const scene::Resolved&) = nullptr;
    /// Wind moves it, whether or not it meets bodies.
    bool blown = false;
    /// Sorts of parts that it is offered for.
    std::span<const rig::Sort> suits{};
    /// Feels that ship with it. Null: none.
    std::vector<Feel> (*feels)() = nullptr;

    const scene::SettingSpec* setting(std::string_view wanted) const { return scene::findRow(settings, wanted); }
    const scene::SettingSpec* setting(scene::Role role) const { return scene::findRow(settings, role); }
    /// Id of the setting that says which joints it acts on.
    std::string_view target() const { return setting(scene::Role::Target)->id; }
};

}  // namespace nutatio::layers
