// The facet of kinds whose layers are posed by hand: channels for each joint, and handles on the surface.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "layers/layer_kind.h"

namespace nutatio::layers {

/// A handle that carries part of the surface, by hand.
struct HandPoint {
    std::string of;                 // what its channels are of
    Vec3 rest = Vec3::Zero();       // in the rest pose, in the actor's world [units]
    Vec3 offset = Vec3::Zero();     // from there [units]
    int joint = rig::kNoJoint;      // that carries the surface about it
    std::vector<std::size_t> next;  // others that a line leads to
};

/// A joint that is put somewhere by hand.
struct Posing {
    int joint = rig::kNoJoint;
    int frame = 0;
    Affine above;       // the world of its parent [units], as the layer leaves it
    Xform now, wanted;  // its local transform as the layer leaves it, and as it is to be
    bool low = false;   // in the layer's low pose
};

struct ByHand {
    /// Three rows for each joint, <stem>_x, _y, _z: a rotation vector [deg] or a way [heights].
    struct Triple {
        std::string_view stem;
        bool turn = false;
    };
    std::span<const Triple> triples;
    std::string_view axes;      // row that says whose axes the channels are in: own, parent or world
    std::string_view heldBack;  // row for each joint: how little of the layer there is on it
    std::string_view weight;    // row for each morph target: what is added to its weight
    std::string_view carried;   // stem of three rows for each handle: how far it is carried [heights]
    /// Channels with the values that put a joint where it is wanted at a frame.
    std::vector<std::pair<std::string, double>> (*values)(const LayerContext&, const Posing&) = nullptr;
    /// Handles of a layer with a region, in a frame.
    std::vector<HandPoint> (*points)(const LayerContext&, int frame) = nullptr;
};

}  // namespace nutatio::layers
