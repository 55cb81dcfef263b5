#include "layers/hold/hold.h"

#include <algorithm>

#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/hold/hold_build.h"
#include "layers/hold/hold_shown.h"
#include "layers/hold/holding.h"
#include "layers/meeting.h"

namespace nutatio::layers::hold {

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec spotRow(std::string_view id, std::string_view label) {
    return {.id = id,
            .label = label,
            .unit = Unit::Metres,
            .range = {-100, 100},
            .soft = {-0.3, 0.3},
            .help = "Where on what hangs on the joint the held point is, from the joint in its axes: drag it over the body.",
            .feel = false,
            .together = true,
            .each = scene::Each::Joint};
}

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Points",
     .type = SettingType::Joints,
     .help = "What is held: feet, toes, hands. Each with the two bones above it.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "contacts",
     .label = "Contacts",
     .type = SettingType::Choice,
     .help = "Found where a point is near the ground and still; or the intervals of this layer, set by hand on the tape.",
     .feel = false,
     .together = true,
     .choices = "found|intervals",
     .group = "Contacts"},
    {.id = "on",
     .label = "Held to",
     .type = SettingType::Mount,
     .help =
         "The joint of any actor that points are held to, as they stand to it in the middle of the contact; none: the ground.",
     .feel = false,
     .together = true},
    {.id = "onto",
     .label = "On the surface of",
     .type = SettingType::Colliders,
     .help =
         "A collider or set piece on whose surface points are held where they are near it: hands on a rail, a strap on a back.",
     .feel = false},
    {.id = "at",
     .label = "Takes it",
     .type = SettingType::Choice,
     .help =
         "Where on that joint a point is held: as it stands to it in the middle of the contact, or right at it: a hand catches.",
     .feel = false,
     .together = true,
     .choices = "as it stands|right at it"},
    {.id = "slides",
     .label = "May slide",
     .type = SettingType::Choice,
     .help =
         "Ways that a held point may go all the same: over the ground or the surface, or along an axis of what it is held to.",
     .feel = false,
     .together = true,
     .choices = "no|over the ground|along x|along y|along z"},
    {.id = "near",
     .label = "Near",
     .unit = Unit::Share,
     .range = {0.001, 1},
     .soft = {0.005, 0.15},
     .start = 0.035,
     .help = "How near its lowest a point must be to stand, against the length of its limb.",
     .more = "More: contacts begin earlier. Less: only where it is right down.",
     .curved = true,
     .only = "contacts=found"},
    {.id = "still",
     .label = "Still",
     .unit = Unit::PerSecond,
     .range = {0.01, 20},
     .soft = {0.05, 2},
     .start = 0.35,
     .help = "How slow it must be to stand, in lengths of its limb a second.",
     .more = "More: sliding feet count. Less: only what stands still.",
     .curved = true,
     .only = "contacts=found"},
    {.id = "ease",
     .label = "Ease",
     .unit = Unit::Frames,
     .range = {0, 100},
     .soft = {0, 24},
     .start = 3,
     .help = "Frames before and after a contact over which a point is drawn to its place.",
     .more = "More: gentle. Less: exact to the frame.",
     .together = true,
     .group = "How"},
    {.id = "body",
     .label = "Body follows",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .start = 0.35,
     .help = "How much of what feet are off the body as a whole takes over.",
     .more = "More: hips move, legs change little. 0: legs alone.",
     .together = true},
    {.id = "bend",
     .label = "Knees, elbows",
     .type = SettingType::Choice,
     .help = "Bend as the animation bends them, or the other way, where it leaves them straight.",
     .feel = false,
     .together = true,
     .choices = "as animated|the other way"},
    {.id = "towards",
     .label = "Bend towards",
     .type = SettingType::Joint,
     .help = "The joint that knees and elbows of held limbs point to; none: as they are bent.",
     .feel = false,
     .together = true},
    {.id = "sole",
     .label = "Feet",
     .type = SettingType::Choice,
     .help = "Keep the turn that they are animated with; or heel and ball stand, each by itself, and the foot turns with them.",
     .feel = false,
     .together = true,
     .choices = "keep their turn|heel and ball stand"},
    spotRow("spot_x", "Point x"),
    spotRow("spot_y", "Point y"),
    spotRow("spot_z", "Point z"),
    kMixRow,
};

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (auto missing = missingJoint(actor.skeleton, layer.list("joint"))) return missing;
    if (buildOf(actor, layer).limbs.empty()) return "none of its points has two bones above it";
    return std::nullopt;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<Moved> out;
    for (int j : buildOf(actor, layer).joints) out.push_back({j, 0});
    return out;
}

/// The place of a held point is said of that one.
std::vector<int> concerned(const rig::Actor& actor, const scene::Layer& layer, std::string_view) {
    std::vector<int> out;
    for (const std::string& p : layer.list("joint"))
        if (const int j = actor.skeleton.find(p); j != rig::kNoJoint) out.push_back(j);
    return out;
}

std::vector<std::string> onto(const scene::Resolved& settings) {
    return settings.list("onto");
}

}  // namespace

const Filter kFilter{.run = held};
const Meeting kMeeting{.bodies = true, .onto = onto};

const LayerKind kKind{.id = "hold",
                      .label = "Hold",
                      .help =
                          "Keeps feet, hands or any point on its place while it is in contact, found or set by hand; the "
                          "pose changes as little as it can.",
                      .glyph = "M5 20h14 M8 20v-6l4 -3v-7 M12 11l4 3v6 M9 4h6",
                      .takes = Takes::Joints,
                      .settings = kSettings,
                      .problem = problem,
                      .moves = moves,
                      .filter = &kFilter,
                      .meets = &kMeeting,
                      .showing = &kShowing,
                      .part = {"One point", "Point that is held", "Its dot on the stage can be dragged over the body."},
                      .concerned = concerned,
                      .readsBody = true,
                      .readsSpans = true};

}  // namespace nutatio::layers::hold
