#include "rig/helper.h"

#include <algorithm>
#include <limits>

#include "rig/parts.h"

namespace nutatio::rig {

namespace {

constexpr double kLayers = 0.35;  // of the reach, within which shells lie on one another
constexpr int kKin = 3;           // joints from the parent, within which what moves a shell is kin to it
constexpr int kSamples = 8;       // of a link, from which distances are taken
constexpr float kNever = std::numeric_limits<float>::max();

/// Ways into the surface from a place: its nearest point, and one of each other shell that lies there and is kin to `parent`.
void addStarts(const Actor& actor, const Surface& s, int parent, const Vec3& place, double reach, std::vector<Start>& starts) {
    const std::uint32_t first = s.nearest(place);
    starts.push_back({first, 0});
    constexpr std::uint32_t kNone = std::numeric_limits<std::uint32_t>::max();
    std::vector<std::uint32_t> entry(static_cast<std::size_t>(s.shells), kNone);
    for (std::uint32_t v = 0; v < s.places.size(); ++v) {
        const float d = (s.places[v] - s.places[first]).norm();
        if (s.shell[v] == s.shell[first] || d > kLayers * reach) continue;
        std::uint32_t& known = entry[static_cast<std::size_t>(s.shell[v])];
        if (known == kNone || d < (s.places[known] - s.places[first]).norm()) known = v;
    }
    for (std::uint32_t v : entry)
        if (v != kNone && stepsApart(actor.skeleton, parent, s.mainJoint(v)) <= kKin)
            starts.push_back({v, (s.places[v] - s.places[first]).norm()});
}

std::vector<float> shareFrom(const Surface& s, const std::vector<Start>& starts, double reach) {
    const auto far = static_cast<float>(reach);
    const std::vector<float> away = distancesAlong(s, Neighbours(s), starts, far);
    std::vector<float> share(away.size(), 0.0f);
    for (std::size_t v = 0; v < away.size(); ++v) {
        if (away[v] == kNever) continue;
        const float u = 1 - away[v] / far;
        share[v] = u * u * (3 - 2 * u);
    }
    return share;
}

/// How far along a row the point nearest to `p` lies, in links.
double alongRow(const std::vector<Vec3>& row, const Vec3& p) {
    double best = 0, least = std::numeric_limits<double>::max();
    for (std::size_t k = 0; k + 1 < row.size(); ++k) {
        const Vec3 way = row[k + 1] - row[k];
        const double at = std::clamp((p - row[k]).dot(way) / std::max(way.squaredNorm(), 1e-30), 0.0, 1.0);
        const double d = (row[k] + at * way - p).squaredNorm();
        if (d < least) {
            least = d;
            best = static_cast<double>(k) + at;
        }
    }
    return best;
}

}  // namespace

int carrierAt(const Surface& surface, const Vec3& place) {
    return surface.places.empty() ? kNoJoint : surface.mainJoint(surface.nearest(place));
}

std::vector<float> shareOf(const Actor& actor, const Surface& s, int parent, const Vec3& place, double reach) {
    if (s.places.empty() || !(reach > 0)) return std::vector<float>(s.places.size(), 0.0f);
    std::vector<Start> starts;
    addStarts(actor, s, parent, place, reach, starts);
    return shareFrom(s, starts, reach);
}

std::vector<std::vector<float>> chainShares(const Actor& actor, const Surface& s, int parent, const std::vector<Vec3>& row,
                                            double reach) {
    const std::size_t joints = row.size() - 1;
    std::vector<std::vector<float>> out(joints, std::vector<float>(s.places.size(), 0.0f));
    if (s.places.empty()) return out;
    std::vector<float> whole(s.places.size(), 0.0f);
    if (reach > 0) {
        std::vector<Start> starts;
        for (std::size_t k = 0; k < joints; ++k)
            for (int n = 0; n < kSamples; ++n)
                addStarts(actor, s, parent, row[k] + (row[k + 1] - row[k]) * n / kSamples, reach, starts);
        addStarts(actor, s, parent, row.back(), reach, starts);
        whole = shareFrom(s, starts, reach);
    } else {
        const int shell = s.shell[s.nearest(row[row.size() / 2])];
        for (std::size_t v = 0; v < whole.size(); ++v) whole[v] = s.shell[v] == shell;
    }
    for (std::size_t v = 0; v < whole.size(); ++v) {
        if (!(whole[v] > 0)) continue;
        // From middle to middle of the links.
        const double at = alongRow(row, s.places[v].cast<double>()) - 0.5;
        const double low = std::floor(at), part = at - low;
        const auto give = [&](double link, double share) {
            if (link >= 0) out[std::min(static_cast<std::size_t>(link), joints - 1)][v] += static_cast<float>(share) * whole[v];
        };
        give(low, 1 - part);
        give(low + 1, part);
    }
    return out;
}

std::vector<Vec3> rowThrough(const Surface& s, std::uint32_t point, int joints) {
    const Neighbours next(s);
    const auto farthest = [&](std::uint32_t from) {
        const Start start[] = {{from, 0}};
        const std::vector<float> away = distancesAlong(s, next, start, kNever);
        std::uint32_t best = from;
        for (std::uint32_t v = 0; v < away.size(); ++v)
            if (away[v] != kNever && away[v] > away[best]) best = v;
        return std::pair{best, away};
    };
    // The two ends: the one that is farthest from the point, and the one farthest from that.
    const std::uint32_t tip = farthest(point).first, root = farthest(tip).first;
    const std::vector<float> from = farthest(root).second;
    const float length = from[tip];
    if (!(length > 0)) return {};
    std::vector<Vec3> row;
    for (int k = 0; k <= joints; ++k) {
        const double at = static_cast<double>(length) * k / joints, band = 0.5 * length / joints;
        // The middle of what lies that far; of a ring one side only, the one that the row came along.
        Vec3 sum = Vec3::Zero();
        double weight = 0;
        for (std::size_t v = 0; v < from.size(); ++v) {
            if (from[v] == kNever) continue;
            const double w = 1 - std::abs(from[v] - at) / band;
            const Vec3 p = s.places[v].cast<double>();
            if (w <= 0 || (!row.empty() && (p - row.back()).norm() > 2.2 * length / joints)) continue;
            sum += w * p;
            weight += w;
        }
        row.push_back(weight > 0 ? Vec3(sum / weight) : row.back());
    }
    // Its ends lie on the piece's ends.
    row.front() = s.places[root].cast<double>() + 0.5 * (row.front() - s.places[root].cast<double>());
    row.back() = s.places[tip].cast<double>() + 0.5 * (row.back() - s.places[tip].cast<double>());
    return row;
}

std::vector<Vec3> rowAlong(const Surface& s, const std::vector<Vec3>& drawn, int joints, double reach) {
    double length = 0;
    for (std::size_t k = 1; k < drawn.size(); ++k) length += (drawn[k] - drawn[k - 1]).norm();
    if (!(length > 0) || s.places.empty()) return {};
    std::vector<Vec3> row{drawn.front()};
    double gone = 0;
    for (std::size_t k = 1; k < drawn.size(); ++k) {
        const double step = (drawn[k] - drawn[k - 1]).norm();
        while (static_cast<int>(row.size()) <= joints &&
               gone + step >= length * static_cast<double>(row.size()) / joints - 1e-12) {
            const double part = step > 0 ? (length * static_cast<double>(row.size()) / joints - gone) / step : 1;
            row.push_back(drawn[k - 1] + std::clamp(part, 0.0, 1.0) * (drawn[k] - drawn[k - 1]));
        }
        gone += step;
    }
    while (static_cast<int>(row.size()) <= joints) row.push_back(drawn.back());
    const std::vector<Vec3> on = row;
    const double half = 0.5 * length / joints;
    for (std::size_t k = 0; k < row.size(); ++k) {
        const Vec3 way = (on[std::min(k + 1, on.size() - 1)] - on[k > 0 ? k - 1 : 0]).normalized();
        const std::uint32_t nearest = s.nearest(on[k]);
        const int shell = s.shell[nearest];
        Vec3 out = Vec3::Zero();  // of the surface, there
        for (const auto& t : s.triangles)
            if (t[0] == nearest || t[1] == nearest || t[2] == nearest)
                out += (s.places[t[1]] - s.places[t[0]]).cross(s.places[t[2]] - s.places[t[0]]).cast<double>();
        Vec3 sum = Vec3::Zero();
        int n = 0;
        for (std::size_t v = 0; v < s.places.size(); ++v) {
            const Vec3 p = s.places[v].cast<double>();
            if (s.shell[v] != shell || std::abs((p - on[k]).dot(way)) > half || (p - on[k]).norm() > reach) continue;
            sum += p - (p - on[k]).dot(way) * way;
            ++n;
        }
        // Inwards alone: where vertices crowd to one side says nothing about the middle.
        if (n > 0 && out.norm() > 0) row[k] = on[k] + std::min(0.0, (sum / n - on[k]).dot(out.normalized())) * out.normalized();
    }
    return row;
}

}  // namespace nutatio::rig
