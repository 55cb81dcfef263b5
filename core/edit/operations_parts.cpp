// The operations on parts, on what is rigid, and on many things at once.
#include <cmath>

#include "edit/edit.h"
#include "edit/operation_arguments.h"

namespace nutatio::edit {

namespace {

Result<Done> doAddPart(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    return actor ? addPart(s, actor.value(), text(a, "name"), joined(text(a, "joints"))) : actor.error();
}

Result<Done> doAcceptParts(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    acceptParts(s, actor.value());
    return Done{};
}

Result<Done> doRenamePart(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    return actor ? renamePart(s, actor.value(), text(a, "part"), text(a, "name")) : actor.error();
}

Result<Done> doMergeParts(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    return actor ? mergeParts(s, actor.value(), joined(text(a, "parts"))) : actor.error();
}

Result<Done> doSplitPart(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    return actor ? splitPart(s, actor.value(), text(a, "part"), text(a, "joint"), text(a, "name")) : actor.error();
}

Result<Done> doColourPart(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto colour = wholeOr(a, "colour", 0);
    return colour ? colourPart(s, actor.value(), text(a, "part"), colour.value()) : colour.error();
}

Result<Done> doRemovePart(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    return actor ? removePart(s, actor.value(), text(a, "part")) : actor.error();
}

Result<Done> doRigid(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto rigid = yesOr(a, "rigid", true);
    return rigid ? markRigid(s, actor.value(), text(a, "part"), rigid.value()) : rigid.error();
}

Result<Done> doRelease(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    return actor ? release(s, actor.value(), text(a, "part"), text(a, "joint")) : actor.error();
}

Result<Done> doLetGo(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto beyond = number(text(a, "beyond"));
    if (!beyond || *beyond <= 0) return refused("beyond is a length above 0, in heights");
    rig::Preparation edit{rig::Preparation::What::Release, text(a, "joint"), {}, Vec3::Zero()};
    rig::MapStep far;
    far.from = rig::MapStep::From::Distance;
    far.joints = {text(a, "joint")};
    far.low = far.high = *beyond;
    edit.region = {far};
    return prepare(s, actor.value(), edit);
}

Result<Done> doApart(scene::Scene& s, const Arguments& a) {
    const auto v = number(text(a, "value"));
    if (!text(a, "value").empty() && !v) return refused("\"" + text(a, "value") + "\" is not a number");
    return setApart(s, text(a, "layer"), text(a, "joint"), text(a, "setting"), v);
}

Result<Done> doSplitLayer(scene::Scene& s, const Arguments& a) {
    const auto made = splitLayer(s, text(a, "layer"));
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doMergeLayers(scene::Scene& s, const Arguments& a) {
    return mergeLayers(s, joined(text(a, "layers")));
}

Result<Done> doCopySettings(scene::Scene& s, const Arguments& a) {
    const auto from = thing(s, text(a, "from"));
    if (!from) return from.error();
    std::vector<scene::Owner> to;
    for (const std::string& name : joined(text(a, "to"))) {
        const auto one = thing(s, name);
        if (!one) return one.error();
        to.push_back(one.value());
    }
    return copySettings(s, from.value(), to);
}

Result<Done> doAddLayerToAll(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    return addLayerTo(s, text(a, "kind"), actor.value(), suitedTo(s, text(a, "kind"), actor.value())).empty()
               ? Result<Done>(refused("nothing that no layer moves yet suits \"" + text(a, "kind") + "\""))
               : Result<Done>(Done{});
}

Result<Done> doMeet(scene::Scene& s, const Arguments& a) {
    const scene::Layer* l = std::as_const(s).layer(text(a, "layer"));
    if (!l) return refused("there is no layer \"" + text(a, "layer") + "\"");
    if (!passesOf(*l)) return refused("layer \"" + l->name + "\" meets no bodies");
    const std::vector<std::string> bodies = joined(text(a, "body"));
    for (const std::string& b : bodies) {
        const scene::ActorEntry* piece = std::as_const(s).actor(b);
        if (!std::as_const(s).collider(b) && !(piece && piece->isPiece())) return refused("there is no body \"" + b + "\"");
    }
    const auto minds = yesOr(a, "minds", true);
    if (!minds) return minds.error();
    meet(s, text(a, "layer"), bodies, minds.value());
    return Done{};
}

constexpr Operation kParting[] = {
    {"meet", "layer,body", "minds", "Lets a layer keep clear of bodies (ids with + between), or pass through them: minds=no.",
     doMeet},
    {"add-layer-to-all", "kind", "actor", "One layer on every part that suits its kind and that no layer moves yet.",
     doAddLayerToAll},
    {"set-apart", "layer,joint,setting", "value",
     "Sets one chain of a layer apart in a setting; without a value back with the rest.", doApart},
    {"split-layer", "layer", "", "The chains that a layer acts on become layers of their own.", doSplitLayer},
    {"merge-layers", "layers", "", "The first layer, joined by +, takes over what the others act on; what differs is set apart.",
     doMergeLayers},
    {"copy-settings", "from,to", "", "Gives other things, joined by +, what one is set to.", doCopySettings},
    {"add-part", "name,joints", "actor", "A named set of joints, joined by +.", doAddPart},
    {"accept-parts", "", "actor", "Makes parts of all that names and skeleton suggest.", doAcceptParts},
    {"rename-part", "part,name", "actor", "Another name for a part.", doRenamePart},
    {"merge-parts", "parts", "actor", "The joints of the others, joined by +, go to the first part.", doMergeParts},
    {"split-part", "part,joint,name", "actor", "What of a part hangs on a joint becomes a part of its own.", doSplitPart},
    {"colour-part", "part,colour", "actor", "A part's colour, 0 to 7.", doColourPart},
    {"remove-part", "part", "actor", "Forgets a part; its joints stay.", doRemovePart},
    {"mark-rigid", "part", "actor,rigid", "A part or a map's region that is not to be deformed: rigid=yes or no.", doRigid},
    {"let-go", "joint,beyond", "actor", "A joint lets go of all skin farther from it than so many heights.", doLetGo},
    {"release", "part,joint", "actor", "The skin of a part or of a map's region lets go of a joint.", doRelease},
};

}  // namespace

std::span<const Operation> partOperations() {
    return kParting;
}

}  // namespace nutatio::edit
