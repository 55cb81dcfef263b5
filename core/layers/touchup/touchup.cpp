#include "layers/touchup/touchup.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>

#include "layers/by_hand.h"
#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/filter.h"
#include "layers/joint_worlds.h"
#include "layers/run.h"
#include "layers/touchup/grid.h"
#include "layers/touchup/morph_channels.h"
#include "rig/path.h"

namespace nutatio::layers::touchup {

// A joint's local transform (t, q, s) below becomes, in this order:
//   late       (t, q)(f) := (t, q)(f - late), between frames as rig::TurnPath::at
//   more       q := m exp((1 + more) log(m^-1 q)),  t := n + (1 + more) (t - n),  about m, n: the mean, one frame, or the rest
//   pose straighten q := exp(-share log b) q, where b is the shortest arc from the bone above to the joint's own curl       q :=
//   q exp(a k), an angle a = 2 pi curl / joints about one axis k of its own offsets    v = pose x high, or -pose x low where the
//   layer has a low pose and pose is below 0
//              own axes: q := q exp(v), t := t + q v'    parent's: q := exp(v) q, t := t + v'
//              the world's: the same turn and way as seen in the world
//   size       s := s (1 + size)
// and is mixed over what was there by 1 - held_back.

namespace {

using rig::Ends;
using scene::Each;
using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr double kMostTurn = 1e6;  // [deg] a wheel's, over a long way

constexpr std::string_view kLowPose = "Low pose";

constexpr SettingSpec turnRow(std::string_view id, std::string_view label, std::string_view help, std::string_view group = {}) {
    return {.id = id,
            .label = label,
            .unit = Unit::Degrees,
            .range = {-kMostTurn, kMostTurn},
            .soft = {-90, 90},
            .help = help,
            .keyable = true,
            .feel = false,
            .group = group,
            .folded = group == kLowPose,
            .each = Each::Joint};
}

constexpr SettingSpec shareRow(std::string_view id, std::string_view label, scene::Range range, scene::Range soft,
                               std::string_view help) {
    return {.id = id,
            .label = label,
            .unit = Unit::Share,
            .range = range,
            .soft = soft,
            .help = help,
            .keyable = true,
            .feel = false,
            .each = Each::Joint};
}

constexpr SettingSpec handlesRow(std::string_view id, std::string_view label, double start) {
    return {.id = id,
            .label = label,
            .range = {1, 8},
            .soft = {1, 6},
            .start = start,
            .help = "How many handles there are that way; what is set stays with a handle's number.",
            .feel = false,
            .whole = true,
            .together = true};
}

constexpr SettingSpec gridRow(std::string_view id, std::string_view label) {
    return {.id = id,
            .label = label,
            .unit = Unit::Share,
            .range = {-20, 20},
            .soft = {-0.2, 0.2},
            .help = "How far the handle is carried along the actor's axis, against its height.",
            .keyable = true,
            .feel = false,
            .each = Each::Handle};
}

constexpr std::string_view kTurnHelp = "How far it is turned about this axis.",
                           kMoveHelp = "How far it is shifted, against the actor's height.",
                           kSizeHelp = "How much larger it is along this axis of its own.",
                           kLowTurn = "The same in the low pose.";
constexpr scene::Range kMoves{-20, 20}, kMovesSoft{-0.2, 0.2}, kSizes{-0.99, 20}, kSizesSoft{-0.9, 1};

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Joints",
     .type = SettingType::Joints,
     .help = "The joints that are touched up.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "axes",
     .label = "In the axes of",
     .type = SettingType::Choice,
     .help = "Whose axes offsets are kept in: the joint's own, those of what it hangs on, or the world's.",
     .feel = false,
     .choices = "own|parent|world",
     .group = "Pose"},
    {.id = "pose",
     .label = "Pose",
     .unit = Unit::Share,
     .range = {-1000, 1000},
     .soft = {-1, 1},
     .start = 1,
     .help = "How much of the pose shows; below 0 the low pose, or the opposite where none is set.",
     .more = "100 %: the pose. -100 %: the low one. Fed by a gauge: from one to the other.",
     .keyable = true,
     .feel = false,
     .together = true},
    {.id = "straighten",
     .label = "Straightens",
     .unit = Unit::Share,
     .range = {-3, 3},
     .soft = {-1, 1},
     .help = "How much of the bend between each joint and what it hangs on goes.",
     .more = "100 %: straight. Below 0: bent further.",
     .keyable = true,
     .profiled = true,
     .group = "Chain",
     .folded = true},
    {.id = "curl",
     .label = "Curls",
     .unit = Unit::Share,
     .range = {-5, 5},
     .soft = {-1, 1},
     .help = "How far the joints together roll up, against a full turn.",
     .more = "100 %: tip and root look the same way again. Below 0: to the other side.",
     .keyable = true,
     .profiled = true},
    {.id = "curl_axis",
     .label = "Curls about",
     .type = SettingType::Choice,
     .help = "Which axis of its own each joint rolls about.",
     .choices = "x|y|z"},
    {.id = "about",
     .label = "More or less about",
     .type = SettingType::Choice,
     .help = "What motion is turned up, turned down or held at: its mean, one frame, or the rest pose.",
     .feel = false,
     .choices = "mean|frame|rest",
     .group = "Motion below",
     .folded = true},
    {.id = "about_frame",
     .label = "That frame",
     .unit = Unit::Frames,
     .range = {1, 100000},
     .soft = {1, 200},
     .start = 1,
     .help = "The frame whose pose it is.",
     .feel = false,
     .whole = true,
     .together = true,
     .only = "about=frame"},
    {.id = "drawings",
     .label = "Drawings",
     .type = SettingType::Joints,
     .help = "Nodes of which one at a time is seen, in this order.",
     .feel = false,
     .group = "Drawings",
     .folded = true},
    {.id = "shows",
     .label = "Shows",
     .range = {0, 1000},
     .soft = {0, 12},
     .start = 1,
     .help = "Which of the drawings is seen, by its number; 0: none.",
     .keyable = true,
     .feel = false,
     .whole = true,
     .together = true},
    {.id = "region",
     .label = "Handles over",
     .type = SettingType::Region,
     .help = "The part or map of the surface that a grid of handles is laid over: an eyelid, a belly.",
     .feel = false,
     .group = "Handles"},
    handlesRow("handles_x", "Handles across", 3),
    handlesRow("handles_y", "Handles up", 3),
    handlesRow("handles_z", "Handles deep", 1),
    kAmountRow,
    kMixRow,
    turnRow("turn_x", "turn x", kTurnHelp, "Turn"),
    turnRow("turn_y", "turn y", kTurnHelp),
    turnRow("turn_z", "turn z", kTurnHelp),
    shareRow("move_x", "move x", kMoves, kMovesSoft, kMoveHelp),
    shareRow("move_y", "move y", kMoves, kMovesSoft, kMoveHelp),
    shareRow("move_z", "move z", kMoves, kMovesSoft, kMoveHelp),
    shareRow("size_x", "size x", kSizes, kSizesSoft, kSizeHelp),
    shareRow("size_y", "size y", kSizes, kSizesSoft, kSizeHelp),
    shareRow("size_z", "size z", kSizes, kSizesSoft, kSizeHelp),
    turnRow("low_turn_x", "low turn x", kLowTurn, kLowPose),
    turnRow("low_turn_y", "low turn y", kLowTurn),
    turnRow("low_turn_z", "low turn z", kLowTurn),
    shareRow("low_move_x", "low move x", kMoves, kMovesSoft, kLowTurn),
    shareRow("low_move_y", "low move y", kMoves, kMovesSoft, kLowTurn),
    shareRow("low_move_z", "low move z", kMoves, kMovesSoft, kLowTurn),
    {.id = "more_turn",
     .label = "more turn",
     .unit = Unit::Share,
     .range = {-3, 3},
     .soft = {-1, 1},
     .help = "How much more or less it turns than below.",
     .more = "-40 %: six tenths of it. -100 %: held still. Above 0: further.",
     .keyable = true,
     .feel = false,
     .group = "More or less, this joint",
     .folded = true,
     .each = Each::Joint},
    shareRow("more_move", "more move", {-3, 3}, {-1, 1}, "How much more or less it moves than below."),
    shareRow("more_size", "more size", {-3, 3}, {-1, 1}, "How much more or less its size changes than below."),
    {.id = "late",
     .label = "late",
     .unit = Unit::Frames,
     .range = {-500, 500},
     .soft = {-12, 12},
     .help = "How many frames late the motion below comes; below 0: early. It goes round in loops.",
     .feel = false,
     .each = Each::Joint},
    shareRow("held_back", "held back", {0, 1}, {0, 1}, "How little of the layer there is on this joint."),
    {.id = "weight",
     .label = "weight",
     .unit = Unit::Share,
     .range = {-20, 20},
     .soft = {-1, 1},
     .help = "How much of the target is added to what is below.",
     .keyable = true,
     .feel = false,
     .each = Each::Morph},
    {.id = "more_weight",
     .label = "more",
     .unit = Unit::Share,
     .range = {-3, 3},
     .soft = {-1, 1},
     .help = "How much more or less of its weight below there is.",
     .keyable = true,
     .feel = false,
     .each = Each::Morph},
    gridRow("grid_x", "x"),
    gridRow("grid_y", "y"),
    gridRow("grid_z", "z"),
};

constexpr double kHidden = 1e-5;  // a drawing that is not seen: times its size

/// One number over a shot.
class Number {
  public:
    Number() = default;
    Number(const scene::Resolved& s, const std::string& id, int frames) : m_value(s.at(id)) {
        if (s.keyed(id))
            for (int f = 0; f < frames; ++f) m_values.push_back(s.at(id, f));
    }
    double at(int f) const { return m_values.empty() ? m_value : m_values[static_cast<std::size_t>(f)]; }
    bool none() const { return m_value == 0 && m_values.empty(); }

  private:
    double m_value = 0;
    std::vector<double> m_values;
};

struct Vector {
    Vector() = default;
    Vector(const scene::Resolved& s, std::string_view stem, const std::string& joint, int frames) {
        for (int k = 0; k < 3; ++k)
            axis[static_cast<std::size_t>(k)] = Number(s, scene::channelId(std::string(stem) + '_' + "xyz"[k], joint), frames);
    }
    Vec3 at(int f) const { return {axis[0].at(f), axis[1].at(f), axis[2].at(f)}; }
    bool none() const { return axis[0].none() && axis[1].none() && axis[2].none(); }
    std::array<Number, 3> axis;
};

/// What is set for one joint.
struct Touched {
    int joint = rig::kNoJoint;
    double along = 0;
    Vector turn, move, size, lowTurn, lowMove;
    Number moreTurn, moreMove, moreSize, heldBack;
    double late = 0;
    int drawing = 0;           // its number among the drawings; 0: it is none
    bool listed = true;        // among the joints, so that it straightens and curls
    Vec3 bone = Vec3::Zero();  // the way to its first child [local units], zero without one
    double toLocal = 1;        // from heights of the actor to units of its parent
    ResolvedPtr own;

    bool takesPath() const { return late != 0 || !moreTurn.none() || !moreMove.none() || !moreSize.none(); }
};

bool hasLow(const scene::Resolved& s) {
    for (const char* stem : {"low_turn_x", "low_turn_y", "low_turn_z", "low_move_x", "low_move_y", "low_move_z"})
        if (!s.channels(stem).empty()) return true;
    return false;
}

class Toucher {
  public:
    Toucher(const LayerContext& context, int frames) : m_context(context), m_s(*context.settings), m_low(hasLow(m_s)) {
        const rig::Skeleton& skeleton = context.actor.skeleton;
        const std::vector<Moved> placed = placedInChains(skeleton, context.layer.list("joint"));
        const std::vector<double> scales = rig::scalesAbove(context.actor);
        m_pose = Number(m_s, "pose", frames);
        m_shows = Number(m_s, "shows", frames);
        const std::string& axes = m_s.text("axes");
        m_axes = axes == "own" ? 'o' : axes == "parent" ? 'p' : 'w';
        m_curlAxis = Vec3::Unit(m_s.text("curl_axis").front() - 'x');
        m_curled = static_cast<double>(std::max<std::size_t>(1, placed.size()));
        const auto add = [&](int joint, double along) -> Touched& {
            const std::string name = skeleton.reference(joint);
            Touched t;
            t.joint = joint;
            t.along = along;
            t.turn = Vector(m_s, "turn", name, frames);
            t.move = Vector(m_s, "move", name, frames);
            t.size = Vector(m_s, "size", name, frames);
            t.lowTurn = Vector(m_s, "low_turn", name, frames);
            t.lowMove = Vector(m_s, "low_move", name, frames);
            t.moreTurn = Number(m_s, scene::channelId("more_turn", name), frames);
            t.moreMove = Number(m_s, scene::channelId("more_move", name), frames);
            t.moreSize = Number(m_s, scene::channelId("more_size", name), frames);
            t.heldBack = Number(m_s, scene::channelId("held_back", name), frames);
            t.late = m_s.at(scene::channelId("late", name));
            t.toLocal = context.actor.height / scales[static_cast<std::size_t>(joint)];
            t.own = context.settingsOf(name);
            for (int c = 0; c < skeleton.size() && t.bone.isZero(); ++c)
                if (skeleton.joint(c).parent == joint) t.bone = skeleton.joint(c).rest.t;
            m_touched.push_back(std::move(t));
            return m_touched.back();
        };
        for (const Moved& m : placed) add(m.joint, m.along);
        int number = 0;
        for (const std::string& name : context.layer.list("drawings")) {
            ++number;
            const int j = skeleton.find(name);
            const auto at = std::find_if(m_touched.begin(), m_touched.end(), [&](const Touched& t) { return t.joint == j; });
            Touched& t = at != m_touched.end() ? *at : add(j, 0);
            t.listed = at != m_touched.end();
            t.drawing = number;
        }
    }

    const std::vector<Touched>& touched() const { return m_touched; }
    bool low() const { return m_low; }

    /// What becomes of `below`, which comes as `local` when it is late or more or less of itself, under `above`.
    Xform at(const Touched& t, const Xform& below, Xform local, const Affine& above, int f) const {
        if (t.listed) chain(t, local, f);
        const double pose = m_pose.at(f);
        const bool low = m_low && pose < 0;
        const Vec3 turn = radians(1) * std::abs(pose) * (low ? t.lowTurn : t.turn).at(f) * (pose < 0 && !low ? -1 : 1),
                   move = t.toLocal * std::abs(pose) * (low ? t.lowMove : t.move).at(f) * (pose < 0 && !low ? -1 : 1);
        if (!move.isZero()) local.t += wayOf(move, local, above, t.toLocal);
        if (!turn.isZero()) {
            const Quat q = fromRotationVector(turn);
            if (m_axes == 'o')
                local.r = (local.r * q).normalized();
            else if (m_axes == 'p')
                local.r = (q * local.r).normalized();
            else
                local = turnedInWorld(local, above, toActor() * q * toActor().conjugate());
        }
        if (!t.size.none()) local.s = local.s.cwiseProduct(Vec3::Ones() + t.size.at(f));
        if (const double back = t.heldBack.at(f); back > 0) local = mixed(below, local, 1 - back);
        if (t.drawing > 0 && t.drawing != static_cast<int>(std::lround(m_shows.at(f)))) local.s *= kHidden;
        return local;
    }

    /// From the world's axes to the actor's.
    Quat toActor() const { return m_context.placement.turn.conjugate(); }

    /// A way in the layer's axes as one in the axes of what the joint hangs on.
    Vec3 wayOf(const Vec3& v, const Xform& local, const Affine& above, double toLocal) const {
        if (m_axes == 'o') return local.r * v;
        if (m_axes == 'p') return v;
        const double height = m_context.actor.height;
        return above.inverse().m * Vec3(toActor() * v) * (height / toLocal);
    }
    char axes() const { return m_axes; }
    double poseAt(int f) const { return m_pose.at(f); }

  private:
    void chain(const Touched& t, Xform& local, int f) const {
        const double straighten = t.own->at("straighten", f, t.along), curl = t.own->at("curl", f, t.along);
        if (straighten != 0 && t.bone.norm() > 1e-9 && local.t.norm() > 1e-9) {
            const Quat bend = arc(local.t.normalized(), (local.r * t.bone).normalized());
            local.r = (fromRotationVector(-straighten * rotationVector(bend)) * local.r).normalized();
        }
        if (curl != 0) local.r = (local.r * fromRotationVector(2 * kPi * curl / m_curled * m_curlAxis)).normalized();
    }

    const LayerContext& m_context;
    const scene::Resolved& m_s;
    bool m_low;
    Number m_pose, m_shows;
    char m_axes = 'o';
    Vec3 m_curlAxis = Vec3::UnitX();
    double m_curled = 1;
    std::vector<Touched> m_touched;
};

/// What a joint does below the layer, late and more or less of it, by frame from the stretch's first.
std::vector<Xform> pathOf(const LayerContext& context, const Touched& t, const rig::Track& below, const Stretch& over) {
    const scene::Resolved& s = *context.settings;
    const int n = over.to - over.from;
    std::vector<Quat> turns;
    std::vector<Vec3> places, sizes;
    for (int f = over.from; f < over.to; ++f) {
        const Xform& x = below.at(t.joint, f);
        turns.push_back(x.r);
        places.push_back(x.t);
        sizes.push_back(x.s);
    }
    const Ends ends = over.round ? Ends::Round : Ends::Held;
    const rig::TurnPath turning(turns, ends);
    const rig::PlacePath going(places, ends), growing(sizes, ends);
    Xform about = context.actor.skeleton.joint(t.joint).rest;
    if (s.text("about") == "frame") {
        about = below.at(t.joint, within(static_cast<int>(std::lround(s.at("about_frame"))) - 1, 0, below.frames() - 1));
    } else if (s.text("about") == "mean") {
        about.r = turning.mean();
        about.t = about.s = Vec3::Zero();
        // The last frame of a loop is the first again.
        const int count = over.round ? n - 1 : n;
        for (int f = 0; f < count; ++f) {
            about.t += places[static_cast<std::size_t>(f)] / count;
            about.s += sizes[static_cast<std::size_t>(f)] / count;
        }
    }
    std::vector<Xform> out;
    for (int f = 0; f < n; ++f) {
        const double at = f - t.late;
        Xform x{going.at(at), turning.at(at), growing.at(at)};
        const int frame = over.from + f;
        if (const double more = t.moreTurn.at(frame); more != 0)
            x.r = (about.r * fromRotationVector((1 + more) * rotationVector(about.r.conjugate() * x.r))).normalized();
        x.t = about.t + (1 + t.moreMove.at(frame)) * (x.t - about.t);
        if (const double more = t.moreSize.at(frame); more != 0)
            for (int k = 0; k < 3; ++k) {
                const double times = std::pow(std::abs(x.s[k] / about.s[k]), 1 + more);
                if (std::isfinite(times) && x.s[k] * about.s[k] > 0) x.s[k] = about.s[k] * times;
            }
        out.push_back(x);
    }
    return out;
}

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    for (const char* id : {"joint", "drawings"})
        if (!layer.list(id).empty())
            if (auto missing = missingJoint(actor.skeleton, layer.list(id))) return missing;
    return std::nullopt;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<Moved> out = placedInChains(actor.skeleton, layer.list("joint"));
    for (const std::string& name : layer.list("drawings"))
        if (const int j = actor.skeleton.find(name);
            std::none_of(out.begin(), out.end(), [&](const Moved& m) { return m.joint == j; }))
            out.push_back({j, 0});
    return out;
}

Filtered filter(const LayerContext& context, const rig::Track& below, const Cancel& cancel) {
    const Toucher toucher(context, below.frames());
    const std::vector<Touched>& touched = toucher.touched();
    Filtered out;
    std::vector<int> joints;
    for (const Touched& t : touched) {
        joints.push_back(t.joint);
        out.joints.emplace_back(t.joint, rig::Column(static_cast<std::size_t>(below.frames())));
    }
    for (const Stretch& over : stretches(context, below.frames())) {
        std::vector<std::vector<Xform>> paths(touched.size());
        for (std::size_t k = 0; k < touched.size(); ++k) {
            if (cancel.asked()) throw Cancelled{};
            if (touched[k].takesPath()) paths[k] = pathOf(context, touched[k], below, over);
        }
        Descent descent(context.actor.skeleton, joints);
        std::vector<Xform> made(joints.size());
        for (int f = over.from; f < over.to; ++f) {
            if (cancel.asked()) throw Cancelled{};
            const auto change = [&](std::size_t k, const Affine& above, const Xform& local) {
                const Touched& t = touched[k];
                return toucher.at(t, local, paths[k].empty() ? local : paths[k][static_cast<std::size_t>(f - over.from)], above,
                                  f);
            };
            descent.go(PoseView(below, f), change, made);
            for (std::size_t k = 0; k < joints.size(); ++k) out.joints[k].second[static_cast<std::size_t>(f)] = made[k];
        }
    }
    out.morphs = touchedMorphs(context, below, out.remarks);
    if (context.region("region"))
        out.patches = HandGrid(context).patches(below.frames(), cancel);
    else if (const std::string& name = context.settings->text("region"); !name.empty())
        out.remarks.push_back("there is no part or map \"" + name + "\" to lay handles over");
    return out;
}

void live(const LayerContext& context, const PoseView& pose, std::vector<Xform>& locals) {
    const Toucher toucher(context, pose.frame() + 1);
    std::vector<int> joints;
    for (const Touched& t : toucher.touched()) joints.push_back(t.joint);
    Descent descent(context.actor.skeleton, joints);
    std::vector<Xform> made(joints.size());
    descent.go(
        pose,
        [&](std::size_t k, const Affine& above, const Xform& local) {
            return toucher.at(toucher.touched()[k], local, local, above, pose.frame());
        },
        made);
    for (std::size_t k = 0; k < joints.size(); ++k) locals[static_cast<std::size_t>(joints[k])] = made[k];
}

/// The turn by whole rounds nearest to where the numbers stand now.
Vec3 nearestTo(const Vec3& v, const Vec3& now) {
    const double angle = v.norm();
    if (angle < 1e-12) return v;
    const Vec3 axis = v / angle;
    const double rounds = std::round((axis.dot(now) - angle) / (2 * kPi));
    return axis * (angle + 2 * kPi * rounds);
}

std::vector<std::pair<std::string, double>> posed(const LayerContext& context, const Posing& p) {
    const Toucher toucher(context, p.frame + 1);
    const std::string name = context.actor.skeleton.reference(p.joint);
    const std::string stem = p.low ? "low_" : "";
    const auto numbers = [&](const std::string& of) {
        Vec3 v;
        for (int k = 0; k < 3; ++k) v[k] = context.settings->at(scene::channelId(stem + of + '_' + "xyz"[k], name), p.frame);
        return v;
    };
    const double pose = toucher.poseAt(p.frame), shows = p.low           ? std::max(0.0, -pose)
                                                         : toucher.low() ? std::max(0.0, pose)
                                                                         : pose;
    // At a low mix the numbers follow the hand as if the mix were 100 %.
    const double share = std::abs(shows) < 0.05 ? 1 : shows;
    const double height = context.actor.height,
                 toLocal = height / rig::scalesAbove(context.actor)[static_cast<std::size_t>(p.joint)];
    const Vec3 turned = radians(1) * share * numbers("turn"), moved = toLocal * share * numbers("move");
    std::vector<std::pair<std::string, double>> out;
    const auto put = [&](const std::string& of, const Vec3& v) {
        for (int k = 0; k < 3; ++k) out.emplace_back(scene::channelId(stem + of + '_' + "xyz"[k], name), v[k]);
    };
    const Mat3 axes = p.above.m;
    const Quat world = rotationOf(axes) * p.now.r, worldWanted = rotationOf(axes) * p.wanted.r, to = toucher.toActor();
    // The joint's turn before the offset; moves are measured in these axes too.
    Quat before = p.now.r, v;
    if (toucher.axes() == 'o') {
        before = p.now.r * fromRotationVector(turned).conjugate();
        v = before.conjugate() * p.wanted.r;
    } else if (toucher.axes() == 'p') {
        before = fromRotationVector(turned).conjugate() * p.now.r;
        v = p.wanted.r * before.conjugate();
    } else {
        const Quat was = to * fromRotationVector(turned).conjugate() * to.conjugate() * world;
        v = to.conjugate() * worldWanted * was.conjugate() * to;
    }
    if (p.now.r.coeffs() != p.wanted.r.coeffs()) put("turn", degrees(1) / share * nearestTo(rotationVector(v), turned));
    if (const Vec3 way = p.wanted.t - p.now.t; !way.isZero()) {
        const Vec3 in = toucher.axes() == 'o'   ? Vec3(before.conjugate() * way)
                        : toucher.axes() == 'p' ? way
                                                : Vec3(to.conjugate() * (axes * way) * (toLocal / height));
        put("move", (moved + in) / (toLocal * share));
    }
    if (!p.low && p.now.s != p.wanted.s) {
        Vec3 size;
        for (int k = 0; k < 3; ++k) {
            const double times = p.now.s[k] != 0 ? p.wanted.s[k] / p.now.s[k] : 1;
            size[k] = (1 + context.settings->at(scene::channelId(std::string("size_") + "xyz"[k], name), p.frame)) * times - 1;
        }
        put("size", size);
    }
    return out;
}

std::vector<HandPoint> points(const LayerContext& context, int frame) {
    return context.region("region") ? HandGrid(context).points(frame) : std::vector<HandPoint>();
}

/// How far it goes from what is below, at most.
std::string measured(const LayerContext& context, const rig::Track& below, const rig::Track& above) {
    const std::vector<double> scales = rig::scalesAbove(context.actor);
    double turn = 0, move = 0;
    for (const Moved& m : moves(context.actor, context.layer))
        for (int f = 0; f < below.frames(); ++f) {
            const Xform &a = below.at(m.joint, f), &b = above.at(m.joint, f);
            turn = std::max(turn, degrees(rotationVector(a.r.conjugate() * b.r).norm()));
            move = std::max(move, (b.t - a.t).norm() * scales[static_cast<std::size_t>(m.joint)] / context.actor.height);
        }
    double bent = 0;
    for (const rig::Patch& patch : above.addedTo(below))
        for (const Vec3f& by : patch.offsets) bent = std::max(bent, static_cast<double>(by.norm()));
    char text[96];
    if (bent > 0 && turn == 0 && move == 0) {
        std::snprintf(text, sizeof text, "carries the surface by up to %.2g %% of the height", 100 * bent / context.actor.height);
        return text;
    }
    std::snprintf(text, sizeof text, "turns by up to %.1f deg, moves by up to %.2g %% of the height", turn, 100 * move);
    return text;
}

constexpr ByHand::Triple kTriples[] = {{"turn", true}, {"move"}, {"low_turn", true}, {"low_move"}};
constexpr ByHand kByHand{.triples = kTriples,
                         .axes = "axes",
                         .heldBack = "held_back",
                         .weight = "weight",
                         .carried = "grid",
                         .values = posed,
                         .points = points};

}  // namespace

const Filter kFilter{.run = filter, .live = live};

const LayerKind kKind{
    .id = "touchup",
    .label = "Touch-up",
    .help =
        "Joints that are posed by hand over what is below, held or keyed; their motion turned up, turned down, late or held; "
        "chains straightened or curled; morph weights; which drawing is seen.",
    .glyph = "M4 20l4 -1l10 -10l-3 -3l-10 10z M13 8l3 3",
    .takes = Takes::Joints,
    .settings = kSettings,
    .problem = problem,
    .moves = moves,
    .filter = &kFilter,
    .byHand = &kByHand,
    .measured = measured,
    .morphs = morphsOf};

}  // namespace nutatio::layers::touchup
