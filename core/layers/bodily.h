// The facet of kinds that move a body as a whole.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers {

/// A segment of a body that is simulated as a whole, in its joint's own axes, turned with it and not scaled [units of the world
/// of its actor]: from a to b, as thick as radius all along; or, where it has any, between its corners.
struct Volume {
    int joint = rig::kNoJoint;
    Vec3 a = Vec3::Zero(), b = Vec3::Zero();
    double radius = 0;
    std::vector<Vec3> corners;
};

struct Bodily {
    /// The segments of what a layer moves, to be looked at.
    std::vector<Volume> (*volumes)(const rig::Actor&, const scene::Layer&) = nullptr;
    bool acts = false;  // it carries out layers of kinds that are acts
};

/// Whether layers of a kind carry out acts.
inline bool actsOut(const LayerKind& kind) {
    return kind.body && kind.body->acts;
}

}  // namespace nutatio::layers
