// The Scene value: roster and stack. Copying it is cheap; an edit makes a new one.
#pragma once

#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "rig/track.h"
#include "rig/trial.h"
#include "scene/setting.h"

namespace nutatio::scene {

/// What a scene file says and this version does not know; written back as it was. May be null: nothing.
using Unknown = std::shared_ptr<const nlohmann::ordered_json>;

struct ActorEntry {
    std::string id;
    std::string name;
    std::string file;  // path as given or found; written relative to the scene file
    std::string clip;  // reference of the clip that plays; empty: the rest pose
    std::shared_ptr<const rig::Actor> actor;
    rig::Trial trial;  // replaces the clip while it is on; never saved
    Unknown unknown;

    /// Index of the playing clip, -1 for the rest pose.
    int clipIndex() const { return actor->findClip(clip); }
    bool onTrial() const { return !trial.move.empty(); }
    /// The pose a trial starts from: where the clip begins, or the rest pose.
    std::vector<Xform> stand() const;
};

enum class Shape { Sphere, Capsule, Box, Plane };
std::string_view shapeName(Shape shape);
/// False when `name` is no shape's.
bool shapeFromName(std::string_view name, Shape& shape);

/// A body that strands keep clear of, riding on a joint or standing in the world. Lengths in the actor's units, whatever scale
/// the joint has.
struct Collider {
    std::string id;
    std::string name;
    std::string actor;  // empty: it stands in the world
    std::string joint;  // reference
    Shape shape = Shape::Sphere;
    double radius = 0.1;
    double radiusEnd = 0.1;    // of a capsule, at its end along its own +y
    double length = 0.2;       // capsule: between its two centres, along its own y
    Vec3 size{0.2, 0.2, 0.2};  // of a box, from side to side
    Vec3 offset{0, 0, 0};      // centre, in the joint's axes
    Vec3 turnDeg{0, 0, 0};     // rotation vector of its own axes in the joint's [deg]; a plane faces its own +y
    double friction = 0.2;     // Coulomb's coefficient: 0 ice, 1 rubber
    bool on = true;
    bool fitted = false;  // made from the mesh: it stands aside where a strand swings the joint it rides on
    Unknown unknown;
};

/// Moving air. Lengths in metres, so that it means the same to every actor.
struct Wind {
    std::string id;
    std::string name;
    Vec3 place{0, 1, 0};
    Vec3 direction{1, 0, 0};  // unit: where it blows to
    double speed = 3;         // [m/s]
    double gustRate = 0.5;    // [1/s]
    double gustShare = 0.4;   // how much of the speed comes and goes
    double swirlSize = 0.5;   // of its turbulence [m]
    double swirlShare = 0.3;  // turbulence against the speed
    double reach = 0;         // [m] from its place; 0: everywhere
    double falloff = 0.5;     // share of the reach over which it dies away
    double seed = 1;
    bool on = true;
    std::vector<std::string> layers;  // ids of those it blows on; empty: all
    Unknown unknown;
};

/// Holds a joint of a strand, or the end beyond it, to a joint of any actor or to a place in the world.
struct Pin {
    std::string id;
    std::string name;
    std::string actor;  // whose joint is held
    std::string joint;
    bool end = false;     // the end beyond the joint is held, not the joint
    std::string toActor;  // empty: the world
    std::string toJoint;
    Vec3 offset{0, 0, 0};  // in the axes of what it is held to [units]
    double strength = 1;
    Keys strengthKeys;
    bool on = true;
    Unknown unknown;

    double strengthAt(double frame) const { return strengthKeys.empty() ? strength : keyedAt(strengthKeys, frame); }
};

struct Layer {
    std::string id;
    std::string kind;
    std::string name;
    std::string actor;
    bool muted = false;
    bool solo = false;
    Values values;
    std::map<std::string, Keys, std::less<>> keys;         // by setting; a keyed one's plain value rests
    std::map<std::string, Profile, std::less<>> profiles;  // by setting
    Unknown unknown;
    /// What a newer version said of its settings and this one cannot use. It goes back into the file, a value as long as the one
    /// that stands in for it is left alone.
    struct Idle {
        Unknown value;
        std::optional<Value> standIn;
    };
    std::map<std::string, Idle, std::less<>> idleValues;
    std::map<std::string, Keys, std::less<>> idleKeys;
    std::map<std::string, Profile, std::less<>> idleProfiles;

    double number(std::string_view setting) const;
    /// The number at a frame of the shot, keys counted, and at a place from root to tip, profile counted.
    double numberAt(std::string_view setting, double frame) const;
    double numberAt(std::string_view setting, double frame, double place) const;
    /// The layer as its keys have it at one frame, with none left.
    Layer heldAt(double frame) const;
    /// Sets a number for a frame: a key there where the setting has keys, else its plain value.
    void setNumber(std::string_view setting, double frame, double value);
    /// The least and the greatest that the number comes to within the shot.
    std::pair<double, double> span(std::string_view setting) const;
    const std::string& text(std::string_view setting) const;
    const std::vector<std::string>& list(std::string_view setting) const;
};

/// An entry of a scene file that could not be understood, or whose file could not be read: kept for the next saving.
struct Unread {
    std::string list;  // "actors", "colliders" ...
    std::string id;    // so that nothing new takes it
    Unknown entry;
    std::string file;  // absolute path of the file it names, if any
    std::string why;   // one sentence
};

struct Scene {
    double fps = 24;
    std::vector<ActorEntry> actors;
    std::vector<Collider> colliders;
    std::vector<Wind> winds;
    std::vector<Pin> pins;
    std::vector<int> cuts;      // frames (0: the first) at which the motion begins anew; in order
    std::vector<Layer> layers;  // the stack, bottom first
    std::vector<Unread> unread;
    Unknown unknown;

    const ActorEntry* actor(std::string_view id) const;
    const Layer* layer(std::string_view id) const;
    Layer* layer(std::string_view id);
    const Collider* collider(std::string_view id) const;
    Collider* collider(std::string_view id);
    const Wind* wind(std::string_view id) const;
    Wind* wind(std::string_view id);
    const Pin* pin(std::string_view id) const;
    Pin* pin(std::string_view id);
    /// Whether a layer acts: not muted, and soloed when any layer of the stack is.
    bool acts(const Layer& layer) const;
    /// An id that nothing in the scene has yet, made from `stem`.
    std::string freshId(std::string_view stem) const;
    /// The actor's frames: its clip's own, as it is baked; without a clip as long as the longest one that plays, or two seconds.
    rig::FrameGrid grid(const ActorEntry& actor) const;
};

inline constexpr double kStillSeconds = 2;

/// A wind beside `actor`, calm enough to tune from.
Wind newWind(const Scene& scene, const ActorEntry& actor);
/// A pin that holds `joint` where `world`, its joints' transforms, has it.
Pin newPin(const Scene& scene, const ActorEntry& actor, int joint, const std::vector<Affine>& worlds);

/// A collider laid on `joint` in the rest pose: round it, along the way to its child, or a plane facing up through it.
Collider newCollider(const Scene& scene, const ActorEntry& actor, int joint, Shape shape);

}  // namespace nutatio::scene
