#include "layers/steady/steady.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/filter.h"
#include "layers/joint_worlds.h"
#include "rig/path.h"

namespace nutatio::layers::steady {

// With W and P the turn and place of a joint in the world as they are below, and W^, P^ what is left of them when a Gaussian that
// halves the power of what is as fast as `rate` has run over the shot (see rig::TurnPath::smooth; its sigma is 0.1325 / rate
// seconds), seen in a frame F (the world's axes, the actor's root's, the parent's):
//   e = F^-1 log(W W^^-1) by axis,  W' = exp(F (1 - p) e) W^     likewise P' = P + F p F^-1 (P^ - P)

namespace {

using rig::Ends;
using rig::PlacePath;
using rig::TurnPath;
using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Joints",
     .type = SettingType::Joints,
     .help = "The joints that are steadied in the world; what hangs on them goes along.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "share",
     .label = "Takes away",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .start = 0.6,
     .help = "The share of what is fast that goes.",
     .more = "More: glides. Less: as it was.",
     .keyable = true,
     .group = "Steady"},
    {.id = "rate",
     .label = "Faster than",
     .unit = Unit::PerSecond,
     .range = {0.05, 30},
     .soft = {0.2, 6},
     .start = 1,
     .help = "How often a second something must come and go to be fast.",
     .more = "More: only tremor goes. Less: slow swings go too.",
     .curved = true,
     .together = true},
    {.id = "turn",
     .label = "Turns about",
     .type = SettingType::Axes,
     .axes = "xyz",
     .help = "Axes of that frame about which it is steadied."},
    {.id = "move",
     .label = "Moves along",
     .type = SettingType::Axes,
     .axes = "",
     .help = "Axes of that frame along which its place is steadied."},
    {.id = "frame",
     .label = "Axes of",
     .type = SettingType::Choice,
     .help = "Whose axes those are.",
     .choices = "world|actor|parent"},
    kAmountRow,
    kMixRow,
};

constexpr double kSigmaOfRate = 0.1325;  // [s] times the rate: half the power is left there

/// What a critically damped spring that starts at the first frame makes of a row of frames (exact over a step in which the goal
/// holds): half the power is left at `rate`, where |H|^2 = 1 / (1 + (f / f0)^2)^2.
class Follower {
  public:
    Follower(double rate, double fps) : m_w(2 * kPi * rate / std::sqrt(std::sqrt(2.0) - 1)), m_dt(1 / fps) {}
    /// From the way that it is off its goal to where it is off after a step.
    Vec3 step(const Vec3& off) {
        const double left = std::exp(-m_w * m_dt);
        const Vec3 c = m_v + m_w * off;
        const Vec3 out = left * (off + m_dt * c);
        m_v = left * (m_v - m_w * m_dt * c);
        return out;
    }

  private:
    double m_w, m_dt;
    Vec3 m_v = Vec3::Zero();
};

/// The smooth path that is known without what comes after: of turns, and of places.
std::vector<Quat> followed(const std::vector<Quat>& turns, Follower follower) {
    std::vector<Quat> out{turns.front()};
    for (std::size_t f = 1; f < turns.size(); ++f)
        out.push_back(
            (fromRotationVector(follower.step(rotationVector(out.back() * turns[f].conjugate()))) * turns[f]).normalized());
    return out;
}
std::vector<Vec3> followed(const std::vector<Vec3>& places, Follower follower) {
    std::vector<Vec3> out{places.front()};
    for (std::size_t f = 1; f < places.size(); ++f) out.push_back(places[f] + follower.step(out.back() - places[f]));
    return out;
}

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (auto missing = missingJoint(actor.skeleton, layer.list("joint"))) return missing;
    if (layer.text("turn").empty() && layer.text("move").empty()) return "it steadies neither turns nor places";
    return std::nullopt;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    return placedInChains(actor.skeleton, layer.list("joint"));
}

Filtered filter(const LayerContext& context, const rig::Track& below, const Cancel& cancel) {
    const rig::Skeleton& skeleton = context.actor.skeleton;
    const scene::Resolved& s = *context.settings;
    const std::vector<Moved> moved = moves(context.actor, context.layer);
    const std::string &turns = s.text("turn"), &ways = s.text("move"), &frame = s.text("frame");
    const double fps = below.grid().fps, sigma = kSigmaOfRate / s.at("rate") * fps;
    std::vector<int> joints;
    for (const Moved& m : moved) joints.push_back(m.joint);
    JointWorlds worlds(skeleton, joints);
    Filtered out;
    for (int j : joints) out.joints.emplace_back(j, rig::Column(static_cast<std::size_t>(below.frames())));
    for (const Stretch& over : stretches(context, below.frames())) {
        const int n = over.to - over.from;
        const Ends ends = over.round ? Ends::Round : Ends::Held;
        std::vector<std::vector<Quat>> turn(joints.size()), axes(joints.size());
        std::vector<std::vector<Vec3>> place(joints.size());
        for (int f = 0; f < n; ++f) {
            if (cancel.asked()) throw Cancelled{};
            worlds.update(PoseView(below, over.from + f));
            for (std::size_t k = 0; k < joints.size(); ++k) {
                turn[k].push_back(worlds.turn(joints[k]));
                place[k].push_back(worlds.world(joints[k]).t);
                axes[k].push_back(frame == "world"   ? Quat::Identity()
                                  : frame == "actor" ? worlds.turn(rootOf(skeleton, joints[k]))
                                                     : rotationOf(worlds.above(joints[k]).m));
            }
        }
        // What they are to become in the world.
        std::vector<std::vector<Quat>> goal(joints.size());
        std::vector<std::vector<Vec3>> spot(joints.size());
        for (std::size_t k = 0; k < joints.size(); ++k) {
            const TurnPath turning(turn[k], ends);
            const PlacePath going(place[k], ends);
            const auto& own = *context.settingsOf(skeleton.reference(joints[k]));
            std::vector<Quat> turnsBehind;
            std::vector<Vec3> placesBehind;
            if (context.unfolds) {
                turnsBehind = followed(turn[k], Follower(s.at("rate"), fps));
                placesBehind = followed(place[k], Follower(s.at("rate"), fps));
            }
            for (int f = 0; f < n; ++f) {
                if (cancel.asked()) throw Cancelled{};
                const auto at = static_cast<std::size_t>(f);
                const double share = own.at("share", over.from + f, moved[k].along);
                const Quat& in = axes[k][at];
                Quat to = turning.frame(f);
                if (!turns.empty()) {
                    const Quat smooth = context.unfolds ? turnsBehind[at] : turning.smooth(f, sigma);
                    const Vec3 e = in.conjugate() * rotationVector(to * smooth.conjugate());
                    to = fromRotationVector(in * Vec3(e - share * along(e, turns))) * smooth;
                }
                Vec3 there = place[k][at];
                if (!ways.empty()) {
                    const Vec3 smooth = context.unfolds ? placesBehind[at] : going.smooth(f, sigma);
                    there += in * Vec3(share * along(in.conjugate() * Vec3(smooth - there), ways));
                }
                goal[k].push_back(to);
                spot[k].push_back(there);
            }
        }
        Descent descent(skeleton, joints);
        std::vector<Xform> made(joints.size());
        for (int f = 0; f < n; ++f) {
            const auto at = static_cast<std::size_t>(f);
            const auto change = [&](std::size_t k, const Affine& above, const Xform& local) {
                Xform x = local;
                if (!turns.empty()) {
                    const Quat is = rotationOf((above * local.affine()).m);
                    x = turnedInWorld(local, above, goal[k][at] * is.conjugate());
                }
                if (!ways.empty()) x.t = above.inverse().apply(spot[k][at]);
                return x;
            };
            descent.go(PoseView(below, over.from + f), change, made);
            for (std::size_t k = 0; k < joints.size(); ++k)
                out.joints[k].second[static_cast<std::size_t>(over.from + f)] = made[k];
        }
    }
    return out;
}

/// How much of what is fast is gone, of turns or, where none are steadied, of places.
std::string measured(const LayerContext& context, const rig::Track& below, const rig::Track& above) {
    const scene::Resolved& s = *context.settings;
    const rig::Skeleton& skeleton = context.actor.skeleton;
    const std::string &turns = s.text("turn"), &ways = s.text("move"), &frame = s.text("frame");
    const double fps = below.grid().fps, sigma = kSigmaOfRate / s.at("rate") * fps;
    const Ends ends = context.period > 0 && context.cuts.empty() ? Ends::Round : Ends::Held;
    const Moved first = moves(context.actor, context.layer).front();
    JointWorlds was(skeleton, {first.joint}), is(skeleton, {first.joint});
    std::vector<Quat> turnWas, turnIs, axes;
    std::vector<Vec3> placeWas, placeIs;
    for (int f = 0; f < below.frames(); ++f) {
        was.update(PoseView(below, f));
        is.update(PoseView(above, f));
        turnWas.push_back(was.turn(first.joint));
        turnIs.push_back(is.turn(first.joint));
        placeWas.push_back(was.world(first.joint).t);
        placeIs.push_back(is.world(first.joint).t);
        axes.push_back(frame == "world"   ? Quat::Identity()
                       : frame == "actor" ? was.turn(rootOf(skeleton, first.joint))
                                          : rotationOf(was.above(first.joint).m));
    }
    const TurnPath turning(turnWas, ends);
    const PlacePath going(placeWas, ends);
    double both = 0, before = 0;
    for (int f = 0; f < below.frames(); ++f) {
        const auto at = static_cast<std::size_t>(f);
        Vec3 e, left;
        if (!turns.empty()) {
            const Quat smooth = turning.smooth(f, sigma);
            e = along(axes[at].conjugate() * rotationVector(turnWas[at] * smooth.conjugate()), turns);
            left = along(axes[at].conjugate() * rotationVector(turnIs[at] * smooth.conjugate()), turns);
        } else {
            const Vec3 smooth = going.smooth(f, sigma);
            e = along(axes[at].conjugate() * Vec3(placeWas[at] - smooth), ways);
            left = along(axes[at].conjugate() * Vec3(placeIs[at] - smooth), ways);
        }
        both += e.dot(left);
        before += e.squaredNorm();
    }
    if (!(before > 1e-12)) return {};
    char text[120];
    std::snprintf(text, sizeof text, "takes %.1f %% of what is faster than %.3g/s, asked %.3g", 100 * (1 - both / before),
                  s.at("rate"), 100 * context.settingsOf(skeleton.reference(first.joint))->at("share", 0, first.along));
    return text;
}

/// Until a spring of that rate has forgotten where it began.
double remembers(const scene::Resolved& s, double fps) {
    return std::min(4.0, 1.2 / s.at("rate")) + 2 / fps;
}

}  // namespace

const Filter kFilter{.run = filter, .remembers = remembers};

const LayerKind kKind{
    .id = "steady",
    .label = "Steady",
    .help =
        "Joints that lose a share of what is fast of their motion in the world: a head that glides, a lantern that is carried "
        "with care.",
    .glyph = "M3 12c2 -6 3 -6 5 0s3 5 5 0 M13 12h8",
    .takes = Takes::Joints,
    .settings = kSettings,
    .problem = problem,
    .moves = moves,
    .filter = &kFilter,
    .measured = measured};

}  // namespace nutatio::layers::steady
