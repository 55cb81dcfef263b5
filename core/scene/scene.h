// The Scene value: roster, stack and shots. Copying it is cheap; an edit makes a new one.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/shared.h"
#include "base/shared_list.h"
#include "rig/line.h"
#include "rig/prepare.h"
#include "rig/track.h"
#include "rig/trial.h"
#include "scene/mount.h"
#include "scene/tuned.h"

namespace nutatio::scene {

/// A named set of joints that is treated as one: "tail", "left ear".
struct Part {
    std::string name;
    std::vector<std::string> joints;  // references, parents first
    int colour = 0;                   // place in the palette that the views share
    bool rigid = false;               // what it carries is not to be deformed: a face
    bool operator==(const Part&) const = default;
};

/// A character, prop or set piece that stands in the scene. Its settings say where: see actorTable.
struct ActorEntry : Tuned {
    std::string file;                            // path as given or found; written relative to the scene file; none of a piece
    std::vector<rig::Preparation> preparations;  // what was done to what the file says, in order
    std::vector<std::string> undone;             // by preparation: why it is not in force; empty where it is; never saved
    std::shared_ptr<const rig::Actor> source;    // without it; null where nothing was done
    std::shared_ptr<const rig::Actor> actor;     // with all of that
    rig::Trial trial;                            // replaces the clip while it is on; never saved
    std::vector<std::string> seen;               // findings that were looked at and left: see measure::Finding::id
    std::vector<Part> parts;                     // that were accepted; rig::partsOf suggests others
    std::vector<rig::Map> maps;                  // each name once
    std::vector<std::string> locked;             // joints whose weights brushes leave as they are

    /// Made without a file: see set_piece.h.
    bool isPiece() const { return values.count("form") > 0; }
    bool onTrial() const { return !trial.move.empty(); }
    /// A trial stands in place of its clip.
    bool leavesClip() const { return onTrial() && !trial.onTop; }
};

/// The region that a part or a map of that name stands for, as steps of a map that need no other map: what the part's joints
/// carry, or what the map's steps make. Empty when there is neither.
std::vector<rig::MapStep> regionOf(const ActorEntry& actor, const std::string& partOrMap);

/// Where an actor stands: from its own units and axes to the world's, in metres.
struct Placement {
    Quat turn = Quat::Identity();
    Vec3 place = Vec3::Zero();  // [m]
    double metres = 1;          // a unit

    Vec3 toWorld(const Vec3& p) const { return place + turn * (metres * p); }
    Vec3 toOwn(const Vec3& p) const { return turn.conjugate() * (p - place) / metres; }
    bool stands(const Placement& other) const {
        return turn.coeffs() == other.turn.coeffs() && place == other.place && metres == other.metres;
    }
};
/// Turns an actor's own axes so that y is up as it stands, by the shortest way: nothing where it stands upright.
inline Quat levelOf(const Placement& placement) {
    const Vec3 up = placement.turn.conjugate() * Vec3(Vec3::UnitY());
    return up.y() > 1 - 1e-12 ? Quat(Quat::Identity()) : arc(up, Vec3::UnitY());
}
/// A piece stands in the world itself: its joint goes where its settings say.
Placement placementOf(const ActorEntry& actor);
/// Heading, lean and roll [deg] as one turn.
Quat turnOf(const Vec3& degrees);

enum class Shape { Sphere, Capsule, Box, Plane };
std::string_view shapeName(Shape shape);
/// False when `name` is no shape's.
bool shapeFromName(std::string_view name, Shape& shape);

/// A body that strands keep clear of, riding on a mount: see colliderTable.
struct Collider : Tuned {
    Mount mount;
    bool on = true;
    bool fitted = false;  // made from the mesh: it stands aside where a strand swings the joint it rides on
    bool solid = false;   // it lets nobody in, not even an animated pose that stands inside; of set pieces, never saved

    Shape shape() const;
};

/// Moving air, in metres, so that it means the same to every actor: see windTable.
struct Wind : Tuned {
    bool on = true;
    std::vector<std::string> layers;  // ids of those it blows on; empty: all
};

/// Holds a joint of a strand, or the end beyond it, to a mount: see pinTable.
struct Pin : Tuned {
    std::string actor;  // whose joint is held
    std::string joint;
    bool end = false;  // the end beyond the joint is held, not the joint
    Mount to;
    bool on = true;
};

/// A measured quantity over the shot: see gaugeTable. Its settings hold throughout: a measure that changed within the shot would
/// measure nothing.
struct Gauge : Tuned {
    Mount of;
    std::optional<Mount> to;        // the other one, where it measures between two or is seen from one
    std::string after;              // id of the layer whose result it reads; empty: the body
    std::vector<std::string> over;  // ids of the colliders it is high over, where it measures height or contact; empty: the floor
};

struct Layer : Tuned {
    std::string kind;
    std::string actor;
    bool muted = false;
    bool solo = false;
    int colour = -1;    // place in the palette that the views share; none
    std::string group;  // name of the group that it stands in on the tape; empty: none
    std::string shot;   // id of the one shot that it acts in; empty: all
    /// What single chains or joints of it are set to apart from the rest: by target joint, then by setting. Plain numbers, in
    /// place of the layer's value and its keys.
    std::map<std::string, std::map<std::string, double, std::less<>>, std::less<>> apart;
};

using KeysOf = std::map<std::string, Keys, std::less<>>;  // by setting

/// A frame that a person named.
struct Mark {
    double at = 0;  // [s]
    std::string name;
    bool operator==(const Mark&) const = default;
};

/// Whether a shot is a loop. Found: it goes round where its clips do, as pre-roll leaves it. Closed: it does, and what is
/// simulated is simulated until it repeats. Once: it begins and ends.
enum class Loop { Found, Closed, Once };
std::string_view loopName(Loop loop);
/// False when `name` is none's.
bool loopFromName(std::string_view name, Loop& loop);

struct Seal;

/// What plays: a clip of each actor, and all that belongs to this playing alone. Times are in seconds from its first frame.
struct Shot {
    std::string id;
    std::string name;
    double fps = 24;
    std::string lead;  // id of the actor whose clip it is as long as; empty: as the longest
    Loop loop = Loop::Found;
    std::map<std::string, std::string> clips;  // by actor: reference of its clip; none: the rest pose
    std::map<std::string, rig::Line> lines;    // by actor: what it plays in place of that clip; none: all of it, once
    std::vector<double> cuts;                  // at which the motion begins anew; in order
    std::vector<Mark> marks;                   // in order
    std::map<Owner, KeysOf> keys;              // a keyed setting's plain value rests
    std::map<std::string, std::vector<Interval>, std::less<>> intervals;    // by layer; none: it acts all through
    std::map<std::string, std::shared_ptr<const Seal>, std::less<>> seals;  // by layer
    Unknown unknown;

    const KeysOf* keysOf(const Owner& owner) const;
    const Keys* keysOf(const Owner& owner, std::string_view setting) const;
    /// Null where an actor plays its clip as it is.
    const rig::Line* lineOf(const std::string& actor) const;
    /// The frame, from 0, that a time falls on.
    int frameOf(double time) const;
    double timeOf(int frame) const { return frame / fps; }
    /// [s] after which a closed loop of so many frames begins again; 0: it is none, or not marked as one.
    double period(int frames) const { return loop == Loop::Closed && frames > 1 ? (frames - 1) / fps : 0; }
    /// How much a layer acts at each frame; empty where it has no interval.
    Curve windowOf(std::string_view layer, int frames) const;
};

/// An entry of a scene file that could not be understood, or whose file could not be read: kept for the next saving.
struct Unread {
    std::string list;  // "actors", "colliders" ...
    std::string id;    // so that nothing new takes it
    Unknown entry;
    std::string file;  // absolute path of the file it names, if any
    std::string why;   // one sentence
    int version = 0;   // of scene files, that the entry is written in
};

struct Scene;

/// A scene that was kept to compare with, or to go back to. Takes of one scene share all in which they are alike.
struct Take {
    std::string id;
    std::string name;
    std::string note;
    int frame = 0;                                             // that was on show
    std::shared_ptr<const Scene> scene;                        // without takes of its own
    std::shared_ptr<const std::vector<std::uint8_t>> picture;  // PNG of what it looked like; may be null
    Unknown unknown;
};

struct Scene {
    SharedList<ActorEntry> actors;
    SharedList<Collider> colliders;
    SharedList<Wind> winds;
    SharedList<Pin> pins;
    SharedList<Gauge> gauges;
    SharedList<Layer> layers;  // the stack, bottom first
    SharedList<Shot> shots;
    std::string shown;  // id of the shot that plays
    SharedList<Take> takes;
    Shared<std::vector<Unread>> unread;
    Unknown unknown;

    /// nullptr when there is none of that id. What is not const belongs to this scene alone.
    const ActorEntry* actor(std::string_view id) const;
    ActorEntry* actor(std::string_view id);
    const Layer* layer(std::string_view id) const;
    Layer* layer(std::string_view id);
    const Collider* collider(std::string_view id) const;
    Collider* collider(std::string_view id);
    const Wind* wind(std::string_view id) const;
    Wind* wind(std::string_view id);
    const Pin* pin(std::string_view id) const;
    Pin* pin(std::string_view id);
    const Gauge* gauge(std::string_view id) const;
    Gauge* gauge(std::string_view id);
    const Tuned* tuned(const Owner& owner) const;
    Tuned* tuned(const Owner& owner);
    const Take* take(std::string_view id) const;

    /// The shot that plays; one of two seconds at 24 frames a second in a scene without any.
    const Shot& shot() const;
    Shot& editShot();
    /// nullptr when there is none of that id or, failing that, of that name.
    const Shot* findShot(std::string_view idOrName) const;

    /// Index of the clip that an actor plays in a shot, -1 for the rest pose.
    int clipOf(const Shot& shot, const ActorEntry& actor) const;
    /// The shot's frames with the times of an actor's clip: one grid for all actors, so that what is seen is what is baked. While
    /// a trial is on, the shot is as long as the longest of them.
    rig::FrameGrid grid(const Shot& shot, const ActorEntry& actor) const;
    int frames(const Shot& shot) const;

    /// The number at a frame of the shot that plays, keys counted.
    double numberAt(const Owner& owner, std::string_view setting, int frame) const;
    /// Sets a number for a frame: a key there where the setting has keys in the shot that plays, else its plain value.
    void setNumber(const Owner& owner, std::string_view setting, int frame, double value);

    /// Whether a layer acts in the shot that plays: it acts there at all, is not muted, and soloed when any that does is.
    bool acts(const Layer& layer) const { return acts(layer, shot().id); }
    bool acts(const Layer& layer, const std::string& inShot) const;
    /// An id that nothing in the scene has yet: `wantedId` while that is free, else one made from `stem`.
    std::string freshId(std::string_view stem) const;
    std::vector<std::string> changedOnReading;  // values beyond their range that the nearest stands in for; never saved
    std::string wantedId;                       // what the next thing that is made is to have as its id; never saved
};

inline constexpr double kStillSeconds = 2;

/// The pose a trial starts from: where the actor's clip begins, or the rest pose.
std::vector<Xform> stand(const Scene& scene, const Shot& shot, const ActorEntry& actor);

/// The scene with every actor on its clip: trials are for looking, never for handing off.
Scene withoutTrials(Scene scene);

/// Gives the scene a shot for each clip of an actor that has just come in, led by it, where every other actor plays what it plays
/// in the shot on show; and gives the actor its first clip in the shots that were there. Shows the first new one if none was.
void addShots(Scene& scene, const std::string& actor);
/// What a file or a person calls a clip of the actor: its name, or "#index" when that is empty or not the only one.
std::string clipReference(const rig::Actor& actor, int clip);

/// A wind beside `actor`, strong enough to be seen.
Wind newWind(const Scene& scene, const ActorEntry& actor);
/// A pin that holds `joint` where `worlds`, its joints' transforms in the actor's units, have it.
Pin newPin(const Scene& scene, const ActorEntry& actor, int joint, const std::vector<Affine>& worlds);
/// The speed of a joint over the ground.
Gauge newGauge(const Scene& scene, const ActorEntry& actor, int joint);
/// A collider laid on `joint` in the rest pose: round it, along the way to its child, or a plane facing up through it.
Collider newCollider(const Scene& scene, const ActorEntry& actor, int joint, Shape shape);

}  // namespace nutatio::scene
