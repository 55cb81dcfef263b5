#include "layers/travel/travel.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/filter.h"
#include "layers/joint_worlds.h"
#include "layers/travel/travel_shown.h"
#include "rig/stride.h"

namespace nutatio::layers::travel {

// With v(t) the speed and a(t) the heading, d the way that the body faces and c the place on the ground from which it starts:
//   p(t) = c + integral of v R(a) d     by the middle of each frame's speed and heading
//   a root's world X' = p + R(a) (X - c)     or without the turn, where it keeps facing as it does

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Joints",
     .type = SettingType::Joints,
     .help = "Joints of what travels: the top joint that each of them hangs on goes.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = kSpeedRow,
     .label = "Ground speed",
     .unit = Unit::MetresPerSecond,
     .range = {-50, 50},
     .soft = {0, 6},
     .start = 1,
     .help = "How fast it goes over the ground.",
     .more = "As fast as its feet tell: they stand. Below 0: backwards.",
     .curved = true,
     .keyable = true,
     .feel = false,
     .together = true,
     .group = "Goes"},
    {.id = kHeadingRow,
     .label = "Heading",
     .unit = Unit::Degrees,
     .range = {-3600, 3600},
     .soft = {-180, 180},
     .help = "Which way it goes, against the way that it faces at first.",
     .more = "More: to its left. Less: to its right.",
     .keyable = true,
     .feel = false,
     .together = true},
    {.id = kForwardRow,
     .label = "Faces at first",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .help = "The way that the animation walks, in its own axes: 0 is along z.",
     .feel = false,
     .together = true},
    {.id = "faces",
     .label = "Faces",
     .type = SettingType::Choice,
     .help = "The way that it goes, or as it is animated: it slips sideways then.",
     .feel = false,
     .choices = "ahead|as it was"},
    {.id = "handoff",
     .label = "Hand-off",
     .type = SettingType::Choice,
     .help = "With the travel, or in place again: layers above feel it all the same.",
     .role = scene::Role::LeftOut,
     .feel = false,
     .choices = "with|without"},
    kMixRow,
};

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    return missingJoint(actor.skeleton, layer.list("joint"));
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<Moved> out;
    for (const std::string& name : layer.list("joint")) {
        const int root = rootOf(actor.skeleton, actor.skeleton.find(name));
        if (std::none_of(out.begin(), out.end(), [&](const Moved& m) { return m.joint == root; })) out.push_back({root, 0});
    }
    return out;
}

Vec3 level(double degreesRound) {
    return {std::sin(radians(degreesRound)), 0, std::cos(radians(degreesRound))};
}

/// Where it has got to, frame by frame.
class Going {
  public:
    explicit Going(const LayerContext& context)
        : m_s(*context.settings),
          m_perMetre(1 / context.placement.metres),
          m_ahead(m_s.text("faces") == "ahead"),
          m_toOwn(scene::levelOf(context.placement).conjugate()),
          m_start(rig::standOf(context.actor, m_toOwn.conjugate())) {}

    /// The way from the start [units] that frame `to` lies beyond frame `from`.
    Vec3 step(int from, int to) const {
        const double speed = 0.5 * (m_s.at("speed", from) + m_s.at("speed", to)),
                     heading = 0.5 * (m_s.at("heading", from) + m_s.at("heading", to));
        return speed * m_perMetre / m_s.fps() * (m_toOwn * level(m_s.at("forward") + heading));
    }
    Xform carried(const Xform& root, const Vec3& way, int frame) const {
        Xform x = root;
        const Quat turn =
            m_ahead ? fromRotationVector(radians(m_s.at("heading", frame)) * (m_toOwn * Vec3(Vec3::UnitY()))) : Quat::Identity();
        x.t = m_start + way + turn * (root.t - m_start);
        x.r = (turn * root.r).normalized();
        return x;
    }

  private:
    const scene::Resolved& m_s;
    double m_perMetre;
    bool m_ahead;
    Quat m_toOwn;  // from axes in which y is up
    Vec3 m_start;
};

Filtered filter(const LayerContext& context, const rig::Track& below, const Cancel& cancel) {
    const std::vector<Moved> moved = moves(context.actor, context.layer);
    const Going going(context);
    Filtered out;
    for (const Moved& m : moved) out.joints.emplace_back(m.joint, rig::Column(static_cast<std::size_t>(below.frames())));
    Vec3 way = Vec3::Zero();
    for (int f = 0; f < below.frames(); ++f) {
        if (cancel.asked()) throw Cancelled{};
        if (f > 0) way += going.step(f - 1, f);
        for (std::size_t k = 0; k < moved.size(); ++k)
            out.joints[k].second[static_cast<std::size_t>(f)] = going.carried(below.at(moved[k].joint, f), way, f);
    }
    return out;
}

void live(const LayerContext& context, const PoseView& pose, std::vector<Xform>& locals) {
    const Going going(context);
    Vec3 way = Vec3::Zero();
    for (int f = 1; f <= pose.frame(); ++f) way += going.step(f - 1, f);
    for (const Moved& m : moves(context.actor, context.layer))
        locals[static_cast<std::size_t>(m.joint)] = going.carried(pose.local(m.joint), way, pose.frame());
}

/// What its feet tell of what is below, beside what is asked.
std::string measured(const LayerContext& context, const rig::Track& below, const rig::Track& above) {
    const rig::Stride stride = rig::strideOf(context.actor, below, scene::levelOf(context.placement));
    const double metres = context.placement.metres;
    double way = 0;
    const int root = moves(context.actor, context.layer).front().joint;
    for (int f = 1; f < above.frames(); ++f) {
        Vec3 step = metres * (above.at(root, f).t - above.at(root, f - 1).t - (below.at(root, f).t - below.at(root, f - 1).t));
        way += step.norm();
    }
    char text[120];
    if (stride.speed > 0)
        std::snprintf(text, sizeof text, "goes %.3g m; its feet tell %.3g m/s, and are off that by %.2g", way,
                      stride.speed * metres, stride.slides * metres);
    else
        std::snprintf(text, sizeof text, "goes %.3g m; no foot tells how fast", way);
    return text;
}

}  // namespace

const Filter kFilter{.run = filter, .live = live};

const LayerKind kKind{
    .id = "travel",
    .label = "Travel",
    .help =
        "What is animated in place goes over the ground, straight or along a path, so that soft parts are judged as they start, "
        "stop and turn.",
    .glyph = "M3 18c4 -8 8 2 12 -6 M12 8l5 1l-1 5",
    .takes = Takes::Joints,
    .settings = kSettings,
    .problem = problem,
    .moves = moves,
    .filter = &kFilter,
    .showing = &kShowing,
    .measured = measured,
    .goes = true};

}  // namespace nutatio::layers::travel
