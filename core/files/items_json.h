// Things with settings as scene files and kits hold them: layers, colliders, winds, pins and gauges, of this version and the
// first.
#pragma once

#include <functional>

#include "files/json.h"
#include "scene/scene.h"

namespace nutatio::files {

/// More entries than this no list has.
inline constexpr std::size_t kMostItems = 4096;

/// An entry that this version cannot use but the next saving gives back.
struct NotUnderstood {
    Error why;
};

/// How an older version told times, and what version 1 kept outside the scene value: the clip of each actor, and the keys of
/// layers and pins.
struct OldTimes {
    double fps = 0;         // above 0: the file is of version 1, whose times are frames
    bool inFrames = false;  // pre-roll is told in frames, of which 24 were its default and are taken as a second
    std::map<std::string, std::string> clips;
    std::map<scene::Owner, scene::KeysOf> keys;
};

/// Members of `p` that are not in `known`, to be written back.
scene::Unknown unknownOf(const Place& p, const std::vector<const char*>& known);
void putUnknown(Json& into, const scene::Unknown& unknown);

std::string textOr(const Place& p, const char* key, std::string other);
bool boolOr(const Place& p, const char* key, bool other);
std::vector<std::string> textsOf(const Place& p);
/// Every member of an object, where there is one.
void eachMember(const Place& p, const char* what, const std::function<void(const std::string&, const Place&)>& take);

/// The frame, from 0, that version 1 wrote as people count, from 1.
int frameOf(const Place& p);
/// The time of a frame in seconds, as every frame of a shot has it.
double secondsOf(const Place& p);
/// And of one that version 1 wrote as a frame; one outside the shot is taken to its edge.
double oldSecondsOf(const Place& p, double fps);
/// `fps` above 0: of version 1, whose keys stand at frames.
scene::Keys readKeys(const Place& p, double fps);
Json keysJson(const scene::Keys& keys);

/// Id, name, settings, profiles and feeds: what all things with settings have in common.
void readTuned(const Place& p, scene::Tuned& t);
void putTuned(Json& j, const scene::Tuned& t);

/// Throw Failure, or NotUnderstood.
scene::Collider readCollider(const Place& p, const OldTimes& old);
scene::Wind readWind(const Place& p, const OldTimes& old);
scene::Pin readPin(const Place& p, OldTimes& old);
scene::Gauge readGauge(const Place& p);
scene::Layer readLayer(const Place& p, OldTimes& old);
Json itemJson(const scene::Collider& c);
Json itemJson(const scene::Wind& w);
Json itemJson(const scene::Pin& p);
Json itemJson(const scene::Gauge& g);
Json itemJson(const scene::Layer& l);

}  // namespace nutatio::files
