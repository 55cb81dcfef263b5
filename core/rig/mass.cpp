#include "rig/mass.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "rig/beside.h"
#include "rig/roles.h"

namespace nutatio::rig {

namespace {

// For joint j and triangle t with area A, centre c, normal n and weight w of j:
//   p  = the point nearest to c on j's bones;  V += w k A max(0, (c - p).n),  k = 1/2 beside a bone, 1/3 at its end
//   the wedge's own centre lies at p + 2/3 (c - p);  -n in place of n where that makes more of the whole
struct BoneLine {
    Vec3 from, to;
};

std::vector<std::vector<BoneLine>> bonesIn(const Skeleton& s, const std::vector<Affine>& worlds) {
    std::vector<std::vector<BoneLine>> out(static_cast<std::size_t>(s.size()));
    for (int j = 0; j < s.size(); ++j) {
        const auto i = static_cast<std::size_t>(j);
        for (int c : s.joint(j).children) out[i].push_back({worlds[i].t, worlds[static_cast<std::size_t>(c)].t});
        // Half its parent's bone, straight on.
        if (out[i].empty() && s.joint(j).parent != kNoJoint) {
            const Vec3 way = worlds[i].t - worlds[static_cast<std::size_t>(s.joint(j).parent)].t;
            out[i].push_back({worlds[i].t, worlds[i].t + 0.5 * way});
        }
        if (out[i].empty()) out[i].push_back({worlds[i].t, worlds[i].t});
    }
    return out;
}

class Weigher {
  public:
    Weigher(const Actor& actor, std::vector<char> aside) : m_actor(actor), m_aside(std::move(aside)) {
        worldTransforms(actor.skeleton, actor.restPose(), m_worlds);
        m_bones = bonesIn(actor.skeleton, m_worlds);
        for (Side& side : m_sides) {
            side.volume.resize(m_worlds.size());
            side.moment.resize(m_worlds.size(), Vec3::Zero());
        }
    }

    void wedge(int joint, double weight, const Vec3& c, const Vec3& n, double area) {
        const auto j = static_cast<std::size_t>(joint);
        if (!m_aside.empty() && m_aside[j]) return;
        Vec3 p = Vec3::Zero();
        double nearest = 1e300;
        bool beside = false;
        for (const BoneLine& b : m_bones[j]) {
            const Vec3 way = b.to - b.from;
            const double u = way.squaredNorm() > 0 ? (c - b.from).dot(way) / way.squaredNorm() : 0, on = std::clamp(u, 0.0, 1.0);
            const Vec3 at = b.from + on * way;
            if ((c - at).squaredNorm() >= nearest) continue;
            nearest = (c - at).squaredNorm();
            p = at;
            beside = u == on;
        }
        const double out = weight * (beside ? 1.0 / 2 : 1.0 / 3) * area * (c - p).dot(n);
        Side& side = m_sides[out < 0];
        side.volume[j] += std::abs(out);
        side.moment[j] += std::abs(out) * (p + 2.0 / 3 * (c - p));
    }

    void skin() {
        for (const MeshInstance& instance : *m_actor.instances) {
            const Mesh& mesh = m_actor.meshes[static_cast<std::size_t>(instance.mesh)];
            for (const Primitive& prim : mesh.primitives) {
                PosedVertices posed;
                poseVertices(m_actor, instance, prim, m_worlds, mesh.weights, posed);
                for (std::size_t t = 0; t + 2 < prim.triangles.size(); t += 3) triangle(instance, prim, posed, t);
            }
        }
    }

    Masses result() const {
        // What is mirrored by a scale below 0 shows its triangles from within.
        const auto sum = [](const Side& s) { return std::accumulate(s.volume.begin(), s.volume.end(), 0.0); };
        const Side& side = m_sides[sum(m_sides[1]) > sum(m_sides[0])];
        const double all = sum(side);
        Masses out;
        if (!(all > 0)) return out;
        for (std::size_t j = 0; j < side.volume.size(); ++j) {
            out.share.push_back(side.volume[j] / all);
            out.centre.push_back(side.volume[j] > 0 ? m_worlds[j].inverse().apply(side.moment[j] / side.volume[j])
                                                    : Vec3(Vec3::Zero()));
        }
        return out;
    }

  private:
    void triangle(const MeshInstance& instance, const Primitive& prim, const PosedVertices& posed, std::size_t t) {
        Vec3 corner[3];
        for (std::size_t k = 0; k < 3; ++k) corner[k] = posed.positions[prim.triangles[t + k]].cast<double>();
        const Vec3 normal = (corner[1] - corner[0]).cross(corner[2] - corner[0]);
        const double area = 0.5 * normal.norm();
        if (!(area > 0)) return;
        const Vec3 c = (corner[0] + corner[1] + corner[2]) / 3, n = normal.normalized();
        if (instance.skin < 0 || prim.influences.empty()) return wedge(instance.joint, 1, c, n, area);
        const Skin& skin = m_actor.skins[static_cast<std::size_t>(instance.skin)];
        for (std::size_t k = 0; k < 3; ++k) {
            const Influence& w = prim.influences[prim.triangles[t + k]];
            for (std::size_t i = 0; i < w.weight.size(); ++i)
                if (w.weight[i] > 0) wedge(skin.joints[w.joint[i]], static_cast<double>(w.weight[i]) / 3, c, n, area);
        }
    }

    const Actor& m_actor;
    std::vector<char> m_aside;  // by joint, that weigh nothing; empty: none
    std::vector<Affine> m_worlds;
    std::vector<std::vector<BoneLine>> m_bones;
    struct Side {
        std::vector<double> volume;
        std::vector<Vec3> moment;
    };
    std::array<Side, 2> m_sides;  // by what triangles show: their outside, their inside
};

Masses byRoles(const Actor& actor) {
    const Roles roles = rolesOf(actor);
    const auto n = static_cast<std::size_t>(actor.skeleton.size());
    Masses out;
    out.share.assign(n, 0);
    out.centre.assign(n, Vec3::Zero());
    const auto put = [&](int joint, double share, double along) {
        if (joint == kNoJoint) return;
        out.share[static_cast<std::size_t>(joint)] += share;
        out.centre[static_cast<std::size_t>(joint)] = along * endOf(actor.skeleton, joint);
    };
    put(roles.head, 6.8, 0.5);
    std::vector<int> trunk = roles.spine;
    if (trunk.empty() && roles.hips != kNoJoint) trunk.push_back(roles.hips);
    for (int j : trunk) put(j, 43.0 / static_cast<double>(trunk.size()), 0.5);
    for (int side = 0; side < 2; ++side) {
        const auto k = static_cast<std::size_t>(side);
        put(roles.arms[k].upper, 2.6, 0.58);
        put(roles.arms[k].lower, 1.5, 0.46);
        put(roles.arms[k].end, 0.6, 0.5);
        put(roles.legs[k].upper, 14.5, 0.39);
        put(roles.legs[k].lower, 4.6, 0.44);
        put(roles.legs[k].end, 1.3, 0.5);
    }
    // What people do not have: a guess.
    for (int j : roles.tail) put(j, 2.0 / static_cast<double>(roles.tail.size()), 0.5);
    double all = 0;
    for (double v : out.share) all += v;
    if (!(all > 0)) {
        out.share.assign(n, 1);
        all = static_cast<double>(n);
    }
    for (double& v : out.share) v /= all;
    return out;
}

}  // namespace

Masses massesOf(const Actor& actor, WeighedBy by) {
    const auto byMesh = [&](std::vector<char> aside) {
        Weigher w(actor, std::move(aside));
        w.skin();
        return w.result();
    };
    Masses out;
    if (by == WeighedBy::Body) out = byMesh(besideBody(actor));
    if (by == WeighedBy::WholeMesh || (by == WeighedBy::Body && out.share.empty())) out = byMesh({});
    return out.share.empty() ? byRoles(actor) : out;
}

Vec3 centreOfMass(const Masses& masses, const std::vector<Affine>& worlds) {
    Vec3 out = Vec3::Zero();
    for (std::size_t j = 0; j < worlds.size(); ++j)
        if (masses.share[j] > 0) out += masses.share[j] * worlds[j].apply(masses.centre[j]);
    return out;
}

}  // namespace nutatio::rig
