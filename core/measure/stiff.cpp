#include "measure/stiff.h"

#include <algorithm>

#include "layers/registry.h"
#include "rig/parts.h"
#include "rig/surface.h"

namespace nutatio::measure {

namespace {

constexpr double kTurns = radians(0.5), kTravels = 1e-3;  // [rad], [heights]: less is stiff
constexpr double kSeen = 0.02;                            // heights that are worth naming

std::vector<char> movedByClips(const rig::Actor& a) {
    std::vector<char> moves(static_cast<std::size_t>(a.skeleton.size()), false);
    const std::vector<double> scale = rig::scalesAbove(a);
    for (const rig::Clip& clip : a.clips)
        for (const rig::Channel& c : clip.channels) {
            if (c.path == rig::Path::Weights || c.times.empty()) continue;
            const Xform& rest = a.skeleton.joint(c.joint).rest;
            double first[4], now[4];
            c.sample(c.times.front(), first);
            for (float t : c.times) {
                c.sample(t, now);
                double by = 0, least = 1;
                if (c.path == rig::Path::Turn) {
                    by = Quat(now[3], now[0], now[1], now[2]).angularDistance(Quat(first[3], first[0], first[1], first[2]));
                    least = kTurns;
                } else {
                    const Vec3 step = Vec3(now[0], now[1], now[2]) - Vec3(first[0], first[1], first[2]);
                    by = c.path == rig::Path::Move ? step.norm() * scale[static_cast<std::size_t>(c.joint)] / a.height
                                                   : step.norm() / std::max(rest.s.norm(), 1e-9);
                    least = kTravels;
                }
                if (by > least) {
                    moves[static_cast<std::size_t>(c.joint)] = true;
                    break;
                }
            }
        }
    return moves;
}

}  // namespace

std::vector<Stiff> stillStiff(const scene::Scene& scene, const Cancel& cancel) {
    std::vector<Stiff> out;
    for (const scene::ActorEntry& e : scene.actors) {
        if (e.isPiece() || !e.actor) continue;
        if (cancel.asked()) throw Cancelled{};
        const rig::Actor& a = *e.actor;
        std::vector<char> moves = movedByClips(a);
        for (const scene::Layer& l : scene.layers) {
            const layers::LayerKind* kind = l.actor == e.id && scene.acts(l) ? layers::findKind(l.kind) : nullptr;
            if (kind && !kind->problem(a, l))
                for (const layers::Moved& m : kind->moves(a, l)) moves[static_cast<std::size_t>(m.joint)] = true;
        }
        const rig::Surface surface = rig::Surface::of(a);
        std::vector<Eigen::AlignedBox3d> box(moves.size());
        for (std::uint32_t v = 0; v < surface.places.size(); ++v)
            for (const rig::Surface::Pull& p : surface.pulls(v))
                if (p.weight > 0.5f) box[static_cast<std::size_t>(p.joint)].extend(surface.places[v].cast<double>());
        std::vector<char> taken(moves.size(), false);
        const auto add = [&](const std::string& name, const std::vector<int>& joints) {
            Eigen::AlignedBox3d all;
            for (int j : joints) {
                const auto at = static_cast<std::size_t>(j);
                if (moves[at] || taken[at]) return;
                if (!box[at].isEmpty()) all.extend(box[at]);
            }
            for (int j : joints) taken[static_cast<std::size_t>(j)] = true;
            if (all.isEmpty() || all.diagonal().norm() < kSeen * a.height) return;
            out.push_back({e.id, name, joints, all.diagonal().norm() / a.height});
        };
        for (const scene::Part& p : e.parts) {
            std::vector<int> joints;
            for (const std::string& name : p.joints)
                if (const int j = a.skeleton.find(name); j != rig::kNoJoint) joints.push_back(j);
            add(p.name, joints);
        }
        for (const rig::Part& p : rig::suggestedParts(a)) add(p.name, p.joints);
        for (int j : a.skeleton.order())
            if (a.isSkinJoint[static_cast<std::size_t>(j)] && a.skeleton.joint(j).parent != rig::kNoJoint)
                add(rig::plainName(a.skeleton, j), {j});
    }
    std::stable_sort(out.begin(), out.end(), [](const Stiff& x, const Stiff& y) { return x.size > y.size; });
    return out;
}

}  // namespace nutatio::measure
