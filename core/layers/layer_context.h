// What a layer may read: the body's pose at an instant, and all that stands about it in a shot.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "layers/deed.h"
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
        Doing doing;
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
    const rig::Track* body = nullptr;                 // the motion below all layers, where its kind reads that; may be null
    const rig::Track* surface = nullptr;              // whose moved vertices and morphs bend the own surface, where a
                                                      // mount stands on it; null: it stands as in the rest pose
    std::map<std::string_view, RegionPtr> regions{};  // of the surface, by the row that names them; those that there are
    std::vector<int> cuts{};                          // frames at which the motion begins anew
    double period = 0;                                // [s] of a shot that loops; 0: it does not
    bool onward = false;                              // it does but for the way that the body goes, lap after lap
    int lap = 0;                                      // [frames] after which it does either; 0: it does not
    bool closes = false;                              // then: what is simulated is to end as it begins
    std::vector<scene::Interval> spans{};             // of the layer in the shot [s], where its kind reads them
    std::vector<Act> acts{};                          // of the body, the lowest first
    std::vector<Fellow> fellows{};                    // in the order of the stack
    std::shared_ptr<const scene::Seal> seal{};        // what of the layer is kept as it is
    bool unfolds = false;                             // the last frame is now: a hand makes what comes after it
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

}  // namespace nutatio::layers
