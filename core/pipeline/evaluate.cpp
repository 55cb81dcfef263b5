#include "pipeline/evaluate.h"

#include <algorithm>
#include <chrono>

#include "layers/registry.h"
#include "layers/run.h"

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

Key bodyKey(const rig::Actor& actor, int clip, const rig::FrameGrid& g) {
    return Hasher()
        .key(actor.content)
        .number(static_cast<std::uint64_t>(clip))
        .number(static_cast<std::uint64_t>(g.frames))
        .real(g.fps)
        .real(g.start)
        .real(g.end)
        .done();
}

/// All that a layer's full-mix result depends on beside its input.
Key layerKey(const Key& below, const scene::Layer& layer, const std::vector<const scene::Collider*>& colliders) {
    Hasher h;
    h.key(below).text(layer.kind);
    for (const auto& [id, value] : layer.values)
        if (id != "mix") {
            h.text(id);
            add(h, value);
        }
    for (const scene::Collider* c : colliders) {
        h.text(c->joint).number(static_cast<std::uint64_t>(c->shape)).real(c->radius).real(c->length);
        h.bytes(c->offset.data(), 3 * sizeof(double)).bytes(c->turnDeg.data(), 3 * sizeof(double));
    }
    return h.done();
}

std::vector<const scene::Collider*> collidersFor(const scene::Scene& scene, const scene::ActorEntry& actor) {
    std::vector<const scene::Collider*> out;
    for (const scene::Collider& c : scene.colliders)
        if (c.on && c.actor == actor.id && actor.actor->skeleton.find(c.joint) != rig::kNoJoint) out.push_back(&c);
    return out;
}

}  // namespace

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

TrackPtr Evaluator::known(const Key& key) {
    const std::lock_guard guard(m_lock);
    const auto at = m_kept.find(key);
    if (at == m_kept.end()) return nullptr;
    at->second.used = ++m_clock;
    return at->second.track;
}

void Evaluator::keep(const Key& key, TrackPtr track, const rig::Track* below) {
    const std::lock_guard guard(m_lock);
    const std::size_t bytes = track->ownBytes(below);
    m_kept[key] = {std::move(track), bytes, ++m_clock};
    m_bytes += bytes;
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

ActorResult Evaluator::evaluateActor(const scene::Scene& scene, const scene::ActorEntry& entry, int clip,
                                     const rig::FrameGrid& grid, const Cancel& cancel, int* simulated, const Progress& progress) {
    const rig::Actor& actor = *entry.actor;
    ActorResult out;
    out.id = entry.id;
    Key key = bodyKey(actor, clip, grid);
    out.body = known(key);
    if (!out.body) {
        out.body = std::make_shared<const rig::Track>(rig::bodyTrack(actor, clip, grid));
        keep(key, out.body, nullptr);
    }
    TrackPtr now = out.body;
    const std::vector<const scene::Collider*> colliders = collidersFor(scene, entry);
    const auto count = static_cast<double>(
        std::count_if(scene.layers.begin(), scene.layers.end(), [&](const auto& l) { return l.actor == entry.id; }));
    double done = 0;
    for (const scene::Layer& layer : scene.layers) {
        if (layer.actor != entry.id) continue;
        if (cancel.asked()) throw Cancelled{};
        LayerResult r{layer.id, scene.acts(layer), {}, now, now};
        const layers::LayerKind* kind = layers::findKind(layer.kind);
        if (!kind)
            r.problem = "this version has no layer kind \"" + layer.kind + "\"";
        else if (const auto problem = kind->problem(actor, layer))
            r.problem = *problem;
        if (r.acts && r.problem.empty()) {
            key = layerKey(key, layer, colliders);
            TrackPtr full = known(key);
            if (!full) {
                full = std::make_shared<const rig::Track>(layers::run(*kind, {actor, layer, colliders}, *now, cancel));
                keep(key, full, now.get());
                if (simulated) ++*simulated;
            }
            const double mix = layer.number("mix");
            r.result = mix >= 1 ? full : std::make_shared<const rig::Track>(layers::mixed(*now, *full, mix));
            key = Hasher().key(key).real(mix).done();
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
        e.actors.push_back(evaluateActor(scene, a, a.clipIndex(), scene.grid(a), cancel, &e.simulated, part));
        ++done;
    }
    e.milliseconds = std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - from).count();
    return e;
}

}  // namespace nutatio::pipeline
