#include "layers/touchup/grid.h"

#include <algorithm>
#include <cmath>

#include "rig/region.h"

namespace nutatio::layers::touchup {

namespace {

constexpr double kLeastShare = 0.02;  // of a region: what counts for its box
constexpr const char* kAxes[] = {"grid_x", "grid_y", "grid_z"};
constexpr const char* kCounts[] = {"handles_x", "handles_y", "handles_z"};

/// The two rows beside a place along an axis, with their shares.
struct Between {
    int low = 0, high = 0;
    double share = 0;  // of the higher one
};
Between between(double along, int count) {
    if (count < 2) return {};
    const double at = std::clamp(along, 0.0, 1.0) * (count - 1);
    const int low = std::min(static_cast<int>(at), count - 2);
    return {low, low + 1, eased(at - low)};
}

/// From the world in the rest pose to where vertices are bound: the linear part for one vertex.
Mat3 toBind(const rig::MeshInstance& instance, const rig::Primitive& p, std::size_t vertex, const std::vector<rig::Bone>& bones) {
    Mat3 m = Mat3::Zero();
    if (instance.skin >= 0 && vertex < p.influences->size()) {
        const rig::Influence& in = (*p.influences)[vertex];
        for (std::size_t k = 0; k < in.joint.size(); ++k)
            if (in.weight[k] > 0 && in.joint[k] + 1u < bones.size()) m += in.weight[k] * bones[in.joint[k]].m.cast<double>();
    }
    if (m.isZero()) m = bones.back().m.cast<double>();
    return Affine{m, Vec3::Zero()}.inverse().m;
}

}  // namespace

HandGrid::HandGrid(const LayerContext& context) : m_context(context) {
    const rig::Region& region = *context.region("region");
    for (std::size_t p = 0; p < region.values.size(); ++p)
        if (region.values[p] > kLeastShare) m_box.extend(region.surface.places[p].cast<double>());
    if (m_box.isEmpty())
        for (const Vec3f& p : region.surface.places) m_box.extend(p.cast<double>());
    const Vec3 room = Vec3::Constant(1e-3 * context.actor.height) + 0.02 * m_box.sizes();
    m_box = Eigen::AlignedBox3d(m_box.min() - room, m_box.max() + room);
    for (int a = 0; a < 3; ++a)
        m_count[static_cast<std::size_t>(a)] = std::max(1, static_cast<int>(std::lround(context.settings->at(kCounts[a]))));
    std::vector<std::string> touched;
    for (const char* row : kAxes)
        for (std::string& id : context.settings->channels(row)) touched.push_back(std::move(id));
    for (int z = 0; z < m_count[2]; ++z)
        for (int y = 0; y < m_count[1]; ++y)
            for (int x = 0; x < m_count[0]; ++x) {
                m_ids.push_back(std::to_string(x) + '.' + std::to_string(y) + '.' + std::to_string(z));
                m_moves.push_back(std::find(touched.begin(), touched.end(), m_ids.back()) != touched.end());
            }
}

Vec3 HandGrid::offset(std::size_t handle, int frame) const {
    Vec3 v = Vec3::Zero();
    if (m_moves[handle])
        for (int a = 0; a < 3; ++a) v[a] = m_context.settings->at(scene::channelId(kAxes[a], m_ids[handle]), frame);
    return m_context.actor.height * v;
}

std::vector<HandPoint> HandGrid::points(int frame) const {
    const rig::Region& region = *m_context.region("region");
    std::vector<HandPoint> out;
    for (std::size_t h = 0; h < m_ids.size(); ++h) {
        HandPoint p;
        p.of = m_ids[h];
        int at = static_cast<int>(h);
        for (int a = 0; a < 3; ++a) {
            const int n = m_count[static_cast<std::size_t>(a)], place = at % n;
            at /= n;
            p.rest[a] = n == 1 ? m_box.center()[a] : m_box.min()[a] + place * m_box.sizes()[a] / (n - 1);
        }
        p.offset = offset(h, frame);
        p.joint = region.surface.places.empty() ? 0 : region.surface.mainJoint(region.surface.nearest(p.rest));
        out.push_back(std::move(p));
    }
    for (std::size_t h = 0; h < out.size(); ++h) {
        std::size_t step = 1;
        for (int a = 0; a < 3; ++a) {
            const auto n = static_cast<std::size_t>(m_count[static_cast<std::size_t>(a)]);
            if (h / step % n + 1 < n) out[h].next.push_back(h + step);
            step *= n;
        }
    }
    return out;
}

std::vector<rig::PatchPtr> HandGrid::patches(int frames, const Cancel& cancel) const {
    std::vector<rig::PatchPtr> out;
    if (std::none_of(m_moves.begin(), m_moves.end(), [](bool m) { return m; })) return out;
    const rig::Region& region = *m_context.region("region");
    const rig::Actor& actor = m_context.actor;
    std::vector<Affine> worlds;
    rig::worldTransforms(actor.skeleton, actor.restPose(), worlds);
    std::vector<std::vector<Vec3>> offsets(static_cast<std::size_t>(frames));
    for (int f = 0; f < frames; ++f)
        for (std::size_t h = 0; h < m_ids.size(); ++h) offsets[static_cast<std::size_t>(f)].push_back(offset(h, f));
    for (std::size_t i = 0; i < actor.instances->size(); ++i) {
        const rig::MeshInstance& instance = (*actor.instances)[i];
        const std::vector<rig::Bone> bones = rig::bonesOf(actor, instance, worlds);
        const auto& primitives = (*actor.meshes)[static_cast<std::size_t>(instance.mesh)].primitives;
        for (std::size_t k = 0; k < primitives.size(); ++k) {
            struct Carried {
                Mat3 bind;
                std::array<Between, 3> rows;
            };
            std::vector<Carried> carried;
            rig::Patch patch{static_cast<int>(i), static_cast<int>(k), {}, {}};
            for (std::size_t v = 0; v < primitives[k].positions->size(); ++v) {
                const std::uint32_t point = region.surface.pointOf(i, k, v);
                const float share = region.values[point];
                if (share <= 0) continue;
                Carried c;
                c.bind = share * toBind(instance, primitives[k], v, bones);
                const Vec3 in = (region.surface.places[point].cast<double>() - m_box.min()).cwiseQuotient(m_box.sizes());
                for (int a = 0; a < 3; ++a)
                    c.rows[static_cast<std::size_t>(a)] = between(in[a], m_count[static_cast<std::size_t>(a)]);
                carried.push_back(c);
                patch.vertices.push_back(static_cast<std::uint32_t>(v));
            }
            if (carried.empty()) continue;
            for (int f = 0; f < frames; ++f) {
                if (cancel.asked()) throw Cancelled{};
                const auto& now = offsets[static_cast<std::size_t>(f)];
                for (const Carried& c : carried) {
                    Vec3 d = Vec3::Zero();
                    for (int corner = 0; corner < 8; ++corner) {
                        double share = 1;
                        std::size_t handle = 0, step = 1;
                        for (int a = 0; a < 3; ++a) {
                            const Between& row = c.rows[static_cast<std::size_t>(a)];
                            const bool high = corner >> a & 1;
                            share *= high ? row.share : 1 - row.share;
                            handle += step * static_cast<std::size_t>(high ? row.high : row.low);
                            step *= static_cast<std::size_t>(m_count[static_cast<std::size_t>(a)]);
                        }
                        if (share > 0) d += share * now[handle];
                    }
                    patch.offsets.push_back((c.bind * d).cast<float>());
                }
            }
            out.push_back(std::make_shared<const rig::Patch>(std::move(patch)));
        }
    }
    return out;
}

}  // namespace nutatio::layers::touchup
