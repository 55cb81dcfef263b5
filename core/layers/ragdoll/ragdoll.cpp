#include "layers/ragdoll/ragdoll.h"

#include "layers/bodily.h"
#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/meeting.h"
#include "layers/mover.h"
#include "layers/ragdoll/ragdoll_mover.h"
#include "layers/ragdoll/ragdoll_shown.h"

namespace nutatio::layers::ragdoll {

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec swings() {
    SettingSpec s = swingRow({0.05, 60}, {0.2, 30}, 6, true);
    s.help = "How often a joint that is knocked swings about its animated pose each second: how stiffly the body chases it.";
    s.more = "30: chases it closely. 6: loose. 1: sags and sways.";
    s.together = true;
    s.group = {};
    return s;
}

constexpr SettingSpec bounces() {
    SettingSpec s = bouncesRow(true);
    s.start = 0.5;
    s.together = true;
    return s;
}

constexpr SettingSpec preroll() {
    SettingSpec s = kPrerollRow;
    s.start = 0;
    s.help = "How long it is simulated before frame 1: through the loop's end when the shot loops, in the first pose otherwise.";
    s.more = "More: settled at frame 1. 0: begins in the animated pose.";
    return s;
}

constexpr std::string_view kMeets = "meets=all|bodies|floor";

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Body",
     .type = SettingType::Joints,
     .help = "Top joints of what is simulated, with all that hangs on them; none: the whole actor.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "strength",
     .label = "Strength",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .start = 1,
     .help = "How much of its stiffness and damping the body has.",
     .more = "100 %: all. 0: limp.",
     .keyable = true,
     .together = true,
     .group = "Chases its pose"},
    swings(),
    bounces(),
    partRow("looser", "Looser", Unit::Share, {0, 1}, {0, 1},
            "How much of the strength this part of the body, with what hangs on it, does without: 100 % is limp."),
    partRow("stiffer", "Stiffer", Unit::Share, {-1, 20}, {-1, 3},
            "How much quicker this part swings than the rest, with what hangs on it: 100 % is twice as often a second."),
    partRow("bouncier", "Bouncier", Unit::Share, {-1, 20}, {-1, 3},
            "How many more bounces this part has than the rest, with what hangs on it: 100 % is twice as many."),
    {.id = "follow",
     .label = "Root follows",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .start = 1,
     .help = "How firmly the root of the body goes where its animation goes.",
     .more = "100 %: just there. 0: the body is free, and falls.",
     .keyable = true,
     .together = true,
     .group = "Weight"},
    {.id = "landing",
     .label = "When it lands",
     .type = SettingType::Choice,
     .help = "Whether it goes limp at the first touch after a while in the air, as over a Fall or a jump, until it recovers.",
     .feel = false,
     .together = true,
     .choices = "keeps its strength|goes limp"},
    {.id = "carried",
     .label = "Weight carried",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .start = 1,
     .help = "How much of its own weight its joints hold up where the body is carried or stands on something.",
     .more = "100 %: soft joints keep their pose. 0: they sag.",
     .keyable = true,
     .together = true},
    {.id = "gravity",
     .label = "Gravity",
     .unit = Unit::Gravities,
     .range = {-5, 20},
     .soft = {0, 2},
     .start = 1,
     .help = "How strongly the earth pulls.",
     .more = "More: heavy, quick falls. Less: as on the moon.",
     .role = scene::Role::Pull,
     .keyable = true,
     .together = true},
    {.id = "drag",
     .label = "Air drag",
     .unit = Unit::PerSecond,
     .range = {0, 200},
     .soft = {0, 10},
     .start = 0,
     .help = "How strongly the air slows it, and how strongly wind takes it along.",
     .more = "More: as under water. 0: falls freely.",
     .curved = true,
     .keyable = true,
     .together = true},
    {.id = "meets",
     .label = "Meets",
     .type = SettingType::Choice,
     .help =
         "What stops it: floor, colliders, set pieces, other ragdolls and its own limbs; all but its limbs; the floor alone; or "
         "nothing.",
     .feel = false,
     .together = true,
     .choices = "all|bodies|floor|nothing",
     .group = "Contact",
     .folded = true},
    floorRow(true, kMeets),
    gripRow("How the floor, and limbs against one another, hold what slides on them; other bodies have a friction of their own.",
            kMeets),
    givesBackRow(0.1, kMeets),
    {.id = "passes",
     .label = "Passes through",
     .type = SettingType::Colliders,
     .help = "Colliders that it does not mind.",
     .feel = false},
    {.id = "others",
     .label = "Other ragdolls",
     .type = SettingType::Choice,
     .help = "Whether it moves other ragdolls where they meet, and is moved by them, by what both weigh; both must be set so.",
     .feel = false,
     .together = true,
     .choices = "meets them|passes through them",
     .only = "meets=all|bodies"},
    {.id = "limits",
     .label = "Joint limits",
     .type = SettingType::Choice,
     .help = "Whether joints turn no farther than the clips and a living body turn them.",
     .feel = false,
     .together = true,
     .choices = "kept|off",
     .group = "Build",
     .folded = true},
    partRow("heavier", "Heavier", Unit::Share, {-0.95, 20}, {-0.9, 3},
            "How much more this part weighs, with what hangs on it, than its mesh tells.", false),
    partRow("thicker", "Thicker", Unit::Share, {-0.9, 5}, {-0.9, 2},
            "How much thicker this part is in contacts, with what hangs on it, than its mesh tells.", false),
    partRow("freer", "Freer", Unit::Degrees, {-170, 170}, {-60, 60},
            "How much farther this part's joint turns every way, and those that hang on it, than its clips tell.", false),
    preroll(),
    kCutsRow,
    kMixRow,
};

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (auto unknown = unknownJoint(actor.skeleton, layer.list("joint"))) return unknown;
    if (actor.skeleton.size() == 0) return "the actor has no joints";
    return std::nullopt;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    const auto figure = rig::figureOf(actor, topsOf(actor, layer));
    std::vector<Moved> out;
    const auto n = static_cast<double>(std::max<std::size_t>(2, figure->segments.size()));
    for (const rig::FigureSegment& g : figure->segments) out.push_back({g.joint, static_cast<double>(out.size()) / (n - 1)});
    for (int j : hangingFrom(actor, *figure)) out.push_back({j, 1});
    return out;
}

/// What hangs is no part of the body that could be set apart.
std::vector<int> concerned(const rig::Actor& actor, const scene::Layer& layer, std::string_view) {
    return jointsOf(*rig::figureOf(actor, topsOf(actor, layer)));
}

Movers movers(const LayerContext& context, const PoseView&) {
    Movers out;
    out.push_back(std::make_unique<RagdollMover>(context));
    return out;
}

bool joins(const scene::Resolved& settings) {
    const std::string& meets = settings.text("meets");
    return (meets == "all" || meets == "bodies") && settings.text("others") == "meets them";
}

std::vector<Volume> volumes(const rig::Actor& actor, const scene::Layer& layer) {
    const auto figure = rig::figureOf(actor, topsOf(actor, layer));
    const scene::Resolved settings(layer, kKind.settings);
    const PartChannels thicker = partsOf(*figure, actor.skeleton, settings, "thicker");
    std::vector<Volume> out = volumesOf(actor, *figure);
    for (std::size_t i = 0; i < out.size(); ++i)
        if (!thicker[i].empty()) out[i].radius *= 1 + settings.at(thicker[i]);
    return out;
}

std::string added(const rig::Actor& actor, const scene::Layer& layer) {
    const std::size_t n = volumes(actor, layer).size();
    return "A body of " + std::to_string(n) + (n == 1 ? " segment" : " segments") +
           ", by skeleton, mesh and clips. Click one on the stage to set it apart; Root follows lets it fall.";
}

}  // namespace

const Simulated kSimulated{.movers = movers, .joins = joins};
const Meeting kMeeting{.bodies = true, .wind = true};
const Bodily kBodily{.volumes = volumes, .acts = true};

const LayerKind kKind{
    .id = "ragdoll",
    .label = "Ragdoll",
    .help =
        "A whole body that chases its animated pose with stiffness and damping, or lets go: falls, hits, going limp, recovering.",
    .glyph = "M12 2.5a2.3 2.3 0 1 0 0.01 0 M12 7.5l-1.5 6 M4 8.5l7.2 0l5 3.5l3 -3 M10.5 13.5l-4.5 3l1 5 M10.5 13.5l5 2.5l3.5 5",
    .takes = Takes::Body,
    .settings = kSettings,
    .problem = problem,
    .moves = moves,
    .simulated = &kSimulated,
    .meets = &kMeeting,
    .body = &kBodily,
    .showing = &kShowing,
    .added = added,
    .concerned = concerned};

}  // namespace nutatio::layers::ragdoll
