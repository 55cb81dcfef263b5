// Settings that several simulated kinds share, word for word. A kind's table begins or ends with copies of these rows.
#pragma once

#include "scene/setting.h"

namespace nutatio::layers {

/// How often it swings; `low` and `soft` differ by kind.
constexpr scene::SettingSpec swingRow(scene::Range range, scene::Range soft, double start, bool profiled) {
    return {.id = "swing",
            .label = "Swing rate",
            .unit = scene::Unit::PerSecond,
            .range = range,
            .soft = soft,
            .start = start,
            .help = "How often it swings each second.",
            .more = "More: tighter and lighter. Less: heavier and slower.",
            .role = scene::Role::Rate,
            .curved = true,
            .keyable = true,
            .profiled = profiled,
            .group = "Swing"};
}

constexpr scene::SettingSpec bouncesRow(bool profiled) {
    return {.id = "bounces",
            .label = "Bounces",
            .unit = scene::Unit::Count,
            .range = {0, 60},
            .soft = {0, 10},
            .start = 2,
            .help = "Full swings until it has come to rest.",
            .more = "More: rings on. Less: settles at once.",
            .role = scene::Role::Damping,
            .curved = true,
            .keyable = true,
            .profiled = profiled};
}

inline constexpr scene::SettingSpec kFeltTravelRow{.id = "felt_travel",
                                                   .label = "Felt travel",
                                                   .unit = scene::Unit::Share,
                                                   .range = {-2, 2},
                                                   .soft = {-1, 2},
                                                   .start = 1,
                                                   .help = "How much of the body's moving about it feels.",
                                                   .more =
                                                       "More: dragged along. 0: carried as if the body stood still. Below: "
                                                       "thrown the other way.",
                                                   .role = scene::Role::Felt,
                                                   .keyable = true,
                                                   .profiled = true,
                                                   .feel = false};

inline constexpr scene::SettingSpec kFeltTurnRow{.id = "felt_turn",
                                                 .label = "Felt turn",
                                                 .unit = scene::Unit::Share,
                                                 .range = {-2, 2},
                                                 .soft = {-1, 2},
                                                 .start = 1,
                                                 .help = "How much of the body's turning it feels.",
                                                 .more = "More: thrown outwards. 0: carried round stiffly. Below: turned ahead.",
                                                 .role = scene::Role::Felt,
                                                 .keyable = true,
                                                 .profiled = true,
                                                 .feel = false};

inline constexpr scene::SettingSpec kFeltFromRow{
    .id = "felt_from",
    .label = "Felt from",
    .type = scene::SettingType::Mount,
    .help = "The joint of any actor whose motion it feels in place of that of what it hangs on. None: its own.",
    .feel = false};

inline constexpr scene::SettingSpec kCatchRow{
    .id = "catch",
    .label = "Wind catch",
    .unit = scene::Unit::Times,
    .range = {0, 50},
    .soft = {0, 4},
    .start = 1,
    .help = "How much of the wind it catches, against hair; without a wind it does nothing.",
    .more = "More: streams like a flag. Less: heavy and sheltered.",
    .curved = true,
    .keyable = true};

inline constexpr scene::SettingSpec kPrerollRow{
    .id = "preroll",
    .label = "Pre-roll",
    .unit = scene::Unit::Seconds,
    .range = {0, 20},
    .soft = {0, 4},
    .start = 1,
    .help = "How long it swings before frame 1: through the loop's end when the shot loops, in the first pose otherwise.",
    .more = "More: settled at frame 1. Less: starts from the animated pose.",
    .role = scene::Role::Preroll,
    .feel = false,
    .group = "In the shot",
    .folded = true};

inline constexpr scene::SettingSpec kCutsRow{
    .id = "cuts",
    .label = "Cuts",
    .type = scene::SettingType::Choice,
    .help =
        "Where the body jumps it is carried along stiffly: at jumps that are found and cuts that are marked, at marked ones "
        "only, or never.",
    .role = scene::Role::Cuts,
    .feel = false,
    .choices = "found|marked|none"};

inline constexpr scene::SettingSpec kAmountRow{.id = "amount",
                                               .label = "Amount",
                                               .unit = scene::Unit::Share,
                                               .range = {0, 3},
                                               .soft = {0, 3},
                                               .start = 1,
                                               .help = "How large its motion shows, against what was simulated; timing stays.",
                                               .more = "300 %: three times as far. 0: the motion below.",
                                               .role = scene::Role::Amount,
                                               .keyable = true,
                                               .profiled = true,
                                               .feel = false};

/// Where a pull leans that is gravity's otherwise.
inline constexpr scene::SettingSpec kPullTiltRow{.id = "pull_tilt",
                                                 .label = "Pull tilt",
                                                 .unit = scene::Unit::Degrees,
                                                 .range = {0, 180},
                                                 .soft = {0, 90},
                                                 .start = 0,
                                                 .help = "How far gravity's pull leans away from straight down.",
                                                 .more = "More: drawn to the side, at 180 straight up. Less: straight down.",
                                                 .keyable = true,
                                                 .feel = false};

inline constexpr scene::SettingSpec kPullHeadingRow{.id = "pull_heading",
                                                    .label = "Pull heading",
                                                    .unit = scene::Unit::Degrees,
                                                    .range = {-360, 360},
                                                    .soft = {-180, 180},
                                                    .start = 0,
                                                    .help = "Which way a leaning pull goes: 0 along +z, 90 along +x.",
                                                    .role = scene::Role::Heading,
                                                    .keyable = true,
                                                    .feel = false};

/// Whether what is one-sided is meant alike on both sides of a body.
inline constexpr scene::SettingSpec kSidesRow{
    .id = "sides",
    .label = "Left and right",
    .type = scene::SettingType::Choice,
    .help =
        "Of stops to one side and a pull that leans. Alike: as they are told for every joint. Mirrored: on the right side of the "
        "body as the left is seen in a mirror.",
    .feel = false,
    .choices = "alike|mirrored"};

/// What kinds that fall meet: an even floor, how it holds and what it gives back. `only`: while something is met at all.
constexpr scene::SettingSpec floorRow(bool keyable, std::string_view only = {}) {
    return {.id = "floor",
            .label = "Floor height",
            .unit = scene::Unit::Metres,
            .range = {-1e4, 1e4},
            .soft = {-3, 3},
            .help = "Height of an even floor without end; colliders and set pieces are met besides.",
            .role = scene::Role::Floor,
            .keyable = keyable,
            .feel = false,
            .together = true,
            .only = only};
}

constexpr scene::SettingSpec gripRow(std::string_view help, std::string_view only = {}) {
    return {.id = "friction",
            .label = "Grip",
            .range = {0, 10},
            .soft = {0, 1.5},
            .start = 0.6,
            .help = help,
            .more = "0.1: wet ice. 0.6: boards. 1: rubber.",
            .together = true,
            .only = only};
}

constexpr scene::SettingSpec givesBackRow(double start, std::string_view only = {}) {
    return {.id = "bounce",
            .label = "Bounce",
            .unit = scene::Unit::Share,
            .range = {0, 1},
            .soft = {0, 1},
            .start = start,
            .help = "How much of the speed of its arrival the floor gives back.",
            .more = "More: a ball. 0: a sack.",
            .together = true,
            .only = only};
}

inline constexpr scene::SettingSpec kMixRow{.id = "mix",
                                            .label = "Mix",
                                            .unit = scene::Unit::Share,
                                            .range = {0, 1},
                                            .soft = {0, 1},
                                            .start = 1,
                                            .help = "How much of the layer's motion is used.",
                                            .more = "More: all of it. Less: closer to the motion below.",
                                            .role = scene::Role::Mix,
                                            .keyable = true,
                                            .profiled = true,
                                            .feel = false};

}  // namespace nutatio::layers
