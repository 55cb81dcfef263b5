// The operations that bring something from a file: motions and kits.
#include <cmath>

#include "edit/kit.h"
#include "edit/motions.h"
#include "edit/operation_arguments.h"
#include "files/kit.h"
#include "files/scene_file.h"

namespace nutatio::edit {

namespace {

Result<Done> doBringMotion(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto source = files::readActor(text(a, "file"));
    if (!source) return refused(source.error().text());
    const rig::Actor& from = *source.value();
    if (from.clips.empty()) return refused("there is no clip in " + text(a, "file"));
    const int clip = text(a, "clip").empty() ? 0 : from.findClip(text(a, "clip"));
    if (clip < 0) return refused("there is no clip \"" + text(a, "clip") + "\" in " + text(a, "file"));
    rig::MotionMap map = rig::suggestMapping(from, *std::as_const(s).actor(actor.value())->actor);
    // "source>target" for each joint that is mapped by hand.
    for (const std::string& pair : joined(text(a, "joints"))) {
        const std::size_t at = pair.find('>');
        const rig::Skeleton& mine = std::as_const(s).actor(actor.value())->actor->skeleton;
        const int to = at == std::string::npos ? rig::kNoJoint : mine.find(pair.substr(at + 1));
        const int by = at == std::string::npos || at == 0 ? rig::kNoJoint : from.skeleton.find(pair.substr(0, at));
        if (to == rig::kNoJoint || (by == rig::kNoJoint && at != 0))
            return refused("\"" + pair + "\" is not of the form source>target");
        std::erase_if(map.joints, [&](const rig::MappedJoint& m) { return m.to == to; });
        map.joints.push_back({pair, by, to, rig::MappedJoint::By::Hand, false});
    }
    const auto made = bringMotion(s, actor.value(), from, clip, map);
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doPoseFirst(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto hold = wholeOr(a, "hold", 12, 0, kMostPoseFrames), ease = wholeOr(a, "ease", 12, 0, kMostPoseFrames);
    if (!hold || !ease) return !hold ? hold.error() : ease.error();
    const auto made = poseFirst(s, actor.value(), text(a, "clip"), hold.value(), ease.value());
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doRemoveClip(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    return actor ? removeClip(s, actor.value(), text(a, "clip")) : actor.error();
}

Result<Done> doApplyKit(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto kit = files::readKit(text(a, "file"));
    if (!kit) return refused(kit.error().text());
    std::vector<Fitted> fitted = fitKit(kit.value(), *std::as_const(s).actor(actor.value())->actor);
    for (const std::string& pair : joined(text(a, "joints"))) {
        const std::size_t at = pair.find('>');
        if (at == std::string::npos) return refused("\"" + pair + "\" is not of the form kit's>target's");
        for (Fitted& f : fitted)
            if (f.joint == pair.substr(0, at)) f.to = pair.substr(at + 1);
    }
    const auto left = applyKit(s, actor.value(), kit.value(), fitted, joined(text(a, "layers")));
    return left ? Result<Done>(Done{}) : left.error();
}

constexpr Operation kBringing[] = {
    {"bring-motion", "file", "actor,clip,joints",
     "A clip of another file as this actor does it; joints=source>target, joined by +, map by hand.", doBringMotion},
    {"remove-clip", "clip", "actor", "Takes a clip that was made here away, with the shots that it was made for.", doRemoveClip},
    {"pose-first", "clip", "actor,hold,ease", "A clip that begins in the rest pose, held and eased for so many frames.",
     doPoseFirst},
    {"apply-kit", "file", "actor,layers,joints", "Puts a kit on an actor; joints=kit's>actor's, joined by +, map by hand.",
     doApplyKit},
};

}  // namespace

std::span<const Operation> bringOperations() {
    return kBringing;
}

}  // namespace nutatio::edit
