#include "tests/support/against_clip.h"

#include <algorithm>
#include <cmath>

#include "rig/capsule.h"
#include "rig/mass.h"
#include "rig/roles.h"

namespace nutatio::test {

double lowestOf(const scene::ActorEntry& actor, const std::vector<Xform>& pose) {
    const rig::Actor& a = *actor.actor;
    const scene::Placement stands = scene::placementOf(actor);
    std::vector<Affine> worlds;
    rig::worldTransforms(a.skeleton, pose, worlds);
    double lowest = 1e300;
    rig::PosedVertices posed;
    for (const rig::MeshInstance& in : *a.instances)
        for (const rig::Primitive& p : (*a.meshes)[static_cast<std::size_t>(in.mesh)].primitives) {
            rig::poseVertices(a, in, p, worlds, {}, posed);
            for (const Vec3f& v : posed.positions) lowest = std::min(lowest, stands.toWorld(v.cast<double>()).y());
        }
    if (lowest > 1e299)
        for (const Affine& w : worlds) lowest = std::min(lowest, stands.toWorld(w.t).y());
    return lowest;
}

AgainstClip againstClip(const scene::Scene& scene, const pipeline::Evaluation& e, double floor) {
    const scene::ActorEntry& entry = scene.actors[0];
    const rig::Actor& a = *entry.actor;
    const scene::Placement stands = scene::placementOf(entry);
    const rig::Track &result = *e.actors[0].result, &body = *e.actors[0].body;
    const Quat level = scene::levelOf(stands);
    // A snake is as large as it is long.
    const double height =
        std::max((level.conjugate() * Vec3(Vec3::UnitY())).cwiseAbs().dot(a.high - a.low), 0.5 * (a.high - a.low).maxCoeff()) *
        stands.metres;
    const double fps = result.grid().fps;
    const rig::Roles roles = rig::rolesOf(a);
    const rig::Masses masses = rig::massesOf(a);
    std::vector<int> feet;
    for (const auto* limbs : {&roles.legs, &roles.arms})
        if (limbs == &roles.legs || roles.fourLegged)
            for (const rig::Limb& l : *limbs)
                if (l.found()) feet.push_back(l.end);

    AgainstClip out;
    const auto n = static_cast<std::size_t>(result.frames());
    const int joints = a.skeleton.size();
    std::vector<double> most;
    struct Way {
        std::vector<std::vector<Vec3>> places;
        std::vector<Vec3> centre;
    } now, was;
    std::vector<Xform> pose;
    std::vector<Affine> worlds;
    for (std::size_t f = 0; f < n; ++f) {
        double frame = 0;
        for (int j = 0; j < joints; ++j) {
            const Xform &x = result.at(j, static_cast<int>(f)), &y = body.at(j, static_cast<int>(f));
            out.finite = out.finite && x.isFinite();
            frame = std::max(frame, degrees(x.r.angularDistance(y.r)));
        }
        most.push_back(frame);
        for (auto [track, way, deep] : {std::tuple{&result, &now, &out.deepest}, std::tuple{&body, &was, &out.deepestBelow}}) {
            track->pose(static_cast<int>(f), pose);
            *deep = std::max(*deep, (floor - lowestOf(entry, pose)) / height);
            rig::worldTransforms(a.skeleton, pose, worlds);
            way->centre.push_back(stands.toWorld(rig::centreOfMass(masses, worlds)));
            std::vector<Vec3> places;
            for (const Affine& w : worlds) places.push_back(stands.toWorld(w.t) / height);
            way->places.push_back(std::move(places));
        }
    }
    out.turned = *std::max_element(most.begin(), most.end());
    out.usuallyTurned = rig::quantile(most, 0.95);
    double roughest = 0, roughestBelow = 1e-9;
    for (std::size_t f = 0; f < n; ++f) {
        for (int j : feet)
            out.footOff = std::max(
                out.footOff, (now.places[f][static_cast<std::size_t>(j)] - was.places[f][static_cast<std::size_t>(j)]).norm());
        out.rises = std::max(out.rises, (now.centre[f].y() - now.centre[0].y()) / height);
        if (f + 1 >= n) continue;
        for (std::size_t j = 0; j < static_cast<std::size_t>(joints); ++j) {
            const Vec3 step = now.places[f + 1][j] - now.places[f][j], below = was.places[f + 1][j] - was.places[f][j];
            out.fastest = std::max(out.fastest, fps * step.norm());
            out.fastestBelow = std::max(out.fastestBelow, fps * below.norm());
            // Helpers and faces go on moving; what lies still does not.
            const bool lies = static_cast<int>(j) == roles.hips || static_cast<int>(j) == roles.head ||
                              std::find(feet.begin(), feet.end(), static_cast<int>(j)) != feet.end();
            if (lies && static_cast<double>(n - f) <= 0.5 * fps + 1) out.creeps = std::max(out.creeps, step.norm());
            if (f == 0) continue;
            const Vec3 before = now.places[f][j] - now.places[f - 1][j], beforeBelow = was.places[f][j] - was.places[f - 1][j];
            out.jolt = std::max(out.jolt, fps * ((step - before).norm() - (below - beforeBelow).norm()));
        }
        if (f == 0) continue;
        roughest = std::max(roughest, (now.centre[f + 1] - 2 * now.centre[f] + now.centre[f - 1]).norm());
        roughestBelow = std::max(roughestBelow, (was.centre[f + 1] - 2 * was.centre[f] + was.centre[f - 1]).norm());
    }
    out.rougher = roughest / roughestBelow;
    return out;
}

}  // namespace nutatio::test
