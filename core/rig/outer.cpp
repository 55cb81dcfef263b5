#include "rig/outer.h"

#include <algorithm>
#include <cmath>

#include "rig/last_few.h"
#include "rig/surface.h"

namespace nutatio::rig {

std::vector<std::size_t> outermost(const std::vector<Vec3>& points, std::size_t most, double slack) {
    std::vector<std::size_t> chosen;
    if (points.empty()) return chosen;
    constexpr int kWays = 96;
    constexpr double kGolden = 2.399963229728653;  // [rad], of a spiral that covers a sphere evenly
    std::vector<Vec3> ways;
    for (int k = 0; k < kWays; ++k) {
        const double y = 1 - 2 * (k + 0.5) / kWays, r = std::sqrt(1 - y * y);
        ways.emplace_back(r * std::cos(kGolden * k), y, r * std::sin(kGolden * k));
    }
    std::vector<std::size_t> reach;
    std::vector<double> far(ways.size(), -1e300), got(ways.size(), -1e300);
    for (std::size_t k = 0; k < ways.size(); ++k) {
        std::size_t best = 0;
        for (std::size_t p = 0; p < points.size(); ++p)
            if (const double d = points[p].dot(ways[k]); d > far[k]) {
                far[k] = d;
                best = p;
            }
        reach.push_back(best);
    }
    std::size_t next = reach.back();  // the lowest
    while (chosen.size() < most) {
        chosen.push_back(next);
        double worst = slack;
        std::size_t way = ways.size();
        for (std::size_t k = 0; k < ways.size(); ++k) {
            got[k] = std::max(got[k], points[next].dot(ways[k]));
            if (far[k] - got[k] > worst) {
                worst = far[k] - got[k];
                way = k;
            }
        }
        if (way == ways.size()) break;
        next = reach[way];
    }
    return chosen;
}

std::shared_ptr<const std::vector<OuterPoint>> outerPointsOf(const Actor& actor) {
    static LastFew<std::vector<OuterPoint>> known;
    return known.of(actor, {}, [&] {
        constexpr std::size_t kMost = 12;
        constexpr double kSlack = 0.004;  // heights
        const Surface surface = Surface::of(actor);
        std::vector<std::vector<Vec3>> own(static_cast<std::size_t>(actor.skeleton.size()));
        for (std::uint32_t p = 0; p < surface.places.size(); ++p)
            if (const int joint = surface.mainJoint(p); joint != kNoJoint)
                own[static_cast<std::size_t>(joint)].push_back(surface.places[p].cast<double>());
        std::vector<Affine> worlds;
        worldTransforms(actor.skeleton, actor.restPose(), worlds);
        std::vector<OuterPoint> out;
        for (std::size_t j = 0; j < own.size(); ++j) {
            const Affine toOwn = worlds[j].inverse();
            for (std::size_t p : outermost(own[j], kMost, kSlack * actor.height))
                out.push_back({static_cast<int>(j), toOwn.apply(own[j][p])});
        }
        return out;
    });
}

}  // namespace nutatio::rig
