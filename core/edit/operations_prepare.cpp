// The operations of Prepare: what a rig is given, and the maps on its mesh.
#include <cmath>

#include "edit/edit.h"
#include "edit/operation_arguments.h"
#include "rig/helper.h"

namespace nutatio::edit {

namespace {

Result<Done> doRenameJoint(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    return prepare(s, actor.value(), {rig::Preparation::What::Rename, text(a, "joint"), text(a, "name"), Vec3::Zero()});
}

Result<Done> doAddChain(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto row = places(text(a, "through"));
    if (!row) return row.error();
    const auto reach = text(a, "reach").empty() ? 0.0 : number(text(a, "reach"));
    if (!reach) return refused("\"" + text(a, "reach") + "\" is not a number");
    const auto made = addChain(s, actor.value(), text(a, "joint"), text(a, "name"), row.value(), *reach);
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doFitChain(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto at = places(text(a, "at"));
    if (!at) return at.error();
    const auto joints = wholeOr(a, "joints", 2, 2, 64);
    if (!joints) return joints.error();
    if (at.value().size() != 1) return refused("at is one place on the piece, near the end where the chain begins");
    const rig::Surface surface = rig::Surface::of(*std::as_const(s).actor(actor.value())->actor);
    if (surface.places.empty()) return refused("the actor has no mesh");
    const auto row = rig::rowThrough(surface, surface.nearest(at.value().front()), joints.value());
    const auto made = addChain(s, actor.value(), text(a, "joint"), text(a, "name"), row, 0);
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doMovePivot(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto to = places(text(a, "to"));
    if (!to) return to.error();
    if (to.value().size() != 1) return refused("to is one place of the rest pose");
    if (!text(a, "keys").empty() && text(a, "keys") != "keep" && text(a, "keys") != "turn")
        return refused("keys is keep or turn");
    return movePivot(s, actor.value(), text(a, "joint"), to.value().front(), text(a, "keys") != "turn");
}

Result<Done> doStandTall(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto metres = number(text(a, "metres"));
    if (!metres) return refused("\"" + text(a, "metres") + "\" is not a number");
    return standTall(s, actor.value(), *metres);
}

Result<Done> doTellRole(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    return actor ? tellRole(s, actor.value(), text(a, "joint"), text(a, "role")) : actor.error();
}

Result<Done> doHangOn(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    rig::Preparation edit{rig::Preparation::What::HangOn, text(a, "joint"), {}, Vec3::Zero()};
    edit.onto = text(a, "onto");
    return prepare(s, actor.value(), edit);
}

Result<Done> doRemoveJoint(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    return actor ? removeJoint(s, actor.value(), text(a, "joint")) : actor.error();
}

Result<Done> doMirrorJoint(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto made = mirrorJoint(s, actor.value(), text(a, "joint"));
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doUnprepare(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto step = number(text(a, "step"));
    if (!step || *step < 1 || *step != std::floor(*step)) return refused("a step is a whole number, counted from 1");
    return unprepare(s, actor.value(), static_cast<std::size_t>(*step) - 1);
}

Result<Done> doLockWeights(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    if (text(a, "lock") != "yes" && text(a, "lock") != "no") return refused("lock is yes or no");
    for (const std::string& j : joined(text(a, "joints")))
        if (std::as_const(s).actor(actor.value())->actor->skeleton.find(j) == rig::kNoJoint)
            return refused("there is no joint \"" + j + "\"");
    lockWeights(s, actor.value(), joined(text(a, "joints")), text(a, "lock") == "yes");
    return Done{};
}

Result<Done> doNameJoints(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    return nameJoints(s, actor.value());
}

Result<Done> doCutFirst(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const rig::Actor& played = *std::as_const(s).actor(actor.value())->actor;
    if (played.findClip(text(a, "clip")) < 0) return refused("the actor has no clip \"" + text(a, "clip") + "\"");
    cutFirst(s, actor.value(), text(a, "clip"));
    return Done{};
}

Result<Done> doLeave(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    if (text(a, "leave") != "yes" && text(a, "leave") != "no") return refused("leave is yes or no");
    leaveFinding(s, actor.value(), text(a, "finding"), text(a, "leave") == "yes");
    return Done{};
}

Result<Done> doAddEnd(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    Vec3 place = Vec3::Zero();
    for (int k = 0; k < 3; ++k) {
        const std::string& t = text(a, std::string_view("xyz").substr(static_cast<std::size_t>(k), 1));
        if (t.empty()) continue;
        const auto v = number(t);
        if (!v) return refused("\"" + t + "\" is not a number");
        place[k] = *v;
    }
    return prepare(s, actor.value(), {rig::Preparation::What::AddEnd, text(a, "joint"), text(a, "name"), place});
}

Result<Done> doAddHelper(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    Vec3 place = Vec3::Zero();
    double reach = 0.12;
    for (const auto& [key, to] : {std::pair{"x", &place[0]}, {"y", &place[1]}, {"z", &place[2]}, {"reach", &reach}}) {
        if (text(a, key).empty()) continue;
        const auto v = number(text(a, key));
        if (!v) return refused("\"" + text(a, key) + "\" is not a number");
        *to = *v;
    }
    if (text(a, "both") != "" && text(a, "both") != "yes" && text(a, "both") != "no") return refused("both is yes or no");
    const auto made = addHelper(s, actor.value(), text(a, "joint"), text(a, "name"), place, reach, text(a, "both") == "yes");
    return made ? Result<Done>(Done{}) : made.error();
}

/// What an operation says of one step of a map.
Result<rig::MapStep> stepOf(const Arguments& a, std::string_view other) {
    rig::MapStep s;
    if (!rig::fromFromName(text(a, "from"), s.from) || s.from == rig::MapStep::From::Paint)
        return refused("\"" + text(a, "from") + "\" is nothing that a map is made from");
    if (!text(a, "join").empty() && !rig::joinFromName(text(a, "join"), s.join))
        return refused("join is set, add, take, times, most or least");
    s.joints = joined(text(a, "joints"));
    s.map = text(a, other);
    const auto below = yesOr(a, "below", false);
    if (!below) return below.error();
    s.below = below.value();
    for (const auto& [key, to] : {std::pair{"low", &s.low}, {"high", &s.high}, {"reach", &s.reach}}) {
        const auto v = numberOr(a, key, *to);
        if (!v) return v.error();
        *to = v.value();
    }
    const auto channel = wholeOr(a, "channel", s.channel, 0, 3);
    if (!channel) return channel.error();
    s.channel = channel.value();
    if (!text(a, "at").empty()) {
        const auto at = places(text(a, "at"));
        if (!at) return at.error();
        if (at.value().size() != 1) return refused("at is one place of the rest pose");
        s.place = at.value().front();
    }
    return s;
}

Result<Done> doAddMap(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto step = stepOf(a, "map");
    return step ? addMap(s, actor.value(), text(a, "name"), {step.value()}) : step.error();
}

Result<Done> doMapStep(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto step = stepOf(a, "other");
    return step ? addMapStep(s, actor.value(), text(a, "map"), step.value()) : step.error();
}

Result<Done> doRenameMap(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    return actor ? renameMap(s, actor.value(), text(a, "map"), text(a, "name")) : actor.error();
}

Result<Done> doRemoveMap(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    return actor ? removeMap(s, actor.value(), text(a, "map")) : actor.error();
}

constexpr Operation kPreparing[] = {
    {"rename-joint", "joint,name", "actor", "Another name for a joint, in the hand-off too; what refers to it follows.",
     doRenameJoint},
    {"name-joints", "", "actor", "Gives joints without a name, or with one that others have, names of their own.", doNameJoints},
    {"cut-first", "clip", "actor", "Marks a cut after the first frame of a clip, in every shot that plays it.", doCutFirst},
    {"leave", "finding,leave", "actor", "Leaves a finding of the check as it is (leave=yes), or looks at it again (no).",
     doLeave},
    {"stand-tall", "metres", "actor",
     "How tall the actor stands (m), for all that is physical; 0: as its file says. The file's units stay as they are.",
     doStandTall},
    {"tell-role", "joint", "actor,role",
     "What a joint is: head, tail, left leg, right leg, left arm, right arm, not of the body; no role: as it is found.",
     doTellRole},
    {"add-end", "joint,name", "actor,x,y,z", "A joint at the end of a chain, in the axes of the one it hangs on.", doAddEnd},
    {"add-helper", "name,x,y,z", "joint,actor,reach,both",
     "A joint at a place in the actor's rest pose, with the skin within its reach (heights); both=yes: on the other side too.",
     doAddHelper},
    {"add-chain", "name,through", "joint,actor,reach",
     "Joints through places of the rest pose (\"x y z\" each, joined by +), the last of which is the end, with the skin within "
     "reach.",
     doAddChain},
    {"fit-chain", "name,at,joints", "joint,actor",
     "So many joints through the piece of mesh at a place, from the end nearer to it.", doFitChain},
    {"move-pivot", "joint,to", "actor,keys",
     "Puts a joint at a place of the rest pose; its mesh stays. keys=keep: in clips too; keys=turn: it turns about the new "
     "place.",
     doMovePivot},
    {"hang-on", "joint,onto", "actor", "Hangs a joint that was made here on another one.", doHangOn},
    {"remove-joint", "joint", "actor", "Takes away a joint that was made here, or its chain.", doRemoveJoint},
    {"mirror-joint", "joint", "actor", "Makes a joint or chain that was made here on the other side too.", doMirrorJoint},
    {"unprepare", "step", "actor", "Takes one of the preparations away again, counted from 1, with what rests on it.",
     doUnprepare},
    {"lock-weights", "joints,lock", "actor", "Lets brushes leave the weights of joints as they are: lock=yes or no.",
     doLockWeights},
    {"add-map", "name,from", "actor,joints,below,low,high,channel,at,reach,map",
     "A map from weights, height, distance, curvature, colour, piece or another map.", doAddMap},
    {"map-step", "map,from", "actor,join,joints,below,low,high,channel,at,reach,other",
     "One more step of a map: what it is joined with, or invert, or blur.", doMapStep},
    {"rename-map", "map,name", "actor", "Another name for a map; what is made of it follows.", doRenameMap},
    {"remove-map", "map", "actor", "Takes a map away.", doRemoveMap},
};

}  // namespace

std::span<const Operation> prepareOperations() {
    return kPreparing;
}

}  // namespace nutatio::edit
