#include "layers/balance/weighing.h"

#include <algorithm>
#include <array>

#include "layers/figure_parts.h"
#include "rig/beside.h"
#include "rig/capsule.h"
#include "rig/contacts.h"
#include "rig/stride.h"
#include "rig/tall.h"

namespace nutatio::layers::balance {

namespace {

constexpr double kNear = 0.03, kTouches = 0.01;  // heights, that are by the floor; that touch it

rig::WeighedBy weighedBy(std::string_view text) {
    return text == "names" ? rig::WeighedBy::Roles : text == "all its mesh" ? rig::WeighedBy::WholeMesh : rig::WeighedBy::Body;
}

/// Its height as it stands [m].
double tallOf(const LayerContext& c) {
    const Vec3 up = c.placement.turn.conjugate() * Vec3(Vec3::UnitY());
    return c.placement.metres * up.cwiseAbs().dot(c.actor.high - c.actor.low);
}

/// What is not of the body weighs nothing, and parts weigh what the layer says.
void correct(rig::Masses& masses, const LayerContext& c) {
    const std::vector<int> tops = topsOf(c.actor, c.layer);
    const rig::Skeleton& s = c.actor.skeleton;
    const auto figure = rig::figureOf(c.actor, tops);
    const PartChannels heavier = partsOf(*figure, s, *c.settings, "heavier");
    double all = 0;
    for (int j = 0; j < s.size(); ++j) {
        double& share = masses.share[static_cast<std::size_t>(j)];
        if (!tops.empty() && std::none_of(tops.begin(), tops.end(), [&](int t) { return j == t || s.isBelow(j, t); })) share = 0;
        const int segment = figure->segmentOf[static_cast<std::size_t>(j)];
        if (segment >= 0 && !heavier[static_cast<std::size_t>(segment)].empty())
            share *= 1 + c.settings->at(heavier[static_cast<std::size_t>(segment)]);
        all += share;
    }
    if (!(all > 0)) return;
    for (double& share : masses.share) share /= all;
}

}  // namespace

Weights::Weights(const LayerContext& c)
    : roles(rig::rolesOf(c.actor)),
      masses(rig::massesOf(c.actor, weighedBy(c.settings->text("weighed")))),
      soles(rig::solesOf(c.actor, roles, scene::levelOf(c.placement))),
      outer(*rig::outerPointsOf(c.actor)) {
    const std::vector<char> aside = rig::besideBody(c.actor);
    std::erase_if(outer, [&](const rig::OuterPoint& p) { return aside[static_cast<std::size_t>(p.joint)]; });
    correct(masses, c);
    tall = tallOf(c);
    if (const auto likelier = rig::likelierHeight(c.actor, tall)) pull = tall / *likelier;
    std::vector<Affine> rest;
    rig::worldTransforms(c.actor.skeleton, c.actor.restPose(), rest);
    const auto at = [&](int j) -> const Vec3& { return rest[static_cast<std::size_t>(j)].t; };
    const rig::Limb& l = roles.legs[0];
    leg = (at(l.lower) - at(l.upper)).norm() + (at(l.end) - at(l.lower)).norm();
    if (!(leg > 1e-6 * c.actor.height)) leg = 0.5 * c.actor.height;
}

Weighing::Weighing(const LayerContext& c, const Weights& weights, const rig::Track& track, const Stretch& over,
                   const Cancel& cancel) {
    const int n = over.to - over.from;
    const double fps = track.grid().fps, leg = weights.leg * c.placement.metres;
    const bool onward = c.onward && c.cuts.empty();
    laps = {n, (over.round || onward) && n > 2, {}};
    std::vector<Xform> pose;
    worlds.resize(static_cast<std::size_t>(n));
    for (int f = 0; f < n; ++f) {
        if (cancel.asked()) throw Cancelled{};
        track.pose(over.from + f, pose);
        std::vector<Affine>& w = worlds[static_cast<std::size_t>(f)];
        rig::worldTransforms(c.actor.skeleton, pose, w);
        centre.push_back(c.placement.toWorld(rig::centreOfMass(weights.masses, w)));
    }
    if (const int carrier = rig::carrierOf(c.actor.skeleton, weights.roles); laps.round && onward && carrier != rig::kNoJoint) {
        const auto at = static_cast<std::size_t>(carrier);
        const Affine own = worlds.back()[at] * worlds.front()[at].inverse(),
                     stands{c.placement.metres * c.placement.turn.toRotationMatrix(), c.placement.place};
        laps.onward = stands * own * stands.inverse();
    }

    // What stands: heel and ball of each foot by themselves, on ground that may run below them.
    const Vec3 runs = c.placement.turn *
                      (c.placement.metres * rig::runningGround(c.actor, track, rig::carrierOf(c.actor.skeleton, weights.roles),
                                                               scene::levelOf(c.placement)));
    rig::StandingRule rule;
    rule.near = 0.06;
    rule.far = 0.09;
    // What hardly moves stands too, however high: on a step, on a jetty before a leap down.
    rig::StandingRule still;
    still.near = still.far = 1e300;
    still.still = 0.12;
    still.quick = 0.3;
    still.least = 0.15;
    const double anyHeight = -1e30;
    struct Edge {
        int joint;
        const std::array<Vec3, 2>* corners;
        std::vector<double> high;
        double own;
        std::vector<char> stands;
    };
    std::vector<Edge> edges;
    for (const rig::Sole& sole : weights.soles)
        for (const auto* corners : {&sole.heel, &sole.ball}) {
            Edge e{sole.joint, corners, {}, 0, std::vector<char>(static_cast<std::size_t>(n), false)};
            std::vector<Vec3> way;
            for (int f = 0; f < n; ++f) {
                const Affine& joint = worlds[static_cast<std::size_t>(f)][static_cast<std::size_t>(sole.joint)];
                const Vec3 p = c.placement.toWorld(joint.apply(0.5 * ((*corners)[0] + (*corners)[1])));
                way.push_back(p - f / fps * runs);
                e.high.push_back(p.y());
            }
            e.own = rig::quantile(e.high, 0.05);
            for (const auto& found : {rig::standingOf(way, fps, leg, rule), rig::standingOf(way, fps, leg, still, &anyHeight)})
                for (const rig::Standing& s : found)
                    for (int f = s.from; f <= s.to; ++f) e.stands[static_cast<std::size_t>(f)] = true;
            edges.push_back(std::move(e));
        }
    standing.resize(static_cast<std::size_t>(n));
    std::vector<char> down(static_cast<std::size_t>(n), false);
    for (int f = 0; f < n; ++f) {
        const auto at = static_cast<std::size_t>(f);
        double low = 1e30;
        for (const Edge& e : edges)
            if (e.stands[at]) low = std::min(low, e.high[at] - e.own);
        // A foot that is held still in the air, well above the other one, stands on nothing.
        for (const Edge& e : edges) {
            if (!e.stands[at] || e.high[at] - e.own > low + rule.far * leg) continue;
            down[at] = true;
            for (const Vec3& corner : *e.corners)
                standing[at].push_back(c.placement.toWorld(worlds[at][static_cast<std::size_t>(e.joint)].apply(corner)));
        }
    }
    // The floor is where feet stand; between that it goes evenly.
    std::vector<int> known;
    double lowestOwn = edges.empty() ? 0 : edges.front().own;
    for (const Edge& e : edges) lowestOwn = std::min(lowestOwn, e.own);
    floor.assign(static_cast<std::size_t>(n), lowestOwn);
    for (int f = 0; f < n; ++f) {
        const auto at = static_cast<std::size_t>(f);
        if (standing[at].empty()) continue;
        double sum = 0;
        for (const Vec3& p : standing[at]) sum += p.y();
        floor[at] = sum / static_cast<double>(standing[at].size());
        const int last = known.empty() ? -1 : known.back();
        for (int g = last + 1; g < f; ++g) {
            const double u = last < 0 ? 1 : static_cast<double>(g - last) / (f - last);
            const double from = last < 0 ? floor[at] : floor[static_cast<std::size_t>(last)];
            floor[static_cast<std::size_t>(g)] = (1 - u) * from + u * floor[at];
        }
        known.push_back(f);
    }
    if (!known.empty())
        for (int g = known.back() + 1; g < n; ++g)
            floor[static_cast<std::size_t>(g)] = floor[static_cast<std::size_t>(known.back())];
    const double usual = rig::quantile(floor, 0.05);
    std::vector<double> lowest(static_cast<std::size_t>(n), 1e30);
    for (int f = 0; f < n; ++f) {
        const auto at = static_cast<std::size_t>(f);
        for (const Edge& e : edges) lowest[at] = std::min(lowest[at], e.high[at] - e.own);
        lowest[at] = down[at] ? std::min(0.0, lowest[at]) : lowest[at] - (floor[at] - usual);
    }

    // Soles roll, and clips are not made to the millimetre.
    const double near = kNear * weights.tall;
    byFloor.resize(static_cast<std::size_t>(n));
    for (int f = 0; f < n; ++f) {
        const auto at = static_cast<std::size_t>(f);
        for (const rig::OuterPoint& p : weights.outer) {
            const Vec3 place = c.placement.toWorld(worlds[at][static_cast<std::size_t>(p.joint)].apply(p.at));
            if (place.y() < floor[at] + near) byFloor[at].push_back(place);
            if (place.y() < floor[at] + kTouches * weights.tall) lowest[at] = std::min(lowest[at], 0.0);
        }
        for (const Edge& e : edges)
            if (e.high[at] - e.own < near)
                for (const Vec3& corner : *e.corners)
                    byFloor[at].push_back(c.placement.toWorld(worlds[at][static_cast<std::size_t>(e.joint)].apply(corner)));
        byFloor[at].insert(byFloor[at].end(), standing[at].begin(), standing[at].end());
    }
    // A hand that keeps still while nothing is by the floor grips.
    gripping.assign(static_cast<std::size_t>(n), {false, false});
    hangs.assign(static_cast<std::size_t>(n), false);
    if (c.settings->text("hands") == "grip where found" && !weights.roles.fourLegged) {
        constexpr double kGrips = 0.2;  // [s] at least: no hand keeps still as long at the top of a leap
        for (std::size_t k = 0; k < 2; ++k) {
            const rig::Limb& arm = weights.roles.arms[k];
            if (!arm.found()) continue;
            std::vector<Vec3> way;
            for (int f = 0; f < n; ++f)
                way.push_back(c.placement.toWorld(worlds[static_cast<std::size_t>(f)][static_cast<std::size_t>(arm.end)].t));
            rig::StandingRule grips;
            grips.near = grips.far = 1e300;
            grips.least = kGrips;
            for (const rig::Standing& s : rig::standingOf(way, fps, leg, grips, &anyHeight)) {
                const int stood = static_cast<int>(std::count_if(byFloor.begin() + s.from, byFloor.begin() + s.to + 1,
                                                                 [](const auto& low) { return !low.empty(); }));
                if (2 * stood > s.to - s.from + 1) continue;
                // A body hangs below what it grips.
                const auto middle = static_cast<std::size_t>((s.from + s.to) / 2);
                if (way[middle].y() < centre[middle].y()) continue;
                for (int f = s.from; f <= s.to; ++f) {
                    gripping[static_cast<std::size_t>(f)][k] = true;
                    hangs[static_cast<std::size_t>(f)] = !down[static_cast<std::size_t>(f)];
                }
            }
        }
    }
    int held = 0;
    for (std::size_t f = 0; f < byFloor.size(); ++f) held += !byFloor[f].empty() || hangs[f];
    doubtful = 2 * held < n;
    std::vector<char> gripped;
    for (const auto& g : gripping) gripped.push_back(g[0] || g[1]);
    const rig::PlacePath path(laps.laidOut(centre), rig::Ends::Held);
    flights = rig::flightsOf(path, laps.laidOut(lowest), laps.laidOut(gripped), fps, leg / 0.9);
    // A loop with two flights and more in a lap steps; one with a single flight hops.
    const auto inLap = std::count_if(flights.begin(), flights.end(), [&](const rig::Flight& x) {
        return x.from >= laps.first() && x.from < laps.first() + n - 1;
    });
    const double shortest = !laps.round ? kShortest : inLap > 1 ? kShortestStep : kShortestHop;
    std::erase_if(flights, [&](const rig::Flight& x) { return (x.to - x.from + 1) / fps < shortest - 1e-9; });
}

}  // namespace nutatio::layers::balance
