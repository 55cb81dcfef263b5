// What a gauge reads of a shot: one number a frame, in units that mean the same at every frame rate and on every character.
#pragma once

#include <optional>
#include <vector>

#include "base/error.h"
#include "layers/layer_kind.h"
#include "rig/track.h"

namespace nutatio::measure {

/// A joint or a spot of an actor as it moves; without an actor: nothing, or the world.
struct Seen {
    const rig::Actor* actor = nullptr;
    const rig::Track* track = nullptr;
    scene::Placement placement{};
    scene::MountOn on{};

    /// Another joint of the actor.
    Seen at(int other) const { return {actor, track, placement, {other}}; }
};

/// A collider that heights are taken over, and what it rides on.
struct Under {
    layers::ResolvedPtr settings;
    Seen rides;
};

/// All that a gauge looks at.
struct Sight {
    Seen of, to;
    std::vector<Under> over;  // empty: the floor, at height 0
    std::vector<int> cuts;    // frames at which the motion begins anew: no speed is measured across one
    bool round = false;       // the last frame is the first one again
    /// Of the layer's own actor in a clip that walks in place, where the gauge asks for it: how the ground runs [m/s].
    std::optional<Vec3> ground;
};

/// The gauge's reading at each frame in its unit (scene::unitOf; shares as 1 for 100 %). Speeds, turns and accelerations are
/// those of a parabola through the frames about, weighted by a Gaussian (Savitzky and Golay, Anal. Chem. 36, 1964), so that
/// nothing comes late; a frame at a held end takes what there is on its one side. Errors: what it lacks, in a sentence.
Result<scene::Curve> readGauge(const scene::Gauge& gauge, const Sight& sight);

/// Frames at which a curve is highest, that stand out from the dips on both sides by a share of all that the curve spans, ends
/// apart; in order.
std::vector<int> peaksOf(const scene::Curve& curve, double share = 0.1);

/// The one after a frame, or with `way` below 0 the one before it, round and round; `peaks` is not empty.
int nextOf(const std::vector<int>& peaks, int frame, int way);

/// How the ground runs [m/s, level, in the world] below an actor that walks in place: the velocity that most low and level
/// moments of its feet have (mean shift). Nothing where the feet do not tell: an actor that moves on, or that runs.
std::optional<Vec3> groundBelow(const Seen& actor, bool round);

/// The joint that carries all of a body: the lowest that both hips and spine hang on, or the root above `joint`.
int bodyRoot(const rig::Actor& actor, int joint);

}  // namespace nutatio::measure
