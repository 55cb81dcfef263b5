// Operations on what changes within a shot: gauges, feeds, keys, intervals and marks.
#include <algorithm>
#include <cmath>

#include "edit/edit.h"
#include "edit/gauges.h"
#include "edit/keys.h"
#include "edit/operation_arguments.h"
#include "layers/registry.h"
#include "scene/items.h"

namespace nutatio::edit {

namespace {

Result<Done> doAddGauge(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    if (std::as_const(s).actor(actor.value())->actor->skeleton.find(text(a, "joint")) == rig::kNoJoint)
        return refused("there is no joint \"" + text(a, "joint") + "\"");
    const std::string id = addGauge(s, actor.value(), text(a, "joint"), text(a, "measure"));
    if (id.empty()) return refused("there is no gauge that measures \"" + text(a, "measure") + "\"");
    if (!text(a, "name").empty()) rename(s, {scene::List::Gauges, id}, text(a, "name"));
    return Done{};
}

Result<Done> doGaugeTo(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    return measureTo(s, text(a, "gauge"), actor.value(), text(a, "joint"));
}

Result<Done> doGaugeAfter(scene::Scene& s, const Arguments& a) {
    return readAfter(s, text(a, "gauge"), text(a, "layer"));
}

Result<Done> doGaugeOver(scene::Scene& s, const Arguments& a) {
    if (!std::as_const(s).gauge(text(a, "gauge"))) return refused("there is no gauge \"" + text(a, "gauge") + "\"");
    const std::vector<std::string> over = joined(text(a, "colliders"));
    for (const std::string& id : over)
        if (!std::as_const(s).collider(id)) return refused("there is no collider \"" + id + "\"");
    s.gauge(text(a, "gauge"))->over = over;
    return Done{};
}

/// "0>1+2>3": from readings to values, joined by "+".
Result<scene::Keys> responseIn(const std::string& all) {
    scene::Keys out;
    for (const std::string& point : joined(all)) {
        const std::size_t to = point.find('>');
        const auto at = number(point.substr(0, to)),
                   value = to == std::string::npos ? std::nullopt : number(point.substr(to + 1));
        if (!at || !value) return refused("\"" + point + "\" is no point of a response: a reading, \">\" and a value");
        if (!out.empty() && *at <= out.back().at) return refused("a response's points stand in the order of readings");
        out.push_back({.at = *at, .value = *value, .ease = scene::Ease::Linear});
    }
    if (out.empty()) return refused("a response has one point at least");
    return out;
}

Result<Done> doFeed(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    scene::Feed f;
    f.gauge = text(a, "gauge");
    const auto response = responseIn(text(a, "response"));
    if (!response) return response.error();
    f.response = response.value();
    const auto straight = yesOr(a, "straight", false);
    if (!straight) return straight.error();
    f.straight = straight.value();
    const double fps = s.shot().fps;
    const std::tuple<const char*, double*, double> numbers[] = {{"times", &f.times, 1},         {"low", &f.low, 1},
                                                                {"high", &f.high, 1},           {"lag", &f.lag, 1 / fps},
                                                                {"attack", &f.attack, 1 / fps}, {"release", &f.release, 1 / fps}};
    for (const auto& [key, into, unit] : numbers) {
        if (text(a, key).empty()) continue;
        const auto v = numberOr(a, key, 0);
        if (!v) return v.error();
        *into = unit * v.value();
    }
    if (f.attack < 0 || f.release < 0) return refused("attack and release are frames, 0 or more");
    return feed(s, owner.value(), text(a, "setting"), f);
}

Result<Done> doUnfeed(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    unfeed(s, owner.value(), text(a, "setting"));
    return Done{};
}

Result<Done> doEase(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    const auto frame = frameOf(a);
    if (!frame) return frame.error();
    scene::Ease ease = scene::Ease::Smooth;
    if (!scene::easeFromName(text(a, "ease"), ease)) return refused("ease is smooth, linear, hold or free");
    const scene::Keys* keys = s.shot().keysOf(owner.value(), text(a, "setting"));
    const double at = s.shot().timeOf(frame.value());
    if (!keys || scene::keyAt(*keys, at) == keys->end()) return refused("there is no key at that frame");
    easeKeys(s, {{owner.value(), text(a, "setting"), at}}, ease);
    return Done{};
}

Result<Done> doCloseKeys(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    if (!s.shot().keysOf(owner.value(), text(a, "setting"))) return refused("it has no keys in the shot on show");
    closeKeys(s, owner.value(), text(a, "setting"));
    return Done{};
}

Result<Done> doHoldOver(scene::Scene& s, const Arguments& a) {
    const auto owner = thing(s, text(a, "thing"));
    if (!owner) return owner.error();
    const scene::SettingSpec* row = findRow(layers::tableOf(s, owner.value()), text(a, "setting"));
    if (!row || !row->keyable) return refused("\"" + text(a, "setting") + "\" cannot have keys");
    const auto from = frameOf(a, "from"), to = frameOf(a, "to");
    if (!from) return from.error();
    if (!to) return to.error();
    const auto value = number(text(a, "value"));
    if (!value) return refused("\"" + text(a, "value") + "\" is not a number");
    holdOver(s, owner.value(), text(a, "setting"), from.value(), to.value(), *value);
    return Done{};
}

Result<Done> doInterval(scene::Scene& s, const Arguments& a) {
    const auto from = frameOf(a, "from"), to = frameOf(a, "to");
    if (!from) return from.error();
    if (!to) return to.error();
    const auto in = numberOr(a, "in", 0), out = numberOr(a, "out", 0);
    if (!in) return in.error();
    if (!out) return out.error();
    if (in.value() < 0 || out.value() < 0) return refused("in and out are frames, 0 or more");
    const double fps = s.shot().fps;
    return addInterval(s, text(a, "layer"), from.value(), to.value(), in.value() / fps, out.value() / fps) < 0
               ? Result<Done>(refused("there is no layer \"" + text(a, "layer") + "\""))
               : Result<Done>(Done{});
}

Result<Done> doNoIntervals(scene::Scene& s, const Arguments& a) {
    if (!std::as_const(s).layer(text(a, "layer"))) return refused("there is no layer \"" + text(a, "layer") + "\"");
    if (s.shot().intervals.count(text(a, "layer")) > 0) s.editShot().intervals.erase(text(a, "layer"));
    return Done{};
}

Result<Done> doMark(scene::Scene& s, const Arguments& a) {
    const auto frame = frameOf(a, "frame");
    if (!frame) return frame.error();
    mark(s, frame.value(), text(a, "name"));
    return Done{};
}

Result<Done> doLoop(scene::Scene& s, const Arguments& a) {
    scene::Loop loop = scene::Loop::Found;
    if (!scene::loopFromName(text(a, "way"), loop)) return refused("way is found, closed or once");
    s.editShot().loop = loop;
    return Done{};
}

constexpr Operation kTimeOperations[] = {
    {"loop", "way", "", "How the shot on show loops: found, closed or once.", doLoop},
    {"add-gauge", "joint", "actor,measure,name", "A gauge on a joint: speed, travel, turning and so on.", doAddGauge},
    {"gauge-to", "gauge,joint", "actor", "The other joint that a gauge measures to or is seen from.", doGaugeTo},
    {"gauge-after", "gauge", "layer", "The layer whose result a gauge reads; none: the body.", doGaugeAfter},
    {"gauge-over", "gauge", "colliders", "What heights and contacts are taken over, joined by +; none: the floor.", doGaugeOver},
    {"feed", "thing,setting,gauge,response", "straight,times,low,high,lag,attack,release",
     "A setting follows a gauge; response=0>1+2>3 goes from readings to values, lag, attack and release are frames.", doFeed},
    {"unfeed", "thing,setting", "", "It goes by its keys or its plain value again.", doUnfeed},
    {"ease", "thing,setting,frame,ease", "", "How the curve goes on from a key: smooth, linear, hold or free.", doEase},
    {"close-keys", "thing,setting", "", "The last frame gets the value of the first.", doCloseKeys},
    {"hold-over", "thing,setting,from,to,value", "", "A value over the frames from one to another.", doHoldOver},
    {"interval", "layer,from,to", "in,out", "A layer acts from a frame to a frame, eased in and out over so many.", doInterval},
    {"no-intervals", "layer", "", "The layer acts all through the shot on show.", doNoIntervals},
    {"mark", "frame", "name", "Names a frame of the shot on show; no name takes it away.", doMark},
};

}  // namespace

std::span<const Operation> timeOperations() {
    return kTimeOperations;
}

}  // namespace nutatio::edit
