#include "layers/carry/carry.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "layers/anchors.h"
#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/filter.h"
#include "layers/joint_worlds.h"

namespace nutatio::layers::carry {

// With B the carrier and J a joint in the world, from the first frame f0 of an interval on:  J(f) = B(f) B(f0)^-1 J(f0), turn and
// place; so it sets off as it is animated. Over the last frames of the interval it comes back to its animation by the quintic
// ease. A carrier that hangs on what it carries keeps its own motion in the world: its local transform is made anew.

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Joints",
     .type = SettingType::Joints,
     .help = "What is carried, with all that hangs on it.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "by",
     .label = "Carried by",
     .type = SettingType::Mount,
     .help = "The joint of any actor that carries it, over the intervals of this layer; none: it stays where it is in the world.",
     .feel = false,
     .together = true},
    {.id = "lets_go",
     .label = "Let go over",
     .unit = Unit::Frames,
     .range = {0, 200},
     .soft = {0, 24},
     .start = 6,
     .help = "Frames at the end of an interval over which it comes back to its animation.",
     .more = "More: drifts back. 0: it is let go where it is, at once.",
     .together = true},
    kMixRow,
};

/// The joint of the layer's own actor that carries, where it is one; kNoJoint else.
int ownCarrier(const rig::Actor& actor, const scene::Layer& layer) {
    const auto by = scene::mountIn(actor.skeleton, layer.actor, layer.text("by"));
    return by && by->actor == layer.actor ? actor.skeleton.find(by->joint) : rig::kNoJoint;
}

std::vector<int> carriedBy(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<int> out;
    for (const std::string& name : layer.list("joint"))
        if (const int j = actor.skeleton.find(name); j != rig::kNoJoint && std::find(out.begin(), out.end(), j) == out.end())
            out.push_back(j);
    return out;
}

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (auto missing = missingJoint(actor.skeleton, layer.list("joint"))) return missing;
    for (int j : carriedBy(actor, layer))
        if (j == ownCarrier(actor, layer)) return "\"" + actor.skeleton.reference(j) + "\" cannot carry itself";
    return std::nullopt;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<Moved> out;
    const std::vector<int> carried = carriedBy(actor, layer);
    for (int j : carried) out.push_back({j, 0});
    const int by = ownCarrier(actor, layer);
    if (by != rig::kNoJoint && std::any_of(carried.begin(), carried.end(), [&](int j) { return actor.skeleton.isBelow(by, j); }))
        out.push_back({by, 0});
    return out;
}

/// Turn and place, without scale.
struct Stand {
    Quat turn = Quat::Identity();
    Vec3 place = Vec3::Zero();
    Stand(const Quat& r, const Vec3& t) : turn(r), place(t) {}
    explicit Stand(const Affine& a) : turn(rotationOf(a.m)), place(a.t) {}
    Stand operator*(const Stand& o) const { return {(turn * o.turn).normalized(), place + turn * o.place}; }
    Stand inverse() const { return {turn.conjugate(), -(turn.conjugate() * place)}; }
};

Filtered filter(const LayerContext& context, const rig::Track& below, const Cancel& cancel) {
    const rig::Skeleton& s = context.actor.skeleton;
    const int n = below.frames();
    const double fps = below.grid().fps;
    std::vector<int> joints;
    for (const Moved& m : moves(context.actor, context.layer)) joints.push_back(m.joint);
    const int by = ownCarrier(context.actor, context.layer);
    Anchors anchors(context);
    const std::string& named = context.settings->text("by");
    int carrier = -1;
    if (const auto mount = scene::mountIn(s, context.layer.actor, named)) carrier = anchors.add(*mount);
    anchors.close();
    Filtered out;
    if (!named.empty() && carrier < 0)
        out.remarks.push_back("there is no joint \"" + named + "\" to carry it: it stays where it is");
    JointWorlds worlds(s, joints);
    // Where carrier and carried stand, frame by frame.
    std::vector<Stand> stands;
    std::vector<std::vector<Stand>> at(joints.size());
    for (int f = 0; f < n; ++f) {
        if (cancel.asked()) throw Cancelled{};
        const PoseView pose(below, f);
        if (carrier >= 0) anchors.update(pose);
        stands.push_back(carrier >= 0 ? Stand(anchors.world(carrier)) : Stand(Quat::Identity(), Vec3::Zero()));
        worlds.update(pose);
        for (std::size_t k = 0; k < joints.size(); ++k) at[k].emplace_back(worlds.world(joints[k]));
    }
    std::vector<std::pair<int, int>> spans;
    for (const scene::Interval& i : context.spans)
        spans.emplace_back(within(static_cast<int>(std::lround(i.from * fps)), 0, n - 1),
                           within(static_cast<int>(std::lround(i.to * fps)), 0, n - 1));
    if (spans.empty()) spans.emplace_back(0, n - 1);
    const double lets = context.settings->at("lets_go");
    for (int j : joints) out.joints.emplace_back(j, rig::Column(static_cast<std::size_t>(n)));
    Descent descent(s, joints);
    std::vector<Xform> made(joints.size());
    for (int f = 0; f < n; ++f) {
        const auto now = static_cast<std::size_t>(f);
        const auto span = std::find_if(spans.begin(), spans.end(), [&](const auto& x) { return f >= x.first && f <= x.second; });
        const bool carries = span != spans.end();
        // An interval that goes on to the end of the shot is never let go of.
        const double share = !carries || span->second == n - 1 || lets <= 0
                                 ? 1.0
                                 : eased((span->second - f) / std::max(1.0, std::min<double>(lets, span->second - span->first)));
        descent.go(
            PoseView(below, f),
            [&](std::size_t k, const Affine& above, const Xform& local) {
                const Stand& animated = at[k][now];
                Stand wanted = animated;
                if (carries && joints[k] != by) {
                    const auto first = static_cast<std::size_t>(span->first);
                    const Stand carried = stands[now] * stands[first].inverse() * at[k][first];
                    wanted = {blend(animated.turn, carried.turn, share),
                              animated.place + share * (carried.place - animated.place)};
                }
                Xform x = local;
                const Quat is = rotationOf((above * x.affine()).m);
                x = turnedInWorld(x, above, (wanted.turn * is.conjugate()).normalized());
                x.t = above.inverse().apply(wanted.place);
                return carries ? x : local;
            },
            made);
        for (std::size_t k = 0; k < made.size(); ++k) out.joints[k].second[now] = made[k];
    }
    return out;
}

}  // namespace

const Filter kFilter{.run = filter};

const LayerKind kKind{.id = "carry",
                      .label = "Carry",
                      .help =
                          "Over its intervals a joint goes along with another one of any actor, or stays in the world; it "
                          "sets off and comes back without a jump.",
                      .glyph = "M4 9h16v9H4z M8 9V5h8v4 M9 13.5h6",
                      .takes = Takes::Joints,
                      .settings = kSettings,
                      .problem = problem,
                      .moves = moves,
                      .filter = &kFilter,
                      .readsSpans = true};

}  // namespace nutatio::layers::carry
