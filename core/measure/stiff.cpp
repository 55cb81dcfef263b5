#include "measure/stiff.h"

#include <algorithm>

#include "measure/joints.h"
#include "rig/parts.h"
#include "rig/surface.h"

namespace nutatio::measure {

namespace {

constexpr double kWorthNaming = 0.02;  // heights that are worth naming

}  // namespace

std::vector<Stiff> stillStiff(const scene::Scene& scene, const Cancel& cancel) {
    std::vector<Stiff> out;
    for (const scene::ActorEntry& e : scene.actors) {
        if (e.isPiece() || !e.actor) continue;
        if (cancel.asked()) throw Cancelled{};
        const rig::Actor& a = *e.actor;
        std::vector<char> moves = simulated(scene, e);
        for (const rig::Clip& clip : a.clips) {
            const std::vector<char> here = movedBy(a, clip);
            for (std::size_t j = 0; j < moves.size(); ++j) moves[j] = moves[j] || here[j];
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
            if (all.isEmpty() || all.diagonal().norm() < kWorthNaming * a.height) return;
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
