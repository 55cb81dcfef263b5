#include "scene/scene.h"

#include <algorithm>
#include <array>
#include <unordered_set>

namespace nutatio::scene {

namespace {
constexpr std::array<std::pair<Shape, std::string_view>, 4> kShapes{
    {{Shape::Sphere, "sphere"}, {Shape::Capsule, "capsule"}, {Shape::Box, "box"}, {Shape::Plane, "plane"}}};

template <class List>
auto byId(List& list, std::string_view id) -> decltype(&list.front()) {
    const auto at = std::find_if(list.begin(), list.end(), [&](const auto& x) { return x.id == id; });
    return at == list.end() ? nullptr : &*at;
}
}  // namespace

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

double Layer::number(std::string_view setting) const {
    const auto at = values.find(setting);
    const double* v = at == values.end() ? nullptr : std::get_if<double>(&at->second);
    return v ? *v : 0.0;
}

double Layer::numberAt(std::string_view setting, double frame) const {
    const auto at = keys.find(setting);
    return at == keys.end() || at->second.empty() ? number(setting) : keyedAt(at->second, frame);
}

double Layer::numberAt(std::string_view setting, double frame, double place) const {
    const auto at = profiles.find(setting);
    return numberAt(setting, frame) * (at == profiles.end() ? 1.0 : profileAt(at->second, place));
}

Layer Layer::heldAt(double frame) const {
    Layer out = *this;
    for (const auto& [setting, k] : keys)
        if (!k.empty()) out.values[setting] = keyedAt(k, frame);
    out.keys.clear();
    return out;
}

void Layer::setNumber(std::string_view setting, double frame, double value) {
    const auto at = keys.find(setting);
    if (at != keys.end() && !at->second.empty())
        putKey(at->second, static_cast<int>(std::lround(frame)), value);
    else
        values[std::string(setting)] = value;
}

std::pair<double, double> Layer::span(std::string_view setting) const {
    const auto at = keys.find(setting);
    if (at == keys.end() || at->second.empty()) return {number(setting), number(setting)};
    // Between keys the curve never leaves them.
    const auto [low, high] = std::minmax_element(at->second.begin(), at->second.end(),
                                                 [](const KeyAt& a, const KeyAt& b) { return a.value < b.value; });
    return {low->value, high->value};
}

const std::string& Layer::text(std::string_view setting) const {
    static const std::string kNone;
    const auto at = values.find(setting);
    const std::string* v = at == values.end() ? nullptr : std::get_if<std::string>(&at->second);
    return v ? *v : kNone;
}

const std::vector<std::string>& Layer::list(std::string_view setting) const {
    static const std::vector<std::string> kNone;
    const auto at = values.find(setting);
    const auto* v = at == values.end() ? nullptr : std::get_if<std::vector<std::string>>(&at->second);
    return v ? *v : kNone;
}

const ActorEntry* Scene::actor(std::string_view id) const {
    return byId(actors, id);
}
const Layer* Scene::layer(std::string_view id) const {
    return byId(layers, id);
}
Layer* Scene::layer(std::string_view id) {
    return byId(layers, id);
}
const Collider* Scene::collider(std::string_view id) const {
    return byId(colliders, id);
}
Collider* Scene::collider(std::string_view id) {
    return byId(colliders, id);
}

const Wind* Scene::wind(std::string_view id) const {
    return byId(winds, id);
}
Wind* Scene::wind(std::string_view id) {
    return byId(winds, id);
}
const Pin* Scene::pin(std::string_view id) const {
    return byId(pins, id);
}
Pin* Scene::pin(std::string_view id) {
    return byId(pins, id);
}

bool Scene::acts(const Layer& layer) const {
    const bool anySolo = std::any_of(layers.begin(), layers.end(), [](const Layer& l) { return l.solo; });
    return anySolo ? layer.solo : !layer.muted;
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
    for (const Unread& u : unread) taken.insert(u.id);
    std::string id = base;
    for (int n = 2; taken.count(id) > 0; ++n) id = base + "-" + std::to_string(n);
    return id;
}

std::vector<Xform> ActorEntry::stand() const {
    std::vector<Xform> pose = actor->restPose();
    if (const int c = clipIndex(); c >= 0)
        actor->clips[static_cast<std::size_t>(c)].pose(actor->clips[static_cast<std::size_t>(c)].start, pose);
    return pose;
}

rig::FrameGrid Scene::grid(const ActorEntry& entry) const {
    // A trial is short and loops: while one is on, the shot is as long as the longest of them.
    int frames = 0;
    for (const ActorEntry& a : actors)
        if (a.onTrial()) frames = std::max(frames, rig::trialGrid(a.trial, fps).frames);
    if (frames > 0 && entry.onTrial()) return rig::trialGrid(entry.trial, fps);
    const bool trial = frames > 0;
    // A clip plays on its own grid, the same that it is baked on; what has none lasts as long as the longest beside it.
    if (const int c = entry.clipIndex(); c >= 0 && !trial)
        return rig::FrameGrid::covering(entry.actor->clips[static_cast<std::size_t>(c)], fps);
    for (const ActorEntry& a : actors)
        if (const int c = a.clipIndex(); c >= 0 && !trial)
            frames = std::max(frames, rig::FrameGrid::covering(a.actor->clips[static_cast<std::size_t>(c)], fps).frames);
    if (frames == 0) frames = static_cast<int>(kStillSeconds * fps) + 1;
    rig::FrameGrid g{frames, fps, 0, frames / fps};
    if (const int c = entry.clipIndex(); c >= 0) {  // beside another actor's trial
        g.start = entry.actor->clips[static_cast<std::size_t>(c)].start;
        g.end = entry.actor->clips[static_cast<std::size_t>(c)].end;
    }
    return g;
}

Wind newWind(const Scene& scene, const ActorEntry& entry) {
    Wind w;
    w.id = scene.freshId("wind");
    w.name = w.id;
    const Vec3 middle = 0.5 * (entry.actor->low + entry.actor->high);
    w.place = entry.actor->metresPerUnit *
              Vec3(middle.x() - 0.6 * entry.actor->height, middle.y() + 0.2 * entry.actor->height, middle.z());
    w.swirlSize = std::max(0.05, 0.5 * entry.actor->metresPerUnit * entry.actor->height);
    return w;
}

Pin newPin(const Scene& scene, const ActorEntry& entry, int joint, const std::vector<Affine>& worlds) {
    Pin p;
    p.name = entry.actor->skeleton.label(joint);
    p.id = scene.freshId("pin-" + p.name);
    p.actor = entry.id;
    p.joint = entry.actor->skeleton.reference(joint);
    p.offset = worlds[static_cast<std::size_t>(joint)].t;
    return p;
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
    c.name = s.label(joint);
    c.id = scene.freshId("collider-" + c.name);
    c.actor = entry.id;
    c.joint = s.reference(joint);
    c.shape = shape;
    const double usual = 0.06 * entry.actor->height;
    c.radius = way.norm() > 0.2 * usual ? std::clamp(0.45 * way.norm(), 0.5 * usual, 2 * usual) : usual;
    c.radiusEnd = c.radius;
    c.length = std::max(way.norm(), 0.5 * usual);
    c.size = Vec3(2 * c.radius, std::max(way.norm(), c.radius), 2 * c.radius);
    const Vec3 local = turn.conjugate() * way;
    if (shape == Shape::Plane) {
        c.turnDeg = rotationVector(arc(Vec3::UnitY(), turn.conjugate() * Vec3::UnitY())) * degrees(1);
    } else {
        c.offset = 0.5 * local;
        if (way.norm() > 1e-12) c.turnDeg = rotationVector(arc(Vec3::UnitY(), local.normalized())) * degrees(1);
    }
    return c;
}

}  // namespace nutatio::scene
