#include "rig/surface.h"

#include <algorithm>
#include <cstring>
#include <limits>
#include <numeric>
#include <queue>
#include <unordered_map>

namespace nutatio::rig {

namespace {

/// Where a vertex was bound, and in what: seams are split there bit by bit alike.
struct Bound {
    int in;  // the skin, or -1 - the instance
    Vec3f place;
    bool operator==(const Bound& o) const { return in == o.in && place == o.place; }
};
struct BoundHash {
    std::size_t operator()(const Bound& b) const {
        std::size_t h = static_cast<std::size_t>(b.in) * 0x9E3779B97F4A7C15ull;
        for (int k = 0; k < 3; ++k) {
            // 0 and -0 are one place.
            const float v = b.place[k] == 0 ? 0 : b.place[k];
            std::uint32_t bits = 0;
            std::memcpy(&bits, &v, 4);
            h = (h ^ bits) * 0x100000001B3ull;
            h ^= h >> 29;
        }
        return h;
    }
};

int rootOf(std::vector<int>& parent, int i) {
    while (parent[static_cast<std::size_t>(i)] != i) {
        parent[static_cast<std::size_t>(i)] = parent[static_cast<std::size_t>(parent[static_cast<std::size_t>(i)])];
        i = parent[static_cast<std::size_t>(i)];
    }
    return i;
}

}  // namespace

int Surface::mainJoint(std::uint32_t point) const {
    int best = kNoJoint;
    float most = -1;
    for (const Pull& p : pulls(point))
        if (p.weight > most) {
            most = p.weight;
            best = p.joint;
        }
    return best;
}

Surface Surface::of(const Actor& actor) {
    Surface s;
    std::vector<Affine> worlds;
    worldTransforms(actor.skeleton, actor.restPose(), worlds);
    std::unordered_map<Bound, std::uint32_t, BoundHash> known;
    PosedVertices posed;
    s.m_first.push_back(0);
    for (std::size_t i = 0; i < actor.instances.size(); ++i) {
        const MeshInstance& in = actor.instances[i];
        s.m_points.emplace_back();
        for (const Primitive& p : actor.meshes[static_cast<std::size_t>(in.mesh)].primitives) {
            const bool skinned = in.skin >= 0 && !p.influences.empty();
            poseVertices(actor, in, p, worlds, {}, posed);
            std::vector<std::uint32_t>& points = s.m_points.back().emplace_back(p.positions.size());
            for (std::size_t v = 0; v < p.positions.size(); ++v) {
                const auto [at, fresh] = known.try_emplace(Bound{skinned ? in.skin : -1 - static_cast<int>(i), p.positions[v]},
                                                           static_cast<std::uint32_t>(s.places.size()));
                points[v] = at->second;
                if (!fresh) continue;
                s.places.push_back(posed.positions[v]);
                if (skinned) {
                    const std::vector<int>& joints = actor.skins[static_cast<std::size_t>(in.skin)].joints;
                    for (std::size_t k = 0; k < 8; ++k)
                        if (p.influences[v].weight[k] > 0)
                            s.m_pulls.push_back({joints[p.influences[v].joint[k]], p.influences[v].weight[k]});
                } else {
                    s.m_pulls.push_back({in.joint, 1});
                }
                s.m_first.push_back(s.m_pulls.size());
            }
            for (std::size_t k = 0; k + 2 < p.triangles.size(); k += 3) {
                const std::array<std::uint32_t, 3> t{points[p.triangles[k]], points[p.triangles[k + 1]],
                                                     points[p.triangles[k + 2]]};
                if (t[0] != t[1] && t[1] != t[2] && t[2] != t[0]) s.triangles.push_back(t);
            }
        }
    }
    std::vector<int> parent(s.places.size());
    std::iota(parent.begin(), parent.end(), 0);
    s.edges.reserve(s.triangles.size() * 3);
    for (const auto& t : s.triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t a = t[k], b = t[(k + 1) % 3];
            s.edges.push_back({std::min(a, b), std::max(a, b)});
            parent[static_cast<std::size_t>(rootOf(parent, static_cast<int>(a)))] = rootOf(parent, static_cast<int>(b));
        }
    std::sort(s.edges.begin(), s.edges.end());
    s.edges.erase(std::unique(s.edges.begin(), s.edges.end()), s.edges.end());
    s.shell.assign(s.places.size(), -1);
    std::unordered_map<int, int> numbers;
    for (std::size_t v = 0; v < s.places.size(); ++v)
        s.shell[v] = numbers.try_emplace(rootOf(parent, static_cast<int>(v)), static_cast<int>(numbers.size())).first->second;
    s.shells = static_cast<int>(numbers.size());
    return s;
}

std::uint32_t Surface::nearest(const Vec3& place) const {
    const Vec3f at = place.cast<float>();
    std::uint32_t best = 0;
    float least = std::numeric_limits<float>::max();
    for (std::uint32_t v = 0; v < places.size(); ++v)
        if (const float d = (places[v] - at).squaredNorm(); d < least) {
            least = d;
            best = v;
        }
    return best;
}

Neighbours::Neighbours(const Surface& s) : m_first(s.places.size() + 1, 0) {
    for (const auto& e : s.edges) {
        ++m_first[e[0] + 1];
        ++m_first[e[1] + 1];
    }
    for (std::size_t v = 0; v + 1 < m_first.size(); ++v) m_first[v + 1] += m_first[v];
    m_points.resize(m_first.back());
    std::vector<std::size_t> at(m_first.begin(), m_first.end() - 1);
    for (const auto& e : s.edges) {
        m_points[at[e[0]]++] = e[1];
        m_points[at[e[1]]++] = e[0];
    }
}

std::vector<float> distancesAlong(const Surface& s, const Neighbours& around, std::span<const Start> starts, float far) {
    std::vector<float> away(s.places.size(), std::numeric_limits<float>::max());
    using Next = std::pair<float, std::uint32_t>;
    std::priority_queue<Next, std::vector<Next>, std::greater<>> next;
    const auto begin = [&](std::uint32_t v, float d) {
        if (d >= away[v] || d >= far) return;
        away[v] = d;
        next.emplace(d, v);
    };
    for (const Start& start : starts) begin(start.point, start.away);
    while (!next.empty()) {
        const auto [d, v] = next.top();
        next.pop();
        if (d > away[v]) continue;
        for (std::uint32_t o : around.of(v)) begin(o, d + (s.places[o] - s.places[v]).norm());
    }
    return away;
}

double distanceToBone(const Skeleton& skeleton, const std::vector<Affine>& worlds, int joint, const Vec3& p) {
    const Vec3 from = worlds[static_cast<std::size_t>(joint)].t;
    double nearest = (p - from).norm();
    for (int c : skeleton.joint(joint).children) {
        const Vec3 way = worlds[static_cast<std::size_t>(c)].t - from;
        const double length2 = way.squaredNorm();
        if (!(length2 > 0)) continue;
        nearest = std::min(nearest, (p - from - std::clamp((p - from).dot(way) / length2, 0.0, 1.0) * way).norm());
    }
    return nearest;
}

}  // namespace nutatio::rig
