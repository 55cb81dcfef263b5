// What a shot's items are to its layers: resolved once, and given to each layer that they concern.
#pragma once

#include <map>
#include <string>

#include "base/hash.h"
#include "layers/layer_kind.h"

namespace nutatio::pipeline {

/// Nothing where there is no such actor or joint, or no surface for a spot.
std::optional<scene::MountOn> found(const scene::Scene& scene, const scene::Mount& mount);

/// A body as it stands in a shot, with the key of all that a layer could see of it.
struct BodyOfShot {
    layers::LayerContext::Body body;
    std::string of{};       // id of the actor whose layers alone meet it; empty: all do
    std::size_t above = 0;  // and of those the ones that stand higher in the stack than this place
    scene::MountOn on;
    Vec3 middle = Vec3::Zero();  // in the joint's axes, where that is the same all through the shot [units of its actor, or m]
    double farthest = 0;         // of any point of it from there; 0: it has no end
    Key key;
    /// What follows from its settings.
    void settle();
};

/// Items that are switched on and stand somewhere, with the key of all that a layer could see of each.
struct ItemsOfShot {
    using Body = BodyOfShot;
    struct Wind {
        layers::LayerContext::Blow blow;
        Key key;
        void settle();
    };
    struct Pin {
        layers::LayerContext::Hold hold;
        int joint = rig::kNoJoint;
        scene::MountOn to;
        Key key;
        void settle();
    };
    std::vector<Body> colliders;
    std::vector<Wind> winds;
    std::vector<Pin> pins;
    std::vector<std::shared_ptr<const scene::Collider>> surfaces;  // of set pieces; among the colliders
    bool anySolo = false;
};
/// What set pieces are set to in a shot, feeds counted, by id.
using PieceSettings = std::map<std::string, layers::ResolvedPtr, std::less<>>;
/// The scene must outlive it. `pieces`: of all set pieces. Colliders that were fitted to a joint which a layer makes swing stand
/// aside.
ItemsOfShot itemsOf(const scene::Scene& scene, const scene::Shot& shot, int frames, const PieceSettings& pieces);

/// Whether a body is there for a layer that meets bodies: the floor that a layer stands on is there for those above it.
bool isThere(const BodyOfShot& body, const scene::Scene& scene, const scene::Layer& layer);

/// Gives a layer all bodies, pins, wind and acts of the shot that concern it, near or far, feeds apart.
void surround(layers::LayerContext& context, const scene::Scene& scene, const scene::Shot& shot, const ItemsOfShot& items,
              int frames);

/// Whether a wind blows on a layer.
bool blowsOn(const scene::Wind& wind, const std::string& layer);

/// An act as the layer that carries it out gets it. `settings`: of that act's layer, in the shot.
layers::LayerContext::Act actOf(const scene::Layer& layer, const layers::LayerKind& kind, layers::ResolvedPtr settings,
                                const scene::Shot& shot, int frames);
/// What a body acts by in a shot, the lowest first, feeds apart. The scene must outlive it.
std::vector<layers::LayerContext::Act> actsOf(const scene::Scene& scene, const scene::Shot& shot, const std::string& actor,
                                              int frames);

}  // namespace nutatio::pipeline
