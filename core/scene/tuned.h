// Anything that a table describes: a layer, a collider, a wind, a pin, an actor's place.
#pragma once

#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/hash.h"
#include "base/maths.h"
#include "scene/feed.h"
#include "scene/setting.h"

namespace nutatio::scene {

/// What a scene file says and this version does not know; written back as it was. May be null: nothing.
using Unknown = std::shared_ptr<const nlohmann::ordered_json>;
using Profiles = std::map<std::string, Profile, std::less<>>;

/// The values of one thing's settings. Keys are not here: they belong to a shot.
struct Tuned {
    std::string id;
    std::string name;
    Values values;
    Profiles profiles;
    Feeds feeds;
    bool hidden = false;  // out of sight; what it does, it does
    bool lock = false;    // against accidents: see lockedChange
    Unknown unknown;
    /// What a newer version said of its settings and this one cannot use. It goes back into the file, a value as long as the one
    /// that stands in for it is left alone.
    struct Idle {
        Unknown value;
        std::optional<Value> standIn;
    };
    std::map<std::string, Idle, std::less<>> idleValues;
    Profiles idleProfiles;

    /// 0, empty or an empty list where there is no such setting of that type.
    double number(std::string_view setting) const;
    const std::string& text(std::string_view setting) const;
    const std::vector<std::string>& list(std::string_view setting) const;
    /// Of the settings stem_x, stem_y and stem_z.
    Vec3 vector(std::string_view stem) const;
    void set(std::string_view setting, Value value);
    void setVector(std::string_view stem, const Vec3& v);
};

/// Which list of a scene a thing stands in.
enum class List { Actors, Layers, Colliders, Winds, Pins, Gauges };
inline constexpr List kLists[] = {List::Actors, List::Layers, List::Colliders, List::Winds, List::Pins, List::Gauges};
/// "layers" ... as the scene file has it.
std::string_view listName(List list);

/// A thing of a scene with settings, by its list and id.
struct Owner {
    List list = List::Layers;
    std::string id;
    auto operator<=>(const Owner&) const = default;
};

/// A setting that changes within a shot, by keys or by a feed, with its row: in the order of the table, channels by name.
struct MovingSetting {
    std::string id;
    const SettingSpec* row = nullptr;
    bool operator==(const MovingSetting&) const = default;
};
std::vector<MovingSetting> movingSettings(const Tuned& tuned, Table table, const std::map<std::string, Keys, std::less<>>* keys);
/// What a setting is called: the row's label, with what a channel is of before it.
std::string labelOf(const SettingSpec& row, std::string_view setting);

/// What feeds make of settings over a shot, by setting.
using FedCurves = std::map<std::string, Curve, std::less<>>;

/// Settings as they hold in one shot, frame by frame: keys, feeds and profiles are resolved, and whoever asks never sees them. A
/// frame outside the shot has the value of the nearest one in it.
class Resolved {
  public:
    Resolved() = default;
    /// Keys count where the table lets a setting have them. `frames` at `fps`; a time that a key has is rounded to a frame where
    /// it lies within a millionth of one, so that a shot means the same whatever its times were computed from. A setting that is
    /// fed has the curve of its feed in place of keys, as many values as there are frames. `period` [s]: keys go round after it.
    Resolved(const Tuned& tuned, Table table, const std::map<std::string, Keys, std::less<>>* keys = nullptr, double fps = 24,
             int frames = 1, const FedCurves* fed = nullptr, double period = 0);

    double at(std::string_view setting, int frame = 0) const;
    class Number;
    /// One number for whoever reads it at every frame and joint: the name is searched for once.
    Number number(std::string_view setting) const;
    /// At a place from root (0) to tip (1), profile counted.
    double at(std::string_view setting, int frame, double place) const;
    const std::string& text(std::string_view setting) const;
    const std::vector<std::string>& list(std::string_view setting) const;
    Vec3 vector(std::string_view stem, int frame = 0) const;
    /// The least and the greatest that the number comes to within the shot.
    std::pair<double, double> span(std::string_view setting) const;
    bool keyed(std::string_view setting) const;
    bool anyKeyed() const { return m_anyKeyed; }
    /// The shot's rate [1/s] and length, as it was resolved for.
    double fps() const { return m_fps; }
    int frames() const { return m_frames; }
    /// What the channels of a row are of that have a value, keys or a feed, by name.
    std::vector<std::string> channels(std::string_view row) const;
    /// Empty where the setting has no profile.
    const Profile& profile(std::string_view setting) const;

    /// The same with one number changed, its keys gone.
    Resolved with(std::string_view setting, double value) const;
    /// The same, its profile gone too.
    Resolved evenly(std::string_view setting, double value) const;
    /// The same as it stands at one frame.
    Resolved heldAt(int frame) const;
    /// Of all values but those of two settings.
    void hash(Hasher& into, std::string_view without = {}, std::string_view nor = {}) const;
    /// Of one setting alone.
    void hashOne(Hasher& into, std::string_view setting) const;

  private:
    struct Entry {
        std::string id;
        Value value;
        Curve curve;  // a value a frame; empty: the value holds
        Profile profile;
    };
    static double read(const Entry* entry, int frame);
    const Entry* find(std::string_view setting) const;
    static void hash(Hasher& into, const Entry& entry);
    std::vector<Entry> m_entries;  // by id
    bool m_anyKeyed = false;
    double m_fps = 24;
    int m_frames = 1;
};

/// A number of settings, which must outlive it; 0 where they have none of that name.
class Resolved::Number {
  public:
    Number() = default;
    double at(int frame = 0) const { return read(m_entry, frame); }
    /// At a place from root (0) to tip (1), profile counted.
    double at(int frame, double place) const;

  private:
    friend class Resolved;
    explicit Number(const Entry* entry) : m_entry(entry) {}
    const Entry* m_entry = nullptr;
};

}  // namespace nutatio::scene
