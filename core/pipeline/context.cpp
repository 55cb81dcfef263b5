#include "pipeline/context.h"

#include <algorithm>

#include "layers/bodily.h"
#include "layers/meeting.h"
#include "layers/registry.h"
#include "layers/run.h"
#include "scene/set_piece.h"

namespace nutatio::pipeline {

namespace {

void addMount(Hasher& h, const scene::Mount& m) {
    h.text(m.actor).text(m.joint).number(m.turns);
    if (m.spot) h.bytes(m.spot->data(), 3 * sizeof(double));
}

double farthestOf(const scene::Resolved& s, Vec3& middle) {
    middle = Vec3::Zero();
    if (s.text("shape") == scene::shapeName(scene::Shape::Plane)) return 0;
    const bool moves = s.keyed("offset_x") || s.keyed("offset_y") || s.keyed("offset_z");
    if (!moves) middle = s.vector("offset");
    const auto most = [&](const char* id) {
        const auto [low, high] = s.span(id);
        return std::max(std::abs(low), std::abs(high));
    };
    const auto longest = [&](const char* stem) {
        const std::string id(stem);
        return Vec3(most((id + "_x").c_str()), most((id + "_y").c_str()), most((id + "_z").c_str())).norm();
    };
    const scene::ColliderNumbers all{scene::numbersOf(s).shape,
                                     most("radius"),
                                     most("radius_end"),
                                     most("length"),
                                     {most("size_x"), most("size_y"), most("size_z")}};
    return (moves ? longest("offset") : 0) + all.reach() + 1e-9;
}

}  // namespace

std::optional<scene::MountOn> found(const scene::Scene& scene, const scene::Mount& mount) {
    if (mount.world()) return scene::MountOn{};
    const scene::ActorEntry* a = scene.actor(mount.actor);
    return a ? scene::found(*a->actor, mount) : std::nullopt;
}

void BodyOfShot::settle() {
    farthest = farthestOf(*body.settings, middle);
    Hasher h;
    h.text(body.collider->id);
    addMount(h, body.collider->mount);
    body.settings->hash(h);
    key = h.done();
}

void ItemsOfShot::Wind::settle() {
    Hasher h;
    blow.settings->hash(h);
    key = h.done();
}

void ItemsOfShot::Pin::settle() {
    const scene::Pin& p = *hold.pin;
    Hasher h;
    h.text(p.joint).number(p.end);
    addMount(h, p.to);
    hold.settings->hash(h);
    key = h.done();
}

namespace {

/// What hangs on a body that lies on a floor lies on that floor, too: strands above a layer that has one of its own.
template <class Add>
void addFloors(const scene::Scene& scene, const scene::Shot& shot, int frames, ItemsOfShot& out, const Add& addBody) {
    for (std::size_t i = 0; i < scene.layers.size(); ++i) {
        const scene::Layer& l = scene.layers[i];
        const layers::LayerKind* kind = layers::findKind(l.kind);
        const scene::SettingSpec* row = kind ? kind->setting(scene::Role::Floor) : nullptr;
        if (!row || l.muted || (out.anySolo && !l.solo) || (!l.shot.empty() && l.shot != shot.id) || !scene::counts(*row, l))
            continue;
        auto floor = std::make_shared<scene::Collider>();
        floor->id = l.id + " floor";
        floor->name = l.name;
        floor->solid = true;
        floor->values = scene::startValues(scene::colliderTable());
        floor->set("shape", std::string(scene::shapeName(scene::Shape::Plane)));
        const scene::Resolved settings(l, kind->settings, shot.keysOf({scene::List::Layers, l.id}), shot.fps, frames, nullptr,
                                       shot.period(frames));
        floor->set("offset_y", settings.at(row->id));
        scene::FedCurves heights;
        for (int f = 0; settings.keyed(row->id) && f < frames; ++f) heights["offset_y"].push_back(settings.at(row->id, f));
        const std::size_t before = out.colliders.size();
        addBody(*floor, &heights);
        out.surfaces.push_back(std::move(floor));
        if (out.colliders.size() == before) continue;
        out.colliders.back().of = l.actor;
        out.colliders.back().above = i;
    }
}

}  // namespace

bool isThere(const BodyOfShot& body, const scene::Scene& scene, const scene::Layer& layer) {
    if (body.of.empty()) return true;
    const layers::LayerKind* kind = layers::findKind(layer.kind);
    return layer.actor == body.of && kind && kind->meets && kind->meets->all() && !kind->setting(scene::Role::Floor) &&
           scene.layers.find([&](const scene::Layer& l) { return l.id == layer.id; }) > body.above;
}

ItemsOfShot itemsOf(const scene::Scene& scene, const scene::Shot& shot, int frames, const PieceSettings& pieces) {
    ItemsOfShot out;
    out.anySolo = std::any_of(scene.layers.begin(), scene.layers.end(),
                              [&](const scene::Layer& l) { return l.solo && (l.shot.empty() || l.shot == shot.id); });
    const auto resolved = [&](const scene::Tuned& t, scene::Table table, scene::List list,
                              const scene::FedCurves* fed = nullptr) {
        return std::make_shared<const scene::Resolved>(t, table, shot.keysOf({list, t.id}), shot.fps, frames, fed,
                                                       shot.period(frames));
    };
    const bool anyFitted =
        std::any_of(scene.colliders.begin(), scene.colliders.end(), [](const auto& c) { return c.fitted && c.on; });
    std::map<std::string, std::vector<bool>> swung;
    if (anyFitted)
        for (const scene::ActorEntry& a : scene.actors) swung[a.id] = layers::swungJoints(scene, a);
    const auto addBody = [&](const scene::Collider& c, const scene::FedCurves* fed = nullptr) {
        const auto on = c.on ? found(scene, c.mount) : std::nullopt;
        if (!on) return;
        if (c.fitted && on->joint != rig::kNoJoint && swung[c.mount.actor][static_cast<std::size_t>(on->joint)]) return;
        ItemsOfShot::Body b{
            {&c, resolved(c, scene::colliderTable(), scene::List::Colliders, fed)}, {}, 0, *on, Vec3::Zero(), 0, {}};
        b.settle();
        out.colliders.push_back(std::move(b));
    };
    for (const scene::Collider& c : scene.colliders) addBody(c);
    for (const scene::ActorEntry& a : scene.actors)
        if (const auto at = pieces.find(a.id); at != pieces.end())
            for (scene::PieceSurface& part : scene::surfaceOf(a, *at->second)) {
                out.surfaces.push_back(std::make_shared<const scene::Collider>(std::move(part.collider)));
                addBody(*out.surfaces.back(), &part.curves);
            }
    addFloors(scene, shot, frames, out, addBody);
    for (const scene::Wind& w : scene.winds) {
        if (!w.on) continue;
        ItemsOfShot::Wind made{{&w, resolved(w, scene::windTable(), scene::List::Winds)}, {}};
        made.settle();
        out.winds.push_back(std::move(made));
    }
    for (const scene::Pin& p : scene.pins) {
        if (!p.on) continue;
        const auto held = found(scene, {p.actor, p.joint}), to = found(scene, p.to);
        if (!held || held->joint == rig::kNoJoint || !to) continue;
        ItemsOfShot::Pin made{{&p, resolved(p, scene::pinTable(), scene::List::Pins)}, held->joint, *to, {}};
        made.settle();
        out.pins.push_back(std::move(made));
    }
    return out;
}

void surround(layers::LayerContext& c, const scene::Scene& scene, const scene::Shot& shot, const ItemsOfShot& items, int frames) {
    const layers::LayerKind& kind = *layers::findKind(c.layer.kind);
    const layers::Meeting meets = kind.meets ? *kind.meets : layers::Meeting{};
    if (meets.bodies) {
        const std::vector<std::string> only = meets.onto ? meets.onto(*c.settings) : std::vector<std::string>();
        for (const ItemsOfShot::Body& b : items.colliders)
            if (isThere(b, scene, c.layer) &&
                (!meets.onto || std::find(only.begin(), only.end(), b.body.collider->id) != only.end()))
                c.colliders.push_back(b.body);
        for (const ItemsOfShot::Pin& p : items.pins)
            if (!meets.onto && p.hold.pin->actor == c.layer.actor) c.pins.push_back(p.hold);
    }
    if (layers::actsOut(kind)) c.acts = actsOf(scene, shot, c.layer.actor, frames);
    if (meets.wind || meets.all())
        for (const ItemsOfShot::Wind& w : items.winds)
            if (blowsOn(*w.blow.wind, c.layer.id)) c.winds.push_back(w.blow);
}

bool blowsOn(const scene::Wind& wind, const std::string& layer) {
    return wind.layers.empty() || std::find(wind.layers.begin(), wind.layers.end(), layer) != wind.layers.end();
}

layers::LayerContext::Act actOf(const scene::Layer& layer, const layers::LayerKind& kind, layers::ResolvedPtr settings,
                                const scene::Shot& shot, int frames) {
    layers::LayerContext::Act out{&layer, settings, kind.act->doing(*settings), {}, {}};
    if (const auto at = shot.intervals.find(layer.id); at != shot.intervals.end()) out.spans = at->second;
    const layers::Shares shares(kind, std::move(settings), shot.windowOf(layer.id, frames));
    for (int f = 0; f < frames; ++f) out.share.push_back(shares.at(f, 0));
    return out;
}

std::vector<layers::LayerContext::Act> actsOf(const scene::Scene& scene, const scene::Shot& shot, const std::string& actor,
                                              int frames) {
    std::vector<layers::LayerContext::Act> out;
    const scene::ActorEntry* entry = scene.actor(actor);
    for (const scene::Layer& l : scene.layers) {
        const layers::LayerKind* kind = layers::findKind(l.kind);
        if (!entry || l.actor != actor || !kind || !kind->act || !scene.acts(l, shot.id) || kind->problem(*entry->actor, l))
            continue;
        out.push_back(actOf(l, *kind,
                            std::make_shared<const scene::Resolved>(l, kind->settings, shot.keysOf({scene::List::Layers, l.id}),
                                                                    shot.fps, frames, nullptr, shot.period(frames)),
                            shot, frames));
    }
    return out;
}

}  // namespace nutatio::pipeline
