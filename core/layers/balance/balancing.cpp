#include "layers/balance/balancing.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "layers/balance/balanced_stretch.h"
#include "layers/balance/own_time.h"

namespace nutatio::layers::balance {

namespace {

/// Good flights tell the unit of a file: what falls otherwise than on earth is larger or smaller than it says.
void hint(const LayerContext& c, const Weighed& weighed, std::vector<std::string>& remarks) {
    constexpr double kLong = 0.2, kAgree = 0.15;  // [s], share
    std::vector<double> pulls;
    for (const Weighed::Flight& x : weighed.flights)
        if ((x.to - x.from + 2) / c.settings->fps() >= kLong) pulls.push_back(x.before);
    if (pulls.size() < 2) return;
    const auto [least, most] = std::minmax_element(pulls.begin(), pulls.end());
    double mean = 0;
    for (double p : pulls) mean += p / static_cast<double>(pulls.size());
    if (*least < (1 - kAgree) * mean || *most > (1 + kAgree) * mean || std::abs(mean / kEarthGravity - 1) < kAgree) return;
    char text[160];
    std::snprintf(text, sizeof text, "its flights fall with %.1f m/s2: on earth a unit of its file would be %.3g m, not %.3g m",
                  mean, c.actor.metresPerUnit * kEarthGravity / mean, c.actor.metresPerUnit);
    remarks.emplace_back(text);
}

/// Whether its weight lay where something holds it up.
std::string heldUp(const Weighed& weighed) {
    if (weighed.doubtful) return "what holds it up is not found, so that no counter-balance is made";
    constexpr double kSeen = 0.005;  // [m]
    const auto most = std::max_element(weighed.beyond.begin(), weighed.beyond.end());
    if (most == weighed.beyond.end() || *most < kSeen) return "its weight is held up all through";
    int from = static_cast<int>(most - weighed.beyond.begin()), to = from;
    const auto off = [&](int f) { return weighed.beyond[static_cast<std::size_t>(f)] >= kSeen; };
    while (from > 0 && off(from - 1)) --from;
    while (to + 1 < static_cast<int>(weighed.beyond.size()) && off(to + 1)) ++to;
    char text[120];
    std::snprintf(text, sizeof text, "its weight lay up to %.1f cm beyond what holds it up (frames %d-%d)", 100 * *most, from + 1,
                  to + 1);
    return text;
}

/// Flights and what they fall with, below and now.
std::string flightsIn(const Weighed& weighed) {
    constexpr std::size_t kTold = 3;
    const std::size_t n = weighed.flights.size();
    if (n == 0) return "no flight is found";
    std::string frames;
    double was = 0, is = 0;
    for (std::size_t k = 0; k < n; ++k) {
        const Weighed::Flight& x = weighed.flights[k];
        was += x.before / static_cast<double>(n);
        is += x.after / static_cast<double>(n);
        if (k < kTold) frames += (k > 0 ? ", " : "") + std::to_string(x.from + 1) + "-" + std::to_string(x.to + 1);
    }
    char text[200];
    std::snprintf(text, sizeof text, "%d flight%s (frames %s%s): fell with %.2f m/s2, with %.2f now", static_cast<int>(n),
                  n == 1 ? "" : "s", frames.c_str(), n > kTold ? " ..." : "", was, is);
    return text;
}

}  // namespace

std::vector<int> balancedJoints(const rig::Actor& actor, const scene::Layer& layer) {
    if (inItsOwnTime(layer)) return actor.skeleton.order();
    const rig::Roles roles = rig::rolesOf(actor);
    const rig::Masses none;
    return Poised(actor, roles, none, turnedOf(actor, roles).joints).joints();
}

std::vector<int> turnedSpine(const rig::Actor& actor) {
    const Turned turned = turnedOf(actor, rig::rolesOf(actor));
    std::vector<int> out;
    for (std::size_t k : turned.spine) out.push_back(turned.joints[k]);
    return out;
}

Filtered balance(const LayerContext& context, const rig::Track& below, const Cancel& cancel) {
    const Weights weights(context);
    const Turned turned = turnedOf(context.actor, weights.roles);
    const Poised body(context.actor, weights.roles, weights.masses, turned.joints);
    Filtered out;
    for (int j : body.joints()) out.joints.emplace_back(j, rig::Column());
    auto weighed = std::make_shared<Weighed>();
    double missed = 0;
    rig::Track timed = below;
    std::string said;
    for (const Stretch& s : stretches(context, below.frames())) {
        Weighing is(context, weights, below, s, cancel);
        if (inItsOwnTime(context.layer)) {
            const OwnTime time(context, is, below.grid().fps);
            time.read(context.actor, s.from, timed);
            said += (said.empty() || time.empty() ? "" : ", ") + time.said();
            if (!time.empty()) {
                // What they fell with is what was animated.
                const std::vector<rig::Flight> animated = is.flights;
                is = Weighing(context, weights, timed, s, cancel);
                for (std::size_t k = 0; k < std::min(animated.size(), is.flights.size()); ++k)
                    is.flights[k].pull = animated[k].pull;
            }
        }
        missed = std::max(missed, balanceStretch(context, weights, turned, body, timed, s, std::move(is), cancel, out, *weighed));
    }
    if (inItsOwnTime(context.layer))
        for (int j : context.actor.skeleton.order())
            if (!timed.holdsStill(j) && std::find(body.joints().begin(), body.joints().end(), j) == body.joints().end())
                out.joints.emplace_back(j, *timed.column(j));
    if (!said.empty()) out.remarks.push_back("flights take " + said + " frames against the animation's");
    out.said = flightsIn(*weighed) + "; " + heldUp(*weighed);
    for (const Weighed::Flight& x : weighed->flights) out.lane.push_back({x.from, x.to, LaneSpan::Form::Arch});
    for (const Weighed::Turned& t : weighed->turned)
        out.figures.push_back({t.name, t.most, t.goes ? " cm" : "\u00b0", t.saturated > 0.02});
    out.figuresTell = "most off the animation";
    hint(context, *weighed, out.remarks);
    if (weights.pull != 1) {
        char text[200];
        std::snprintf(text, sizeof text,
                      "by its file it is %.3g m tall: it falls as a figure of %.3g m would; say in Prepare how tall it is",
                      weights.tall, weights.tall / weights.pull);
        out.remarks.emplace_back(text);
    }
    for (const Weighed::Turned& t : weighed->turned) {
        if (t.saturated < 0.02) continue;
        char text[160];
        std::snprintf(text, sizeof text, "%s: in %.0f %% of the frames it can give no more; let others share it", t.name.c_str(),
                      100 * t.saturated);
        out.remarks.emplace_back(text);
    }
    if (missed > 0.05 * weights.leg * context.placement.metres) {
        char text[120];
        std::snprintf(text, sizeof text, "its weight misses where it ought to lie by up to %.0f mm", 1000 * missed);
        out.remarks.emplace_back(text);
    }
    out.notes = std::move(weighed);
    return out;
}

}  // namespace nutatio::layers::balance
