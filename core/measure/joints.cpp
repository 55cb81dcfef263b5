#include "measure/joints.h"

#include <algorithm>

#include "layers/registry.h"
#include "rig/parts.h"

namespace nutatio::measure {

namespace {

constexpr double kTurns = radians(0.5), kTravels = 1e-3;  // [rad], [heights]: less is stiff

}  // namespace

std::vector<char> movedBy(const rig::Actor& a, const rig::Clip& clip) {
    std::vector<char> moves(static_cast<std::size_t>(a.skeleton.size()), false);
    const std::vector<double> scale = rig::scalesAbove(a);
    for (const rig::Channel& c : clip.channels) {
        if (c.path == rig::Path::Weights || c.times.empty()) continue;
        const auto at = static_cast<std::size_t>(c.joint);
        double first[4], now[4];
        c.sample(c.times.front(), first);
        for (float t : c.times) {
            c.sample(t, now);
            double by = 0;
            if (c.path == rig::Path::Turn) {
                by = Quat(now[3], now[0], now[1], now[2]).angularDistance(Quat(first[3], first[0], first[1], first[2])) / kTurns;
            } else {
                const double step = (Vec3(now[0], now[1], now[2]) - Vec3(first[0], first[1], first[2])).norm();
                by = (c.path == rig::Path::Move ? step * scale[at] / a.height : step) / kTravels;
            }
            if (by <= 1) continue;
            moves[at] = true;
            break;
        }
    }
    return moves;
}

std::vector<char> simulated(const scene::Scene& scene, const scene::ActorEntry& e) {
    std::vector<char> moves(static_cast<std::size_t>(e.actor->skeleton.size()), false);
    for (const scene::Layer& l : scene.layers) {
        const layers::LayerKind* kind = l.actor == e.id && scene.acts(l) ? layers::findKind(l.kind) : nullptr;
        if (kind && !kind->problem(*e.actor, l))
            for (const layers::Moved& m : kind->moves(*e.actor, l)) moves[static_cast<std::size_t>(m.joint)] = true;
    }
    return moves;
}

std::vector<int> jointsThat(const scene::Scene& scene, const scene::ActorEntry& e, JointFilter filter) {
    const rig::Actor& a = *e.actor;
    std::vector<char> is(static_cast<std::size_t>(a.skeleton.size()), filter == JointFilter::All);
    switch (filter) {
        case JointFilter::All:
            break;
        case JointFilter::Simulated:
            is = simulated(scene, e);
            break;
        case JointFilter::CanBe: {
            const std::vector<char> moved = simulated(scene, e);
            for (const rig::Part& p : rig::suggestedParts(a))
                for (const layers::LayerKind* k : layers::kinds())
                    if (std::find(k->suits.begin(), k->suits.end(), p.sort) != k->suits.end())
                        for (int j : p.joints) is[static_cast<std::size_t>(j)] = !moved[static_cast<std::size_t>(j)];
            break;
        }
        case JointFilter::Skin:
            for (const rig::MeshInstance& in : a.instances)
                for (const rig::Primitive& p : a.meshes[static_cast<std::size_t>(in.mesh)].primitives) {
                    if (in.skin < 0 || p.influences.empty()) is[static_cast<std::size_t>(in.joint)] = true;
                    if (in.skin < 0) continue;
                    const std::vector<int>& joints = a.skins[static_cast<std::size_t>(in.skin)].joints;
                    for (const rig::Influence& f : p.influences)
                        for (std::size_t k = 0; k < 8 && f.weight[k] > 0; ++k)
                            is[static_cast<std::size_t>(joints[f.joint[k]])] = true;
                }
            break;
        case JointFilter::Moves:
            if (const int clip = scene.clipOf(scene.shot(), e); clip >= 0)
                is = movedBy(a, a.clips[static_cast<std::size_t>(clip)]);
            break;
        case JointFilter::Locked:
            for (const std::string& name : e.locked)
                if (const int j = a.skeleton.find(name); j != rig::kNoJoint) is[static_cast<std::size_t>(j)] = true;
            break;
    }
    std::vector<int> out;
    for (int j : a.skeleton.order())
        if (is[static_cast<std::size_t>(j)]) out.push_back(j);
    return out;
}

}  // namespace nutatio::measure
