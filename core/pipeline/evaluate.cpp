#include "pipeline/evaluate.h"

#include <algorithm>
#include <chrono>
#include <unordered_set>

#include "layers/registry.h"
#include "layers/run.h"
#include "pipeline/live.h"

namespace nutatio::pipeline {

namespace {

constexpr std::size_t kMostBytes = 768u << 20;

void add(Hasher& h, const scene::Value& v) {
    h.number(v.index());
    if (const auto* d = std::get_if<double>(&v)) h.real(*d);
    if (const auto* s = std::get_if<std::string>(&v)) h.text(*s);
    if (const auto* l = std::get_if<std::vector<std::string>>(&v)) {
        h.number(l->size());
        for (const std::string& s : *l) h.text(s);
    }
}

Key bodyKey(const scene::ActorEntry& entry, int clip, const rig::FrameGrid& g, bool trial) {
    Hasher h;
    if (trial) h.text(entry.trial.move).text(entry.trial.joint).real(entry.trial.size).real(entry.trial.speed);
    return h.key(entry.actor->content)
        .number(static_cast<std::uint64_t>(clip))
        .number(static_cast<std::uint64_t>(g.frames))
        .real(g.fps)
        .real(g.start)
        .real(g.end)
        .done();
}

void add(Hasher& h, const scene::Keys& keys) {
    h.number(keys.size());
    for (const scene::KeyAt& k : keys) h.number(static_cast<std::uint64_t>(k.frame)).real(k.value);
}

void add(Hasher& h, const Vec3& v) {
    h.bytes(v.data(), 3 * sizeof(double));
}

/// All that a layer's full-mix result depends on beside its input.
Key layerKey(const Key& below, const layers::LayerContext& context, const std::vector<Key>& others) {
    const scene::Layer& layer = context.layer;
    Hasher h;
    h.key(below).text(layer.kind);
    for (const auto& [id, value] : layer.values)
        if (id != "mix") {
            h.text(id);
            add(h, value);
        }
    for (const auto& [id, keys] : layer.keys)
        if (id != "mix") {
            h.text(id);
            add(h, keys);
        }
    for (const auto& [id, profile] : layer.profiles) {
        h.text(id).number(profile.size());
        for (const scene::ProfilePoint& p : profile) h.real(p.at).real(p.times);
    }
    bool elsewhere = false;
    for (const scene::Collider* c : context.colliders) {
        elsewhere |= !c->actor.empty() && c->actor != layer.actor;
        h.text(c->id).text(c->actor).text(c->joint).number(static_cast<std::uint64_t>(c->shape));
        h.real(c->radius).real(c->radiusEnd).real(c->length).real(c->friction);
        add(h, c->size);
        add(h, c->offset);
        add(h, c->turnDeg);
    }
    for (const scene::Wind* w : context.winds) {
        add(h, w->place);
        add(h, w->direction);
        for (double v : {w->speed, w->gustRate, w->gustShare, w->swirlSize, w->swirlShare, w->reach, w->falloff, w->seed})
            h.real(v);
    }
    for (const scene::Pin* p : context.pins) {
        elsewhere |= !p->toActor.empty() && p->toActor != layer.actor;
        h.text(p->joint).number(p->end).text(p->toActor).text(p->toJoint).real(p->strength);
        add(h, p->offset);
        add(h, p->strengthKeys);
    }
    for (int c : context.cuts) h.number(static_cast<std::uint64_t>(c));
    if (elsewhere)
        for (const Key& k : others) h.key(k);
    return h.done();
}

std::size_t allowedTransforms(const rig::Actor& actor) {
    std::size_t bytes = actor.source.text.size();
    for (const auto& b : actor.source.buffers) bytes += b->size();
    return Evaluator::kBaseTransforms + bytes / Evaluator::kBytesATransform;
}

void refuseTooMuch(const rig::Actor& actor, int clip, const rig::FrameGrid& grid) {
    if (clip < 0) return;
    const rig::Clip& c = actor.clips[static_cast<std::size_t>(clip)];
    std::unordered_set<int> moving;
    for (const rig::Channel& ch : c.channels)
        if (ch.path != rig::Path::Weights) moving.insert(ch.joint);
    std::size_t allowed = allowedTransforms(actor);
    // What was recorded here came from no file; a scene file holds as many numbers as it needs.
    if (c.recorded)
        for (const rig::Channel& ch : c.channels) allowed += ch.values.size();
    if (moving.size() * static_cast<std::size_t>(grid.frames) > allowed)
        throw Failure(Error{actor.source.path, "clip \"" + actor.clipLabel(clip) + "\"",
                            std::to_string(grid.frames) + " frames of " + std::to_string(moving.size()) +
                                " moving joints are more than a file of its size may ask for; take a lower frame rate or a "
                                "shorter clip"});
}

}  // namespace

namespace {

/// Whether the joint is there to ride on or to hold; an actor of no name is the world.
bool stands(const scene::Scene& scene, const std::string& actorId, const std::string& joint) {
    if (actorId.empty()) return true;
    const scene::ActorEntry* a = scene.actor(actorId);
    return a && a->actor->skeleton.find(joint) != rig::kNoJoint;
}

}  // namespace

std::vector<const scene::Collider*> collidersMet(const scene::Scene& scene) {
    std::map<std::string_view, std::vector<bool>> swung;
    const auto swings = [&](const scene::Collider& c) {
        const scene::ActorEntry* a = scene.actor(c.actor);
        if (!a) return false;
        auto at = swung.find(a->id);
        if (at == swung.end()) at = swung.emplace(a->id, layers::swungJoints(scene, *a)).first;
        return static_cast<bool>(at->second[static_cast<std::size_t>(a->actor->skeleton.find(c.joint))]);
    };
    std::vector<const scene::Collider*> out;
    for (const scene::Collider& c : scene.colliders)
        if (c.on && stands(scene, c.actor, c.joint) && !(c.fitted && swings(c))) out.push_back(&c);
    return out;
}

layers::LayerContext contextOf(const scene::Scene& scene, const scene::ActorEntry& entry, const scene::Layer& layer,
                               std::vector<const scene::Collider*> colliders) {
    layers::LayerContext out{*entry.actor, layer};
    out.colliders = std::move(colliders);
    for (const scene::Wind& w : scene.winds)
        if (w.on && (w.layers.empty() || std::find(w.layers.begin(), w.layers.end(), layer.id) != w.layers.end()))
            out.winds.push_back(&w);
    for (const scene::Pin& p : scene.pins)
        if (p.on && p.actor == entry.id && stands(scene, p.actor, p.joint) && stands(scene, p.toActor, p.toJoint))
            out.pins.push_back(&p);
    out.cuts = scene.cuts;
    return out;
}

const ActorResult* Evaluation::actor(std::string_view id) const {
    const auto at = std::find_if(actors.begin(), actors.end(), [&](const ActorResult& a) { return a.id == id; });
    return at == actors.end() ? nullptr : &*at;
}

const LayerResult* Evaluation::layer(std::string_view id) const {
    for (const ActorResult& a : actors)
        for (const LayerResult& l : a.layers)
            if (l.id == id) return &l;
    return nullptr;
}

std::optional<Evaluator::Kept> Evaluator::known(const Key& key) {
    const std::lock_guard guard(m_lock);
    const auto at = m_kept.find(key);
    if (at == m_kept.end()) return std::nullopt;
    at->second.used = ++m_clock;
    return at->second;
}

void Evaluator::keep(const Key& key, TrackPtr track, const rig::Track* below, std::vector<std::string> remarks) {
    const std::lock_guard guard(m_lock);
    const std::size_t bytes = track->ownBytes(below);
    Kept& kept = m_kept[key];
    m_bytes += bytes - kept.bytes;
    kept = {std::move(track), std::move(remarks), bytes, ++m_clock};
    while (m_bytes > kMostBytes && m_kept.size() > 1) {
        const auto oldest = std::min_element(m_kept.begin(), m_kept.end(),
                                             [](const auto& a, const auto& b) { return a.second.used < b.second.used; });
        m_bytes -= oldest->second.bytes;
        m_kept.erase(oldest);
    }
}

std::size_t Evaluator::cachedBytes() const {
    const std::lock_guard guard(m_lock);
    return m_bytes;
}

TrackPtr Evaluator::bodyOf(const scene::Scene& scene, const scene::ActorEntry& entry) {
    return body(entry, entry.clipIndex(), scene.grid(entry), entry.onTrial());
}

TrackPtr Evaluator::body(const scene::ActorEntry& entry, int clip, const rig::FrameGrid& grid, bool trial, const Cancel& cancel) {
    const Key key = bodyKey(entry, clip, grid, trial);
    if (const auto kept = known(key)) return kept->track;
    if (!trial) refuseTooMuch(*entry.actor, clip, grid);
    const auto track = std::make_shared<const rig::Track>(trial ? rig::trialTrack(*entry.actor, entry.trial, entry.stand(), grid)
                                                                : rig::bodyTrack(*entry.actor, clip, grid, cancel));
    keep(key, track, nullptr);
    return track;
}

ActorResult Evaluator::evaluateActor(const scene::Scene& scene, const scene::ActorEntry& entry, int clip,
                                     const rig::FrameGrid& grid, const Cancel& cancel, int* simulated, const Progress& progress,
                                     bool trial) {
    const rig::Actor& actor = *entry.actor;
    ActorResult out;
    out.id = entry.id;
    Key key = bodyKey(entry, clip, grid, trial);
    out.body = body(entry, clip, grid, trial, cancel);
    std::size_t held = 0;
    const std::size_t allowed = 4 * allowedTransforms(actor);
    TrackPtr now = out.body;
    std::vector<TrackPtr> otherTracks;
    std::vector<Key> otherKeys;
    const auto others = [&](layers::LayerContext& context) {
        if (otherTracks.empty())
            for (const scene::ActorEntry& a : scene.actors) {
                if (a.id == entry.id) continue;
                otherTracks.push_back(bodyOf(scene, a));
                otherKeys.push_back(bodyKey(a, a.clipIndex(), scene.grid(a), a.onTrial()));
            }
        std::size_t k = 0;
        for (const scene::ActorEntry& a : scene.actors)
            if (a.id != entry.id) context.others.push_back({a.id, a.actor.get(), otherTracks[k++].get()});
    };
    const bool loops = out.body->closes(actor);
    const std::vector<const scene::Collider*> colliders = collidersMet(scene);
    const bool anySolo = std::any_of(scene.layers.begin(), scene.layers.end(), [](const auto& l) { return l.solo; });
    const auto count = static_cast<double>(
        std::count_if(scene.layers.begin(), scene.layers.end(), [&](const auto& l) { return l.actor == entry.id; }));
    double done = 0;
    for (const scene::Layer& layer : scene.layers) {
        if (layer.actor != entry.id) continue;
        if (cancel.asked()) throw Cancelled{};
        LayerResult r{layer.id, anySolo ? layer.solo : !layer.muted, {}, now, now, {}};
        const layers::LayerKind* kind = layers::findKind(layer.kind);
        if (!kind)
            r.problem = "this version has no layer kind \"" + layer.kind + "\"";
        else if (const auto problem = kind->problem(actor, layer))
            r.problem = *problem;
        if (r.acts && r.problem.empty()) {
            layers::LayerContext context = contextOf(scene, entry, layer, colliders);
            others(context);
            context.period = loops ? (grid.frames - 1) / grid.fps : 0;
            key = layerKey(key, context, otherKeys);
            TrackPtr full;
            if (auto kept = known(key)) {
                full = kept->track;
                r.remarks = std::move(kept->remarks);
            } else {
                try {
                    layers::Ran ran = layers::run(*kind, context, *now, cancel, [&](double share) {
                        if (progress) progress((done + share) / count);
                    });
                    full = std::make_shared<const rig::Track>(std::move(ran.track));
                    r.remarks = std::move(ran.remarks);
                } catch (const Failure& f) {
                    r.problem = f.error().sentence;
                    out.layers.push_back(std::move(r));
                    continue;
                }
                keep(key, full, now.get(), r.remarks);
                if (simulated) ++*simulated;
            }
            held += full->ownBytes(now.get()) / sizeof(Xform);
            if (held > allowed)
                throw Failure(Error{actor.source.path, "",
                                    "its layers ask for more motion than a file of its size allows (" +
                                        std::to_string(grid.frames) + " frames)"});
            r.result = layers::mixesWhole(layer) ? full : std::make_shared<const rig::Track>(layers::mixed(*now, *full, layer));
            Hasher mixing;
            mixing.key(key).real(layer.number("mix"));
            if (const auto keyed = layer.keys.find("mix"); keyed != layer.keys.end()) add(mixing, keyed->second);
            key = mixing.done();
            now = r.result;
        }
        out.layers.push_back(std::move(r));
        if (progress) progress(++done / count);
    }
    out.result = now;
    return out;
}

Evaluation Evaluator::evaluate(const scene::Scene& scene, const Cancel& cancel, const Progress& progress) {
    const auto from = std::chrono::steady_clock::now();
    Evaluation e;
    double done = 0;
    for (const scene::ActorEntry& a : scene.actors) {
        const auto part = [&](double p) {
            if (progress) progress((done + p) / static_cast<double>(scene.actors.size()));
        };
        e.actors.push_back(evaluateActor(scene, a, a.clipIndex(), scene.grid(a), cancel, &e.simulated, part, a.onTrial()));
        ++done;
    }
    e.milliseconds = std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - from).count();
    return e;
}

}  // namespace nutatio::pipeline
