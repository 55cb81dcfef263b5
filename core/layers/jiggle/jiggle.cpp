#include "layers/jiggle/jiggle.h"

#include <algorithm>

#include "layers/common_rows.h"
#include "layers/jiggle/jiggle_mover.h"
#include "layers/meeting.h"

namespace nutatio::layers::jiggle {

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

/// A stop row: how far an offset may go along or about one axis to one side.
constexpr SettingSpec stopRow(std::string_view id, std::string_view label, bool turns, std::string_view group = {}) {
    return {
        .id = id,
        .label = label,
        .unit = turns ? Unit::Degrees : Unit::Share,
        .range = {0, turns ? 180.0 : 5.0},
        .soft = {0, turns ? 180.0 : 2.0},
        .start = turns ? 180.0 : 5.0,
        .help = turns ? "How far it may turn about this axis to this side; 180 sets no stop."
                      : "How far it may shift along this axis to this side, against the length of its bone; 500 % sets no stop.",
        .keyable = true,
        .group = group,
        .folded = !group.empty()};
}

constexpr SettingSpec shareRow(std::string_view id, std::string_view label, std::string_view group = {}) {
    return {.id = id,
            .label = label,
            .unit = Unit::Share,
            .range = {0, 3},
            .soft = {0, 1},
            .start = 1,
            .help = "How much of its swing shows along and about this axis.",
            .more = "More: wider. Less: held.",
            .keyable = true,
            .group = group,
            .folded = !group.empty()};
}

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Joints",
     .type = SettingType::Joints,
     .help = "The joints that jiggle, each on springs of its own.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "move",
     .label = "Move",
     .type = SettingType::Axes,
     .axes = "",
     .help = "Axes along which it may shift from its place."},
    {.id = "turn",
     .label = "Turn",
     .type = SettingType::Axes,
     .axes = "xyz",
     .help = "Axes about which it may turn from its pose."},
    {.id = "frame",
     .label = "Axes of",
     .type = SettingType::Choice,
     .help = "Whose axes are meant: the joint's own, its parent's, the whole body's, or the world's.",
     .choices = "joint|parent|body|world"},
    swingRow({0.05, 60}, {0.2, 12}, 4, true),
    bouncesRow(true),
    shareRow("share_x", "Share x", "Shares"),
    shareRow("share_y", "Share y"),
    shareRow("share_z", "Share z"),
    {.id = "sag",
     .label = "Sag",
     .unit = Unit::Gravities,
     .range = {-5, 20},
     .soft = {0, 2},
     .start = 0,
     .help = "How much of the earth's pull it gives way to.",
     .more = "More: hangs lower. Less: keeps the pose.",
     .role = scene::Role::Pull,
     .keyable = true,
     .profiled = true,
     .group = "Forces"},
    kPullTiltRow,
    kPullHeadingRow,
    kCatchRow,
    {.id = "drag",
     .label = "Air drag",
     .unit = Unit::Times,
     .range = {0, 20},
     .soft = {0, 2},
     .start = 0,
     .help = "How much of the air that it moves through it feels, so that speed alone tilts it; its wind catch counts too.",
     .more = "1: as a wind of its own speed. 0: still air costs nothing.",
     .keyable = true,
     .profiled = true},
    kFeltTravelRow,
    kFeltTurnRow,
    kFeltFromRow,
    {.id = "squash",
     .label = "Squash, stretch",
     .unit = Unit::Share,
     .range = {0, 5},
     .soft = {0, 1},
     .start = 0,
     .help = "How much it lengthens and thins, or shortens and bulges, as it is thrown along its bone; its volume stays.",
     .more = "More: like a water bag. Less: firm.",
     .keyable = true,
     .profiled = true,
     .group = "Shape",
     .folded = true},
    {.id = "stops",
     .label = "Stops",
     .type = SettingType::Choice,
     .help =
         "Eased: it slows down from six tenths of the way to a stop. Hard: it swings freely up to it, and stays there until it "
         "swings back.",
     .choices = "eased|hard",
     .group = "Stops",
     .folded = true},
    kSidesRow,
    stopRow("turn_max_x", "Turn +x stop", true),
    stopRow("turn_min_x", "Turn -x stop", true),
    stopRow("turn_max_y", "Turn +y stop", true),
    stopRow("turn_min_y", "Turn -y stop", true),
    stopRow("turn_max_z", "Turn +z stop", true),
    stopRow("turn_min_z", "Turn -z stop", true),
    stopRow("move_max_x", "Move +x stop", false),
    stopRow("move_min_x", "Move -x stop", false),
    stopRow("move_max_y", "Move +y stop", false),
    stopRow("move_min_y", "Move -y stop", false),
    stopRow("move_max_z", "Move +z stop", false),
    stopRow("move_min_z", "Move -z stop", false),
    kPrerollRow,
    kCutsRow,
    kAmountRow,
    kMixRow,
};

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (layer.list("joint").empty()) return "it has no joint";
    for (const std::string& j : layer.list("joint"))
        if (actor.skeleton.find(j) == rig::kNoJoint) return "there is no joint \"" + j + "\"";
    if (layer.text("move").empty() && layer.text("turn").empty()) return "it may neither move nor turn";
    return std::nullopt;
}

/// Each joint once, spread from 0 for the first to 1 for the last: what a profile of the layer runs along.
std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<Moved> out;
    for (const std::string& name : layer.list("joint")) {
        const int joint = actor.skeleton.find(name);
        if (std::none_of(out.begin(), out.end(), [&](const Moved& m) { return m.joint == joint; })) out.push_back({joint, 0});
    }
    for (std::size_t i = 1; i < out.size(); ++i) out[i].along = static_cast<double>(i) / static_cast<double>(out.size() - 1);
    return out;
}

constexpr rig::Sort kSuits[] = {rig::Sort::Ear, rig::Sort::Soft};

Movers movers(const LayerContext& context, const PoseView& rest) {
    Movers out;
    for (const Moved& m : moves(context.actor, context.layer)) out.push_back(jiggleMover(context, rest, m.joint, m.along));
    return out;
}

}  // namespace

const Simulated kSimulated{.movers = movers};
const Meeting kMeeting{.wind = true};

const LayerKind kKind{
    .id = "jiggle",
    .label = "Jiggle",
    .help = "One or many joints on springs, moving and turning about their animated place: ears, cheeks, bellies, pouches.",
    .glyph =
        "M8.8 12a3.2 3.2 0 1 0 6.4 0a3.2 3.2 0 1 0 -6.4 0 M17.4 7.5a7 7 0 0 0 -10.8 0 M6.6 16.5a7 7 0 0 0 10.8 0 "
        "M17.5 2.5a11 11 0 0 0 -11 0 M6.5 21.5a11 11 0 0 0 11 0",
    .takes = Takes::Joints,
    .settings = kSettings,
    .problem = problem,
    .moves = moves,
    .simulated = &kSimulated,
    .meets = &kMeeting,
    .suits = kSuits,
    .feels = jiggleFeels};

}  // namespace nutatio::layers::jiggle
