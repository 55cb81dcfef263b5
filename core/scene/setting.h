// What a setting is: described once, in the table of the kind of layer or item that has it.
#pragma once

#include <map>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

namespace nutatio::scene {

enum class Unit {
    None,
    PerSecond,
    Count,
    Degrees,
    Share,
    Gravities,
    Times,
    Frames,
    Seconds,
    Metres,
    Centimetres,
    MetresPerSecond,
    DegreesPerSecond,
    MetresPerSecond2
};
/// Joint: of the layer's own actor. Mount: see mountIn; may be empty. Region: of the surface, by the name of a part or map; may
/// be empty. Clip: of the actor, by reference; may be empty.
enum class SettingType { Number, Axes, Joint, Joints, Choice, Colliders, Region, Clip, Mount };
/// What other code may ask a table for: which of its settings shapes a measured answer, or has a part of its own in every layer.
enum class Role {
    None,
    Target,
    End,
    Without,
    Rate,
    Damping,
    Pull,
    Heading,
    Felt,
    Preroll,
    Cuts,
    Mix,
    Amount,
    Floor,    // the height [m] of an even floor that it meets
    LeftOut,  // a Choice of "with" and "without": whether what the layer does to its joints goes out at hand-off
};

/// What a setting has a value of its own for: see channelId.
enum class Each { None, Joint, Morph, Handle };

struct Range {
    double low = 0;
    double high = 1;
};

/// One row of a table. From it come the Tuner's rows, the scene file, `--layer`, feels, the manual and the range tests.
struct SettingSpec {
    std::string_view id;
    std::string_view label;
    SettingType type = SettingType::Number;
    Unit unit = Unit::None;
    Range range{};            // what is accepted
    Range soft{};             // what the slider spans
    double start = 0;         // default of a Number
    std::string_view axes{};  // default of Axes
    std::string_view help;    // one sentence of plain words
    std::string_view more{};  // what more and less of it look like
    Role role = Role::None;
    bool curved = false;         // the slider gives its low end more room
    bool keyable = false;        // may change within the shot
    bool profiled = false;       // may change from root to tip
    bool feel = true;            // how it moves: a feel keeps it
    bool sized = false;          // soft range and default are in heights of the actor
    bool whole = false;          // a whole number
    bool together = false;       // the same for all chains and joints of a layer
    std::string_view choices{};  // of a Choice: ids joined by '|', the first one the default
    std::string_view only{};     // it counts only where a Choice is one of some ids: "shape=sphere|capsule"
    std::string_view group{};    // heading it stands under, where it begins one
    bool folded = false;         // what stands under that heading is seldom touched
    Each each = Each::None;      // it has no value of the layer's, but one for each joint, morph target or handle that has any
};

using Table = std::span<const SettingSpec>;
/// nullptr when the table has no such row. The row of a channel is found by the channel's id, and by nothing less.
const SettingSpec* findRow(Table table, std::string_view id);
/// The value that a row with `each` has for one of those: "turn_x" and "head" make "turn_x@head". It is a setting as any other:
/// with keys, a feed, a place in the file. One without a value is 0, as all its row's defaults are.
std::string channelId(std::string_view row, std::string_view of);
/// The two halves of it; a setting that is no channel is all row.
std::string_view channelRow(std::string_view id);
std::string_view channelOf(std::string_view id);
/// The id under which keys of a setting rest in a shot, and back: they are kept and do nothing.
std::string restingId(std::string_view id);
bool isResting(std::string_view id);
const SettingSpec* findRow(Table table, Role role);
/// The row with soft range and default for an actor of `height` [units].
SettingSpec sizedFor(SettingSpec row, double height);

/// Whether single chains or joints of a layer may be set apart from the rest: see Layer::apart.
bool mayDiffer(const SettingSpec& row);

/// "/s", "x", "deg" ... as shown behind a value; empty for a bare number.
std::string_view unitText(Unit unit);

/// A number, axes such as "xz", a choice, or joints or colliders by reference.
using Value = std::variant<double, std::string, std::vector<std::string>>;
using Values = std::map<std::string, Value, std::less<>>;

/// Ids joined by '|'.
std::vector<std::string_view> idsIn(std::string_view joined);
/// The ids of a Choice's row.
std::vector<std::string_view> choicesOf(const SettingSpec& spec);

/// How a curve goes on from a key: smooth and never beyond its keys, straight, held until the next one, or with slopes set by
/// hand.
enum class Ease { Smooth, Linear, Hold, Free };
std::string_view easeName(Ease ease);
/// False when `name` is no ease's.
bool easeFromName(std::string_view name, Ease& ease);

/// A value that a setting has at a time of the shot [s] (0: its first frame).
struct KeyAt {
    double at = 0;
    double value = 0;
    Ease ease = Ease::Smooth;
    double before = 0, after = 0;  // slopes of a Free key [1/s]
    bool operator==(const KeyAt&) const = default;
};
/// Keys by time, no time twice.
using Keys = std::vector<KeyAt>;
/// The keyed value at a time, held before the first and after the last: smooth as a monotone cubic (Fritsch and Carlson, SIAM J.
/// Numer. Anal. 17, 1980) but where a key says otherwise.
double keyedAt(const Keys& keys, double time);
/// Keys of a setting that goes round: beyond the first and the last one stand those of the laps beside. `period` 0: as they are.
Keys goingRound(Keys keys, double period);
/// The slope with which a curve arrives at a key, and with which it leaves it.
std::pair<double, double> slopesAt(const Keys& keys, std::size_t key);
/// Keys whose times are multiplied, slopes and all.
Keys stretched(Keys keys, double times);
/// Sets or replaces the key at a time; keys nearer than kSameMoment are one.
void putKey(Keys& keys, double time, double value);
/// The key at a time, or the end.
Keys::iterator keyAt(Keys& keys, double time);
Keys::const_iterator keyAt(const Keys& keys, double time);
inline constexpr double kSameMoment = 1e-4;  // [s]

/// How many times its value a setting has at a place from root (0) to tip (1).
struct ProfilePoint {
    double at = 0;
    double times = 1;
    bool operator==(const ProfilePoint&) const = default;
};
/// The most that a profile may multiply by.
inline constexpr double kMostTimes = 100;
/// Points from root to tip; straight between them; empty: 1 everywhere.
using Profile = std::vector<ProfilePoint>;
double profileAt(const Profile& profile, double at);

/// The table's default for one setting.
Value startValue(const SettingSpec& spec);
/// Defaults for every row but those of channels.
Values startValues(Table table);
/// Nearest accepted number.
double clampTo(const SettingSpec& spec, double value);

}  // namespace nutatio::scene
