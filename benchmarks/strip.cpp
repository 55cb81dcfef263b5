#include "benchmarks/strip.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fstream>

namespace nutatio {

void writeStrip(const std::filesystem::path& file, const scene::Scene& scene, const pipeline::Evaluation& e, int frames,
                double heading) {
    constexpr int kWide = 200, kHigh = 220, kRow = 6;
    const scene::ActorEntry& entry = scene.actors[0];
    const rig::Actor& a = *entry.actor;
    const scene::Placement stands = scene::placementOf(entry);
    const rig::Track& track = *e.actors[0].result;
    const Quat seen = fromRotationVector(Vec3(0.25, 0, 0)) * fromRotationVector(Vec3(0, heading, 0));
    const double unit = kHigh / (1.9 * a.height * stands.metres);
    std::vector<std::array<unsigned char, 3>> picture(static_cast<std::size_t>((frames + kRow - 1) / kRow * kRow * kWide * kHigh),
                                                      {236, 236, 232});
    std::vector<double> depth(picture.size(), -1e300);
    std::vector<Xform> pose;
    std::vector<Affine> worlds;
    rig::PosedVertices posed;
    for (int k = 0; k < frames; ++k) {
        const int frame = k * (track.frames() - 1) / std::max(1, frames - 1);
        track.pose(frame, pose);
        rig::worldTransforms(a.skeleton, pose, worlds);
        const Eigen::AlignedBox3d box = a.bounds(pose);
        Vec3 middle = stands.toWorld(box.center());
        middle.y() = 0;
        const auto at = [&](const Vec3& p) -> Vec3 {
            const Vec3 q = seen * (p - middle);
            return {kWide / 2.0 + unit * q.x(), kHigh * 0.82 - unit * q.y(), q.z()};
        };
        const auto put = [&](double x, double y, double z, std::array<unsigned char, 3> colour) {
            const int px = static_cast<int>(x), py = static_cast<int>(y);
            if (px < 0 || px >= kWide || py < 0 || py >= kHigh) return;
            const auto i = static_cast<std::size_t>(((k / kRow * kHigh + py) * kRow + k % kRow) * kWide + px);
            if (z <= depth[i]) return;
            depth[i] = z;
            picture[i] = colour;
        };
        const double half = 0.6 * a.height * stands.metres;
        for (int line = -2; line <= 2; ++line)
            for (double u = -1; u <= 1; u += 0.004) {
                const Vec3 x = at(middle + Vec3(half * u, 0, 0.5 * half * line)),
                           z = at(middle + Vec3(0.5 * half * line, 0, half * u));
                put(x.x(), x.y(), x.z(), {196, 196, 190});
                put(z.x(), z.y(), z.z(), {196, 196, 190});
            }
        for (const rig::MeshInstance& in : *a.instances)
            for (const rig::Primitive& prim : (*a.meshes)[static_cast<std::size_t>(in.mesh)].primitives) {
                rig::poseVertices(a, in, prim, worlds, {}, posed);
                for (std::size_t t = 0; t + 2 < prim.triangles.size(); t += 3) {
                    Vec3 p[3];
                    for (std::size_t c = 0; c < 3; ++c)
                        p[c] = at(stands.toWorld(posed.positions[prim.triangles[t + c]].cast<double>()));
                    const Vec3 n = (p[1] - p[0]).cross(p[2] - p[0]);
                    if (n.norm() < 1e-9) continue;
                    const double light = 0.35 + 0.6 * std::abs(n.normalized().z());
                    const bool under = std::min({stands.toWorld(posed.positions[prim.triangles[t]].cast<double>()).y(),
                                                 stands.toWorld(posed.positions[prim.triangles[t + 1]].cast<double>()).y()}) <
                                       -0.01 * a.height * stands.metres;
                    const std::array<unsigned char, 3> colour{static_cast<unsigned char>(light * (under ? 230 : 110)),
                                                              static_cast<unsigned char>(light * (under ? 80 : 150)),
                                                              static_cast<unsigned char>(light * (under ? 70 : 170))};
                    const double x0 = std::floor(std::min({p[0].x(), p[1].x(), p[2].x()})),
                                 x1 = std::max({p[0].x(), p[1].x(), p[2].x()}),
                                 y0 = std::floor(std::min({p[0].y(), p[1].y(), p[2].y()})),
                                 y1 = std::max({p[0].y(), p[1].y(), p[2].y()});
                    if (x1 - x0 > kWide || y1 - y0 > kHigh) continue;
                    for (double y = y0; y <= y1; ++y)
                        for (double x = x0; x <= x1; ++x) {
                            const Vec3 q(x + 0.5, y + 0.5, 0);
                            const auto side = [&](int i, int j) {
                                return (p[j].x() - p[i].x()) * (q.y() - p[i].y()) - (p[j].y() - p[i].y()) * (q.x() - p[i].x());
                            };
                            const double w0 = side(1, 2) / n.z(), w1 = side(2, 0) / n.z(), w2 = side(0, 1) / n.z();
                            if (w0 < -1e-9 || w1 < -1e-9 || w2 < -1e-9) continue;
                            put(x, y, w0 * p[0].z() + w1 * p[1].z() + w2 * p[2].z(), colour);
                        }
                }
            }
    }
    std::ofstream out(file, std::ios::binary);
    out << "P6\n" << kRow * kWide << " " << (frames + kRow - 1) / kRow * kHigh << "\n255\n";
    out.write(reinterpret_cast<const char*>(picture.data()), static_cast<std::streamsize>(3 * picture.size()));
}

}  // namespace nutatio
