#include "rig/spot.h"

#include <algorithm>
#include <limits>

#include "rig/mesh.h"

namespace nutatio::rig {

namespace {

const MeshInstance& instanceOf(const Actor& actor, const SurfaceSpot& spot) {
    return actor.instances[static_cast<std::size_t>(spot.instance)];
}

const Primitive& primitiveOf(const Actor& actor, const SurfaceSpot& spot) {
    return actor.meshes[static_cast<std::size_t>(instanceOf(actor, spot).mesh)]
        .primitives[static_cast<std::size_t>(spot.primitive)];
}

/// Each joint that a vertex follows, with its share and bind transform.
template <class Take>
void eachPull(const Actor& actor, const MeshInstance& in, const Primitive& p, std::uint32_t vertex, const Take& take) {
    if (in.skin < 0 || p.influences.empty()) return take(in.joint, 1.0F, Affine{});
    const Skin& skin = actor.skins[static_cast<std::size_t>(in.skin)];
    const Influence& by = p.influences[vertex];
    for (std::size_t k = 0; k < by.joint.size(); ++k)
        if (by.weight[k] > 0) take(skin.joints[by.joint[k]], by.weight[k], skin.inverseBind[by.joint[k]]);
}

/// Shares of a triangle's corners at its point nearest to `p` (Ericson, Real-Time Collision Detection, 2005, 5.1.5).
std::array<double, 3> sharesNearest(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c) {
    const Vec3 ab = b - a, ac = c - a;
    const double d1 = ab.dot(p - a), d2 = ac.dot(p - a);
    if (d1 <= 0 && d2 <= 0) return {1, 0, 0};
    const double d3 = ab.dot(p - b), d4 = ac.dot(p - b);
    if (d3 >= 0 && d4 <= d3) return {0, 1, 0};
    if (const double vc = d1 * d4 - d3 * d2; vc <= 0 && d1 >= 0 && d3 <= 0) return {1 - d1 / (d1 - d3), d1 / (d1 - d3), 0};
    const double d5 = ab.dot(p - c), d6 = ac.dot(p - c);
    if (d6 >= 0 && d5 <= d6) return {0, 0, 1};
    if (const double vb = d5 * d2 - d1 * d6; vb <= 0 && d2 >= 0 && d6 <= 0) return {1 - d2 / (d2 - d6), 0, d2 / (d2 - d6)};
    const double va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
        const double w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
        return {0, 1 - w, w};
    }
    const double vb = d5 * d2 - d1 * d6, vc = d1 * d4 - d3 * d2, sum = va + vb + vc;
    return {va / sum, vb / sum, vc / sum};
}

}  // namespace

std::optional<SurfaceSpot> spotNear(const Actor& actor, const Vec3& place, int joint) {
    std::vector<Affine> worlds;
    worldTransforms(actor.skeleton, actor.restPose(), worlds);
    std::optional<SurfaceSpot> best;
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i < actor.instances.size(); ++i) {
        const MeshInstance& in = actor.instances[i];
        const Mesh& mesh = actor.meshes[static_cast<std::size_t>(in.mesh)];
        for (std::size_t k = 0; k < mesh.primitives.size(); ++k) {
            const Primitive& p = mesh.primitives[k];
            PosedVertices posed;
            poseVertices(actor, in, p, worlds, {}, posed);
            const auto share = [&](std::uint32_t vertex) {
                double out = 0;
                eachPull(actor, in, p, vertex,
                         [&](int j, float weight, const Affine&) { out += j == joint ? double(weight) : 0.0; });
                return out;
            };
            for (std::size_t t = 0; t + 2 < p.triangles.size(); t += 3) {
                SurfaceSpot spot{
                    static_cast<int>(i), static_cast<int>(k), {p.triangles[t], p.triangles[t + 1], p.triangles[t + 2]}, {}};
                std::array<Vec3, 3> at;
                for (std::size_t c = 0; c < 3; ++c) at[c] = posed.positions[spot.corners[c]].cast<double>();
                const auto shares = sharesNearest(place, at[0], at[1], at[2]);
                double away = (shares[0] * at[0] + shares[1] * at[1] + shares[2] * at[2] - place).norm();
                // Of triangles at one place the named joint's comes first.
                const double slack = 1e-4 * actor.height;
                if (!(away < least + slack)) continue;
                for (std::size_t c = 0; c < 3 && joint != kNoJoint; ++c) away -= slack * shares[c] * share(spot.corners[c]);
                if (!(away < least)) continue;
                least = away;
                for (std::size_t c = 0; c < 3; ++c) spot.shares[c] = static_cast<float>(shares[c]);
                best = spot;
            }
        }
    }
    return best;
}

int mainJointOf(const Actor& actor, const SurfaceSpot& spot) {
    std::vector<std::pair<int, float>> all;
    for (std::size_t c = 0; c < 3; ++c)
        eachPull(actor, instanceOf(actor, spot), primitiveOf(actor, spot), spot.corners[c],
                 [&](int joint, float weight, const Affine&) {
                     auto at = std::find_if(all.begin(), all.end(), [&](const auto& a) { return a.first == joint; });
                     if (at == all.end()) at = all.insert(all.end(), {joint, 0.0F});
                     at->second += spot.shares[c] * weight;
                 });
    const auto most = std::max_element(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
    return most == all.end() ? kNoJoint : most->first;
}

SpotRider::SpotRider(const Actor& actor, const SurfaceSpot& spot) : m_spot(spot) {
    const MeshInstance& in = instanceOf(actor, spot);
    const Primitive& p = primitiveOf(actor, spot);
    const std::vector<float>& resting = actor.meshes[static_cast<std::size_t>(in.mesh)].weights;
    for (std::size_t c = 0; c < 3; ++c) m_corners[c] = p.positions[spot.corners[c]];
    for (std::size_t t = 0; t < p.morphs.size(); ++t) {
        m_resting.push_back(t < resting.size() ? resting[t] : 0.0F);
        auto& moved = m_morphed.emplace_back();
        for (std::size_t c = 0; c < 3; ++c)
            moved[c] = p.morphs[t].positions.empty() ? Vec3f(Vec3f::Zero()) : p.morphs[t].positions[spot.corners[c]];
    }
    for (std::size_t c = 0; c < 3; ++c)
        eachPull(actor, in, p, spot.corners[c], [&](int joint, float weight, const Affine& bind) {
            auto at = std::find(m_joints.begin(), m_joints.end(), joint);
            if (at == m_joints.end()) at = m_joints.insert(m_joints.end(), joint);
            m_pulls[c].push_back({static_cast<std::size_t>(at - m_joints.begin()), weight, bind});
        });
    std::vector<Affine> rest, worlds;
    worldTransforms(actor.skeleton, actor.restPose(), rest);
    for (int j : m_joints) worlds.push_back(rest[static_cast<std::size_t>(j)]);
    m_rest = frameOf(worlds, nullptr, 0).m;
}

Affine SpotRider::frameOf(std::span<const Affine> worlds, const Track* bent, int frame) const {
    const float* weights = m_resting.data();
    std::size_t targets = m_morphed.size();
    const Patch* patch = nullptr;
    if (bent) {
        frame = within(frame, 0, bent->frames() - 1);
        if (const auto at = bent->morphs().find(m_spot.instance); at != bent->morphs().end()) {
            weights = at->second->frame(frame);
            targets = std::min(m_morphed.size(), static_cast<std::size_t>(at->second->targets));
        }
        if (const auto at = bent->patches().find({m_spot.instance, m_spot.primitive}); at != bent->patches().end())
            patch = at->second.get();
    }
    std::array<Vec3, 3> posed;
    for (std::size_t c = 0; c < 3; ++c) {
        const std::uint32_t vertex = m_spot.corners[c];
        Vec3f at = m_corners[c];
        for (std::size_t t = 0; t < targets; ++t) at += weights[t] * m_morphed[t][c];
        if (patch)
            for (std::size_t k = 0; k < patch->vertices.size(); ++k)
                if (patch->vertices[k] == vertex) at += patch->frame(frame)[k];
        posed[c] = Vec3::Zero();
        for (const Pull& p : m_pulls[c]) posed[c] += double(p.weight) * worlds[p.joint].apply(p.bind.apply(at.cast<double>()));
    }
    Affine out;
    out.t = Vec3::Zero();
    for (std::size_t c = 0; c < 3; ++c) out.t += double(m_spot.shares[c]) * posed[c];
    const Vec3 edge = posed[1] - posed[0], normal = edge.cross(posed[2] - posed[0]);
    if (normal.norm() > 0) {
        out.m.col(0) = edge.normalized();
        out.m.col(1) = normal.normalized();
        out.m.col(2) = out.m.col(0).cross(out.m.col(1));
    }
    return out;
}

Affine SpotRider::at(std::span<const Affine> worlds, const Track* bent, int frame) const {
    Affine out = frameOf(worlds, bent, frame);
    out.m = out.m * m_rest.transpose();
    return out;
}

bool SpotRider::isMovedBy(const Patch& patch) const {
    return patch.instance == m_spot.instance && patch.primitive == m_spot.primitive &&
           std::any_of(m_spot.corners.begin(), m_spot.corners.end(), [&](std::uint32_t v) {
               return std::find(patch.vertices.begin(), patch.vertices.end(), v) != patch.vertices.end();
           });
}

bool SpotRider::isMorphed() const {
    return !m_morphed.empty();
}

}  // namespace nutatio::rig
