#include "rig/helper.h"

#include <algorithm>
#include <limits>
#include <queue>

#include "rig/parts.h"

namespace nutatio::rig {

namespace {

constexpr double kLayers = 0.35;  // of the reach, within which shells lie on one another
constexpr int kKin = 3;           // joints from the parent, within which what moves a shell is kin to it

std::uint32_t nearestPoint(const Surface& s, const Vec3f& place) {
    std::uint32_t best = 0;
    float least = std::numeric_limits<float>::max();
    for (std::uint32_t v = 0; v < s.places.size(); ++v)
        if (const float d = (s.places[v] - place).squaredNorm(); d < least) {
            least = d;
            best = v;
        }
    return best;
}

}  // namespace

int carrierAt(const Surface& surface, const Vec3& place) {
    return surface.places.empty() ? kNoJoint : surface.mainJoint(nearestPoint(surface, place.cast<float>()));
}

std::vector<float> shareOf(const Actor& actor, const Surface& s, int parent, const Vec3& place, double reach) {
    std::vector<float> share(s.places.size(), 0.0f);
    if (s.places.empty() || !(reach > 0)) return share;
    const Vec3f at = place.cast<float>();
    const std::uint32_t first = nearestPoint(s, at);
    const auto far = static_cast<float>(reach);
    std::vector<float> away(s.places.size(), std::numeric_limits<float>::max());
    using Next = std::pair<float, std::uint32_t>;
    std::priority_queue<Next, std::vector<Next>, std::greater<>> next;
    const auto begin = [&](std::uint32_t v, float d) {
        if (d >= away[v]) return;
        away[v] = d;
        next.emplace(d, v);
    };
    begin(first, 0);
    // One way in for each other shell that lies there.
    std::vector<std::uint32_t> entry(static_cast<std::size_t>(s.shells), std::numeric_limits<std::uint32_t>::max());
    for (std::uint32_t v = 0; v < s.places.size(); ++v) {
        const float d = (s.places[v] - s.places[first]).norm();
        if (s.shell[v] == s.shell[first] || d > kLayers * far) continue;
        std::uint32_t& known = entry[static_cast<std::size_t>(s.shell[v])];
        if (known == std::numeric_limits<std::uint32_t>::max() || d < (s.places[known] - s.places[first]).norm()) known = v;
    }
    for (std::uint32_t v : entry)
        if (v != std::numeric_limits<std::uint32_t>::max() && stepsApart(actor.skeleton, parent, s.mainJoint(v)) <= kKin)
            begin(v, (s.places[v] - s.places[first]).norm());
    std::vector<std::vector<std::uint32_t>> neighbours(s.places.size());
    for (const auto& e : s.edges) {
        // What lies beyond the reach as the crow flies lies beyond it along the surface.
        if ((s.places[e[0]] - s.places[first]).squaredNorm() > far * far &&
            (s.places[e[1]] - s.places[first]).squaredNorm() > far * far)
            continue;
        neighbours[e[0]].push_back(e[1]);
        neighbours[e[1]].push_back(e[0]);
    }
    while (!next.empty()) {
        const auto [d, v] = next.top();
        next.pop();
        if (d > away[v]) continue;
        const float u = 1 - d / far;
        share[v] = u * u * (3 - 2 * u);
        for (std::uint32_t o : neighbours[v])
            if (const float there = d + (s.places[o] - s.places[v]).norm(); there < far) begin(o, there);
    }
    return share;
}

}  // namespace nutatio::rig
