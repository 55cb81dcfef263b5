#include "scene/scene.h"

#include <algorithm>
#include <array>
#include <unordered_set>

#include "rig/parts.h"
#include "scene/items.h"
#include "scene/set_piece.h"

namespace nutatio::scene {

namespace {
constexpr std::array<std::pair<Shape, std::string_view>, 4> kShapes{
    {{Shape::Sphere, "sphere"}, {Shape::Capsule, "capsule"}, {Shape::Box, "box"}, {Shape::Plane, "plane"}}};

template <class T>
const T* byId(const SharedList<T>& list, std::string_view id) {
    const std::size_t at = list.find([&](const T& x) { return x.id == id; });
    return at == list.size() ? nullptr : &list[at];
}

template <class T>
T* editById(SharedList<T>& list, std::string_view id) {
    const std::size_t at = list.find([&](const T& x) { return x.id == id; });
    return at == list.size() ? nullptr : &list.edit(at);
}
}  // namespace

std::string_view loopName(Loop loop) {
    return loop == Loop::Closed ? "closed" : loop == Loop::Once ? "once" : "found";
}

bool loopFromName(std::string_view name, Loop& loop) {
    for (const Loop l : {Loop::Found, Loop::Closed, Loop::Once})
        if (loopName(l) == name) {
            loop = l;
            return true;
        }
    return false;
}

std::string_view shapeName(Shape shape) {
    return std::find_if(kShapes.begin(), kShapes.end(), [&](const auto& p) { return p.first == shape; })->second;
}

bool shapeFromName(std::string_view name, Shape& shape) {
    for (const auto& [s, n] : kShapes)
        if (n == name) {
            shape = s;
            return true;
        }
    return false;
}

Placement placementOf(const ActorEntry& a) {
    Placement p;
    p.metres = a.actor->metresPerUnit;
    if (a.isPiece()) return p;
    p.place = a.vector("place");
    p.turn = turnOf(a.vector("turn"));
    return p;
}

Quat turnOf(const Vec3& turn) {
    if (turn == Vec3::Zero()) return Quat::Identity();
    return fromRotationVector(radians(turn.y()) * Vec3::UnitY()) * fromRotationVector(radians(turn.x()) * Vec3::UnitX()) *
           fromRotationVector(radians(turn.z()) * Vec3::UnitZ());
}

Shape Collider::shape() const {
    Shape s = Shape::Sphere;
    shapeFromName(text("shape"), s);
    return s;
}

const KeysOf* Shot::keysOf(const Owner& owner) const {
    const auto at = keys.find(owner);
    return at == keys.end() ? nullptr : &at->second;
}

const Keys* Shot::keysOf(const Owner& owner, std::string_view setting) const {
    const KeysOf* all = keysOf(owner);
    const auto at = all ? all->find(setting) : KeysOf::const_iterator{};
    return all && at != all->end() && !at->second.empty() ? &at->second : nullptr;
}

int Shot::frameOf(double time) const {
    return static_cast<int>(std::lround(time * fps));
}

Curve Shot::windowOf(std::string_view layer, int frames) const {
    Curve out;
    const auto at = intervals.find(layer);
    if (at == intervals.end() || at->second.empty()) return out;
    for (int f = 0; f < frames; ++f) {
        double most = 0;
        for (const Interval& i : at->second) most = std::max(most, intervalShare(i, timeOf(f)));
        out.push_back(most);
    }
    return out;
}

const ActorEntry* Scene::actor(std::string_view id) const {
    return byId(actors, id);
}
ActorEntry* Scene::actor(std::string_view id) {
    return editById(actors, id);
}
const Layer* Scene::layer(std::string_view id) const {
    return byId(layers, id);
}
Layer* Scene::layer(std::string_view id) {
    return editById(layers, id);
}
const Collider* Scene::collider(std::string_view id) const {
    return byId(colliders, id);
}
Collider* Scene::collider(std::string_view id) {
    return editById(colliders, id);
}
const Wind* Scene::wind(std::string_view id) const {
    return byId(winds, id);
}
Wind* Scene::wind(std::string_view id) {
    return editById(winds, id);
}
const Pin* Scene::pin(std::string_view id) const {
    return byId(pins, id);
}
Pin* Scene::pin(std::string_view id) {
    return editById(pins, id);
}

const Gauge* Scene::gauge(std::string_view id) const {
    return byId(gauges, id);
}
Gauge* Scene::gauge(std::string_view id) {
    return editById(gauges, id);
}
const Tuned* Scene::tuned(const Owner& owner) const {
    switch (owner.list) {
        case List::Actors:
            return actor(owner.id);
        case List::Layers:
            return layer(owner.id);
        case List::Colliders:
            return collider(owner.id);
        case List::Winds:
            return wind(owner.id);
        case List::Pins:
            return pin(owner.id);
        case List::Gauges:
            return gauge(owner.id);
    }
    return nullptr;
}

Tuned* Scene::tuned(const Owner& owner) {
    switch (owner.list) {
        case List::Actors:
            return actor(owner.id);
        case List::Layers:
            return layer(owner.id);
        case List::Colliders:
            return collider(owner.id);
        case List::Winds:
            return wind(owner.id);
        case List::Pins:
            return pin(owner.id);
        case List::Gauges:
            return gauge(owner.id);
    }
    return nullptr;
}

const Shot& Scene::shot() const {
    static const Shot kStill{};
    const Shot* s = byId(shots, shown);
    return s ? *s : shots.empty() ? kStill : shots.front();
}

Shot& Scene::editShot() {
    if (shots.empty()) {
        Shot still;
        still.id = freshId("shot");
        still.name = "Still";
        shots.push_back(std::move(still));
    }
    Shot* s = editById(shots, shown);
    return s ? *s : shots.edit(0);
}

const Take* Scene::take(std::string_view id) const {
    return byId(takes, id);
}

const rig::Line* Shot::lineOf(const std::string& actor) const {
    const auto at = lines.find(actor);
    return at == lines.end() || at->second.empty() ? nullptr : &at->second;
}

const Shot* Scene::findShot(std::string_view idOrName) const {
    if (const Shot* s = byId(shots, idOrName)) return s;
    const std::size_t at = shots.find([&](const Shot& s) { return s.name == idOrName; });
    return at == shots.size() ? nullptr : &shots[at];
}

int Scene::clipOf(const Shot& shot, const ActorEntry& a) const {
    const auto at = shot.clips.find(a.id);
    return at == shot.clips.end() ? -1 : a.actor->findClip(at->second);
}

namespace {

int framesOf(const rig::Line& line, double fps) {
    return std::max(2, static_cast<int>(std::ceil(line.seconds() * fps - 1e-3)) + 1);
}

}  // namespace

int Scene::frames(const Shot& shot) const {
    int trial = 0, led = 0, longest = 0;
    for (const ActorEntry& a : actors) {
        if (a.leavesClip()) trial = std::max(trial, rig::trialGrid(a.trial, shot.fps).frames);
        const int clip = clipOf(shot, a);
        const rig::Line* line = shot.lineOf(a.id);
        if (clip < 0 && !line) continue;
        const int n = line ? framesOf(*line, shot.fps)
                           : rig::FrameGrid::covering(a.actor->clips[static_cast<std::size_t>(clip)], shot.fps).frames;
        if (a.id == shot.lead) led = n;
        longest = std::max(longest, n);
    }
    if (trial > 0) return trial;
    if (led > 0) return led;
    return longest > 0 ? longest : static_cast<int>(kStillSeconds * shot.fps) + 1;
}

rig::FrameGrid Scene::grid(const Shot& shot, const ActorEntry& a) const {
    const int n = frames(shot), clip = clipOf(shot, a);
    if (a.leavesClip()) {
        rig::FrameGrid g = rig::trialGrid(a.trial, shot.fps);
        if (g.frames != n) g.end = n / shot.fps;
        g.frames = n;
        return g;
    }
    if (const rig::Line* line = shot.lineOf(a.id)) return {n, shot.fps, 0, std::max(line->seconds(), (n - 1) / shot.fps)};
    if (clip < 0) return {n, shot.fps, 0, shot.lead.empty() || !actor(shot.lead) ? n / shot.fps : (n - 1) / shot.fps};
    rig::FrameGrid g = rig::FrameGrid::covering(a.actor->clips[static_cast<std::size_t>(clip)], shot.fps);
    if (g.frames < n) g.end = g.start + (n - 1) / shot.fps;
    g.frames = n;
    return g;
}

double Scene::numberAt(const Owner& owner, std::string_view setting, int frame) const {
    if (const Keys* keys = shot().keysOf(owner, setting))
        return keyedAt(goingRound(*keys, shot().loop == Loop::Closed ? shot().period(frames(shot())) : 0), shot().timeOf(frame));
    const Tuned* t = tuned(owner);
    return t ? t->number(setting) : 0;
}

void Scene::setNumber(const Owner& owner, std::string_view setting, int frame, double value) {
    if (shot().keysOf(owner, setting)) {
        Shot& s = editShot();
        putKey(s.keys[owner].find(setting)->second, s.timeOf(frame), value);
    } else if (Tuned* t = tuned(owner)) {
        t->set(setting, value);
    }
}

bool Scene::acts(const Layer& layer, const std::string& inShot) const {
    const auto isIn = [&](const Layer& l) { return l.shot.empty() || l.shot == inShot; };
    const bool anySolo = std::any_of(layers.begin(), layers.end(), [&](const Layer& l) { return l.solo && isIn(l); });
    return isIn(layer) && (anySolo ? layer.solo : !layer.muted);
}

std::string Scene::freshId(std::string_view stem) const {
    std::string base;
    for (char c : stem)
        if (std::isalnum(static_cast<unsigned char>(c)) || c == '_' || c == '-') base += c;
    if (base.empty()) base = "item";
    std::unordered_set<std::string_view> taken;
    for (const ActorEntry& a : actors) taken.insert(a.id);
    for (const Layer& l : layers) taken.insert(l.id);
    for (const Collider& c : colliders) taken.insert(c.id);
    for (const Wind& w : winds) taken.insert(w.id);
    for (const Pin& p : pins) taken.insert(p.id);
    for (const Gauge& g : gauges) taken.insert(g.id);
    for (const Shot& s : shots) taken.insert(s.id);
    for (const Take& t : takes) taken.insert(t.id);
    for (const Unread& u : unread) taken.insert(u.id);
    if (!wantedId.empty() && taken.count(wantedId) == 0) return wantedId;
    std::string id = base;
    for (int n = 2; taken.count(id) > 0; ++n) id = base + "-" + std::to_string(n);
    return id;
}

std::vector<rig::MapStep> regionOf(const ActorEntry& a, const std::string& name) {
    for (const Part& p : a.parts)
        if (p.name == name) {
            rig::MapStep step;
            step.joints = p.joints;
            return {step};
        }
    for (const rig::Map& m : a.maps)
        if (m.name == name) return m.steps;
    return {};
}

std::vector<Xform> stand(const Scene& scene, const Shot& shot, const ActorEntry& a) {
    std::vector<Xform> pose = a.actor->restPose();
    if (const rig::Line* line = shot.lineOf(a.id))
        rig::lineTrack(*a.actor, *line, {1, shot.fps, 0, 0}).pose(0, pose);
    else if (const int c = scene.clipOf(shot, a); c >= 0)
        a.actor->clips[static_cast<std::size_t>(c)].pose(a.actor->clips[static_cast<std::size_t>(c)].start, pose);
    if (a.isPiece()) pose.front() = pieceAt(a, Resolved(a, pieceTable(), shot.keysOf({List::Actors, a.id}), shot.fps), 0);
    return pose;
}

Scene withoutTrials(Scene scene) {
    for (std::size_t i = 0; i < scene.actors.size(); ++i)
        if (scene.actors[i].onTrial()) scene.actors.edit(i).trial = {};
    return scene;
}

std::string clipReference(const rig::Actor& actor, int clip) {
    const std::string& name = actor.clips[static_cast<std::size_t>(clip)].name;
    return name.empty() || actor.findClip(name) != clip ? "#" + std::to_string(clip) : name;
}

void addShots(Scene& scene, const std::string& id) {
    const ActorEntry* a = scene.actor(id);
    if (!a || a->actor->clips.empty()) return;
    const std::size_t before = scene.shots.size();
    const Shot now = scene.shot();
    for (std::size_t i = 0; i < before; ++i) scene.shots.edit(i).clips.emplace(id, clipReference(*a->actor, 0));
    for (std::size_t c = 0; c < a->actor->clips.size(); ++c) {
        Shot s;
        s.name = a->actor->clipLabel(static_cast<int>(c));
        if (scene.findShot(s.name)) s.name = a->name + " " + s.name;
        s.id = scene.freshId("shot-" + s.name);
        s.fps = now.fps;
        s.lead = id;
        s.clips = now.clips;
        s.clips[id] = clipReference(*a->actor, static_cast<int>(c));
        scene.shots.push_back(std::move(s));
    }
    if (before == 0) scene.shown = scene.shots.front().id;
}

Wind newWind(const Scene& scene, const ActorEntry& entry) {
    Wind w;
    w.id = scene.freshId("wind");
    w.name = w.id;
    w.values = startValues(windTable());
    const Vec3 middle = 0.5 * (entry.actor->low + entry.actor->high);
    w.setVector("place", placementOf(entry).toWorld(
                             Vec3(middle.x() - 0.6 * entry.actor->height, middle.y() + 0.2 * entry.actor->height, middle.z())));
    w.set("swirl_size", std::max(0.05, 0.5 * entry.actor->metresPerUnit * entry.actor->height));
    return w;
}

Pin newPin(const Scene& scene, const ActorEntry& entry, int joint, const std::vector<Affine>& worlds) {
    Pin p;
    p.name = rig::plainName(entry.actor->skeleton, joint);
    p.id = scene.freshId("pin-" + p.name);
    p.actor = entry.id;
    p.joint = entry.actor->skeleton.reference(joint);
    p.values = startValues(pinTable());
    p.setVector("offset", placementOf(entry).toWorld(worlds[static_cast<std::size_t>(joint)].t));
    return p;
}

Gauge newGauge(const Scene& scene, const ActorEntry& entry, int joint) {
    Gauge g;
    g.name = "Speed of " + rig::plainName(entry.actor->skeleton, joint);
    g.id = scene.freshId("gauge-" + rig::plainName(entry.actor->skeleton, joint));
    g.of = {entry.id, entry.actor->skeleton.reference(joint)};
    g.values = startValues(gaugeTable());
    return g;
}

Collider newCollider(const Scene& scene, const ActorEntry& entry, int joint, Shape shape) {
    const rig::Skeleton& s = entry.actor->skeleton;
    std::vector<Affine> worlds;
    rig::worldTransforms(s, entry.actor->restPose(), worlds);
    const Affine& here = worlds[static_cast<std::size_t>(joint)];
    const Quat turn = rotationOf(here.m);
    Vec3 way = Vec3::Zero();
    for (int c : s.joint(joint).children)
        if (const Vec3 v = worlds[static_cast<std::size_t>(c)].t - here.t; v.norm() > way.norm()) way = v;
    Collider c;
    c.name = rig::plainName(s, joint);
    c.id = scene.freshId("collider-" + c.name);
    c.mount = {entry.id, s.reference(joint)};
    c.values = startValues(colliderTable());
    c.set("shape", std::string(shapeName(shape)));
    const double usual = 0.06 * entry.actor->height;
    const double radius = way.norm() > 0.2 * usual ? within(0.45 * way.norm(), 0.5 * usual, 2 * usual) : usual;
    c.set("radius", radius);
    c.set("radius_end", radius);
    c.set("length", std::max(way.norm(), 0.5 * usual));
    c.setVector("size", Vec3(2 * radius, std::max(way.norm(), radius), 2 * radius));
    const Vec3 local = turn.conjugate() * way;
    if (shape == Shape::Plane) {
        c.setVector("turn", rotationVector(arc(Vec3::UnitY(), turn.conjugate() * Vec3::UnitY())) * degrees(1));
    } else {
        c.setVector("offset", 0.5 * local);
        if (way.norm() > 1e-12) c.setVector("turn", rotationVector(arc(Vec3::UnitY(), local.normalized())) * degrees(1));
    }
    return c;
}

}  // namespace nutatio::scene
