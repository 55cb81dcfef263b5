// The Scene value: roster and stack. Copying it is cheap; an edit makes a new one.
#pragma once

#include <memory>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "rig/track.h"
#include "scene/setting.h"

namespace nutatio::scene {

/// Keys of a scene file that this version does not know; written back as they were.
using Unknown = nlohmann::ordered_json;

struct ActorEntry {
    std::string id;
    std::string name;
    std::string file;  // path as given or found; written relative to the scene file
    std::string clip;  // reference of the clip that plays; empty: the rest pose
    std::shared_ptr<const rig::Actor> actor;
    Unknown unknown;

    /// Index of the playing clip, -1 for the rest pose.
    int clipIndex() const { return actor->findClip(clip); }
};

enum class Shape { Sphere, Capsule, Plane };
std::string_view shapeName(Shape shape);
/// False when `name` is no shape's.
bool shapeFromName(std::string_view name, Shape& shape);

/// A body that strands keep clear of, riding on a joint. Lengths in the actor's units, whatever scale the joint has.
struct Collider {
    std::string id;
    std::string name;
    std::string actor;
    std::string joint;  // reference
    Shape shape = Shape::Sphere;
    double radius = 0.1;
    double length = 0.2;    // capsule: between its two centres, along its own y
    Vec3 offset{0, 0, 0};   // centre, in the joint's axes
    Vec3 turnDeg{0, 0, 0};  // rotation vector of its own axes in the joint's [deg]; a plane faces its own +y
    bool on = true;
    Unknown unknown;
};

struct Layer {
    std::string id;
    std::string kind;
    std::string name;
    std::string actor;
    bool muted = false;
    bool solo = false;
    Values values;
    Unknown unknown;

    double number(std::string_view setting) const;
    const std::string& text(std::string_view setting) const;
    const std::vector<std::string>& list(std::string_view setting) const;
};

struct Scene {
    double fps = 24;
    std::vector<ActorEntry> actors;
    std::vector<Collider> colliders;
    std::vector<Layer> layers;  // the stack, bottom first
    Unknown unknown;

    const ActorEntry* actor(std::string_view id) const;
    const Layer* layer(std::string_view id) const;
    Layer* layer(std::string_view id);
    const Collider* collider(std::string_view id) const;
    Collider* collider(std::string_view id);
    /// Whether a layer acts: not muted, and soloed when any layer of the stack is.
    bool acts(const Layer& layer) const;
    /// An id that nothing in the scene has yet, made from `stem`.
    std::string freshId(std::string_view stem) const;
    /// The shot: long enough for the longest playing clip; two seconds when nothing plays. `actor` gives the start time.
    rig::FrameGrid grid(const ActorEntry& actor) const;
};

inline constexpr double kStillSeconds = 2;

/// A collider laid on `joint` in the rest pose: round it, along the way to its child, or a plane facing up through it.
Collider newCollider(const Scene& scene, const ActorEntry& actor, int joint, Shape shape);

}  // namespace nutatio::scene
