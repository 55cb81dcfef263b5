#include "layers/borrow/borrow.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/filter.h"
#include "layers/joint_worlds.h"
#include "layers/run.h"
#include "rig/sides.h"

namespace nutatio::layers::borrow {

// With S(t) the pose that is borrowed from, at t = the frame less the lag, a joint's local transform becomes the one it has in S.
// Seen from the actor, a joint whose parent is not borrowed is turned on so that its turn in the world, against that of its root,
// is the one it has in S:
//   q' = P^-1 R R_S^-1 W_S     P its parent's turn as it has become, R and R_S the turns of the root here and in S

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Joints",
     .type = SettingType::Joints,
     .help = "The joints that take their motion from elsewhere.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "from",
     .label = "From",
     .type = SettingType::Choice,
     .help = "Another clip of the actor, or the other side of its body as a mirror shows it.",
     .feel = false,
     .choices = "clip|side",
     .group = "Borrows"},
    {.id = "clip",
     .label = "Clip",
     .type = SettingType::Clip,
     .help = "The clip whose motion they take.",
     .feel = false,
     .only = "from=clip"},
    {.id = "plays",
     .label = "Plays",
     .type = SettingType::Choice,
     .help = "At its own speed, or so that whole rounds of it fit the shot.",
     .feel = false,
     .choices = "own|fitted",
     .only = "from=clip"},
    {.id = "seen",
     .label = "Turns as seen from",
     .type = SettingType::Choice,
     .help = "What they hang on, which takes its own motion along, or the actor: a chest then points where it does in the clip, "
             "whatever the hips do.",
     .feel = false,
     .choices = "parent|actor"},
    {.id = "late",
     .label = "Later by",
     .unit = Unit::Frames,
     .range = {-500, 500},
     .soft = {-24, 24},
     .help = "Frames that it comes late; in a loop what comes late at its end comes at its beginning.",
     .more = "Below 0: it comes early.",
     .keyable = true,
     .feel = false,
     .together = true},
    {.id = "phase",
     .label = "And by a part",
     .unit = Unit::Share,
     .range = {-1, 1},
     .soft = {0, 1},
     .help = "So much of the clip later or, from the other side, of the shot.",
     .more = "50 %: half a cycle later.",
     .feel = false,
     .together = true},
    kMixRow,
};

const rig::Clip* clipOf(const rig::Actor& actor, const std::string& name) {
    const int clip = name.empty() ? -1 : actor.findClip(name);
    return clip < 0 ? nullptr : &actor.clips[static_cast<std::size_t>(clip)];
}

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (auto missing = missingJoint(actor.skeleton, layer.list("joint"))) return missing;
    if (layer.text("from") == "clip") {
        const std::string& name = layer.text("clip");
        if (name.empty()) return "it borrows from no clip yet";
        const rig::Clip* clip = clipOf(actor, name);
        if (!clip) return "there is no clip \"" + name + "\" to borrow from";
        if (!(clip->seconds() > 0)) return "clip \"" + name + "\" is of one moment: there is no motion to borrow";
        return std::nullopt;
    }
    const rig::Sides sides = rig::sidesOf(actor);
    for (const std::string& name : layer.list("joint"))
        if (sides.fellow[static_cast<std::size_t>(actor.skeleton.find(name))] == rig::kNoJoint)
            return "\"" + name + "\" has no joint of its kind on the other side";
    return std::nullopt;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    return placedInChains(actor.skeleton, layer.list("joint"));
}

std::vector<int> reads(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<int> out;
    if (layer.text("from") != "side") return out;
    const rig::Sides sides = rig::sidesOf(actor);
    for (const Moved& m : moves(actor, layer)) out.push_back(sides.fellow[static_cast<std::size_t>(m.joint)]);
    return out;
}

/// The motion that is borrowed from, in locals of all joints.
class Lender {
  public:
    /// `below` may be null where a clip lends.
    Lender(const LayerContext& context, double fps, int frames, const rig::Track* below)
        : m_actor(context.actor), m_below(below), m_fps(fps), m_frames(frames), m_phase(context.settings->at("phase")) {
        const scene::Resolved& s = *context.settings;
        if (s.text("from") == "side") {
            m_mirror.emplace(context.actor);
            m_round = context.period > 0 && context.cuts.empty();
            return;
        }
        m_clip = clipOf(context.actor, s.text("clip"));
        // Its ends tell whether it goes round: under a hand this is asked at every step.
        const rig::FrameGrid ends{3, 2 / m_clip->seconds(), m_clip->start, m_clip->end};
        m_round = rig::bodyTrack(context.actor, context.actor.findClip(s.text("clip")), ends).closes(context.actor);
        const double length = m_clip->seconds(), shot = (frames - 1) / fps;
        if (s.text("plays") == "fitted" && shot > 0) m_speed = std::max(1.0, std::round(shot / length)) * length / shot;
    }

    /// Times the speed at which a fitted clip plays.
    double speed() const { return m_speed; }

    void at(double frame, double late, std::vector<Xform>& out) const {
        if (m_clip) {
            out = m_actor.restPose();
            const double length = m_clip->seconds();
            double t = m_speed * (frame - late) / m_fps - m_phase * length;
            t = m_round ? t - length * std::floor(t / length) : within(t, 0.0, length);
            m_clip->pose(m_clip->start + t, out);
            return;
        }
        const double last = m_frames - 1;
        double f = frame - late - m_phase * last;
        f = m_round && last > 0 ? f - last * std::floor(f / last) : within(f, 0.0, last);
        const int from = std::min(static_cast<int>(f), m_frames - 1), to = std::min(from + 1, m_frames - 1);
        m_below->pose(from, m_pose);
        if (f > from) {
            m_below->pose(to, m_next);
            for (std::size_t j = 0; j < m_pose.size(); ++j) m_pose[j] = mixed(m_pose[j], m_next[j], f - from);
        }
        m_mirror->pose(m_pose, out);
    }
    void seen(const std::vector<Xform>& pose, std::vector<Xform>& out) const { m_mirror->pose(pose, out); }

  private:
    const rig::Actor& m_actor;
    const rig::Track* m_below;
    const rig::Clip* m_clip = nullptr;
    std::optional<rig::Mirror> m_mirror;
    double m_fps;
    int m_frames;
    double m_phase, m_speed = 1;
    bool m_round = false;
    mutable std::vector<Xform> m_pose, m_next;
};

/// Puts what was lent on the joints of one pose.
class Taker {
  public:
    explicit Taker(const LayerContext& context)
        : m_skeleton(context.actor.skeleton), m_fromActor(context.settings->text("seen") == "actor") {
        for (const Moved& m : moves(context.actor, context.layer)) joints.push_back(m.joint);
        m_descent.emplace(m_skeleton, joints);
        std::vector<int> roots;
        for (int j : joints) roots.push_back(rootOf(m_skeleton, j));
        if (m_fromActor) m_worlds.emplace(m_skeleton, roots);
    }
    std::vector<int> joints;

    void take(const PoseView& pose, const std::vector<Xform>& lent, std::span<Xform> out) {
        if (m_fromActor) {
            rig::worldTransforms(m_skeleton, lent, m_lent);
            m_worlds->update(pose);
        }
        m_descent->go(
            pose,
            [&](std::size_t k, const Affine& above, const Xform&) {
                const int j = joints[k];
                Xform x = lent[static_cast<std::size_t>(j)];
                const int up = m_skeleton.joint(j).parent;
                if (!m_fromActor || up == rig::kNoJoint || std::find(joints.begin(), joints.end(), up) != joints.end()) return x;
                const int root = rootOf(m_skeleton, j);
                const Quat goal = m_worlds->turn(root) * rotationOf(m_lent[static_cast<std::size_t>(root)].m).conjugate() *
                                  rotationOf(m_lent[static_cast<std::size_t>(j)].m);
                return turnedInWorld(x, above, goal * rotationOf((above * x.affine()).m).conjugate());
            },
            out);
    }

  private:
    const rig::Skeleton& m_skeleton;
    bool m_fromActor;
    std::optional<Descent> m_descent;
    std::optional<JointWorlds> m_worlds;
    std::vector<Affine> m_lent;
};

Filtered filter(const LayerContext& context, const rig::Track& below, const Cancel& cancel) {
    const Lender lender(context, below.grid().fps, below.frames(), &below);
    Taker taker(context);
    Filtered out;
    for (int j : taker.joints) out.joints.emplace_back(j, rig::Column(static_cast<std::size_t>(below.frames())));
    std::vector<Xform> lent, made(taker.joints.size());
    for (int f = 0; f < below.frames(); ++f) {
        if (cancel.asked()) throw Cancelled{};
        lender.at(f, context.settings->at("late", f), lent);
        taker.take(PoseView(below, f), lent, made);
        for (std::size_t k = 0; k < made.size(); ++k) out.joints[k].second[static_cast<std::size_t>(f)] = made[k];
    }
    if (std::abs(lender.speed() - 1) > 1e-6) {
        char text[80];
        std::snprintf(text, sizeof text, "the clip plays %.3g times as fast, so that it fits the shot", lender.speed());
        out.remarks.push_back(text);
    }
    return out;
}

/// A clip goes on under the hand; of the other side what it does now is all that is known.
void live(const LayerContext& context, const PoseView& pose, std::vector<Xform>& locals) {
    const Lender lender(context, context.settings->fps(), context.settings->frames(), nullptr);
    Taker taker(context);
    std::vector<Xform> lent, made(taker.joints.size());
    if (context.settings->text("from") == "side")
        lender.seen(locals, lent);
    else
        lender.at(pose.frame(), context.settings->at("late", pose.frame()), lent);
    taker.take(pose, lent, made);
    for (std::size_t k = 0; k < made.size(); ++k) locals[static_cast<std::size_t>(taker.joints[k])] = made[k];
}

/// How far it takes the joint that it changes most.
std::string measured(const LayerContext& context, const rig::Track& below, const rig::Track& above) {
    int worst = rig::kNoJoint;
    double most = 0;
    for (const Moved& m : moves(context.actor, context.layer))
        for (int f = 0; f < below.frames(); ++f)
            if (const double d = below.at(m.joint, f).r.angularDistance(above.at(m.joint, f).r); d > most) {
                most = d;
                worst = m.joint;
            }
    if (worst == rig::kNoJoint) return "as it is below";
    char text[120];
    std::snprintf(text, sizeof text, "up to %.3g deg from below: %s", degrees(most), context.actor.skeleton.label(worst).c_str());
    return text;
}

}  // namespace

const Filter kFilter{.run = filter, .live = live};

const LayerKind kKind{.id = "borrow",
                      .label = "Borrow",
                      .help =
                          "Joints that move as in another clip, or as their fellows of the other side do, also some time "
                          "later: an idle's arms over "
                          "a walk's legs, one arm's wave on the other.",
                      .glyph = "M4 8h12l-3 -3 M20 16h-12l3 3",
                      .takes = Takes::Joints,
                      .settings = kSettings,
                      .problem = problem,
                      .moves = moves,
                      .filter = &kFilter,
                      .measured = measured,
                      .reads = reads};

}  // namespace nutatio::layers::borrow
