// How a part answers a push, measured by running it: the Scope's curve and its figures.
#pragma once

#include <optional>
#include <vector>

#include "layers/layer_kind.h"

namespace nutatio::measure {

/// The answer to a step of the body. 0: where the part was; 1: where the body would have it.
struct Response {
    double dt = 0;             // [s] between samples
    std::vector<float> curve;  // from the push on
    double swing = 0;          // [1/s] natural frequency of what was seen; 0 when nothing swung
    double zeta = 0;           // damping ratio of what was seen
    double bounces = 0;        // full swings until within 5 %
    double restTime = 0;       // [s] until it stays within 5 %
    double overshoot = 0;      // share of the step
    double peakTime = 0;       // [s] of that overshoot; 0 without one
    double sag = 0;            // [rad] or [units], by sagIsAngle
    bool sagIsAngle = true;
    int joint = rig::kNoJoint;  // the joint that was asked for, when the layer moves it
    bool settles = true;        // it came to rest within the time looked at
};

/// Measures the part of `layer` that moves `joint`, or its first part at its far end, about body pose `pose` (locals of all
/// joints). Nothing for a layer that cannot run. The push is a step of the whole body to the side, small enough to stay in the
/// springs' straight range; gravity is left out of the curve and measured by itself as sag. Source: two-pole least-squares fit
/// (Prony, 1795) on the late part of the curve.
std::optional<Response> response(const layers::LayerKind& kind, const layers::LayerContext& context,
                                 const std::vector<Xform>& pose, const Cancel& cancel = {}, int joint = rig::kNoJoint);

/// A layer as it is keyed at a frame of the shot on show, with its actor, which stands as the shot begins.
struct HeldLayer {
    scene::ActorEntry actor;
    scene::Layer layer;
    std::vector<Xform> stand;
    /// Borrows from this.
    layers::LayerContext context() const;
};
/// Nothing where there is no such layer, or none that is known.
std::optional<HeldLayer> heldLayer(const scene::Scene& scene, const std::string& layer, int frame);

/// Its response.
std::optional<Response> responseIn(const scene::Scene& scene, const std::string& layer, int frame, const Cancel& cancel = {},
                                   int joint = rig::kNoJoint);

}  // namespace nutatio::measure
