#include "layers/strand/strand.h"

#include "layers/common_rows.h"
#include "layers/meeting.h"
#include "layers/mover.h"
#include "layers/strand/strand_mover.h"

namespace nutatio::layers::strand {

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec stopRow(std::string_view id, std::string_view label, std::string_view help) {
    return {.id = id,
            .label = label,
            .unit = Unit::Degrees,
            .range = {1, 180},
            .soft = {5, 180},
            .start = 180,
            .help = help,
            .more = "Between two stops the most is an ellipse.",
            .keyable = true,
            .profiled = true};
}

constexpr SettingSpec kSettings[] = {
    {.id = "root",
     .label = "Root",
     .type = SettingType::Joints,
     .help = "The joint a strand starts at; every joint below it swings too.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "tip",
     .label = "Tip",
     .type = SettingType::Joint,
     .help = "Where the strand ends, if not at the last joint below its root.",
     .role = scene::Role::End,
     .feel = false},
    {.id = "without",
     .label = "Leaves out",
     .type = SettingType::Joints,
     .help = "Joints that it leaves alone, with all that hangs on them.",
     .role = scene::Role::Without,
     .feel = false},
    {.id = "end",
     .label = "End length",
     .unit = Unit::Times,
     .range = {0, 20},
     .soft = {0, 3},
     .start = 1,
     .help = "How far the strand reaches beyond its last joint, against the length before it; 0 leaves the last joint stiff.",
     .more = "More: a longer, lazier tip. Less: a shorter, quicker one.",
     .feel = false,
     .together = true},
    swingRow({0, 60}, {0, 8}, 2, true),
    bouncesRow(true),
    {.id = "end_weight",
     .label = "End weight",
     .unit = Unit::Times,
     .range = {0, 100},
     .soft = {0, 5},
     .start = 0,
     .help = "A weight at the tip, against the strand's own.",
     .more = "More: swings as one, like a lantern. Less: waves like a rope.",
     .curved = true,
     .keyable = true},
    {.id = "gravity",
     .label = "Gravity",
     .unit = Unit::Gravities,
     .range = {-5, 20},
     .soft = {0, 2},
     .start = 0,
     .help = "How much of the earth's pull it feels on top of the animated pose.",
     .more = "More: hangs. Less: keeps the pose.",
     .role = scene::Role::Pull,
     .keyable = true,
     .group = "Forces"},
    kPullTiltRow,
    kPullHeadingRow,
    {.id = "drag",
     .label = "Air drag",
     .unit = Unit::PerSecond,
     .range = {0, 200},
     .soft = {0, 10},
     .start = 0,
     .help = "How strongly still air slows it.",
     .more = "More: floats and trails. Less: cuts through.",
     .curved = true,
     .keyable = true,
     .profiled = true},
    kCatchRow,
    kFeltTravelRow,
    kFeltTurnRow,
    kFeltFromRow,
    {.id = "bend",
     .label = "Bend limit",
     .unit = Unit::Degrees,
     .range = {1, 180},
     .soft = {5, 180},
     .start = 180,
     .help = "How far each joint may bend away from its animated direction; 180 sets no limit.",
     .more = "More: limp. Less: keeps its shape.",
     .keyable = true,
     .profiled = true,
     .group = "Shape",
     .folded = true},
    stopRow("bend_max_first", "First + stop",
            "How far each joint may bend forwards about its first axis across it; 180 sets no stop."),
    stopRow("bend_min_first", "First - stop",
            "How far each joint may bend back about its first axis across it; 180 sets no stop."),
    stopRow("bend_max_second", "Second + stop",
            "How far each joint may bend forwards about its second axis across it; 180 sets no stop."),
    stopRow("bend_min_second", "Second - stop",
            "How far each joint may bend back about its second axis across it; 180 sets no stop."),
    {.id = "stops",
     .label = "Stops",
     .type = SettingType::Choice,
     .help =
         "How it comes to its bend limit and stops. Hard: it swings freely and stops dead. Eased: it slows down over the last "
         "tenth of a second.",
     .choices = "hard|eased"},
    kSidesRow,
    {.id = "twist",
     .label = "Twist limit",
     .unit = Unit::Degrees,
     .range = {0, 180},
     .soft = {0, 180},
     .start = 180,
     .help = "How far each joint may twist about its own length; 180 sets no limit.",
     .more = "More: wrings freely. Less: stays straight.",
     .keyable = true,
     .profiled = true},
    {.id = "stiff_first",
     .label = "First stiffness",
     .unit = Unit::Times,
     .range = {0, 100},
     .soft = {0, 4},
     .start = 1,
     .help = "Stiffness of bending about the joint's first axis across it, against the usual.",
     .more = "More: a blade that bends one way only. Less: gives way that way.",
     .curved = true,
     .keyable = true},
    {.id = "stiff_second",
     .label = "Second stiffness",
     .unit = Unit::Times,
     .range = {0, 100},
     .soft = {0, 4},
     .start = 1,
     .help = "Stiffness of bending about the joint's second axis across it, against the usual.",
     .more = "More: a blade that bends one way only. Less: gives way that way.",
     .curved = true,
     .keyable = true},
    {.id = "stiff_twist",
     .label = "Twist stiffness",
     .unit = Unit::Times,
     .range = {0, 100},
     .soft = {0, 4},
     .start = 1,
     .help = "Stiffness of twisting about its own length, against the usual.",
     .more = "More: never twists. Less: wrings like a ribbon.",
     .curved = true,
     .keyable = true},
    {.id = "stretch",
     .label = "Stretch",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 0.5},
     .start = 0,
     .help = "How much longer or shorter each link may become; 0 keeps every length.",
     .more = "More: rubbery. Less: firm.",
     .keyable = true,
     .profiled = true},
    {.id = "stretch_swing",
     .label = "Stretch rate",
     .unit = Unit::PerSecond,
     .range = {0.1, 30},
     .soft = {0.5, 12},
     .start = 4,
     .help = "How often it bobs along its own length each second, where it may stretch.",
     .more = "More: hardly gives. Less: sags and bobs.",
     .curved = true,
     .keyable = true},
    {.id = "radius",
     .label = "Thickness",
     .unit = Unit::Share,
     .range = {0, 0.5},
     .soft = {0, 0.15},
     .start = 0,
     .help = "Its radius against its own length: how far from colliders its middle stays.",
     .more = "More: a thick braid. Less: a thread.",
     .keyable = true,
     .profiled = true,
     .group = "Contact",
     .folded = true},
    {.id = "passes",
     .label = "Passes through",
     .type = SettingType::Colliders,
     .help = "Colliders that it does not mind.",
     .feel = false},
    {.id = "meets",
     .label = "Keeps clear of",
     .type = SettingType::Choice,
     .help = "Colliders only, or the other strands of this layer too (they need a thickness to meet).",
     .feel = false,
     .choices = "colliders|others"},
    {.id = "push_out",
     .label = "Push out in",
     .unit = Unit::Frames,
     .range = {0, 500},
     .soft = {0, 48},
     .start = 0,
     .help = "Frames from the first in which it is pushed out of colliders that its own animated pose stands in; 0 leaves the "
             "animated pose alone.",
     .more = "More: eased out slowly. 0: as deep as the pose itself is always allowed.",
     .feel = false,
     .together = true},
    kPrerollRow,
    kCutsRow,
    kAmountRow,
    kMixRow,
};

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    const auto& roots = layer.list("root");
    if (roots.empty()) return "it has no root joint";
    const std::string& tip = layer.text("tip");
    const int tipJoint = actor.skeleton.find(tip);
    if (!tip.empty() && tipJoint == rig::kNoJoint) return "there is no joint \"" + tip + "\" to be its tip";
    std::vector<int> found;
    for (const std::string& r : roots) {
        const int root = actor.skeleton.find(r);
        if (root == rig::kNoJoint) return "there is no joint \"" + r + "\" to be its root";
        if (!tip.empty() && !actor.skeleton.isBelow(tipJoint, root))
            return "its tip \"" + tip + "\" does not hang below its root \"" + r + "\"";
        for (int other : found)
            if (actor.skeleton.isBelow(root, other) || actor.skeleton.isBelow(other, root))
                return "two of its roots hang on one another";
        found.push_back(root);
        const std::vector<Xform> rest = actor.restPose();
        const std::size_t links = strandJoints(actor, layer, PoseView(rest), root).links.size();
        if (links > physics::kMostLinks)
            return std::to_string(links) + " joints hang on \"" + r + "\"; a strand may have " +
                   std::to_string(physics::kMostLinks);
        if (links == 0) return "the joints of \"" + r + "\" have no length, so nothing can swing";
    }
    return std::nullopt;
}

std::vector<int> swings(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<int> out;
    for (const std::string& r : layer.list("root"))
        if (const int root = actor.skeleton.find(r); root != rig::kNoJoint) {
            const std::vector<int> some = strandMembers(actor.skeleton, layer, root);
            out.insert(out.end(), some.begin(), some.end());
        }
    return out;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<Moved> out;
    const std::vector<Xform> rest = actor.restPose();
    for (const std::string& r : layer.list("root")) {
        const StrandJoints plan = strandJoints(actor, layer, PoseView(rest), actor.skeleton.find(r));
        for (std::size_t i = 0; i < plan.joints.size(); ++i) out.push_back({plan.joints[i], plan.along[i]});
    }
    return out;
}

/// A strand lies within its length of its base, however it swings.
double reach(const rig::Actor& actor, const scene::Layer& layer, const scene::Resolved& settings) {
    double longest = 0;
    const std::vector<Xform> rest = actor.restPose();
    for (const std::string& r : layer.list("root"))
        longest = std::max(longest, strandJoints(actor, layer, PoseView(rest), actor.skeleton.find(r)).length);
    return longest * reachOf(settings);
}

constexpr rig::Sort kSuits[] = {rig::Sort::Tail, rig::Sort::Hair, rig::Sort::Strap, rig::Sort::Cloth, rig::Sort::Chain};

Movers movers(const LayerContext& context, const PoseView& rest) {
    // As many strands to a mover as the widest kernel takes, on every machine: what shares a mover is part of the result.
    constexpr std::size_t kTogether = 8;
    const bool meets = context.settings->text("meets") == "others";
    Movers out;
    std::vector<StrandJoints> together;
    const auto finish = [&] {
        if (!together.empty()) out.push_back(std::make_unique<StrandMover>(context, std::move(together)));
        together.clear();
    };
    // A strand that is set apart takes steps of its own.
    ResolvedPtr last;
    for (const std::string& r : context.layer.list("root")) {
        StrandJoints joints = strandJoints(context.actor, context.layer, rest, context.actor.skeleton.find(r));
        if (joints.links.empty()) continue;
        const ResolvedPtr& own = context.settingsOf(context.actor.skeleton.reference(joints.root));
        if (!meets && own != last) finish();
        last = own;
        together.push_back(std::move(joints));
        if (!meets && together.size() == kTogether) finish();
    }
    finish();
    return out;
}

}  // namespace

const Simulated kSimulated{.movers = movers, .swings = swings};
const Meeting kMeeting{.bodies = true, .wind = true, .reach = reach};

const LayerKind kKind{
    .id = "strand",
    .label = "Strand",
    .help = "Coupled spring dynamics on a chain or a tree of joints: hair, tails, antennae, cords, hanging props.",
    .glyph = "M6 3h12 M12 3c-6 6 7 9 -1 18 M8.6 9.4h6 M11 15.2h6",
    .takes = Takes::Chains,
    .settings = kSettings,
    .problem = problem,
    .moves = moves,
    .simulated = &kSimulated,
    .meets = &kMeeting,
    .suits = kSuits,
    .feels = strandFeels};

}  // namespace nutatio::layers::strand
