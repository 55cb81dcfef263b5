// How a part moves against the body over the whole shot: the Scope's second face.
#pragma once

#include <vector>

#include "layers/layer_kind.h"
#include "rig/track.h"

namespace nutatio::measure {

/// Both along the line that the watched point goes along most when the body alone moves it [units], about their means.
struct InShot {
    std::vector<float> body, part;  // one value a frame
    double lagFrames = 0;           // how much later the part does what the body did
    double ratio = 0;               // size of the part's motion against the body's
    double likeness = 0;            // correlation at that lag: below about 0.5 the two have little to do with each other
    bool moves = false;             // the body moves the point at all
};

/// Watches the joint end that the layer moves farthest. Lag by cross-correlation, between frames by a parabola through its peak;
/// round the loop when the shot closes.
InShot inShot(const rig::Actor& actor, const rig::Track& below, const rig::Track& above);

/// The lag alone, of two signals of the same length. Looks at most a third of them to either side.
double lagOf(const std::vector<float>& leader, const std::vector<float>& follower, bool loops, double* likeness = nullptr);

/// What a filter says came of what was asked of it in the shot on show, from the motion below and above it; empty where its kind
/// says nothing or the motion does not tell.
std::string askedAndGot(const layers::LayerKind& kind, const scene::Scene& scene, const scene::ActorEntry& actor,
                        const scene::Layer& layer, layers::ResolvedPtr settings, const rig::Track& below,
                        const rig::Track& above);

}  // namespace nutatio::measure
