#include "layers/balance/balance.h"

#include "layers/balance/balance_shown.h"
#include "layers/balance/balancing.h"
#include "layers/bodily.h"
#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/figure_parts.h"
#include "layers/filter.h"
#include "rig/roles.h"

namespace nutatio::layers::balance {

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

/// A keyed number between 0 and some times or shares.
constexpr SettingSpec amount(std::string_view id, std::string_view label, double most, double start, std::string_view help,
                             std::string_view more, std::string_view group = {}, bool folded = false) {
    return {.id = id,
            .label = label,
            .unit = Unit::Share,
            .range = {0, most},
            .soft = {0, most > 1 ? 0.5 * most : most},
            .start = start,
            .help = help,
            .more = more,
            .keyable = true,
            .together = true,
            .group = group,
            .folded = folded};
}

constexpr SettingSpec frames(std::string_view id, std::string_view label, double start, std::string_view help) {
    return {.id = id,
            .label = label,
            .unit = Unit::Frames,
            .range = {1, 200},
            .soft = {1, 40},
            .start = start,
            .help = help,
            .more = "More: gentle. Less: sudden.",
            .together = true};
}

constexpr SettingSpec depth(std::string_view id, std::string_view label, double start, std::string_view help) {
    return {.id = id,
            .label = label,
            .unit = Unit::Centimetres,
            .range = {0, 1000},
            .soft = {0, 40},
            .start = start,
            .help = help,
            .more = "More: deep in the knees. 0: only what the flight asks.",
            .curved = true,
            .keyable = true,
            .together = true};
}

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Body",
     .type = SettingType::Joints,
     .help = "Top joints of what is weighed, with all that hangs on them; none: the whole actor.",
     .role = scene::Role::Target,
     .feel = false},
    amount("effort", "Effort", 2, 0.5, "How much of the crouches, of wind-up and of carry-through below is used.",
           "More: works hard for it. 0: without effort.", "How much"),
    amount("poise", "Poise", 1, 0.5, "How much of the evened path, of lean and of counter-balance below is used.",
           "More: weight lies where it must. 0: as animated."),
    {.id = "air",
     .label = "In the air",
     .type = SettingType::Choice,
     .help = "Flights fall as things fall, in the time that they take; in the time that their height asks for, the frames beside "
             "them giving or taking it; or they are left as they are.",
     .feel = false,
     .together = true,
     .choices = "falls|falls, in its own time|as animated",
     .group = "Flights",
     .folded = true},
    {.id = "gravity",
     .label = "Gravity",
     .unit = Unit::Gravities,
     .range = {0.05, 5},
     .soft = {0.1, 2},
     .start = 1,
     .help = "How strongly the earth pulls.",
     .more = "More: low, quick. Less: floats as on the moon.",
     .role = scene::Role::Pull,
     .together = true},
    frames("work", "Worked off", 6,
           "Frames on the ground, before and after a flight, over which its speed is gathered and lost."),
    depth("push", "Push-off", 6, "How much deeper the body crouches before it takes off."),
    frames("push_frames", "Push-off takes", 8, "Frames that this crouch takes."),
    depth("land", "Landing", 10, "How much deeper the body gives way when it has landed."),
    frames("land_frames", "Landing takes", 10, "Frames that it takes to come up again."),
    amount("wind_up", "Wind-up", 1, 0.15, "How far chest and arms turn back before the body turns, against the turn.",
           "15 %: anticipates. 0: turns at once.", "Turns", true),
    frames("wind_frames", "Wind-up takes", 8, "Frames before the turn over which it winds up."),
    amount("carry", "Carry-through", 1, 0.2, "How far they carry on when the body has turned.",
           "20 %: swings through. 0: stops with it."),
    frames("carry_frames", "Carry takes", 10, "Frames after the turn over which that comes back."),
    {.id = "head",
     .label = "Head keeps",
     .unit = Unit::Share,
     .range = {0, 1.5},
     .soft = {0, 1},
     .start = 0.5,
     .help = "How much of what the chest is turned the head turns back, so that it looks where it looked.",
     .more = "100 %: looks on. 0: goes with the chest.",
     .keyable = true,
     .together = true},
    {.id = "turns_from",
     .label = "Turns from",
     .unit = Unit::Degrees,
     .range = {5, 720},
     .soft = {10, 180},
     .start = 30,
     .help = "How far the body must turn one way for it to count as a turn.",
     .more = "More: only large ones. Less: each step.",
     .together = true},
    {.id = "takes_turns",
     .label = "Takes of turns",
     .unit = Unit::Share,
     .range = {-1, 20},
     .soft = {-1, 3},
     .help = "How much more of wind-up and carry-through this joint of the spine takes than the others; they share it evenly.",
     .feel = false,
     .together = true,
     .each = scene::Each::Joint},
    amount("path", "Even path", 1, 0.5, "How much of the small shaking of its weight is taken out while it is on the ground.",
           "100 %: glides. 0: as animated.", "Path and lean", true),
    amount("lean", "Lean", 2, 0.5, "How far the body leans into where it gathers speed, against what balance asks.",
           "100 %: as far as a runner must. 0: upright."),
    frames("ahead", "Leans ahead", 3, "Frames by which it leans before it gathers speed."),
    amount("hips", "By the hips", 1, 0.3, "How much of what it is out of balance the hips make good, by moving.",
           "30 % with spine and arms: all share it. 0: hips stay.", "Counter-balance", true),
    amount("spine", "By the spine", 1, 0.5, "How much of it the spine makes good, by bending.", "More: the trunk sways."),
    amount("arm_left", "By the left arm", 1, 0.1, "How much of it the left arm makes good.", "More: the arm flies out."),
    amount("arm_right", "By the right arm", 1, 0.1, "How much of it the right arm makes good.", "More: the arm flies out."),
    amount("tail", "By the tail", 1, 0.1, "How much of it the tail makes good.", "More: the tail swings against it."),
    {.id = "hands",
     .label = "Hands",
     .type = SettingType::Choice,
     .help = "What hands do meanwhile: one that keeps still while no foot is down grips, and the body hangs; all keep their "
             "places; or "
             "they go along.",
     .feel = false,
     .together = true,
     .choices = "grip where found|keep their places|go along",
     .group = "Weight"},
    {.id = "weighed",
     .label = "Weighed by",
     .type = SettingType::Choice,
     .help = "The body's mesh, without cape, hair and props; the mesh with all that it wears and holds; or the joints' names as "
             "people are built: for loose coats, and bodies without a mesh.",
     .feel = false,
     .together = true,
     .choices = "mesh|all its mesh|names"},
    partRow(
        "heavier", "Heavier", Unit::Share, {-0.95, 20}, {-0.9, 3},
        "How much more this part weighs, with what hangs on it, than its mesh tells; capes, hair and what is held weigh nothing, "
        "whatever is said, but by all its mesh.",
        false),
    kMixRow,
};

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (auto unknown = unknownJoint(actor.skeleton, layer.list("joint"))) return unknown;
    if (!rig::rolesOf(actor).hasLegs()) return "no two legs are found to stand on";
    return std::nullopt;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<Moved> out;
    for (int j : balancedJoints(actor, layer)) out.push_back({j, 0});
    return out;
}

std::vector<int> reads(const rig::Actor& actor, const scene::Layer&) {
    std::vector<int> out;
    for (int j = 0; j < actor.skeleton.size(); ++j) out.push_back(j);
    return out;
}

std::vector<int> concerned(const rig::Actor& actor, const scene::Layer& layer, std::string_view row) {
    return row == "takes_turns" ? turnedSpine(actor) : jointsOf(*rig::figureOf(actor, topsOf(actor, layer)));
}

std::vector<Volume> volumes(const rig::Actor& actor, const scene::Layer& layer) {
    return volumesOf(actor, *rig::figureOf(actor, topsOf(actor, layer)));
}

}  // namespace

const Filter kFilter{.run = balance};
const Bodily kBodily{.volumes = volumes};

const LayerKind kKind{.id = "balance",
                      .label = "Balance",
                      .help =
                          "A body's weight: flights that fall, crouches before and after them, wind-up and carry-through of "
                          "turns, lean, and counter-balance; feet stay.",
                      .glyph = "M12 4v13 M4 8h16 M4 8l-2 5h4z M20 8l-2 5h4z M8 20h8l-4 -3z",
                      .takes = Takes::Body,
                      .settings = kSettings,
                      .problem = problem,
                      .moves = moves,
                      .filter = &kFilter,
                      .body = &kBodily,
                      .showing = &kShowing,
                      .reads = reads,
                      .concerned = concerned};

}  // namespace nutatio::layers::balance
