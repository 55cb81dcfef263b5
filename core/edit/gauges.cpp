#include "edit/gauges.h"

#include <algorithm>

#include "edit/edit.h"
#include "layers/meeting.h"
#include "layers/registry.h"
#include "scene/items.h"
#include "scene/set_piece.h"

namespace nutatio::edit {

namespace {

/// Places in the stack of the layers that make use of a thing; of a layer its own.
std::vector<std::size_t> usersOf(const scene::Scene& s, const scene::Owner& owner) {
    std::vector<std::size_t> out;
    for (std::size_t i = 0; i < s.layers.size(); ++i) {
        const scene::Layer& l = s.layers[i];
        const layers::LayerKind* kind = layers::findKind(l.kind);
        const scene::ActorEntry* actor = s.actor(l.actor);
        if (!kind || !actor) continue;
        bool uses = false;
        if (owner.list == scene::List::Layers) uses = l.id == owner.id;
        if (owner.list == scene::List::Colliders) uses = kind->meets && kind->meets->bodies && meets(l, owner.id);
        if (const scene::Wind* w = owner.list == scene::List::Winds ? s.wind(owner.id) : nullptr)
            uses = kind->meets && (w->layers.empty() || std::find(w->layers.begin(), w->layers.end(), l.id) != w->layers.end());
        if (const scene::Pin* p = owner.list == scene::List::Pins ? s.pin(owner.id) : nullptr; p && p->actor == l.actor) {
            const int joint = actor->actor->skeleton.find(p->joint);
            const auto moves = kind->meets && kind->meets->bodies && !kind->problem(*actor->actor, l)
                                   ? kind->moves(*actor->actor, l)
                                   : std::vector<layers::Moved>{};
            uses = std::any_of(moves.begin(), moves.end(), [&](const layers::Moved& m) { return m.joint == joint; });
        }
        if (uses) out.push_back(i);
    }
    return out;
}

std::optional<std::string> ringOf(const scene::Scene& s, const scene::Owner& owner, const scene::Tuned& tuned) {
    for (const auto& [setting, feed] : tuned.feeds) {
        const scene::Gauge* g = s.gauge(feed.gauge);
        if (!g || g->after.empty()) continue;
        const std::size_t reads = s.layers.find([&](const scene::Layer& l) { return l.id == g->after; });
        if (reads == s.layers.size()) continue;
        for (std::size_t user : usersOf(s, owner)) {
            if (reads < user) continue;
            const std::string thing = "\"" + tuned.name + "\"", layer = "\"" + s.layers[reads].name + "\"";
            if (owner.list == scene::List::Layers && reads == user)
                return thing + " would wait for itself: the gauge \"" + g->name + "\" that feeds it reads its own result";
            return thing + ", fed by the gauge \"" + g->name + "\", would wait for the layer " + layer + ", which stands above " +
                   (owner.list == scene::List::Layers ? "it" : "\"" + s.layers[user].name + "\", that uses it");
        }
    }
    return std::nullopt;
}

template <class Change>
Result<Done> unlessRing(scene::Scene& s, const Change& change) {
    scene::Scene next = s;
    change(next);
    if (auto ring = ringIn(next)) return refused(*ring);
    s = std::move(next);
    return Done{};
}

}  // namespace

std::optional<std::string> ringIn(const scene::Scene& s) {
    if (s.gauges.empty()) return std::nullopt;
    const auto among = [&](const auto& list, scene::List which) -> std::optional<std::string> {
        for (const auto& each : list)
            if (auto ring = ringOf(s, {which, each.id}, each)) return ring;
        return std::nullopt;
    };
    for (const scene::ActorEntry& a : s.actors)
        for (const auto& [setting, feed] : a.feeds)
            if (const scene::Gauge* g = s.gauge(feed.gauge))
                if (auto why = scene::whyNotFollowed(s, a, *g)) return why;
    if (auto ring = among(s.layers, scene::List::Layers)) return ring;
    if (auto ring = among(s.winds, scene::List::Winds)) return ring;
    if (auto ring = among(s.colliders, scene::List::Colliders)) return ring;
    return among(s.pins, scene::List::Pins);
}

std::string addGauge(scene::Scene& s, const std::string& actor, const std::string& joint, const std::string& measure) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    const int j = a ? a->actor->skeleton.find(joint) : rig::kNoJoint;
    if (j == rig::kNoJoint) return {};
    scene::Gauge g = scene::newGauge(s, *a, j);
    if (!measure.empty()) {
        const auto choices = choicesOf(*findRow(scene::gaugeTable(), "measure"));
        if (std::find(choices.begin(), choices.end(), measure) == choices.end()) return {};
        g.set("measure", measure);
        g.name = measure + g.name.substr(g.name.find(' '));
        g.name[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(g.name[0])));
    }
    const std::string id = g.id;
    s.gauges.push_back(std::move(g));
    return id;
}

Result<Done> measureTo(scene::Scene& s, const std::string& gauge, const std::string& actor, const std::string& joint) {
    if (!std::as_const(s).gauge(gauge)) return refused("there is no gauge \"" + gauge + "\"");
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!actor.empty() && (!a || a->actor->skeleton.find(joint) == rig::kNoJoint))
        return refused("there is no joint \"" + joint + "\" to measure to");
    scene::Gauge& g = *s.gauge(gauge);
    g.to = actor.empty() ? std::nullopt : std::optional(scene::Mount{actor, joint});
    return Done{};
}

Result<Done> readAfter(scene::Scene& s, const std::string& gauge, const std::string& layer) {
    if (!std::as_const(s).gauge(gauge)) return refused("there is no gauge \"" + gauge + "\"");
    if (!layer.empty() && !std::as_const(s).layer(layer)) return refused("there is no layer \"" + layer + "\"");
    return unlessRing(s, [&](scene::Scene& next) { next.gauge(gauge)->after = layer; });
}

Result<Done> feed(scene::Scene& s, const scene::Owner& owner, const std::string& setting, const scene::Feed& feed) {
    const scene::Tuned* t = std::as_const(s).tuned(owner);
    if (!t) return refused("there is no \"" + owner.id + "\"");
    const scene::SettingSpec* row = findRow(layers::tableOf(s, owner), setting);
    if (!row || !row->keyable) return refused("\"" + setting + "\" of \"" + t->name + "\" cannot follow a gauge");
    if (!std::as_const(s).gauge(feed.gauge)) return refused("there is no gauge \"" + feed.gauge + "\"");
    if (feed.response.empty()) return refused("a response has one point at least");
    return unlessRing(s, [&](scene::Scene& next) { next.tuned(owner)->feeds[setting] = feed; });
}

void unfeed(scene::Scene& s, const scene::Owner& owner, const std::string& setting) {
    const scene::Tuned* t = std::as_const(s).tuned(owner);
    if (t && t->feeds.count(setting) > 0) s.tuned(owner)->feeds.erase(setting);
}

scene::Feed newFeed(const scene::Scene& s, const scene::Owner& owner, const std::string& setting, const scene::Gauge& gauge,
                    const scene::Curve& readings, int frame) {
    scene::Feed f;
    f.gauge = gauge.id;
    double low = 0, high = 1;
    if (!readings.empty()) {
        scene::Curve sorted = readings;
        std::sort(sorted.begin(), sorted.end());
        const auto at = [&](double share) {
            return sorted[static_cast<std::size_t>(std::lround(share * static_cast<double>(sorted.size() - 1)))];
        };
        low = at(0.05);
        high = at(0.95);
    }
    if (!(high - low > 1e-6 * std::max(std::abs(high), 1e-3))) high = low + std::max(1.0, std::abs(low));
    const double now = s.numberAt(owner, setting, frame);
    const scene::SettingSpec* row = findRow(layers::tableOf(s, owner), setting);
    // Half as much again as it was is seen and breaks nothing; a setting that rests at 0 rises into its slider's lower part.
    double then = now != 0 ? 1.5 * now : 0.25;
    if (row) then = scene::clampTo(*row, now != 0 ? then : row->soft.low + 0.25 * (row->soft.high - row->soft.low));
    if (row && then == now) then = scene::clampTo(*row, 0.5 * now);
    f.response = {{.at = low, .value = now}, {.at = high, .value = then}};
    return f;
}

}  // namespace nutatio::edit
