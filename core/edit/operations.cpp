#include "edit/operations.h"

#include <algorithm>
#include <charconv>

#include "base/arguments.h"
#include "edit/edit.h"
#include "layers/registry.h"
#include "rig/helper.h"

namespace nutatio::edit {

namespace {

Error wrong(std::string sentence) {
    return Error{"", "", std::move(sentence)};
}

const std::string& text(const Arguments& a, std::string_view key) {
    static const std::string kNone;
    const auto at = a.find(key);
    return at == a.end() ? kNone : at->second;
}

std::optional<double> number(const std::string& s) {
    double v = 0;
    const auto [end, bad] = std::from_chars(s.data(), s.data() + s.size(), v);
    if (bad != std::errc() || end != s.data() + s.size() || !std::isfinite(v)) return std::nullopt;
    return v;
}

/// "layers:tail", or an id alone that only one list has.
Result<scene::Owner> thing(const scene::Scene& s, const std::string& name) {
    std::vector<scene::Owner> found;
    for (const scene::List list : scene::kLists) {
        const std::string prefix = std::string(scene::listName(list)) + ":";
        if (name.rfind(prefix, 0) == 0) {
            const scene::Owner owner{list, name.substr(prefix.size())};
            if (s.tuned(owner)) return owner;
            return wrong("there is nothing called \"" + owner.id + "\" among the " + std::string(scene::listName(list)));
        }
        if (s.tuned({list, name})) found.push_back({list, name});
    }
    if (found.empty()) return wrong("the scene has nothing called \"" + name + "\"");
    if (found.size() > 1)
        return wrong("\"" + name + "\" stands in more than one list; say which, as in " +
                     std::string(scene::listName(found[0].list)) + ":" + name);
    return found.front();
}

Result<std::string> actorOf(const scene::Scene& s, const Arguments& a) {
    const std::string& id = text(a, "actor");
    if (id.empty() && s.actors.size() == 1) return s.actors.front().id;
    if (id.empty())
        return wrong(s.actors.empty() ? "the scene has no actor" : "the scene has several actors; say which one with actor=");
    if (!s.actor(id)) return wrong("there is no actor \"" + id + "\"");
    return id;
}

Result<int> frameOf(const Arguments& a) {
    const std::string& t = text(a, "frame");
    if (t.empty()) return 0;
    const auto v = number(t);
    if (!v || *v < 1 || *v != std::floor(*v)) return wrong("a frame is a whole number, counted from 1");
    return static_cast<int>(*v) - 1;
}

std::vector<std::string> parts(const std::string& joined) {
    std::vector<std::string> out;
    for (std::size_t from = 0; from <= joined.size();) {
        const std::size_t to = std::min(joined.find('+', from), joined.size());
        if (to > from) out.push_back(joined.substr(from, to - from));
        from = to + 1;
    }
    return out;
}

Result<Done> doAddLayer(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    if (!layers::findKind(text(a, "kind"))) return wrong("there is no layer kind \"" + text(a, "kind") + "\"");
    const std::vector<std::string> joints = parts(text(a, "joints"));
    for (const std::string& j : joints)
        if (s.actor(actor.value())->actor->skeleton.find(j) == rig::kNoJoint) return wrong("there is no joint \"" + j + "\"");
    const std::string id = addLayer(s, text(a, "kind"), actor.value(), joints);
    if (id.empty()) return wrong("it has no joint");
    if (!text(a, "name").empty()) rename(s, {scene::List::Layers, id}, text(a, "name"));
    return Done{};
}

Result<Done> doSet(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    const auto frame = frameOf(a);
    if (!frame) return frame.error();
    const scene::SettingSpec* row = findRow(layers::tableOf(s, owner.value()), text(a, "setting"));
    if (!row) return wrong("\"" + owner.value().id + "\" has no setting \"" + text(a, "setting") + "\"");
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
    if (!row || !row->keyable) return wrong("\"" + text(a, "setting") + "\" of \"" + owner.value().id + "\" cannot have keys");
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
    const auto by = number(text(a, "by"));
    if (!by || *by != std::floor(*by)) return wrong("by is a whole number of places, below 0 for down");
    if (!std::as_const(s).layer(text(a, "layer"))) return wrong("there is no layer \"" + text(a, "layer") + "\"");
    moveLayer(s, text(a, "layer"), static_cast<int>(*by));
    return Done{};
}

Result<Done> doAddCollider(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    scene::Shape shape = scene::Shape::Sphere;
    if (!scene::shapeFromName(text(a, "shape"), shape)) return wrong("\"" + text(a, "shape") + "\" is no collider shape");
    if (addCollider(s, actor.value(), text(a, "joint"), shape).empty())
        return wrong("there is no joint \"" + text(a, "joint") + "\"");
    return Done{};
}

Result<Done> doAddPiece(scene::Scene& s, const Arguments& a) {
    if (addPiece(s, text(a, "form")).empty()) return wrong("\"" + text(a, "form") + "\" is no form of a set piece");
    return Done{};
}

Result<Done> doFitColliders(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    fitColliders(s, actor.value());
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
    if (joint == rig::kNoJoint) return wrong("there is no joint \"" + text(a, "joint") + "\"");
    std::vector<Affine> worlds;
    rig::worldTransforms(entry.actor->skeleton, scene::stand(s, s.shot(), entry), worlds);
    addPin(s, actor.value(), joint, worlds);
    return Done{};
}

Result<Done> doSwitch(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    if (text(a, "on") != "yes" && text(a, "on") != "no") return wrong("on is yes or no");
    turnOn(s, owner.value(), text(a, "on") == "yes");
    return Done{};
}

Result<Done> doCut(scene::Scene& s, const Arguments& a) {
    const auto frame = frameOf(a);
    if (!frame) return frame.error();
    if (frame.value() < 1 || frame.value() >= s.frames(s.shot()))
        return wrong("a cut stands at a frame after the first, within the shot");
    markCut(s, frame.value());
    return Done{};
}

Result<Done> doShow(scene::Scene& s, const Arguments& a) {
    if (!s.findShot(text(a, "shot"))) return wrong("there is no shot \"" + text(a, "shot") + "\"");
    showShot(s, text(a, "shot"));
    return Done{};
}

Result<Done> doRate(scene::Scene& s, const Arguments& a) {
    const auto fps = number(text(a, "fps"));
    if (!fps || *fps < 1 || *fps > 1000) return wrong("the frame rate must lie between 1 and 1000");
    setRate(s, *fps);
    return Done{};
}

Result<Done> doRenameJoint(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    return prepare(s, actor.value(), {rig::Preparation::What::Rename, text(a, "joint"), text(a, "name"), Vec3::Zero()});
}

/// "x y z" for each place, joined by "+".
Result<std::vector<Vec3>> places(const std::string& joined) {
    std::vector<Vec3> out;
    for (const std::string& p : parts(joined)) {
        Vec3 v = Vec3::Zero();
        std::size_t from = 0;
        for (int k = 0; k < 3; ++k) {
            const std::size_t to = std::min(p.find(' ', from), p.size());
            const auto n = from < p.size() ? number(p.substr(from, to - from)) : std::nullopt;
            if (!n || (k == 2) != (to == p.size()))
                return wrong("\"" + p + "\" is not a place: three numbers with spaces between");
            v[k] = *n;
            from = to + 1;
        }
        out.push_back(v);
    }
    return out;
}

Result<Done> doAddChain(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto row = places(text(a, "through"));
    if (!row) return row.error();
    const auto reach = text(a, "reach").empty() ? 0.0 : number(text(a, "reach"));
    if (!reach) return wrong("\"" + text(a, "reach") + "\" is not a number");
    const auto made = addChain(s, actor.value(), text(a, "joint"), text(a, "name"), row.value(), *reach);
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doFitChain(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto at = places(text(a, "at"));
    if (!at) return at.error();
    const auto joints = number(text(a, "joints"));
    if (!joints || *joints < 2 || *joints > 64 || *joints != std::floor(*joints)) return wrong("a chain has 2 to 64 joints");
    if (at.value().size() != 1) return wrong("at is one place on the piece, near the end where the chain begins");
    const rig::Surface surface = rig::Surface::of(*std::as_const(s).actor(actor.value())->actor);
    if (surface.places.empty()) return wrong("the actor has no mesh");
    const auto row = rig::rowThrough(surface, surface.nearest(at.value().front()), static_cast<int>(*joints));
    const auto made = addChain(s, actor.value(), text(a, "joint"), text(a, "name"), row, 0);
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doMovePivot(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto to = places(text(a, "to"));
    if (!to) return to.error();
    if (to.value().size() != 1) return wrong("to is one place of the rest pose");
    if (!text(a, "keys").empty() && text(a, "keys") != "keep" && text(a, "keys") != "turn") return wrong("keys is keep or turn");
    return movePivot(s, actor.value(), text(a, "joint"), to.value().front(), text(a, "keys") != "turn");
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
    if (!step || *step < 1 || *step != std::floor(*step)) return wrong("a step is a whole number, counted from 1");
    return unprepare(s, actor.value(), static_cast<std::size_t>(*step) - 1);
}

Result<Done> doLock(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    if (text(a, "lock") != "yes" && text(a, "lock") != "no") return wrong("lock is yes or no");
    for (const std::string& j : parts(text(a, "joints")))
        if (std::as_const(s).actor(actor.value())->actor->skeleton.find(j) == rig::kNoJoint)
            return wrong("there is no joint \"" + j + "\"");
    lockWeights(s, actor.value(), parts(text(a, "joints")), text(a, "lock") == "yes");
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
    if (played.findClip(text(a, "clip")) < 0) return wrong("the actor has no clip \"" + text(a, "clip") + "\"");
    cutFirst(s, actor.value(), text(a, "clip"));
    return Done{};
}

Result<Done> doLeave(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    if (text(a, "leave") != "yes" && text(a, "leave") != "no") return wrong("leave is yes or no");
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
        if (!v) return wrong("\"" + t + "\" is not a number");
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
        if (!v) return wrong("\"" + text(a, key) + "\" is not a number");
        *to = *v;
    }
    if (text(a, "both") != "" && text(a, "both") != "yes" && text(a, "both") != "no") return wrong("both is yes or no");
    const auto made = addHelper(s, actor.value(), text(a, "joint"), text(a, "name"), place, reach, text(a, "both") == "yes");
    return made ? Result<Done>(Done{}) : made.error();
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
    {"rename-joint", "joint,name", "actor", "Another name for a joint, in the hand-off too; what refers to it follows.",
     doRenameJoint},
    {"name-joints", "", "actor", "Gives joints without a name, or with one that others have, names of their own.", doNameJoints},
    {"cut-first", "clip", "actor", "Marks a cut after the first frame of a clip, in every shot that plays it.", doCutFirst},
    {"leave", "finding,leave", "actor", "Leaves a finding of the check as it is (leave=yes), or looks at it again (no).",
     doLeave},
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
    {"lock-weights", "joints,lock", "actor", "Lets brushes leave the weights of joints as they are: lock=yes or no.", doLock},
    {"move-layer", "layer,by", "", "Up the stack by so many places, below 0 down.", doMoveLayer},
    {"add-collider", "joint,shape", "actor", "A collider on a joint.", doAddCollider},
    {"add-piece", "form", "", "A set piece: floor, block, bar, ball, ramp or steps.", doAddPiece},
    {"fit-colliders", "", "actor", "Colliders fitted to the mesh.", doFitColliders},
    {"add-wind", "", "actor", "A wind beside an actor.", doAddWind},
    {"add-pin", "joint", "actor", "Holds a joint where the shot on show begins.", doAddPin},
    {"switch", "thing,on", "", "A collider, wind or pin on or off, an actor shown or hidden: on=yes or on=no.", doSwitch},
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
    return kOperations;
}

Result<Done> carryOut(scene::Scene& scene, const std::string& what) {
    const std::size_t colon = std::min(what.find(':'), what.size());
    const auto op = std::find_if(std::begin(kOperations), std::end(kOperations),
                                 [&](const Operation& o) { return o.name == std::string_view(what).substr(0, colon); });
    const auto refused = [&](const std::string& why) { return Error{"", what, why}; };
    if (op == std::end(kOperations)) return refused("there is no operation \"" + what.substr(0, colon) + "\"");
    const std::vector<std::string_view> wants = listed(op->wants), takes = listed(op->takes);
    Arguments arguments;
    for (const std::string& pair :
         argumentsIn(colon < what.size() ? std::string_view(what).substr(colon + 1) : std::string_view())) {
        const std::size_t equals = pair.find('=');
        if (equals == std::string::npos) return refused("\"" + pair + "\" is not of the form key=value");
        const std::string key = pair.substr(0, equals);
        if (std::find(wants.begin(), wants.end(), key) == wants.end() &&
            std::find(takes.begin(), takes.end(), key) == takes.end())
            return refused("it takes no \"" + key + "\"");
        if (!arguments.emplace(key, pair.substr(equals + 1)).second) return refused("\"" + key + "\" is given twice");
    }
    for (std::string_view w : wants)
        if (arguments.count(w) == 0) return refused("it wants " + std::string(w) + "=");
    scene::Scene changed = scene;
    if (const auto done = op->apply(changed, arguments); !done) return refused(done.error().sentence);
    scene = std::move(changed);
    return Done{};
}

}  // namespace nutatio::edit
