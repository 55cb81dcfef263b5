#include "layers/act/act.h"

#include <algorithm>

#include "layers/act/act_shown.h"
#include "layers/common_rows.h"
#include "layers/descent.h"
#include "scene/items.h"

namespace nutatio::layers::act {

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec placeRow(std::string_view id, std::string_view label, std::string_view group = {}) {
    return {.id = id,
            .label = label,
            .unit = Unit::Metres,
            .range = {-1e4, 1e4},
            .soft = {-3, 3},
            .help = "The place that it aims at: in the world, or from the joint that it aims at, in that one's axes.",
            .keyable = true,
            .feel = false,
            .together = true,
            .only = "act=reach|look|leap",
            .group = group};
}

constexpr SettingSpec strength() {
    SettingSpec s = kMixRow;
    s.label = "Strength";
    s.help = "How much of its force, or of what it changes, it has.";
    s.more = "100 %: all. 0: nothing.";
    s.profiled = false;
    return s;
}

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Does it",
     .type = SettingType::Joints,
     .help =
         "What of the body acts: the hand that reaches, the head that looks, with its neck (a chest with it turns half as far), what is pushed, "
         "what goes limp with all that hangs on it.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "act",
     .label = "Act",
     .type = SettingType::Choice,
     .help = "Reach for a place, look at it, hold on to what is there, leap, be pushed, go limp, or recover to the animation.",
     .feel = false,
     .together = true,
     .choices = "reach|look|hold|leap|push|limp|recover",
     .group = "Act"},
    {.id = "starts",
     .label = "Starts",
     .type = SettingType::Choice,
     .help = "With its interval; or within it: when the act below it on the tape is over, when the body touches something, or "
             "when it "
             "is near what it aims at.",
     .feel = false,
     .together = true,
     .choices = "on time|after the act below|on touch|when near"},
    {.id = "near",
     .label = "Near is",
     .unit = Unit::Metres,
     .range = {0, 100},
     .soft = {0, 2},
     .start = 0.3,
     .help = "How far from what it aims at it starts.",
     .feel = false,
     .together = true,
     .only = "starts=when near"},
    {.id = "to",
     .label = "Aims at",
     .type = SettingType::Mount,
     .help = "The joint of any actor that it aims at or holds on to; none: the place below.",
     .feel = false,
     .together = true,
     .only = "act=reach|look|hold|leap",
     .group = "Aim"},
    {.id = "onto",
     .label = "Nearest of",
     .type = SettingType::Colliders,
     .help = "A collider or set piece whose nearest point it reaches for.",
     .feel = false,
     .only = "act=reach"},
    placeRow("place_x", "Place x", "Place"),
    placeRow("place_y", "Place y"),
    placeRow("place_z", "Place z"),
    {.id = "force",
     .label = "Force",
     .unit = Unit::Times,
     .range = {0, 100},
     .soft = {0, 5},
     .start = 1,
     .help = "The most it pulls with, against the body's own weight; what asks for more lets go.",
     .more = "More: never lets go. Less: gives way.",
     .curved = true,
     .keyable = true,
     .together = true,
     .only = "act=reach|look|hold",
     .group = "How"},
    {.id = "leap",
     .label = "Leaps",
     .type = SettingType::Choice,
     .help = "Up to a height, or so that its centre of mass is at the place when its interval ends.",
     .feel = false,
     .together = true,
     .choices = "to a height|to the place",
     .only = "act=leap"},
    {.id = "height",
     .label = "Height",
     .unit = Unit::Metres,
     .range = {0, 100},
     .soft = {0, 2},
     .start = 0.5,
     .help = "How high its centre of mass rises.",
     .more = "More: higher, and longer in the air.",
     .keyable = false,
     .together = true,
     .only = "act=leap"},
    {.id = "off",
     .label = "Takes off",
     .type = SettingType::Choice,
     .help = "At once, with the speed that it needs; or by its legs: it crouches, then extends them against what it stands on.",
     .feel = false,
     .together = true,
     .choices = "at once|by its legs",
     .only = "act=leap"},
    {.id = "crouch",
     .label = "Crouch",
     .unit = Unit::Share,
     .range = {0, 0.8},
     .soft = {0.05, 0.6},
     .start = 0.3,
     .help = "How far it goes down before, in lengths of its legs.",
     .more = "More: a longer way to push. Less: a quick hop.",
     .together = true,
     .only = "off=by its legs"},
    {.id = "crouch_frames",
     .label = "Crouches for",
     .unit = Unit::Frames,
     .range = {0, 500},
     .soft = {1, 24},
     .start = 8,
     .help = "Frames in which it goes down, but no faster than it would fall.",
     .feel = false,
     .together = true,
     .only = "off=by its legs"},
    {.id = "effort",
     .label = "Effort",
     .unit = Unit::Times,
     .range = {0, 100},
     .soft = {1, 15},
     .start = 8,
     .help =
         "The most its legs push with together, against its weight. What they slip on, or cannot lift, falls short, and says so.",
     .more = "1: it barely stands up. More: it springs.",
     .together = true,
     .only = "off=by its legs"},
    {.id = "turning",
     .label = "In flight",
     .type = SettingType::Choice,
     .help = "It turns on as it did, its turning is stopped, or it turns as asked.",
     .feel = false,
     .together = true,
     .choices = "turns on|stops turning|turns as asked",
     .only = "act=leap"},
    {.id = "spin",
     .label = "Spin",
     .unit = Unit::DegreesPerSecond,
     .range = {-3600, 3600},
     .soft = {-720, 720},
     .help = "How fast it turns in flight, forwards as a somersault.",
     .more = "Below 0: backwards.",
     .feel = false,
     .together = true,
     .only = "turning=turns as asked"},
    {.id = "speed",
     .label = "Push",
     .unit = Unit::MetresPerSecond,
     .range = {0, 100},
     .soft = {0, 8},
     .start = 2,
     .help = "The speed that the push gives the body, hit where it is.",
     .more = "More: thrown off its feet. Less: nudged.",
     .feel = false,
     .together = true,
     .only = "act=push"},
    {.id = "heading",
     .label = "Heading",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .help = "Which way it is pushed: 0 along +z, 90 along +x.",
     .feel = false,
     .together = true,
     .only = "act=push"},
    {.id = "rise",
     .label = "Rise",
     .unit = Unit::Degrees,
     .range = {-90, 90},
     .soft = {-90, 90},
     .help = "How steeply it is pushed upwards.",
     .feel = false,
     .together = true,
     .only = "act=push"},
    strength(),
};

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    return unknownJoint(actor.skeleton, layer.list("joint"));
}

std::vector<Moved> moves(const rig::Actor&, const scene::Layer&) {
    return {};
}

/// The number of a row's choice, in the order of its table.
template <class E>
E chosen(const scene::Resolved& settings, std::string_view row) {
    const auto all = scene::choicesOf(*scene::findRow(kSettings, row));
    return static_cast<E>(std::find(all.begin(), all.end(), settings.text(row)) - all.begin());
}

Doing doing(const scene::Resolved& s) {
    Doing out;
    out.what = chosen<Doing::What>(s, "act");
    out.starts = chosen<Doing::Starts>(s, "starts");
    out.turning = chosen<Doing::Turning>(s, "turning");
    out.toPlace = s.text("leap") == "to the place";
    out.byLegs = s.text("off") == "by its legs";
    out.joints = s.list("joint");
    out.to = s.text("to");
    if (!s.list("onto").empty()) out.onto = s.list("onto").front();
    out.near = s.at("near");
    out.height = s.at("height");
    out.crouch = s.at("crouch");
    out.crouchFrames = s.at("crouch_frames");
    out.effort = s.at("effort");
    out.spin = radians(s.at("spin"));
    out.push = s.at("speed") * scene::windDirection(s.at("heading"), s.at("rise"));
    out.force = s.number("force");
    out.strength = s.number("mix");
    for (std::size_t k = 0; k < 3; ++k) out.at[k] = s.number(std::string("place_") + "xyz"[k]);
    return out;
}

const Deed kDeed{"act", doing};

}  // namespace

const LayerKind kKind{
    .id = "act",
    .label = "Act",
    .help = "What a simulated body aims at for a while: reach, look, hold on, leap, be pushed, go limp, recover.",
    .glyph = "M4 20l5 -7l4 3l7 -10 M15.5 6h4.5v4.5 M4 12a3 3 0 1 0 0.01 0",
    .takes = Takes::Joints,
    .settings = kSettings,
    .problem = problem,
    .moves = moves,
    .act = &kDeed,
    .showing = &kShowing};

}  // namespace nutatio::layers::act
