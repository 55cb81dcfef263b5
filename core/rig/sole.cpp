#include "rig/sole.h"

#include <algorithm>

#include "rig/capsule.h"

namespace nutatio::rig {

namespace {

/// Vertices that the joints below one hold, in the levelled axes of the rest pose.
std::vector<Vec3> heldBy(const Actor& actor, const std::vector<Affine>& rest, int top, const Quat& level) {
    std::vector<char> below(static_cast<std::size_t>(actor.skeleton.size()), false);
    for (int j : actor.skeleton.order()) {
        const int up = actor.skeleton.joint(j).parent;
        below[static_cast<std::size_t>(j)] = j == top || (up != kNoJoint && below[static_cast<std::size_t>(up)]);
    }
    std::vector<Vec3> out;
    for (const MeshInstance& instance : *actor.instances) {
        const Mesh& mesh = actor.meshes[static_cast<std::size_t>(instance.mesh)];
        for (const Primitive& prim : mesh.primitives) {
            if (instance.skin < 0 || prim.influences.empty()) continue;
            const Skin& skin = actor.skins[static_cast<std::size_t>(instance.skin)];
            std::vector<std::size_t> mine;
            for (std::size_t v = 0; v < prim.influences.size(); ++v) {
                float held = 0;
                const Influence& w = prim.influences[v];
                for (std::size_t i = 0; i < w.weight.size(); ++i)
                    if (w.weight[i] > 0 && below[static_cast<std::size_t>(skin.joints[w.joint[i]])]) held += w.weight[i];
                if (held > 0.6f) mine.push_back(v);
            }
            if (mine.empty()) continue;
            PosedVertices posed;
            poseVertices(actor, instance, prim, rest, mesh.weights, posed);
            for (std::size_t v : mine) out.push_back(level * posed.positions[v].cast<double>());
        }
    }
    return out;
}

}  // namespace

std::vector<Sole> solesOf(const Actor& actor, const Roles& roles, const Quat& level) {
    std::vector<Affine> rest;
    worldTransforms(actor.skeleton, actor.restPose(), rest);
    std::vector<Sole> out;
    for (const auto* limbs : {&roles.legs, &roles.arms}) {
        if (limbs == &roles.arms && !roles.fourLegged) continue;
        for (const Limb& limb : *limbs) {
            if (!limb.found()) continue;
            Sole sole;
            sole.joint = limb.end;
            const Affine& joint = rest[static_cast<std::size_t>(limb.end)];
            const Vec3 ankle = level * joint.t;
            std::vector<Vec3> under = heldBy(actor, rest, limb.end, level);
            const Vec3 toes = level * (limb.beyond != kNoJoint ? rest[static_cast<std::size_t>(limb.beyond)].t
                                                               : joint.apply(endOf(actor.skeleton, limb.end)));
            // Which way it points: to the toes, or to where most of it lies.
            Vec3 ahead = toes - ankle;
            if (Vec3(ahead.x(), 0, ahead.z()).norm() < 0.02 * actor.height)
                for (const Vec3& v : under) ahead += (v - ankle) / static_cast<double>(under.size());
            ahead.y() = 0;
            if (!(ahead.norm() > 1e-6 * actor.height)) ahead = Vec3::UnitZ();
            ahead.normalize();
            const Vec3 across = Vec3::UnitY().cross(ahead);
            const double shin = (level * rest[static_cast<std::size_t>(limb.lower)].t - ankle).norm();
            double low = 0, rear = 0, front = 0, left = 0, right = 0;
            if (under.size() >= 8) {
                const auto byHeight = [](const Vec3& a, const Vec3& b) { return a.y() < b.y(); };
                const auto [lowest, highest] = std::minmax_element(under.begin(), under.end(), byHeight);
                low = lowest->y();
                const double most = low + 0.25 * (highest->y() - low);
                std::erase_if(under, [&](const Vec3& v) { return v.y() > most; });
                std::vector<double> along, aside;
                for (const Vec3& v : under) {
                    along.push_back((v - ankle).dot(ahead));
                    aside.push_back((v - ankle).dot(across));
                }
                rear = quantile(along, 0.1);
                front = quantile(along, 0.9);
                right = quantile(aside, 0.1);
                left = quantile(aside, 0.9);
                sole.byMesh = true;
            } else {
                const double length = std::max((toes - ankle).dot(ahead), 0.2 * shin);
                low = ankle.y() - std::max(0.0, (ankle - toes).y());
                rear = -0.2 * length;
                front = length;
                left = 0.25 * length;
                right = -left;
            }
            const auto corner = [&](double along, double aside) {
                const Vec3 p = Vec3(ankle.x(), low, ankle.z()) + along * ahead + aside * across;
                return joint.inverse().apply(level.conjugate() * p);
            };
            sole.heel = {corner(rear, right), corner(rear, left)};
            sole.ball = {corner(front, right), corner(front, left)};
            out.push_back(sole);
        }
    }
    return out;
}

}  // namespace nutatio::rig
