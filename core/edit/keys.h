// Keys, intervals and marks of the shot on show: what can be done with them. Times in seconds from its first frame.
#pragma once

#include <string>
#include <vector>

#include "base/error.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// One key of a setting, by its time.
struct KeyOf {
    scene::Owner owner;
    std::string setting;
    double at = 0;
    auto operator<=>(const KeyOf&) const = default;
};

/// How keys are moved: about a moment and a value, then on.
struct KeyMove {
    double about = 0, times = 1;            // time' = about + times (time - about) + by
    double by = 0;                          // [s]
    double aboutValue = 0, timesValue = 1;  // value alike, clamped to what the setting can be
    double byValue = 0;
};
/// Moves and scales keys. One that lands on a key that stays takes its place; none gets before the first frame. Returns where the
/// keys are then, in the order given; one that landed on another of them is gone.
std::vector<KeyOf> moveKeys(scene::Scene& scene, const std::vector<KeyOf>& keys, const KeyMove& move);
/// How the curve goes on from them; free ones keep the slopes that they had.
void easeKeys(scene::Scene& scene, const std::vector<KeyOf>& keys, scene::Ease ease);
/// Slopes [1/s] before and after a key, which is free then.
void slopeKey(scene::Scene& scene, const KeyOf& key, double before, double after);
/// The last key of a setting leaves its value behind.
void removeKeys(scene::Scene& scene, const std::vector<KeyOf>& keys);

/// Keys that were copied, with times from the first of them.
struct CopiedKeys {
    struct One {
        scene::Owner owner;
        std::string setting;
        scene::KeyAt key;
    };
    std::vector<One> keys;
};
CopiedKeys copyKeys(const scene::Scene& scene, const std::vector<KeyOf>& keys);
/// Puts them down from a time on, on what they were copied from; keys that are there make room. Returns where they are. Errors:
/// what they were copied from is gone, or cannot have keys.
Result<std::vector<KeyOf>> pasteKeys(scene::Scene& scene, const CopiedKeys& copied, double at);

/// The last frame gets the value, and the slope, of the first, so that a loop closes in the setting.
void closeKeys(scene::Scene& scene, const scene::Owner& owner, const std::string& setting);
/// A value over the frames from one to another, both included; what is outside stays as it is.
void holdOver(scene::Scene& scene, const scene::Owner& owner, const std::string& setting, int from, int to, double value);

/// A stretch in which a layer acts, in frames as they are counted from 0; the layer rests outside all of its stretches. Returns
/// its place in the list, or -1 when there is no such layer.
int addInterval(scene::Scene& scene, const std::string& layer, int from, int to, double easeIn, double easeOut);
/// Puts an interval's edges and eases where they are asked, in order, inside the shot and no shorter than its eases.
void setInterval(scene::Scene& scene, const std::string& layer, int which, scene::Interval interval);
/// The last one gone, the layer acts all through.
void removeInterval(scene::Scene& scene, const std::string& layer, int which);

/// Names a frame, or takes the name there away where it is empty.
void mark(scene::Scene& scene, int frame, const std::string& name);

}  // namespace nutatio::edit
