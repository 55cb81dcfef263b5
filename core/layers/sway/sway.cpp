#include "layers/sway/sway.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/filter.h"
#include "layers/joint_worlds.h"
#include "layers/sided.h"

namespace nutatio::layers::sway {

// With c(t) the cycles made since the first frame, the integral of the rate:
//   cycle   s = sin(2 pi (c + phase))
//   noise   s = sum_k a_k sin(2 pi (r_k (c + phase) + p_k)) / 1.96,  r_k in 0.5..1.5,  a_k ~ exp(-((r_k - 1) / 0.35)^2 / 2),
//           scaled so that the sum has a root mean square of 1: 95 of 100 values lie within the size asked for
// A joint turns by q' = q exp(size s u) about the chosen axes u of its own and shifts by travel s along them. Out and back alone:
// (1 - cos(2 pi (c + phase))) / 2 in place of the sine, (1 + s) / 2 of a noise, never below 0.
// About another joint at p (in the axes of what the joint hangs on) it is carried round that too: t' = p + R (t - p), R = q
// exp(..) q^-1. On the right of a body, mirrored: a turn w of the left fellow's in world axes is -M w there, a shift d is M d,
// with M the mirror; both are taken to the joint's own axes in the pose in which the two sides are alike. In a loop of C cycles c
// is scaled to round(C), and r_k C to whole numbers.

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Joints",
     .type = SettingType::Joints,
     .help = "The joints that sway, all of them at one rate.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "form",
     .label = "Form",
     .type = SettingType::Choice,
     .help = "An even cycle, or a noise that wanders about the rate.",
     .choices = "cycle|noise",
     .group = "Sway"},
    {.id = "turn", .label = "Turn", .type = SettingType::Axes, .axes = "x", .help = "Axes of the joint that it turns about."},
    {.id = "move", .label = "Move", .type = SettingType::Axes, .axes = "", .help = "Axes of the joint that it shifts along."},
    {.id = "breath",
     .label = "Goes",
     .type = SettingType::Choice,
     .help = "To both sides of its pose, or out from it and back alone, as a breath does.",
     .choices = "both|out"},
    {.id = "sides",
     .label = "Left and right",
     .type = SettingType::Choice,
     .help =
         "Alike: both turn by their own axes. Mirrored: the right side as the left is seen in a mirror. Opposed: half a cycle "
         "apart as well.",
     .choices = "alike|mirrored|opposed"},
    {.id = "pivot",
     .label = "About",
     .type = SettingType::Joint,
     .axes = "",
     .help = "The joint that each one turns about: a prop rattles about the hand that holds it. None: itself."},
    {.id = "rate",
     .label = "Rate",
     .unit = Unit::PerSecond,
     .range = {0, 60},
     .soft = {0, 4},
     .start = 0.5,
     .help = "How often it sways each second; a loop takes the nearest whole number of times.",
     .more = "0.3: sleep. 1.2: out of breath. 8: a rattle.",
     .curved = true,
     .keyable = true,
     .together = true},
    {.id = "size",
     .label = "Turns by",
     .unit = Unit::Degrees,
     .range = {0, 180},
     .soft = {0, 45},
     .start = 2,
     .help = "How far it turns to either side; of a noise, as far as 95 of 100 frames go.",
     .more = "More: wider. Less: a breath.",
     .curved = true,
     .keyable = true,
     .profiled = true},
    {.id = "travel",
     .label = "Moves by",
     .unit = Unit::Share,
     .range = {0, 2},
     .soft = {0, 0.2},
     .start = 0.01,
     .help = "How far it shifts to either side, against the actor's height.",
     .more = "More: heaves. Less: hardly seen.",
     .curved = true,
     .keyable = true,
     .profiled = true},
    {.id = "phase",
     .label = "Phase",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .help = "Where in its cycle it stands at the first frame.",
     .keyable = true},
    {.id = "phase_step",
     .label = "Joint by joint",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-90, 90},
     .help = "How much later in its cycle each further joint of the layer stands.",
     .more = "More: a wave runs along them. 0: in step.",
     .keyable = true,
     .together = true},
    {.id = "group",
     .label = "Group",
     .range = {0, 1000},
     .soft = {0, 20},
     .help = "Noises of one group are the same noise, so that their layers keep in step; 0 is a group of its own.",
     .feel = false,
     .whole = true,
     .together = true},
    kAmountRow,
    kMixRow,
};

/// Splitmix64 (Steele, Lea, Flood: Fast splittable pseudorandom generators, 2014), as a number from 0 to 1.
double fraction(std::uint64_t& seed) {
    std::uint64_t v = seed += 0x9E3779B97F4A7C15ull;
    v = (v ^ (v >> 30)) * 0xBF58476D1CE4E5B9ull;
    v = (v ^ (v >> 27)) * 0x94D049BB133111EBull;
    return static_cast<double>((v ^ (v >> 31)) >> 11) / 9007199254740992.0;
}

std::uint64_t seedOf(const scene::Layer& layer, const scene::Resolved& settings) {
    const double group = settings.at("group");
    if (group > 0) return static_cast<std::uint64_t>(group) * 0x2545F4914F6CDD1Dull;
    return Hasher().text(layer.id).done().a;
}

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (auto missing = missingJoint(actor.skeleton, layer.list("joint"))) return missing;
    if (layer.text("turn").empty() && layer.text("move").empty()) return "it may neither turn nor move";
    const std::string& pivot = layer.text("pivot");
    if (!pivot.empty() && actor.skeleton.find(pivot) == rig::kNoJoint) return "there is no joint \"" + pivot + "\" to sway about";
    return std::nullopt;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<Moved> out;
    for (const std::string& name : layer.list("joint")) {
        const int joint = actor.skeleton.find(name);
        if (std::none_of(out.begin(), out.end(), [&](const Moved& m) { return m.joint == joint; })) out.push_back({joint, 0});
    }
    for (std::size_t i = 1; i < out.size(); ++i) out[i].along = static_cast<double>(i) / static_cast<double>(out.size() - 1);
    return out;
}

Vec3 axesOf(const std::string& axes) {
    Vec3 v = Vec3::Zero();
    for (char c : axes) v[c - 'x'] = 1;
    return v;
}

/// What one layer makes, at any number of cycles since the first frame.
class Swayer {
  public:
    /// `cycles`: of the whole shot when it loops, else 0. `most`: cycles to one of the rate that the frame grid can show.
    Swayer(const LayerContext& context, double cycles, double most)
        : m_settings(*context.settings),
          m_moved(moves(context.actor, context.layer)),
          m_scales(rig::scalesAbove(context.actor)),
          m_height(context.actor.height),
          m_noisy(m_settings.text("form") == "noise"),
          m_out(m_settings.text("breath") == "out"),
          m_opposed(m_settings.text("sides") == "opposed"),
          m_pivot(context.actor.skeleton.find(m_settings.text("pivot"))),
          m_skeleton(context.actor.skeleton) {
        if (m_settings.text("pivot").empty()) m_pivot = rig::kNoJoint;
        const Vec3 turn = axesOf(m_settings.text("turn")), move = axesOf(m_settings.text("move"));
        m_ways.assign(m_moved.size(), {turn.asDiagonal(), move.asDiagonal(), false});
        if (m_settings.text("sides") != "alike") mirror(context.actor);
        if (m_pivot != rig::kNoJoint) {
            std::vector<int> wanted{m_pivot};
            for (const Moved& m : m_moved) wanted.push_back(m.joint);
            m_worlds.emplace(m_skeleton, wanted);
        }
        const std::uint64_t seed = seedOf(context.layer, m_settings);
        for (const Moved& m : m_moved) m_own.push_back(context.settingsOf(context.actor.skeleton.reference(m.joint)));
        // Each axis wanders by itself.
        for (std::uint64_t k = 0; m_noisy && k < 3; ++k) m_noise.emplace_back(seed + k, cycles, most);
    }

    const std::vector<Moved>& moved() const { return m_moved; }
    int leftOut() const { return m_noise.empty() ? 0 : m_noise.front().left; }

    /// Reads where the pivot is; before `at`.
    void look(const PoseView& pose) {
        if (m_worlds) m_worlds->update(pose);
    }

    Xform at(std::size_t n, const Xform& below, double cycles, int frame) const {
        const Ways& ways = m_ways[n];
        const double along = m_moved[n].along;
        const scene::Resolved& own = *m_own[n];
        const double c = cycles + (own.at("phase", frame) + static_cast<double>(n) * m_settings.at("phase_step", frame)) / 360 +
                         (ways.right && m_opposed ? 0.5 : 0);
        Vec3 s = Vec3::Constant(m_noisy ? 0 : m_out ? 0.5 - 0.5 * std::cos(2 * kPi * c) : std::sin(2 * kPi * c));
        constexpr double kMostOf = 1.96;  // 95 of 100 of a normal distribution lie within as many root mean squares
        for (std::size_t k = 0; k < m_noise.size(); ++k) s[static_cast<Eigen::Index>(k)] = m_noise[k].at(c) / kMostOf;
        if (m_noisy && m_out) s = (0.5 * (s.array() + 1)).max(0);
        Xform x = below;
        const double scale = m_scales[static_cast<std::size_t>(m_moved[n].joint)];
        const Vec3 v = radians(own.at("size", frame, along)) * (ways.turn * s);
        x.r = (below.r * fromRotationVector(v)).normalized();
        if (m_worlds) {
            const Vec3 p = m_worlds->above(m_moved[n].joint).inverse().apply(m_worlds->world(m_pivot).t);
            x.t = p + x.r * (below.r.conjugate() * (below.t - p));
        }
        x.t += below.r * Vec3(own.at("travel", frame, along) * m_height / scale * (ways.move * s));
        return x;
    }

  private:
    /// From what each axis of the layer does to the joint's own axes.
    struct Ways {
        Mat3 turn, move;
        bool right;  // side of the body
    };

    /// What stands on the right does as its fellow on the left is seen in a mirror.
    void mirror(const rig::Actor& actor) {
        const Sided sided(actor);
        for (std::size_t n = 0; n < m_moved.size(); ++n) {
            const int j = m_moved[n].joint;
            if (!sided.right(j)) continue;
            const Mat3 seen = sided.seen(j, sided.fellow(j));
            Ways& w = m_ways[n];
            w.right = true;
            w.turn = -seen * w.turn;
            w.move = seen * w.move;
        }
    }

    const scene::Resolved& m_settings;
    std::vector<Moved> m_moved;
    std::vector<ResolvedPtr> m_own;  // by moved joint
    std::vector<double> m_scales;
    double m_height;
    bool m_noisy, m_out, m_opposed;
    int m_pivot;
    const rig::Skeleton& m_skeleton;
    std::vector<Ways> m_ways;  // by moved joint
    std::optional<JointWorlds> m_worlds;
    std::vector<SwayNoise> m_noise;
};

std::string shown(double v) {
    char text[32];
    std::snprintf(text, sizeof text, "%.3g", v);
    return text;
}

Filtered filter(const LayerContext& context, const rig::Track& below, const Cancel& cancel) {
    const scene::Resolved& s = *context.settings;
    const double dt = below.grid().dt();
    // Half of the sum of both ends of each frame: exact for a rate that is keyed straight.
    std::vector<double> cycles(static_cast<std::size_t>(below.frames()), 0.0);
    double fastest = s.at("rate", 0);
    for (int f = 1; f < below.frames(); ++f) {
        cycles[static_cast<std::size_t>(f)] =
            cycles[static_cast<std::size_t>(f) - 1] + 0.5 * dt * (s.at("rate", f - 1) + s.at("rate", f));
        fastest = std::max(fastest, s.at("rate", f));
    }
    Filtered out;
    double whole = 0;
    if (context.period > 0 && cycles.back() > 0) {
        whole = std::max(1.0, std::round(cycles.back()));
        if (std::abs(whole / cycles.back() - 1) > 0.005)
            out.remarks.push_back("so that the loop closes it sways " + shown(whole / context.period) + " times a second, " +
                                  shown(whole) + (whole == 1 ? " time" : " times") + " in the shot");
        const double by = whole / cycles.back();
        for (double& c : cycles) c *= by;
        fastest *= by;
    }
    // What is faster than the frames can show would only flicker.
    constexpr double kOfFrames = 0.45;
    const double most = fastest > 0 ? kOfFrames / (dt * fastest) : 1e9;
    if (most < 1) out.remarks.push_back("the frames of the shot are too coarse for its rate: it flickers");
    Swayer sway(context, whole, most);
    if (sway.leftOut() > 0)
        out.remarks.push_back(std::to_string(sway.leftOut()) +
                              " of 16 parts of its noise are faster than the frames of the shot can show, and are left out");
    for (const Moved& m : sway.moved()) out.joints.emplace_back(m.joint, rig::Column(static_cast<std::size_t>(below.frames())));
    for (int f = 0; f < below.frames(); ++f) {
        if (cancel.asked()) throw Cancelled{};
        const auto at = static_cast<std::size_t>(f);
        sway.look(PoseView(below, f));
        for (std::size_t n = 0; n < sway.moved().size(); ++n)
            out.joints[n].second[at] = sway.at(n, below.at(sway.moved()[n].joint, f), cycles[at], f);
    }
    return out;
}

void live(const LayerContext& context, const PoseView& pose, std::vector<Xform>& locals) {
    Swayer sway(context, 0, 1e9);
    sway.look(pose);
    for (std::size_t n = 0; n < sway.moved().size(); ++n)
        locals[static_cast<std::size_t>(sway.moved()[n].joint)] =
            sway.at(n, pose.local(sway.moved()[n].joint), context.settings->at("rate", pose.frame()) * pose.time(), pose.frame());
}

/// How often and how far its first joint goes, by what it adds.
std::string measured(const LayerContext& context, const rig::Track& below, const rig::Track& above) {
    const scene::Resolved& s = *context.settings;
    const int joint = moves(context.actor, context.layer).front().joint;
    const std::string &turn = s.text("turn"), &move = s.text("move");
    const double height = context.actor.height * 0.01, scale = rig::scalesAbove(context.actor)[static_cast<std::size_t>(joint)];
    std::vector<double> way;
    for (int f = 0; f < below.frames(); ++f) {
        const Xform &a = below.at(joint, f), &b = above.at(joint, f);
        if (turn.empty())
            way.push_back((a.r.conjugate() * Vec3(b.t - a.t))[move.front() - 'x'] * scale / height);
        else
            way.push_back(degrees(rotationVector(a.r.conjugate() * b.r)[turn.front() - 'x']));
    }
    if (way.size() < 3) return {};
    double mean = 0;
    for (double w : way) mean += w / static_cast<double>(way.size());
    if (s.text("breath") == "both") mean = 0;
    int crossings = 0;
    std::vector<double> sizes;
    for (std::size_t f = 0; f < way.size(); ++f) {
        sizes.push_back(std::abs(way[f]));
        if (f > 0) crossings += (way[f] - mean > 0) != (way[f - 1] - mean > 0);
    }
    const auto at = sizes.begin() +
                    static_cast<std::ptrdiff_t>((s.text("form") == "noise" ? 0.95 : 1) * (static_cast<double>(sizes.size()) - 1));
    std::nth_element(sizes.begin(), at, sizes.end());
    const double seconds = (static_cast<double>(way.size()) - 1) / below.grid().fps;
    const auto& own = *context.settingsOf(context.actor.skeleton.reference(joint));
    char text[120];
    std::snprintf(text, sizeof text,
                  turn.empty() ? "%.2g times a second by %.2g %% of the height, asked %.3g and %.3g"
                               : "%.2g times a second by %.2g deg, asked %.3g and %.3g",
                  0.5 * crossings / seconds, *at, s.at("rate", 0),
                  turn.empty() ? 100 * own.at("travel", 0, 0) : own.at("size", 0, 0));
    return text;
}

}  // namespace

SwayNoise::SwayNoise(std::uint64_t seed, double cycles, double most) {
    constexpr int kParts = 16;
    constexpr double kWide = 0.35;
    double power = 0;
    for (int k = 0; k < kParts; ++k) {
        // One part in each sixteenth of the band, so that no seed leaves a hole in it.
        double times = 0.5 + (k + fraction(seed)) / kParts;
        const double phase = fraction(seed);
        if (cycles > 0) times = std::max(1.0, std::round(times * cycles)) / cycles;
        if (times > std::max(most, 0.5)) {
            ++left;
            continue;
        }
        const double off = (times - 1) / kWide, size = std::exp(-0.5 * off * off);
        parts.push_back({times, size, phase});
    }
    // Parts that a short loop puts on one rate add up by their phases: the power is that of the sum.
    for (const Part& a : parts)
        for (const Part& b : parts)
            if (a.times == b.times) power += 0.5 * a.size * b.size * std::cos(2 * kPi * (a.phase - b.phase));
    for (Part& p : parts) p.size /= std::sqrt(std::max(power, 1e-12));
}

double SwayNoise::at(double cycles) const {
    double sum = 0;
    for (const Part& p : parts) sum += p.size * std::sin(2 * kPi * (p.times * cycles + p.phase));
    return sum;
}

const Filter kFilter{.run = filter, .live = live};

const LayerKind kKind{
    .id = "sway",
    .label = "Sway",
    .help = "Joints that sway by themselves, evenly or like noise: breathing, idling, a tail that is kept in motion, a rattle.",
    .glyph = "M3 8c3 -5 6 -5 9 0s6 5 9 0 M3 16c3 -5 6 -5 9 0s6 5 9 0",
    .takes = Takes::Joints,
    .settings = kSettings,
    .problem = problem,
    .moves = moves,
    .filter = &kFilter,
    .measured = measured};

}  // namespace nutatio::layers::sway
