#include "edit/operations.h"

#include <algorithm>
#include <cctype>
#include <set>

#include "base/arguments.h"
#include "edit/edit.h"
#include "edit/gate.h"
#include "edit/mounts.h"
#include "edit/operation_arguments.h"
#include "layers/registry.h"

namespace nutatio::edit {

namespace {

Result<Done> doAddLayer(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    if (!layers::findKind(text(a, "kind"))) return refused("there is no layer kind \"" + text(a, "kind") + "\"");
    const std::vector<std::string> joints = joined(text(a, "joints"));
    for (const std::string& j : joints)
        if (s.actor(actor.value())->actor->skeleton.find(j) == rig::kNoJoint) return refused("there is no joint \"" + j + "\"");
    const std::string id = addLayer(s, text(a, "kind"), actor.value(), joints);
    if (id.empty()) return refused("it has no joint");
    if (!text(a, "name").empty()) rename(s, {scene::List::Layers, id}, text(a, "name"));
    return Done{};
}

Result<Done> doSet(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    const auto frame = frameOf(a);
    if (!frame) return frame.error();
    const scene::SettingSpec* row = findRow(layers::tableOf(s, owner.value()), text(a, "setting"));
    if (!row) return refused("\"" + owner.value().id + "\" has no setting \"" + text(a, "setting") + "\"");
    static const rig::Actor kNobody;
    const scene::Layer* layer = owner.value().list == scene::List::Layers ? std::as_const(s).layer(owner.value().id) : nullptr;
    const scene::ActorEntry* actor = layer ? std::as_const(s).actor(layer->actor) : nullptr;
    auto value = layers::parseValue(*row, text(a, "value"), actor ? *actor->actor : kNobody);
    if (!value) return value.error();
    set(s, owner.value(), row->id, value.value(), frame.value());
    return Done{};
}

Result<Done> doKey(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    const auto frame = frameOf(a);
    if (!frame) return frame.error();
    const scene::SettingSpec* row = findRow(layers::tableOf(s, owner.value()), text(a, "setting"));
    if (!row || !row->keyable) return refused("\"" + text(a, "setting") + "\" of \"" + owner.value().id + "\" cannot have keys");
    toggleKey(s, owner.value(), row->id, frame.value());
    return text(a, "value").empty() ? Result<Done>(Done{}) : doSet(s, a);
}

template <void (*Change)(scene::Scene&, const scene::Owner&)>
Result<Done> onThing(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    Change(s, owner.value());
    return Done{};
}

Result<Done> doRename(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    rename(s, owner.value(), text(a, "name"));
    return Done{};
}

Result<Done> doMoveLayer(scene::Scene& s, const Arguments& a) {
    const auto by = wholeOr(a, "by", 0);
    return by ? moveLayer(s, text(a, "layer"), by.value()) : by.error();
}

Result<Done> doAddCollider(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    scene::Shape shape = scene::Shape::Sphere;
    if (!scene::shapeFromName(text(a, "shape"), shape)) return refused("\"" + text(a, "shape") + "\" is no collider shape");
    if (addCollider(s, actor.value(), text(a, "joint"), shape).empty())
        return refused("there is no joint \"" + text(a, "joint") + "\"");
    return Done{};
}

Result<Done> doMount(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    const auto actor = actorOf(s, a);
    return actor ? mountOn(s, owner.value(), actor.value(), text(a, "to")) : actor.error();
}

Result<Done> doAddPiece(scene::Scene& s, const Arguments& a) {
    if (addPiece(s, text(a, "form")).empty()) return refused("\"" + text(a, "form") + "\" is no form of a set piece");
    return Done{};
}

Result<Done> doFitColliders(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    std::vector<std::string> joints = joined(text(a, "joints"));
    if (const std::string& part = text(a, "part"); !part.empty()) {
        const auto& parts = std::as_const(s).actor(actor.value())->parts;
        const auto at = std::find_if(parts.begin(), parts.end(), [&](const scene::Part& p) { return p.name == part; });
        if (at == parts.end()) return refused("there is no part \"" + part + "\"");
        joints.insert(joints.end(), at->joints.begin(), at->joints.end());
    }
    const rig::Skeleton& skeleton = std::as_const(s).actor(actor.value())->actor->skeleton;
    for (const std::string& j : joints)
        if (skeleton.find(j) == rig::kNoJoint) return refused("there is no joint \"" + j + "\"");
    fitColliders(s, actor.value(), joints);
    return Done{};
}

Result<Done> doAddWind(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    addWind(s, actor.value());
    return Done{};
}

Result<Done> doAddPin(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const scene::ActorEntry& entry = *std::as_const(s).actor(actor.value());
    const int joint = entry.actor->skeleton.find(text(a, "joint"));
    if (joint == rig::kNoJoint) return refused("there is no joint \"" + text(a, "joint") + "\"");
    std::vector<Affine> worlds;
    rig::worldTransforms(entry.actor->skeleton, scene::stand(s, s.shot(), entry), worlds);
    addPin(s, actor.value(), joint, worlds);
    return Done{};
}

Result<Done> doSwitch(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    if (text(a, "on") != "yes" && text(a, "on") != "no") return refused("on is yes or no");
    turnOn(s, owner.value(), text(a, "on") == "yes");
    return Done{};
}

Result<Done> doHide(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    const auto yes = yesOr(a, "yes", true);
    if (!owner) return owner.error();
    if (!yes) return yes.error();
    if (owner.value().list == scene::List::Layers) return refused("a layer is not seen: mute it");
    hide(s, owner.value(), yes.value());
    return Done{};
}

Result<Done> doLock(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    const auto yes = yesOr(a, "yes", true);
    if (!owner) return owner.error();
    if (!yes) return yes.error();
    lock(s, owner.value(), yes.value());
    return Done{};
}

Result<Done> doActHere(scene::Scene& s, const Arguments& a) {
    const auto alone = yesOr(a, "alone", true);
    if (!alone) return alone.error();
    if (!std::as_const(s).layer(text(a, "layer"))) return refused("there is no layer \"" + text(a, "layer") + "\"");
    if (s.shots.empty()) return refused("the scene has no shot");
    actHere(s, text(a, "layer"), alone.value());
    return Done{};
}

Result<Done> doCut(scene::Scene& s, const Arguments& a) {
    const auto frame = frameOf(a);
    if (!frame) return frame.error();
    if (frame.value() < 1 || frame.value() >= s.frames(s.shot()))
        return refused("a cut stands at a frame after the first, within the shot");
    markCut(s, frame.value());
    return Done{};
}

Result<Done> doShow(scene::Scene& s, const Arguments& a) {
    if (!s.findShot(text(a, "shot"))) return refused("there is no shot \"" + text(a, "shot") + "\"");
    showShot(s, text(a, "shot"));
    return Done{};
}

Result<Done> doRate(scene::Scene& s, const Arguments& a) {
    const auto fps = number(text(a, "fps"));
    if (!fps || *fps < 1 || *fps > 1000) return refused("the frame rate must lie between 1 and 1000");
    setRate(s, *fps);
    return Done{};
}

void duplicateThing(scene::Scene& s, const scene::Owner& owner) {
    duplicate(s, owner);
}

Result<Done> doMirror(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    const auto made = mirror(s, owner.value());
    return made ? Result<Done>(Done{}) : made.error();
}

constexpr Operation kOperations[] = {
    {"add-layer", "kind,joints", "actor,name", "A layer on joints, joined by +; a chain hangs from the topmost.", doAddLayer},
    {"set", "thing,setting,value", "frame", "A value; a key at the frame where the setting has keys in the shot on show.", doSet},
    {"key", "thing,setting,frame", "value", "A key at a frame of the shot on show, or none where there was one.", doKey},
    {"remove", "thing", "", "Takes it away with all that refers to it.", onThing<remove>},
    {"duplicate", "thing", "", "A copy with its keys.", onThing<duplicateThing>},
    {"mirror", "thing", "", "Puts a layer, collider or pin on the other side of the body too.", doMirror},
    {"rename", "thing,name", "", "Another name; the id stays.", doRename},
    {"move-layer", "layer,by", "", "Up the stack by so many places, below 0 down.", doMoveLayer},
    {"add-collider", "joint,shape", "actor", "A collider on a joint.", doAddCollider},
    {"mount", "thing", "to,actor",
     "Fixes a collider, a pin's end or a gauge: to=head, to=pole@jetty, to=head at 0.1 1.2 0.3 (a spot of the surface, in the "
     "rest "
     "pose), to=head unturned (without its turn); without it the world.",
     doMount},
    {"add-piece", "form", "", "A set piece: floor, block, bar, ball, ramp or steps.", doAddPiece},
    {"fit-colliders", "", "actor,part,joints", "Colliders fitted to the mesh: of the body, or of a part or joints alone.",
     doFitColliders},
    {"add-wind", "", "actor", "A wind beside an actor.", doAddWind},
    {"add-pin", "joint", "actor", "Holds a joint where the shot on show begins.", doAddPin},
    {"switch", "thing,on", "", "A collider, wind or pin on or off, an actor shown or hidden: on=yes or on=no.", doSwitch},
    {"hide", "thing", "yes", "Puts a thing out of sight, or shows it again: yes=no. It does what it does.", doHide},
    {"lock", "thing", "yes", "Locks a thing against accidents, or lets it be changed again: yes=no.", doLock},
    {"act-here", "layer", "alone", "Lets a layer act in the shot on show alone, or in all: alone=no.", doActHere},
    {"cut", "frame", "", "Marks a cut in the shot on show, or takes it away.", doCut},
    {"show", "shot", "", "Shows a shot, by id or name.", doShow},
    {"rate", "fps", "", "The rate of every shot; keys stay where they are in seconds.", doRate},
};

std::vector<std::string_view> listed(std::string_view joined) {
    std::vector<std::string_view> out;
    for (std::size_t from = 0; from < joined.size();) {
        const std::size_t to = std::min(joined.find(',', from), joined.size());
        out.push_back(joined.substr(from, to - from));
        from = to + 1;
    }
    return out;
}

}  // namespace

std::span<const Operation> operations() {
    static const std::vector<Operation> kAll = [] {
        std::vector<Operation> all(std::begin(kOperations), std::end(kOperations));
        for (const auto& more : {timeOperations(), handOperations(), takeOperations(), lineOperations(), prepareOperations(),
                                 partOperations(), bringOperations()})
            all.insert(all.end(), more.begin(), more.end());
        return all;
    }();
    return kAll;
}

namespace {

/// What stands in a scene, by list and id.
std::set<std::pair<std::string, std::string>> standingIn(const scene::Scene& s) {
    std::set<std::pair<std::string, std::string>> out;
    eachThing(s, [&](const scene::Owner& owner, const std::string&) { out.emplace(scene::listName(owner.list), owner.id); });
    for (const scene::Shot& shot : s.shots) out.emplace("shots", shot.id);
    for (const scene::Take& t : s.takes) out.emplace("takes", t.id);
    for (const scene::ActorEntry& a : s.actors) {
        for (int j = 0; j < a.actor->skeleton.size(); ++j)
            if (a.actor->skeleton.joint(j).made) out.emplace("joints", a.actor->skeleton.reference(j));
        for (const rig::Clip& c : a.actor->clips)
            if (c.recorded) out.emplace("clips", c.name);
        for (const scene::Part& p : a.parts) out.emplace("parts", p.name);
        for (const rig::Map& m : a.maps) out.emplace("maps", m.name);
    }
    return out;
}

bool isId(const std::string& id) {
    return !id.empty() &&
           std::all_of(id.begin(), id.end(), [](unsigned char c) { return std::isalnum(c) || c == '_' || c == '-'; });
}

}  // namespace

Result<std::vector<Made>> carryOut(scene::Scene& scene, const std::string& what) {
    const std::size_t colon = std::min(what.find(':'), what.size());
    const auto all = operations();
    const auto op = std::find_if(all.begin(), all.end(),
                                 [&](const Operation& o) { return o.name == std::string_view(what).substr(0, colon); });
    const auto refused = [&](const std::string& why) { return Error{"", what, why}; };
    if (op == all.end()) return refused("there is no operation \"" + what.substr(0, colon) + "\"");
    const std::vector<std::string_view> wants = listed(op->wants), takes = listed(op->takes);
    Arguments arguments;
    for (const std::string& pair :
         argumentsIn(colon < what.size() ? std::string_view(what).substr(colon + 1) : std::string_view())) {
        const std::size_t equals = pair.find('=');
        if (equals == std::string::npos) return refused("\"" + pair + "\" is not of the form key=value");
        const std::string key = pair.substr(0, equals);
        if (std::find(wants.begin(), wants.end(), key) == wants.end() &&
            std::find(takes.begin(), takes.end(), key) == takes.end() && key != "id")
            return refused("it takes no \"" + key + "\"");
        if (!arguments.emplace(key, pair.substr(equals + 1)).second) return refused("\"" + key + "\" is given twice");
    }
    for (std::string_view w : wants)
        if (arguments.count(w) == 0) return refused("it wants " + std::string(w) + "=");
    const std::string id = text(arguments, "id");
    const auto before = standingIn(scene);
    if (arguments.count("id") > 0 && !isId(id)) return refused("an id is made of letters, figures, - and _");
    if (std::any_of(before.begin(), before.end(), [&](const auto& t) { return t.second == id; }))
        return refused("the id \"" + id + "\" is taken");
    scene::Scene changed = scene;
    changed.wantedId = id;
    if (const auto done = op->apply(changed, arguments); !done) return refused(done.error().sentence);
    if (const auto why = whyNot(scene, changed)) return refused(*why);
    changed.wantedId.clear();
    std::vector<Made> made;
    for (const auto& [list, its] : standingIn(changed))
        if (before.count({list, its}) == 0) made.push_back({list, its});
    if (!id.empty() && std::none_of(made.begin(), made.end(), [&](const Made& m) { return m.id == id; }))
        return refused("it makes nothing that could have the id \"" + id + "\"");
    scene = std::move(changed);
    return made;
}

}  // namespace nutatio::edit
