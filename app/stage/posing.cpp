#include "app/stage/posing.h"

#include <algorithm>

namespace nutatio::app {

void worldsInScene(const scene::ActorEntry& actor, const std::vector<Xform>& locals, std::vector<Affine>& worlds) {
    rig::worldTransforms(actor.actor->skeleton, locals, worlds);
    const scene::Placement stands = scene::placementOf(actor);
    if (stands.stands({})) return;
    const Affine lift{stands.metres * stands.turn.toRotationMatrix(), stands.place};
    for (Affine& w : worlds) w = lift * w;
}

Posed posedAt(const scene::ActorEntry& actor, const pipeline::TrackPtr& motion, int frame) {
    Posed out;
    out.id = actor.id;
    out.actor = actor.actor.get();
    std::vector<Xform> locals = actor.actor->restPose();
    if (motion && motion->joints() == actor.actor->skeleton.size()) {
        out.track = motion;
        out.frame = std::min(frame, motion->frames() - 1);
        motion->pose(out.frame, locals);
    }
    worldsInScene(actor, locals, out.worlds);
    return out;
}

}  // namespace nutatio::app
