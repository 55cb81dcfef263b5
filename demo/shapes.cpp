#include "demo/shapes.h"

#include <algorithm>
#include <unordered_map>

namespace nutatio::demo {

double ball(const Vec3& p, const Vec3& centre, const Vec3& radii) {
    const Vec3 q = p - centre;
    const double k0 = q.cwiseQuotient(radii).norm(), k1 = q.cwiseQuotient(radii.cwiseProduct(radii)).norm();
    return k1 > 1e-12 ? k0 * (k0 - 1) / k1 : -radii.minCoeff();
}

double roundCone(const Vec3& p, const Vec3& a, const Vec3& b, double ra, double rb) {
    const Vec3 ab = b - a;
    const double u = std::clamp((p - a).dot(ab) / ab.squaredNorm(), 0.0, 1.0);
    return (p - a - u * ab).norm() - (ra + u * (rb - ra));
}

double blendMin(double a, double b, double k) {
    const double h = std::max(k - std::abs(a - b), 0.0) / k;
    return std::min(a, b) - h * h * k * 0.25;
}

namespace {

/// On an edge that is thinner than a cell the distance's gradient may point to the other face: there the faces' own normal holds.
void agree(Surface& s) {
    std::vector<Vec3> faces(s.vertices.size(), Vec3::Zero());
    for (std::size_t t = 0; t + 2 < s.triangles.size(); t += 3) {
        const auto at = [&](std::size_t k) { return s.triangles[t + k]; };
        const Vec3 n =
            (s.vertices[at(1)].place - s.vertices[at(0)].place).cross(s.vertices[at(2)].place - s.vertices[at(0)].place);
        for (std::size_t k = 0; k < 3; ++k) faces[at(k)] += n;
    }
    for (std::size_t v = 0; v < s.vertices.size(); ++v)
        if (faces[v].norm() > 0 && s.vertices[v].normal.dot(faces[v].normalized()) < 0.5)
            s.vertices[v].normal = faces[v].normalized();
}

}  // namespace

Surface polygonise(const Distance& d, const Vec3& low, const Vec3& high, double cell) {
    const Eigen::Vector3i n = ((high - low) / cell).array().ceil().cast<int>() + 1;
    const auto at = [&](int x, int y, int z) {
        return (static_cast<std::size_t>(z) * static_cast<std::size_t>(n.y()) + static_cast<std::size_t>(y)) *
                   static_cast<std::size_t>(n.x()) +
               static_cast<std::size_t>(x);
    };
    const auto place = [&](int x, int y, int z) { return Vec3(low + cell * Vec3(x, y, z)); };
    std::vector<double> v(static_cast<std::size_t>(n.x()) * static_cast<std::size_t>(n.y()) * static_cast<std::size_t>(n.z()));
    for (int z = 0; z < n.z(); ++z)
        for (int y = 0; y < n.y(); ++y)
            for (int x = 0; x < n.x(); ++x) v[at(x, y, z)] = d(place(x, y, z));
    const auto gradient = [&](const Vec3& p) -> Vec3 {
        const double e = 0.2 * cell;
        return Vec3(d(p + e * Vec3::UnitX()) - d(p - e * Vec3::UnitX()), d(p + e * Vec3::UnitY()) - d(p - e * Vec3::UnitY()),
                    d(p + e * Vec3::UnitZ()) - d(p - e * Vec3::UnitZ())) /
               (2 * e);
    };
    Surface s;
    std::unordered_map<std::size_t, std::uint32_t> vertexOf;
    for (int z = 0; z + 1 < n.z(); ++z)
        for (int y = 0; y + 1 < n.y(); ++y)
            for (int x = 0; x + 1 < n.x(); ++x) {
                Vec3 sum = Vec3::Zero();
                int crossings = 0;
                for (int a = 0; a < 8; ++a)
                    for (int bit = 0; bit < 3; ++bit) {
                        const int b = a | (1 << bit);
                        if (b == a) continue;
                        const int ax = x + (a & 1), ay = y + (a >> 1 & 1), az = z + (a >> 2), bx = x + (b & 1),
                                  by = y + (b >> 1 & 1), bz = z + (b >> 2);
                        const double va = v[at(ax, ay, az)], vb = v[at(bx, by, bz)];
                        if ((va < 0) == (vb < 0)) continue;
                        sum += place(ax, ay, az) + va / (va - vb) * (place(bx, by, bz) - place(ax, ay, az));
                        ++crossings;
                    }
                if (crossings == 0) continue;
                Vertex vertex;
                vertex.place = sum / crossings;
                for (int k = 0; k < 3; ++k) {
                    const Vec3 g = gradient(vertex.place);
                    const Vec3 pull = d(vertex.place) * g / std::max(g.squaredNorm(), 0.05);
                    vertex.place -= pull.norm() > 0.5 * cell ? Vec3(pull.normalized() * 0.5 * cell) : pull;
                }
                vertex.normal = gradient(vertex.place).normalized();
                vertexOf[at(x, y, z)] = static_cast<std::uint32_t>(s.vertices.size());
                s.vertices.push_back(vertex);
            }
    for (int z = 1; z + 1 < n.z(); ++z)
        for (int y = 1; y + 1 < n.y(); ++y)
            for (int x = 1; x + 1 < n.x(); ++x)
                for (int axis = 0; axis < 3; ++axis) {
                    const double a = v[at(x, y, z)], b = v[at(x + (axis == 0), y + (axis == 1), z + (axis == 2))];
                    if ((a < 0) == (b < 0)) continue;
                    const int u = (axis + 1) % 3, w = (axis + 2) % 3;
                    const auto cellAt = [&](int du, int dw) {
                        Eigen::Vector3i c(x, y, z);
                        c[u] -= du;
                        c[w] -= dw;
                        return vertexOf.at(at(c.x(), c.y(), c.z()));
                    };
                    std::uint32_t q[4] = {cellAt(0, 0), cellAt(1, 0), cellAt(1, 1), cellAt(0, 1)};
                    if (a >= 0) std::swap(q[1], q[3]);
                    s.triangles.insert(s.triangles.end(), {q[0], q[1], q[2], q[0], q[2], q[3]});
                }
    agree(s);
    return s;
}

namespace {

/// Frames along a polyline that do not spin about it.
std::vector<Mat3> framesAlong(const std::vector<Vec3>& line, Vec3 side) {
    std::vector<Mat3> out;
    for (std::size_t i = 0; i < line.size(); ++i) {
        const Vec3 t = (line[std::min(i + 1, line.size() - 1)] - line[i == 0 ? 0 : i - 1]).normalized();
        side = side - t * side.dot(t);
        side = side.norm() > 1e-6 ? side.normalized() : anySquareTo(t);
        Mat3 f;
        f << side, t.cross(side), t;
        out.push_back(f);
    }
    return out;
}

Surface sweep(const std::vector<Vec3>& line, const Vec3& side, int sides, const std::function<Vec3(std::size_t, double)>& ring) {
    Surface s;
    const std::vector<Mat3> frames = framesAlong(line, side);
    for (std::size_t i = 0; i < line.size(); ++i)
        for (int k = 0; k < sides; ++k) {
            const double a = 2 * kPi * k / sides;
            Vertex v;
            v.place = line[i] + frames[i] * ring(i, a);
            const Vec3 across = ring(i, a + 0.05) - ring(i, a - 0.05);
            v.normal = (frames[i] * Vec3(across.y(), -across.x(), 0)).normalized();
            s.vertices.push_back(v);
        }
    const auto m = static_cast<std::uint32_t>(sides);
    for (std::uint32_t i = 0; i + 1 < line.size(); ++i)
        for (std::uint32_t k = 0; k < m; ++k) {
            const std::uint32_t a = i * m + k, b = i * m + (k + 1) % m;
            s.triangles.insert(s.triangles.end(), {a, b, b + m, a, b + m, a + m});
        }
    for (int end : {0, 1}) {
        Vertex v;
        const std::size_t i = end ? line.size() - 1 : 0;
        v.place = line[i];
        v.normal = (end ? 1.0 : -1.0) * frames[i].col(2);
        const auto c = static_cast<std::uint32_t>(s.vertices.size());
        s.vertices.push_back(v);
        for (std::uint32_t k = 0; k < m; ++k) {
            const std::uint32_t a = static_cast<std::uint32_t>(i) * m + k, b = static_cast<std::uint32_t>(i) * m + (k + 1) % m;
            if (end)
                s.triangles.insert(s.triangles.end(), {c, a, b});
            else
                s.triangles.insert(s.triangles.end(), {c, b, a});
        }
    }
    return s;
}

std::vector<Vec3> refined(const std::vector<Vec3>& line, int steps) {
    std::vector<Vec3> out;
    for (std::size_t i = 0; i + 1 < line.size(); ++i) {
        const Vec3 &p = line[i], &q = line[i + 1], m0 = 0.5 * (q - line[i == 0 ? 0 : i - 1]),
                   m1 = 0.5 * (line[std::min(i + 2, line.size() - 1)] - p);
        for (int k = 0; k < steps; ++k) {
            const Hermite h(static_cast<double>(k) / steps);
            out.push_back(h.p0 * p + h.m0 * m0 + h.p1 * q + h.m1 * m1);
        }
    }
    out.push_back(line.back());
    return out;
}

}  // namespace

Surface tube(const std::vector<Vec3>& line, const std::vector<double>& radius, int sides) {
    return sweep(line, anySquareTo((line[1] - line[0]).normalized()), sides,
                 [&](std::size_t i, double a) { return Vec3(radius[i] * std::cos(a), radius[i] * std::sin(a), 0); });
}

Surface ribbon(const std::vector<Vec3>& line, const Vec3& side, double halfWidth, double halfThickness, int steps) {
    // A superellipse ring: flat faces, soft edges.
    const auto power = [](double c) { return std::copysign(std::pow(std::abs(c), 0.55), c); };
    return sweep(refined(line, steps), side, 14, [&](std::size_t, double a) {
        return Vec3(halfWidth * power(std::cos(a)), halfThickness * power(std::sin(a)), 0);
    });
}

Surface box(const Vec3& centre, const Vec3& half) {
    // Swept along its longest side: a ring with flat faces and soft edges.
    Eigen::Index along = 0;
    half.maxCoeff(&along);
    const Vec3 axis = Vec3::Unit(along), side = Vec3::Unit((along + 1) % 3);
    const double a = half[(along + 1) % 3], b = half[(along + 2) % 3], inset = 0.25 * std::min(a, b);
    const auto power = [](double c) { return std::copysign(std::pow(std::abs(c), 0.3), c); };
    const std::vector<Vec3> line{centre - half[along] * axis, centre - (half[along] - inset) * axis,
                                 centre + (half[along] - inset) * axis, centre + half[along] * axis};
    return sweep(line, side, 20, [&](std::size_t i, double angle) {
        const double in = i == 0 || i == 3 ? 0.5 * inset : 0.0;
        return Vec3((a - in) * power(std::cos(angle)), (b - in) * power(std::sin(angle)), 0);
    });
}

void paint(Surface& s, const Vec3& colour) {
    for (Vertex& v : s.vertices) v.colour = colour;
}

void bindTo(Surface& s, int joint) {
    for (Vertex& v : s.vertices) v.weights = {{joint, 1.0}};
}

void bindByNearness(Surface& s, const std::vector<Bone>& bones, double power) {
    for (Vertex& v : s.vertices) {
        v.weights.clear();
        for (const Bone& b : bones) {
            const Vec3 ab = b.b - b.a;
            const double u = ab.squaredNorm() > 0 ? std::clamp((v.place - b.a).dot(ab) / ab.squaredNorm(), 0.0, 1.0) : 0.0;
            v.weights.emplace_back(b.joint, std::pow(std::max((v.place - b.a - u * ab).norm(), 1e-3), -power));
        }
        double sum = 0;
        for (auto& [j, w] : v.weights) sum += w;
        for (auto& [j, w] : v.weights) w /= sum;
        std::erase_if(v.weights, [](const auto& w) { return w.second < 0.01; });
    }
}

void bindAlong(Surface& s, const std::vector<int>& joints, const std::vector<Vec3>& places) {
    for (Vertex& v : s.vertices) {
        // Nearest point of the polyline: how many links along it the vertex lies.
        double best = 1e300, along = 0;
        for (std::size_t i = 0; i + 1 < places.size(); ++i) {
            const Vec3 ab = places[i + 1] - places[i];
            const double u = std::clamp((v.place - places[i]).dot(ab) / ab.squaredNorm(), 0.0, 1.0),
                         d = (v.place - places[i] - u * ab).norm();
            if (d < best) {
                best = d;
                along = static_cast<double>(i) + u;
            }
        }
        // Half a link back: a vertex in the middle of a link belongs to that link's joint alone.
        const double x = std::clamp(along - 0.5, 0.0, static_cast<double>(joints.size() - 1));
        const auto i = static_cast<std::size_t>(x);
        const double u = x - static_cast<double>(i);
        v.weights = {{joints[i], 1 - u}};
        if (u > 0.01 && i + 1 < joints.size()) v.weights.emplace_back(joints[i + 1], u);
    }
}

}  // namespace nutatio::demo
