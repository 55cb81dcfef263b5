// Operations on what is set by hand.
#include "edit/channels.h"
#include "edit/edit.h"
#include "edit/operation_arguments.h"
#include "layers/registry.h"

namespace nutatio::edit {

namespace {

Result<Done> doTouch(scene::Scene& s, const Arguments& a) {
    return touch(s, text(a, "layer"), joined(text(a, "joints")));
}

Result<Done> doUntouch(scene::Scene& s, const Arguments& a) {
    const scene::Layer* layer = std::as_const(s).layer(text(a, "layer"));
    if (!layer || !isPosed(*layer)) return refused("\"" + text(a, "layer") + "\" is no layer that is posed by hand");
    untouch(s, layer->id, joined(text(a, "joints")));
    return Done{};
}

/// "turn_x>12+turn_y>3": channels of one joint and their values.
Result<Done> doPose(scene::Scene& s, const Arguments& a) {
    const auto frame = frameOf(a);
    if (!frame) return frame.error();
    const auto key = yesOr(a, "key", false);
    if (!key) return key.error();
    const scene::Layer* layer = std::as_const(s).layer(text(a, "layer"));
    const layers::LayerKind* kind = layer && isPosed(*layer) ? layers::findKind(layer->kind) : nullptr;
    if (!kind) return refused("\"" + text(a, "layer") + "\" is no layer that is posed by hand");
    std::vector<std::pair<std::string, double>> values;
    bool ofJoint = false;
    for (const std::string& one : joined(text(a, "values"))) {
        const std::size_t to = one.find('>');
        const auto value = to == std::string::npos ? std::nullopt : number(one.substr(to + 1));
        const std::string id = scene::channelId(one.substr(0, to), text(a, "of"));
        const scene::SettingSpec* row = kind->setting(id);
        if (!value || !row) return refused("\"" + one + "\" is no channel, \">\" and a value");
        ofJoint |= row->each == scene::Each::Joint;
        values.emplace_back(id, *value);
    }
    const std::string id = layer->id;
    if (ofJoint)
        if (const auto made = touch(s, id, {text(a, "of")}); !made) return made;
    pose(s, id, values, frame.value(), key.value());
    return Done{};
}

Result<Done> doRestKeys(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    const auto frame = frameOf(a);
    if (!frame) return frame.error();
    return restKeys(s, owner.value(), text(a, "setting"), frame.value());
}

Result<Done> doWakeKeys(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    return wakeKeys(s, owner.value(), text(a, "setting"));
}

Result<Done> doRepeatHalf(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    const scene::KeysOf* all = s.shot().keysOf(owner.value());
    std::vector<KeyOf> keys;
    if (all)
        for (const auto& [id, its] : *all)
            if (!scene::isResting(id) && (text(a, "setting").empty() || text(a, "setting") == id))
                for (const scene::KeyAt& k : its) keys.push_back({owner.value(), id, k.at});
    const auto made = repeatHalf(s, keys);
    return made ? Result<Done>(Done{}) : Result<Done>(made.error());
}

Result<Done> doIntoHand(scene::Scene& s, const Arguments& a) {
    HandTolerance tolerance;
    const auto angle = numberOr(a, "angle", tolerance.angleDeg), share = numberOr(a, "height_share", tolerance.heightShare);
    if (!angle) return angle.error();
    if (!share) return share.error();
    if (angle.value() <= 0 || share.value() <= 0) return refused("a tolerance is above 0");
    tolerance = {angle.value(), share.value()};
    pipeline::Evaluator evaluator;
    const auto made = intoHand(s, joined(text(a, "layers")), tolerance, evaluator, {});
    return made ? Result<Done>(Done{}) : Result<Done>(made.error());
}

constexpr Operation kHandOperations[] = {
    {"touch", "layer,joints", "", "A layer that is posed by hand acts on further joints, joined by +.", doTouch},
    {"untouch", "layer,joints", "", "Joints of it are left as they are below: their channels go.", doUntouch},
    {"pose", "layer,of,values", "frame,key",
     "Channels of one joint or morph target, values=turn_x>12+move_y>0.1; key=yes keys them at the frame.", doPose},
    {"rest-keys", "thing,setting,frame", "", "The keys of a setting rest and it holds the value of a frame.", doRestKeys},
    {"wake-keys", "thing,setting", "", "Keys that rest count again.", doWakeKeys},
    {"repeat-half", "thing", "setting", "Keys are repeated half of the shot later, on the other side, sideways reversed.",
     doRepeatHalf},
    {"into-hand", "layers", "angle,height_share", "Layers become one that is posed by hand, with as few keys as do.", doIntoHand},
};

}  // namespace

std::span<const Operation> handOperations() {
    return kHandOperations;
}

}  // namespace nutatio::edit
