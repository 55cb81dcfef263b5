#include "layers/overlap/overlap.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/filter.h"
#include "layers/joint_worlds.h"
#include "rig/path.h"

namespace nutatio::layers::overlap {

// For a joint that is asked to come L(t) frames late, with q its own turn, W its turn and E its end in the world, D the turn of
// what the chain hangs on, all as they are below, and S the frame in which lags are seen (the world, or the actor's root):
//   own        q' = m exp(g log(m^-1 q(t - L))),  m the mean of q
//   parent's   W' = S exp(g log(D~(t - L) D~(t)^-1)) S^-1 W,  D~ = S^-1 D; then, by a share, it turns on by the shortest arc so
//   that
//              its end points to where E stood in S at t - L, however far (1: it points there)
// Of what that adds to q only the chosen axes of the joint are kept, and never more than kMost.
// L(t) = the asked lag times its profile, times a share between `starts` and `stops`: u runs from 0 to 1 as the rate of D (own:
// of q) goes from growing to falling by 30 % of the 98 % quantile of its change, smoothed over 0.08 s; t - L(t) runs on at 0.25
// to 3 times the clock, so that nothing goes backwards.

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
     .help = "The joints that come late; those that hang on one another are a chain.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "after",
     .label = "Comes after",
     .type = SettingType::Choice,
     .help = "What it follows late: what it hangs on, or its own animation.",
     .choices = "parent|own",
     .group = "Lag"},
    {.id = "lag",
     .label = "Lag",
     .unit = Unit::Frames,
     .range = {0, 240},
     .soft = {0, 12},
     .start = 3,
     .help = "How many frames late the tip comes; from the root on it grows evenly.",
     .more = "More: heavier, drags behind. Less: goes along.",
     .curved = true,
     .keyable = true,
     .profiled = true},
    {.id = "starts",
     .label = "At starts",
     .unit = Unit::Times,
     .range = {0, 4},
     .soft = {0, 3},
     .start = 1,
     .help = "How many times that lag where the motion gathers speed.",
     .more = "More: drags when it sets off. Less: leaves at once.",
     .together = true},
    {.id = "stops",
     .label = "At stops",
     .unit = Unit::Times,
     .range = {0, 4},
     .soft = {0, 3},
     .start = 1,
     .help = "How many times that lag where it slows down.",
     .more = "More: settles late. Less: stops with it.",
     .together = true},
    {.id = "grows",
     .label = "Goes as far",
     .unit = Unit::Times,
     .range = {0, 5},
     .soft = {0, 3},
     .start = 1,
     .help = "How far what comes late goes, against what it follows.",
     .more = "More: whips. Less: keeps near.",
     .keyable = true,
     .profiled = true,
     .group = "Reach"},
    {.id = "travel",
     .label = "After travel",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .start = 1,
     .help = "How much it also comes late where what it hangs on moves without turning.",
     .more = "More: a head tips late when the body only sinks. Less: it follows turns alone.",
     .keyable = true,
     .profiled = true,
     .only = "after=parent"},
    {.id = "ways",
     .label = "Travel along",
     .type = SettingType::Axes,
     .axes = "xyz",
     .help = "Along which axes of that frame travel counts.",
     .only = "after=parent"},
    {.id = "frame",
     .label = "Seen from",
     .type = SettingType::Choice,
     .help = "The world, or the actor's root, which then may go and turn without anything coming late.",
     .choices = "world|actor",
     .only = "after=parent"},
    {.id = "turn",
     .label = "Turns about",
     .type = SettingType::Axes,
     .axes = "xyz",
     .help = "Axes of the joint that it may turn about."},
    kAmountRow,
    kMixRow,
};

constexpr double kMost = radians(170);
constexpr double kRateCalm = 1.0 / 24, kLagCalm = 0.08;  // [s]

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (auto missing = missingJoint(actor.skeleton, layer.list("joint"))) return missing;
    if (layer.text("turn").empty()) return "it may not turn";
    return std::nullopt;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    return placedInChains(actor.skeleton, layer.list("joint"));
}

/// How far on from its start (0) to its stop (1) a motion is, by frame.
std::vector<double> startToStop(const TurnPath& driver, double fps) {
    const int n = driver.frames();
    std::vector<Vec3> speeds;
    for (int f = 0; f < n; ++f) speeds.emplace_back(driver.rate(f, std::max(0.7, kRateCalm * fps), fps).norm(), 0, 0);
    const PlacePath speed(std::move(speeds), Ends::Held);
    std::vector<double> gain, sorted;
    for (int f = 0; f < n; ++f) gain.push_back(speed.fit(f, std::max(0.7, kRateCalm * fps), fps).speed.x());
    for (double g : gain) sorted.push_back(std::abs(g));
    const auto at = sorted.begin() + static_cast<std::ptrdiff_t>(0.98 * (static_cast<double>(n) - 1));
    std::nth_element(sorted.begin(), at, sorted.end());
    const double wide = 0.3 * *at;
    std::vector<double> out;
    for (double g : gain) {
        const double u = wide > 0 ? std::clamp(0.5 - 0.5 * g / wide, 0.0, 1.0) : 0.5;
        out.push_back(u * u * (3 - 2 * u));
    }
    return out;
}

/// The frame that is read for each frame of a stretch.
std::vector<double> readAt(const scene::Resolved& own, double along, const Stretch& over, const std::vector<double>& toStop,
                           double starts, double stops, double fps) {
    const int n = over.to - over.from;
    std::vector<Vec3> lags;
    for (int f = 0; f < n; ++f) {
        const double u = toStop.empty() ? 0.5 : toStop[static_cast<std::size_t>(f)];
        lags.emplace_back(along * own.at("lag", over.from + f, along) * (starts + (stops - starts) * u), 0, 0);
    }
    const PlacePath asked(std::move(lags), over.round ? Ends::Round : Ends::Held);
    std::vector<double> out;
    for (int f = 0; f < n; ++f)
        out.push_back(f - (starts == stops ? asked.frame(f).x() : asked.fit(f, kLagCalm * fps, fps).value.x()));
    // From frame to frame the place that is read goes on by a quarter of a frame at least, three at most.
    for (int f = 1; f < n; ++f) {
        const auto k = static_cast<std::size_t>(f);
        if (starts != stops) out[k] = within(out[k], out[k - 1] + 0.25, out[k - 1] + 3);
    }
    return out;
}

Vec3 capped(const Vec3& e) {
    const double size = e.norm();
    return size > kMost ? Vec3(e * (kMost / size)) : e;
}

/// One joint over a stretch: what is below it, and what of that it reads.
struct Link {
    int joint = rig::kNoJoint, driver = rig::kNoJoint;  // the driver: what its chain hangs on
    double along = 1;
    ResolvedPtr own;
    std::vector<Quat> turn;    // of the joint: local where it follows itself, else in the world
    std::vector<Vec3> bone;    // to its end, in the world
    std::vector<Affine> seen;  // the frame in which lags are seen
    std::optional<TurnPath> followed;
    Quat mean = Quat::Identity();  // of what is followed
    std::optional<PlacePath> end;  // in that frame
    std::vector<double> read;      // frames
};

/// What a layer asks, beside what each joint is set to.
struct Asked {
    bool own, fromRoot;
    const std::string &turns, &ways;
    double starts, stops;
};

Vec3 ofOwn(const Link& l, int f, double grows) {
    const Quat& mean = l.mean;
    const Quat goal = mean * fromRotationVector(capped(
                                 grows * rotationVector(mean.conjugate() * l.followed->at(l.read[static_cast<std::size_t>(f)]))));
    return rotationVector(l.turn[static_cast<std::size_t>(f)].conjugate() * goal);
}

/// Where a joint at `place` is to be turned to, in the world.
Quat afterParent(const Link& l, int f, double grows, double share, const std::string& ways, const Vec3& place) {
    const auto k = static_cast<std::size_t>(f);
    const Affine& seen = l.seen[k];
    const Quat toWorld(seen.m), was = l.turn[k];
    const Vec3 lag = capped(grows * rotationVector(l.followed->at(l.read[k]) * l.followed->frame(f).conjugate()));
    const Quat turned = toWorld * fromRotationVector(lag) * toWorld.conjugate() * was;
    const Vec3 here = l.end->frame(f), there = here + grows * along(l.end->at(l.read[k]) - here, ways);
    const Vec3 bone = turned * was.conjugate() * l.bone[k], to = seen.apply(there) - place;
    if (share <= 0 || ways.empty() || to.norm() < 1e-6 * bone.norm() || bone.norm() == 0) return turned;
    return fromRotationVector(share * rotationVector(arc(bone.normalized(), to.normalized()))) * turned;
}

Filtered filter(const LayerContext& context, const rig::Track& below, const Cancel& cancel) {
    const rig::Skeleton& skeleton = context.actor.skeleton;
    const scene::Resolved& s = *context.settings;
    const std::vector<Moved> moved = moves(context.actor, context.layer);
    const Asked asked{
        s.text("after") == "own", s.text("frame") == "actor", s.text("turn"), s.text("ways"), s.at("starts"), s.at("stops")};
    const double fps = below.grid().fps;
    std::vector<int> joints;
    for (const Moved& m : moved) joints.push_back(m.joint);
    // The first joint of the chain that a joint is of.
    const auto topOf = [&](int j) {
        int top = j;
        for (int up = skeleton.joint(j).parent; up != rig::kNoJoint; up = skeleton.joint(up).parent)
            if (std::find(joints.begin(), joints.end(), up) != joints.end()) top = up;
        return top;
    };
    JointWorlds worlds(skeleton, joints);
    Filtered out;
    for (int j : joints) out.joints.emplace_back(j, rig::Column(static_cast<std::size_t>(below.frames())));
    for (const Stretch& over : stretches(context, below.frames())) {
        const int n = over.to - over.from;
        const Ends ends = over.round ? Ends::Round : Ends::Held;
        std::vector<Link> links;
        for (const Moved& m : moved) {
            Link& l = links.emplace_back();
            l.joint = m.joint;
            l.driver = skeleton.joint(topOf(m.joint)).parent;
            l.along = m.along;
            l.own = context.settingsOf(skeleton.reference(m.joint));
        }
        std::vector<std::vector<Quat>> drivers(links.size());
        std::vector<std::vector<Vec3>> places(links.size());
        for (int f = 0; f < n; ++f) {
            if (cancel.asked()) throw Cancelled{};
            worlds.update(PoseView(below, over.from + f));
            for (std::size_t k = 0; k < links.size(); ++k) {
                Link& l = links[k];
                if (asked.own) {
                    l.turn.push_back(below.at(l.joint, over.from + f).r);
                    continue;
                }
                const Affine& root = worlds.world(rootOf(skeleton, l.joint));
                l.seen.push_back(asked.fromRoot ? Affine{rotationOf(root.m).toRotationMatrix(), root.t} : Affine{});
                const Affine back = l.seen.back().inverse();
                const Vec3 end = worlds.world(l.joint).apply(rig::endOf(skeleton, l.joint));
                l.turn.push_back(worlds.turn(l.joint));
                l.bone.push_back(end - worlds.world(l.joint).t);
                drivers[k].push_back(Quat(back.m) * (l.driver == rig::kNoJoint ? Quat::Identity() : worlds.turn(l.driver)));
                places[k].push_back(back.apply(end));
            }
        }
        for (std::size_t k = 0; k < links.size(); ++k) {
            Link& l = links[k];
            l.followed.emplace(asked.own ? l.turn : drivers[k], ends);
            l.mean = l.followed->mean();
            if (!asked.own) l.end.emplace(places[k], ends);
            const std::vector<double> toStop =
                asked.starts == asked.stops ? std::vector<double>() : startToStop(*l.followed, fps);
            l.read = readAt(*l.own, l.along, over, toStop, asked.starts, asked.stops, fps);
        }
        Descent descent(skeleton, joints);
        std::vector<Xform> made(joints.size());
        for (int f = 0; f < n; ++f) {
            if (cancel.asked()) throw Cancelled{};
            const int shown = over.from + f;
            const auto change = [&](std::size_t k, const Affine& above, const Xform& local) {
                Link& l = links[k];
                const double grows = l.own->at("grows", shown, l.along);
                Xform x = local;
                if (asked.own) {
                    x.r = (local.r * fromRotationVector(along(ofOwn(l, f, grows), asked.turns))).normalized();
                    return x;
                }
                const Affine now = above * local.affine();
                const Quat is = rotationOf(now.m);
                const Quat goal = afterParent(l, f, grows, l.own->at("travel", shown, l.along), asked.ways, now.t);
                const Vec3 own = along(capped(rotationVector(is.conjugate() * goal)), asked.turns);
                const Quat by = is * fromRotationVector(own) * is.conjugate();
                return turnedInWorld(local, above, by);
            };
            descent.go(PoseView(below, shown), change, made);
            for (std::size_t k = 0; k < joints.size(); ++k) out.joints[k].second[static_cast<std::size_t>(shown)] = made[k];
        }
    }
    return out;
}

/// The lag at which bones point best at where their ends were: `seen` are ends [in the frame that lags are seen in], `frames`
/// that frame, `places` and `bones` of the joint as it has become.
double aimedLag(const PlacePath& seen, const std::vector<Affine>& frames, const std::vector<Vec3>& places,
                const std::vector<Vec3>& bones, double most) {
    const auto off = [&](double lag) {
        double sum = 0;
        for (std::size_t f = 0; f < bones.size(); ++f) {
            const Vec3 to = frames[f].apply(seen.at(static_cast<double>(f) - lag)) - places[f];
            if (to.norm() > 0 && bones[f].norm() > 0) sum += (to.normalized() - bones[f].normalized()).squaredNorm();
        }
        return sum;
    };
    double best = 0, least = off(0);
    for (double lag = 0.5; lag <= most; lag += 0.5)
        if (const double o = off(lag); o < least) {
            least = o;
            best = lag;
        }
    double from = std::max(0.0, best - 0.5), to = best + 0.5;
    for (int k = 0; k < 20; ++k) {
        const double third = (to - from) / 3;
        if (off(from + third) > off(to - third))
            from += third;
        else
            to -= third;
    }
    return 0.5 * (from + to);
}

/// Of the joint that is to come latest: what it follows against what it does of that. Where travel counts, bones tell by where
/// they point; else rates of turn do.
std::string measured(const LayerContext& context, const rig::Track& below, const rig::Track& above) {
    const rig::Skeleton& skeleton = context.actor.skeleton;
    const scene::Resolved& s = *context.settings;
    const std::vector<Moved> moved = moves(context.actor, context.layer);
    const auto last =
        std::max_element(moved.begin(), moved.end(), [](const Moved& a, const Moved& b) { return a.along < b.along; });
    if (last == moved.end()) return {};
    int top = last->joint;
    for (int up = top; up != rig::kNoJoint; up = skeleton.joint(up).parent)
        if (std::any_of(moved.begin(), moved.end(), [&](const Moved& m) { return m.joint == up; })) top = up;
    const int driver = skeleton.joint(top).parent;
    const bool own = s.text("after") == "own";
    const Ends ends = context.period > 0 && context.cuts.empty() ? Ends::Round : Ends::Held;
    const double fps = below.grid().fps;
    JointWorlds was(skeleton, {last->joint}), is(skeleton, {last->joint});
    std::vector<Quat> followed, follows;
    std::vector<Vec3> seen, places, bones;
    std::vector<Affine> frames;
    const Vec3 end = rig::endOf(skeleton, last->joint);
    for (int f = 0; f < below.frames(); ++f) {
        was.update(PoseView(below, f));
        is.update(PoseView(above, f));
        if (own) {
            followed.push_back(below.at(last->joint, f).r);
            follows.push_back(above.at(last->joint, f).r);
        } else {
            const Quat d = driver == rig::kNoJoint ? Quat::Identity() : was.turn(driver);
            followed.push_back(d);
            follows.push_back(is.turn(last->joint) * was.turn(last->joint).conjugate() * d);
        }
        const Affine& root = was.world(rootOf(skeleton, last->joint));
        frames.push_back(s.text("frame") == "actor" ? Affine{rotationOf(root.m).toRotationMatrix(), root.t} : Affine{});
        seen.push_back(frames.back().inverse().apply(was.world(last->joint).apply(end)));
        places.push_back(is.world(last->joint).t);
        bones.push_back(is.world(last->joint).apply(end) - places.back());
    }
    const rig::TurnPath early(std::move(followed), ends), late(std::move(follows), ends);
    std::vector<Vec3> a, b;
    double most = 0;
    for (int f = 0; f < below.frames(); ++f) {
        a.push_back(early.rate(f, std::max(0.7, kRateCalm * fps), fps));
        b.push_back(late.rate(f, std::max(0.7, kRateCalm * fps), fps));
        most = std::max(most, a.back().norm());
    }
    constexpr double kHardlyTurns = radians(2);  // a second
    double far = 0;
    for (const Vec3& p : seen) far = std::max(far, (p - seen.front()).norm());
    const auto& mine = *context.settingsOf(skeleton.reference(last->joint));
    const double asked = last->along * mine.at("lag", 0, last->along), reach = std::max(asked + 2 * fps / 24, 0.5 * fps);
    const bool travels = !own && mine.at("travel", 0, last->along) > 0.5 && s.text("ways").size() == 3;
    if (travels ? far < 1e-4 * context.actor.height : most < kHardlyTurns) return {};
    const double lag = travels ? aimedLag(PlacePath(std::move(seen), ends), frames, places, bones, reach)
                               : rig::lagBetween(a, b, static_cast<int>(reach), ends);
    char text[96];
    std::snprintf(text, sizeof text, mine.keyed("lag") ? "lags %.1f frames, keyed from %.3g" : "lags %.1f frames, asked %.3g",
                  lag, asked);
    return text;
}

/// As long as it ever comes late, and the taps about that.
double remembers(const scene::Resolved& s, double fps) {
    constexpr double kTaps = 12, kLongest = 4;  // [frames], [s]
    double most = s.span("lag").second;
    for (const scene::ProfilePoint& p : s.profile("lag")) most = std::max(most, s.span("lag").second * p.times);
    return std::min(kLongest, (most * std::max({1.0, s.at("starts"), s.at("stops")}) + kTaps) / fps);
}

}  // namespace

const Filter kFilter{.run = filter, .remembers = remembers};

const LayerKind kKind{.id = "overlap",
                      .label = "Overlap",
                      .help =
                          "Joints that come so many frames late, after what they hang on or after their own animation: "
                          "ears, a head, a tail that is "
                          "keyed already.",
                      .glyph = "M4 16c4 -10 8 -10 12 0 M8 19c4 -10 8 -10 12 0",
                      .takes = Takes::Joints,
                      .settings = kSettings,
                      .problem = problem,
                      .moves = moves,
                      .filter = &kFilter,
                      .measured = measured};

}  // namespace nutatio::layers::overlap
