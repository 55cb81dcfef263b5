#include "rig/coarse.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace nutatio::rig {

std::vector<std::uint32_t> coarsened(const Primitive& p, float cell) {
    std::map<std::array<int, 12>, std::uint32_t> first;
    std::vector<std::uint32_t> standsFor(p.positions.size());
    const auto step = [](float v, float size) { return static_cast<int>(std::floor(v / size)); };
    for (std::uint32_t v = 0; v < p.positions.size(); ++v) {
        std::array<int, 12> key{};
        for (int a = 0; a < 3; ++a) key[static_cast<std::size_t>(a)] = step(p.positions[v][a], cell);
        if (!p.influences.empty()) {
            const Influence& in = p.influences[v];
            const auto most = std::max_element(in.weight.begin(), in.weight.end()) - in.weight.begin();
            key[3] = in.joint[static_cast<std::size_t>(most)];
        }
        if (!p.colours.empty())
            for (int a = 0; a < 3; ++a)
                key[static_cast<std::size_t>(4 + a)] = step(std::sqrt(std::max(0.0f, p.colours[v][a])), 0.2f);
        if (!p.uvs.empty())
            for (int a = 0; a < 2; ++a) key[static_cast<std::size_t>(7 + a)] = step(p.uvs[v][a], 0.05f);
        // Thin parts keep triangles of both their sides.
        for (int a = 0; a < 3; ++a) key[static_cast<std::size_t>(9 + a)] = step(p.normals[v][a] + 0.4f, 0.8f);
        standsFor[v] = first.emplace(key, v).first->second;
    }
    std::vector<std::uint32_t> out;
    for (std::size_t t = 0; t + 2 < p.triangles.size(); t += 3) {
        const std::uint32_t a = standsFor[p.triangles[t]], b = standsFor[p.triangles[t + 1]], c = standsFor[p.triangles[t + 2]];
        if (a != b && b != c && c != a) out.insert(out.end(), {a, b, c});
    }
    return out;
}

float cellFor(const Primitive& p, std::size_t triangles) {
    const std::size_t has = p.triangles.size() / 3;
    if (has == 0) return 1;
    std::vector<double> edges;
    for (std::size_t t = 0; t + 2 < p.triangles.size(); t += 3)
        for (std::size_t k = 0; k < 3; ++k)
            edges.push_back((p.positions[p.triangles[t + k]] - p.positions[p.triangles[t + (k + 1) % 3]]).norm());
    std::nth_element(edges.begin(), edges.begin() + static_cast<std::ptrdiff_t>(edges.size() / 2), edges.end());
    // A cell of so many edges to a side holds about its square of vertices of a surface, and as much fewer triangles are left.
    const double fewer = static_cast<double>(has) / static_cast<double>(std::max<std::size_t>(1, triangles));
    return static_cast<float>(std::max(1e-9, edges[edges.size() / 2] * std::sqrt(fewer)));
}

}  // namespace nutatio::rig
