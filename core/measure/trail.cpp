#include "measure/trail.h"

namespace nutatio::measure {

std::vector<Vec3> wayOf(const rig::Actor& actor, const rig::Track& track, const scene::MountOn& on) {
    std::vector<Vec3> out;
    std::vector<Xform> locals;
    std::vector<Affine> worlds;
    for (int f = 0; f < track.frames(); ++f) {
        track.pose(f, locals);
        rig::worldTransforms(actor.skeleton, locals, worlds);
        out.push_back(on.at([&](int j) { return worlds[static_cast<std::size_t>(j)]; }, &track, f).t);
    }
    return out;
}

std::vector<Affine> seenFrom(const rig::Actor& actor, const rig::Track& track, int joint, bool overGroundAlone) {
    std::vector<Affine> out;
    for (int f = 0; f < track.frames(); ++f) {
        Affine world{Mat3::Identity(), Vec3::Zero()};
        for (int j = joint; j != rig::kNoJoint; j = actor.skeleton.joint(j).parent) world = track.at(j, f).affine() * world;
        if (overGroundAlone)
            world = {Mat3::Identity(), Vec3(world.t.x(), 0, world.t.z())};
        else
            world.m = rotationOf(world.m).toRotationMatrix();
        out.push_back(world);
    }
    return out;
}

}  // namespace nutatio::measure
