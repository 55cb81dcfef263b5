#include "pipeline/evaluate.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <deque>
#include <mutex>
#include <set>
#include <unordered_set>

#include "layers/bodily.h"
#include "layers/context_of.h"
#include "layers/filter.h"
#include "layers/joint_worlds.h"
#include "layers/meeting.h"
#include "layers/mover.h"
#include "layers/registry.h"
#include "pipeline/context.h"
#include "rig/morph_targets.h"
#include "rig/region.h"
#include "scene/change.h"
#include "scene/seal.h"
#include "scene/set_piece.h"

namespace nutatio::pipeline {

// Keys stand for motion before there is any: the key of a joint's column is made from the key of the layer that writes it, and
// that from its settings and the keys of the columns it reads. So a whole stack is keyed from the bottom up without running a
// layer, and what is not yet known runs afterwards, side by side where no layer reads or writes what another one writes. Only to
// find out which bodies a layer can reach must the motion below it be there.

namespace {

constexpr std::size_t kMostBytes = 768u << 20, kMostMemos = 20000;

/// `piece`: what a set piece is set to; null for a character.
Key bodyKey(const scene::Scene& scene, const scene::Shot& shot, const scene::ActorEntry& entry, const rig::FrameGrid& g,
            const scene::Resolved* piece) {
    Hasher h;
    if (piece) piece->hash(h);
    if (entry.onTrial()) {
        h.text(entry.trial.move)
            .text(entry.trial.joint)
            .text(entry.trial.role)
            .real(entry.trial.size)
            .real(entry.trial.speed)
            .number(entry.trial.onTop);
        if (entry.trial.kept) h.key(entry.trial.kept->key);
    }
    if (const rig::Line* line = shot.lineOf(entry.id)) {
        h.real(line->closing).real(line->fade);
        for (const rig::Stretch& s : line->stretches) h.text(s.clip).real(s.from).real(s.to).real(s.hold).real(s.blend);
    }
    return h.key(entry.actor->content)
        .number(static_cast<std::uint64_t>(scene.clipOf(shot, entry)))
        .number(static_cast<std::uint64_t>(g.frames))
        .real(g.fps)
        .real(g.start)
        .real(g.end)
        .done();
}

Key columnKey(const Key& layer, std::uint64_t column) {
    return Hasher().key(layer).number(column).done();
}

void add(Hasher& h, const Vec3& v) {
    h.bytes(v.data(), 3 * sizeof(double));
}

void add(Hasher& h, const scene::Placement& p) {
    h.bytes(p.turn.coeffs().data(), 4 * sizeof(double)).real(p.metres);
    add(h, p.place);
}

std::size_t allowedTransforms(const rig::Actor& actor) {
    std::size_t bytes = actor.source.text.size();
    for (const auto& b : actor.source.buffers) bytes += b->size();
    return Evaluator::kBaseTransforms + bytes / Evaluator::kBytesATransform;
}

/// The shot as the scene shares it; null when it is none of the scene's.
std::shared_ptr<const scene::Shot> sharedShot(const scene::Scene& scene, const scene::Shot& shot) {
    const std::size_t at = scene.shots.find([&](const scene::Shot& s) { return s.id == shot.id; });
    return at < scene.shots.size() && &scene.shots[at] == &shot ? scene.shots.pointer(at) : nullptr;
}

/// An actor on its way up the stack.
struct Climber {
    const scene::ActorEntry* entry = nullptr;
    scene::Placement placement;
    rig::Track track;
    std::vector<Key> keys, bodyKeys;  // by joint: now, and below all layers
    Key bodyKey;
    std::map<rig::MorphId, Key> morphKeys;  // of weights that a layer made
    bool loops = false, goes = false;       // its body comes round; a layer carries it over the ground
    std::size_t allowed = 0, held = 0;
    std::vector<char> read, written;  // by joint: by layers that wait to be run
    std::set<rig::MorphId> made;      // whose weights such layers make

    Key keyOf(const rig::MorphId& morph) const {
        const auto at = morphKeys.find(morph);
        return at == morphKeys.end() ? bodyKey : at->second;
    }
};

}  // namespace

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

std::size_t Changed::transforms() const {
    std::size_t n = 0;
    for (const auto& [joint, column] : joints) n += column->size();
    for (const auto& patch : patches) n += patch->offsets.size() / 4;
    return n;
}

TrackPtr ActorResult::below(std::size_t layer) const {
    if (layer >= layers.size()) return result;
    rig::Track t = *body;
    for (std::size_t i = 0; i < layer; ++i) {
        for (const auto& [joint, column] : layers[i].changed.joints) t.replace(joint, column);
        for (const auto& patch : layers[i].changed.patches) t.add(patch);
        for (const auto& morph : layers[i].changed.morphs) rig::replace(t, *actor, *morph);
    }
    return std::make_shared<const rig::Track>(std::move(t));
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

layers::ResolvedPtr Evaluation::settingsOf(const scene::Owner& owner) const {
    if (const LayerResult* l = owner.list == scene::List::Layers ? layer(owner.id) : nullptr) return l->settings;
    const auto at = items.find(owner);
    return at == items.end() ? nullptr : at->second;
}

const GaugeReading* Evaluation::gauge(std::string_view id) const {
    const auto at = std::find_if(gauges.begin(), gauges.end(), [&](const GaugeReadingPtr& g) { return g->id == id; });
    return at == gauges.end() ? nullptr : at->get();
}

TrackPtr Evaluation::below(std::string_view layer) const {
    for (const ActorResult& a : actors)
        for (std::size_t i = 0; i < a.layers.size(); ++i)
            if (a.layers[i].id == layer && !a.layers[i].changed.empty()) return a.below(i);
    return nullptr;
}

TrackPtr Evaluation::above(std::string_view layer) const {
    for (const ActorResult& a : actors)
        for (std::size_t i = 0; i < a.layers.size(); ++i)
            if (a.layers[i].id == layer && !a.layers[i].changed.empty()) return a.below(i + 1);
    return nullptr;
}

struct Evaluator::Kept : layers::Told {
    TrackPtr body;
    Changed changed;
    std::string problem;
    std::size_t bytes = 0;
    std::uint64_t used = 0;
};

/// What was made, by the key of what it was made of.
struct Evaluator::Memory {
    std::mutex lock;
    std::map<Key, std::shared_ptr<Kept>> kept;
    std::size_t bytes = 0;
    std::uint64_t clock = 0;
};

Evaluator::Evaluator() : m_memory(std::make_shared<Memory>()) {}

/// One evaluation.
class Run {
  public:
    Run(Evaluator& evaluator, const scene::Scene& scene, const scene::Shot& shot, const Cancel& cancel, const Progress& progress)
        : m_evaluator(evaluator), m_scene(scene), m_cancel(cancel), m_progress(progress) {
        m_shot = sharedShot(scene, shot);
        if (!m_shot) m_shot = std::make_shared<const scene::Shot>(shot);
        m_frames = scene.frames(*m_shot);
        m_readings.emplace(
            scene, *m_shot, m_frames,
            [this](const scene::ActorEntry& actor, std::string_view layer) { return motionAfter(actor, layer); },
            evaluator.m_readings);
    }

    Evaluation evaluate() {
        PieceSettings pieces;
        for (const scene::ActorEntry& a : m_scene.actors) climb(a, pieces);
        m_items = itemsOf(m_scene, *m_shot, m_frames, pieces);
        m_visited.resize(m_scene.layers.size());
        for (m_at = 0; m_at < m_scene.layers.size(); ++m_at)
            if (!m_visited[m_at]) visit(m_at);
        flush();
        feedItems();  // those that no layer came to use
        for (const scene::Gauge& g : m_scene.gauges) m_out.gauges.push_back(m_readings->of(g));
        for (std::size_t i = 0; i < m_climbers.size(); ++i) {
            Climber& c = m_climbers[i];
            ActorResult& r = m_out.actors[i];
            // In the order of the stack, whichever of them were known already: sums come out as the same bits.
            for (const LayerResult& l : r.layers)
                for (const rig::PatchPtr& patch : l.changed.patches) c.track.add(patch);
            const bool moved = std::any_of(r.layers.begin(), r.layers.end(), [](const auto& l) { return !l.changed.empty(); });
            r.result = moved ? std::make_shared<const rig::Track>(std::move(c.track)) : r.body;
        }
        return std::move(m_out);
    }

  private:
    using Plan = Evaluator::Plan;
    using Kept = Evaluator::Kept;
    using Boxes = Evaluator::Boxes;

    /// A layer that waits to be run.
    struct Waiting {
        std::size_t climber, result;
        const Plan* plan;
        layers::LayerContext context;
        Key full, shown;  // of what it makes, and of that mixed
        std::shared_ptr<const Kept> made;
        std::shared_ptr<const void> joined;  // keeps what it looks at
    };

    void climb(const scene::ActorEntry& a, PieceSettings& pieces) {
        Climber c;
        c.entry = &a;
        c.placement = scene::placementOf(a);
        layers::ResolvedPtr piece;
        if (a.isPiece()) {
            const scene::Owner owner{scene::List::Actors, a.id};
            std::vector<std::string> said;
            piece = pieces[a.id] = m_evaluator.pieceIn(m_scene, *m_shot, a, m_cancel, &said);
            if (!a.feeds.empty()) m_out.items[owner] = piece;
            if (!said.empty()) m_out.said[owner] = std::move(said);
        }
        const TrackPtr body = m_evaluator.bodyOf(m_scene, *m_shot, a, piece.get(), m_cancel);
        c.track = *body;
        const Key key = bodyKey(m_scene, *m_shot, a, m_scene.grid(*m_shot, a), piece.get());
        for (int j = 0; j < body->joints(); ++j) c.keys.push_back(columnKey(key, static_cast<std::uint64_t>(j)));
        c.bodyKeys = c.keys;
        c.bodyKey = key;
        auto loops = m_evaluator.m_closes.find(key);
        if (loops == m_evaluator.m_closes.end()) loops = m_evaluator.m_closes.emplace(key, body->closes(*a.actor)).first;
        c.loops = loops->second && m_shot->loop != scene::Loop::Once;
        c.allowed = 4 * allowedTransforms(*a.actor);
        c.read.resize(c.keys.size());
        c.written.resize(c.keys.size());
        m_climbers.push_back(std::move(c));
        m_out.actors.push_back({a.id, a.actor, body, nullptr, {}});
    }

    std::size_t climberOf(std::string_view actor) const {
        return static_cast<std::size_t>(
            std::find_if(m_climbers.begin(), m_climbers.end(), [&](const Climber& c) { return c.entry->id == actor; }) -
            m_climbers.begin());
    }

    void visit(std::size_t number) {
        if (m_cancel.asked()) throw Cancelled{};
        m_visited[number] = true;
        const std::shared_ptr<const scene::Layer> layer = m_scene.layers.pointer(number);
        const std::size_t at = climberOf(layer->actor);
        if (at == m_climbers.size()) return;
        Climber& me = m_climbers[at];
        LayerResult r;
        r.id = layer->id;
        const bool inShot = layer->shot.empty() || layer->shot == m_shot->id;
        r.acts = inShot && (m_items.anySolo ? layer->solo : !layer->muted);
        const Plan& plan = fedPlan(m_evaluator.planOf(layer, m_shot, *me.entry, m_frames), r.remarks);
        r.problem = plan.problem;
        r.settings = plan.settings;
        if (!inShot)
            r.idle = "it acts in another shot alone";
        else if (!r.acts)
            r.idle = m_items.anySolo && !layer->muted ? "another layer is soloed" : "it is muted";
        else if (r.problem.empty() && plan.shares->none())
            r.idle = "its mix, its amount or its intervals leave nothing of it";
        const bool act = plan.kind && plan.kind->act;
        if (act && r.acts && r.problem.empty() && !carriedOut(layer->actor)) {
            for (const layers::LayerKind* k : layers::kinds())
                if (layers::actsOut(*k)) r.idle = "there is no " + std::string(k->label) + " on its body to carry it out";
        }
        const bool runs = r.acts && r.problem.empty() && r.idle.empty() && !act;
        m_out.actors[at].layers.push_back(std::move(r));
        if (runs) start(at, m_out.actors[at].layers.size() - 1, plan, layer);
    }

    bool inForce(const scene::Layer& l) const {
        return (l.shot.empty() || l.shot == m_shot->id) && (m_items.anySolo ? l.solo : !l.muted);
    }

    /// Some layer of the actor carries out acts.
    bool carriedOut(const std::string& actor) const {
        return std::any_of(m_scene.layers.begin(), m_scene.layers.end(), [&](const scene::Layer& l) {
            const layers::LayerKind* kind = layers::findKind(l.kind);
            return l.actor == actor && kind && layers::actsOut(*kind) && inForce(l);
        });
    }

    /// Gives a layer the acts of its body, wherever in the stack they stand, and hashes them. What they aim at elsewhere is told.
    std::vector<scene::Mount> takeActs(Waiting& w, Hasher& h) {
        std::vector<scene::Mount> aims;
        if (!layers::actsOut(*w.plan->kind)) return aims;
        const scene::ActorEntry& entry = *m_climbers[w.climber].entry;
        for (std::size_t i = 0; i < m_scene.layers.size(); ++i) {
            const auto layer = m_scene.layers.pointer(i);
            const layers::LayerKind* kind = layers::findKind(layer->kind);
            if (layer->actor != entry.id || !kind || !kind->act || !inForce(*layer)) continue;
            std::vector<std::string> said;
            const Plan& plan = fedPlan(m_evaluator.planOf(layer, m_shot, entry, m_frames), said);
            if (!plan.problem.empty()) continue;
            m_kept.push_back(layer);
            w.context.acts.push_back(actOf(*layer, *kind, plan.settings, *m_shot, m_frames));
            const layers::LayerContext::Act& act = w.context.acts.back();
            act.settings->hash(h);
            h.bytes(act.share.data(), act.share.size() * sizeof(double));
            for (const scene::Interval& s : act.spans) h.real(s.from).real(s.to).real(s.easeIn).real(s.easeOut);
            aims.insert(aims.end(), plan.elsewhere.begin(), plan.elsewhere.end());
        }
        return aims;
    }

    /// The plan with what feeds make of its settings.
    const Plan& fedPlan(const Plan& plan, std::vector<std::string>& said) {
        if (plan.layer->feeds.empty() || !plan.kind) return plan;
        flush();
        const scene::FedCurves curves = m_readings->fed(*plan.layer, plan.kind->settings, m_at, said);
        if (curves.empty() || !plan.problem.empty()) return plan;
        Plan& mine = m_fedPlans.emplace_back(plan);
        mine.resolve(&curves);
        return mine;
    }

    /// Items follow their feeds from the first layer on that stands above all that their gauges read.
    void feedItems() {
        const auto feed = [&](auto& items, auto settingsOf, scene::List list, scene::Table table, auto keyOf) {
            for (auto& each : items) {
                const auto& [tuned, settings] = settingsOf(each);
                if (tuned->feeds.empty() || m_out.items.count({list, tuned->id}) > 0 || !m_readings->ready(*tuned, m_at))
                    continue;
                flush();
                const scene::FedCurves curves = m_readings->fed(*tuned, table, m_at, m_out.said[{list, tuned->id}]);
                *settings = std::make_shared<const scene::Resolved>(*tuned, table, m_shot->keysOf({list, tuned->id}), m_shot->fps,
                                                                    m_frames, &curves, m_shot->period(m_frames));
                m_out.items[{list, tuned->id}] = *settings;
                keyOf(each);
            }
        };
        feed(
            m_items.colliders, [](auto& b) { return std::pair(b.body.collider, &b.body.settings); }, scene::List::Colliders,
            scene::colliderTable(), [](auto& b) { b.settle(); });
        feed(
            m_items.winds, [](auto& w) { return std::pair(w.blow.wind, &w.blow.settings); }, scene::List::Winds,
            scene::windTable(), [](auto& w) { w.settle(); });
        feed(
            m_items.pins, [](auto& p) { return std::pair(p.hold.pin, &p.hold.settings); }, scene::List::Pins, scene::pinTable(),
            [](auto& p) { p.settle(); });
    }

    /// The motion of an actor above a layer, or below all; every layer up to there has run.
    Motion motionAfter(const scene::ActorEntry& actor, std::string_view layer) {
        const std::size_t at = climberOf(actor.id);
        const Climber& c = m_climbers[at];
        const ActorResult& r = m_out.actors[at];
        Motion out{r.body, c.bodyKeys, c.loops, c.bodyKey};
        Hasher bent;
        bent.key(c.bodyKey);
        if (layer.empty()) return out;
        const std::size_t upTo = m_scene.layers.find([&](const scene::Layer& l) { return l.id == layer; });
        if (upTo == m_scene.layers.size()) return out;
        std::size_t n = 0;
        for (; n < r.layers.size(); ++n) {
            const std::size_t place = m_scene.layers.find([&](const scene::Layer& l) { return l.id == r.layers[n].id; });
            if (place > upTo) break;
            for (const auto& [joint, column] : r.layers[n].changed.joints)
                out.keys[static_cast<std::size_t>(joint)] = columnKey(r.layers[n].key, static_cast<std::uint64_t>(joint));
            if (const Changed& made = r.layers[n].changed; !made.patches.empty() || !made.morphs.empty())
                bent.key(r.layers[n].key);
        }
        out.surface = bent.done();
        out.track = r.result || n < r.layers.size() ? r.below(n) : surfaced(at);
        return out;
    }

    /// A layer with all that it may read, hashed; what is to be known of that is told to `r`.
    Waiting prepared(std::size_t at, std::size_t result, const Plan& plan, const std::shared_ptr<const scene::Layer>& layer,
                     LayerResult& r, Hasher& h) {
        Climber& me = m_climbers[at];
        const layers::ContextOf contexts(*m_shot, *me.entry,
                                         [&](const std::string& name) { return m_evaluator.regionFor(*me.entry, name); });
        Waiting w{at, result, &plan, contexts.of(*layer, plan.settings), {}, {}, nullptr, nullptr};
        m_kept.push_back(layer);
        // What is felt must come round again, too.
        const bool loops = me.loops && std::all_of(plan.elsewhere.begin(), plan.elsewhere.end(), [&](const scene::Mount& named) {
                               const std::size_t c = climberOf(named.actor);
                               return c == m_climbers.size() || m_climbers[c].loops;
                           });
        w.context.period = loops && !me.goes ? (m_frames - 1) / m_shot->fps : 0;
        w.context.onward = loops && me.goes;
        if (plan.kind->goes) me.goes = true;
        if (w.context.onward && m_shot->loop == scene::Loop::Closed && plan.kind->simulated)
            r.remarks.push_back(
                "the body goes over the ground: what is simulated goes on from the lap before, and is not closed");
        w.context.closes = w.context.period > 0 && m_shot->loop == scene::Loop::Closed && plan.kind->simulated;
        if (!loops && m_shot->loop == scene::Loop::Closed && plan.kind->simulated)
            r.remarks.push_back(
                "the shot is marked as a loop, but its clip does not end as it begins: see the Loop page for what mends it");
        h.key(plan.key)
            .number(static_cast<std::uint64_t>(m_frames))
            .real(m_shot->fps)
            .real(w.context.period)
            .number(w.context.onward)
            .number(w.context.closes);
        add(h, me.placement);
        for (int j : plan.reads) h.key(me.keys[static_cast<std::size_t>(j)]);
        for (const rig::MorphId& m : plan.morphs) h.key(me.keyOf(m));
        for (int c : w.context.cuts) h.number(static_cast<std::uint64_t>(c));
        for (const scene::Interval& s : w.context.spans) h.real(s.from).real(s.to);
        if (const auto seal = m_shot->seals.find(layer->id); seal != m_shot->seals.end() && plan.kind->simulated) {
            w.context.seal = seal->second;
            h.key(seal->second->key());
        }
        for (const auto& [row, region] : w.context.regions) h.text(row).key(region->key).key(me.entry->actor->picture);
        meet(w, r, h);
        return w;
    }

    /// Layers that are solved together, each as it is to be run, with what they saw when the lowest of them was come to.
    struct Joined {
        struct One {
            std::string layer;
            std::shared_ptr<const layers::LayerContext> context;
            std::shared_ptr<const rig::Track> track;
            std::vector<std::string> met, remarks;
        };
        std::vector<One> ones;                                            // in the order of the stack
        std::map<std::size_t, std::shared_ptr<const rig::Track>> tracks;  // by climber: those of all actors that they look at
        Key key;
    };

    /// What is solved together with a layer; null: it goes alone. What stands below any of them is run first, so that all are
    /// simulated where the lowest stands.
    std::shared_ptr<const Joined> joinedWith(const std::shared_ptr<const scene::Layer>& layer, const Plan& plan) {
        const auto* together = plan.kind->simulated;
        if (!together || !together->joins || !together->joins(*plan.settings)) return nullptr;
        if (const auto known = m_joined.find(layer->id); known != m_joined.end()) return known->second;
        std::vector<std::size_t> numbers;
        std::vector<std::string> actors;
        for (std::size_t i = 0; i < m_scene.layers.size(); ++i) {
            const scene::Layer& l = *m_scene.layers.pointer(i);
            const std::size_t c = climberOf(l.actor);
            if (l.kind != layer->kind || c == m_climbers.size() || !inForce(l)) continue;
            if (l.id != layer->id) {
                if (m_visited[i] || std::find(actors.begin(), actors.end(), l.actor) != actors.end() || l.actor == layer->actor)
                    continue;
                const Plan& other = m_evaluator.planOf(m_scene.layers.pointer(i), m_shot, *m_climbers[c].entry, m_frames);
                if (!other.problem.empty() || other.shares->none() || !together->joins(*other.settings)) continue;
            }
            numbers.push_back(i);
            actors.push_back(l.actor);
        }
        if (numbers.size() < 2) return nullptr;
        for (const std::size_t upTo : numbers)
            for (std::size_t i = 0; i < upTo; ++i)
                if (!m_visited[i] && m_scene.layers.pointer(i)->actor == m_scene.layers.pointer(upTo)->actor) visit(i);
        flush();
        auto out = std::make_shared<Joined>();
        Hasher all;
        const auto tracked = [&](std::size_t climber) {
            auto& track = out->tracks[climber];
            if (!track) track = surfaced(climber);
            return track;
        };
        for (const std::size_t i : numbers) {
            const auto one = m_scene.layers.pointer(i);
            const std::size_t c = climberOf(one->actor);
            std::vector<std::string> said;
            const Plan& its =
                one->id == layer->id ? plan : fedPlan(m_evaluator.planOf(one, m_shot, *m_climbers[c].entry, m_frames), said);
            LayerResult aside;
            Hasher h;
            Waiting w = prepared(c, 0, its, one, aside, h);
            for (layers::LayerContext::Other& o : w.context.others) o.track = tracked(climberOf(o.id)).get();
            if (w.context.surface) w.context.surface = tracked(c).get();
            all.key(h.done());
            out->ones.push_back({one->id, std::make_shared<const layers::LayerContext>(std::move(w.context)), tracked(c),
                                 std::move(aside.met), std::move(aside.remarks)});
            m_joined[one->id] = out;
        }
        out->key = all.done();
        return out;
    }

    /// One of them, as it is to be run.
    Waiting oneOf(const std::shared_ptr<const Joined>& joined, std::size_t at, std::size_t result, const Plan& plan,
                  const std::string& layer, LayerResult& r, Hasher& h) {
        m_touched.clear();
        h.key(joined->key);
        std::vector<layers::LayerContext::Fellow> fellows;
        const Joined::One* mine = nullptr;
        for (const Joined::One& one : joined->ones) {
            if (one.layer == layer) {
                mine = &one;
                h.number(fellows.size());
                continue;
            }
            fellows.push_back({one.context, one.track, mine == nullptr});
        }
        r.met = mine->met;
        r.remarks.insert(r.remarks.end(), mine->remarks.begin(), mine->remarks.end());
        Waiting w{at, result, &plan, *mine->context, {}, {}, nullptr, joined};
        w.context.fellows = std::move(fellows);
        return w;
    }

    void start(std::size_t at, std::size_t result, const Plan& plan, const std::shared_ptr<const scene::Layer>& layer) {
        Climber& me = m_climbers[at];
        // What is solved together has seen what it looks at already.
        if ((layers::actsOut(*plan.kind) && m_joined.count(layer->id) == 0) || conflicts(me, plan)) flush();
        LayerResult r = m_out.actors[at].layers[result];
        const std::shared_ptr<const Joined> joined = joinedWith(layer, plan);
        Hasher h;
        Waiting w = joined ? oneOf(joined, at, result, plan, layer->id, r, h) : prepared(at, result, plan, layer, r, h);
        m_out.actors[at].layers[result] = std::move(r);
        w.full = h.done();
        w.shown = w.full;
        if (!plan.shares->whole()) {
            Hasher mixing;
            plan.shares->hash(mixing.key(w.full));
            w.shown = mixing.done();
        }
        m_out.actors[at].layers[result].key = w.shown;
        m_out.actors[at].layers[result].regions = w.context.regions;
        for (const layers::Moved& m : plan.moves)
            me.keys[static_cast<std::size_t>(m.joint)] = columnKey(w.shown, static_cast<std::uint64_t>(m.joint));
        for (const rig::MorphId& m : plan.morphs)
            me.morphKeys[m] = Hasher()
                                  .key(w.shown)
                                  .number(static_cast<std::uint64_t>(m.instance))
                                  .number(static_cast<std::uint64_t>(m.target))
                                  .done();
        if (auto kept = m_evaluator.known(w.shown)) {
            w.made = std::move(kept);
            apply(w);
            return;
        }
        w.made = plan.shares->whole() ? nullptr : m_evaluator.known(w.full);
        if (w.made) {
            mix(w);
            apply(w);
            return;
        }
        for (int j : plan.reads) me.read[static_cast<std::size_t>(j)] = true;
        for (int j : plan.writes) me.written[static_cast<std::size_t>(j)] = true;
        for (const auto& [actor, joint] : m_touched) m_climbers[actor].read[static_cast<std::size_t>(joint)] = true;
        me.made.insert(plan.morphs.begin(), plan.morphs.end());
        m_waiting.push_back(std::move(w));
    }

    /// What a layer's setting names, found once for each mount.
    const std::optional<scene::MountOn>& foundOnce(const scene::Mount& named) {
        const auto at = std::find_if(m_found.begin(), m_found.end(), [&](const auto& f) { return f.first == named; });
        return at != m_found.end() ? at->second : m_found.emplace_back(named, found(m_scene, named)).second;
    }

    /// An actor's motion so far, moved vertices and morphs too. Stays where it is until all is evaluated.
    const std::shared_ptr<const rig::Track>& surfaced(std::size_t climber) {
        rig::Track out = m_climbers[climber].track;
        for (const LayerResult& l : m_out.actors[climber].layers)
            for (const rig::PatchPtr& patch : l.changed.patches) out.add(patch);
        return m_surfaced.emplace_back(std::make_shared<const rig::Track>(std::move(out)));
    }

    /// Keys of all that bends a spot of an actor so far.
    void bends(std::size_t climber, const rig::SpotRider& spot, Hasher& h) const {
        const Climber& c = m_climbers[climber];
        if (spot.isMorphed()) {
            h.key(c.bodyKey);
            for (const auto& [id, key] : c.morphKeys)
                if (id.instance == spot.instance()) h.key(key);
        }
        for (const LayerResult& l : m_out.actors[climber].layers)
            for (const rig::PatchPtr& patch : l.changed.patches)
                if (spot.isMovedBy(*patch)) h.key(l.key);
    }

    static bool meetsAll(const Plan& plan) { return plan.kind->meets && plan.kind->meets->all(); }
    static bool meetsBodies(const Plan& plan) { return plan.kind->meets && plan.kind->meets->bodies; }

    static bool looksAt(const Plan& plan, const std::string& body) {
        if (!meetsBodies(plan) || !plan.kind->meets->onto) return meetsBodies(plan);
        const std::vector<std::string> ids = plan.kind->meets->onto(*plan.settings);
        return std::find(ids.begin(), ids.end(), body) != ids.end();
    }

    /// Whether what waits writes what this layer looks at or writes, or looks at what this one writes.
    bool conflicts(const Climber& me, const Plan& plan) {
        if (m_waiting.empty()) return false;
        const auto any = [](const std::vector<char>& marks, const std::vector<int>& joints) {
            return std::any_of(joints.begin(), joints.end(), [&](int j) { return marks[static_cast<std::size_t>(j)] != 0; });
        };
        if (any(me.written, plan.reads) || any(me.written, plan.writes) || any(me.read, plan.writes)) return true;
        if (std::any_of(plan.morphs.begin(), plan.morphs.end(), [&](const rig::MorphId& m) { return me.made.count(m) > 0; }))
            return true;
        if (!meetsBodies(plan) && plan.elsewhere.empty()) return false;
        const auto pending = [&](const std::string& actor, const scene::MountOn& on) {
            const std::size_t c = climberOf(actor);
            if (c == m_climbers.size()) return false;
            // Which vertices a layer moves only its run tells.
            if (on.spot && std::any_of(m_waiting.begin(), m_waiting.end(), [&](const Waiting& w) { return w.climber == c; }))
                return true;
            const rig::Skeleton& s = m_climbers[c].entry->actor->skeleton;
            for (int j = on.joint; j != rig::kNoJoint; j = s.joint(j).parent)
                if (m_climbers[c].written[static_cast<std::size_t>(j)]) return true;
            return false;
        };
        for (const scene::Mount& named : plan.elsewhere)
            if (const auto& on = foundOnce(named); on && pending(named.actor, *on)) return true;
        if (!meetsBodies(plan)) return false;
        return std::any_of(m_items.colliders.begin(), m_items.colliders.end(),
                           [&](const auto& c) {
                               return looksAt(plan, c.body.collider->id) && pending(c.body.collider->mount.actor, c.on);
                           }) ||
               (meetsAll(plan) && std::any_of(m_items.pins.begin(), m_items.pins.end(),
                                              [&](const auto& p) { return pending(p.hold.pin->to.actor, p.to); }));
    }

    /// Gives the layer what it can meet, and hashes that.
    void meet(Waiting& w, LayerResult& r, Hasher& h) {
        m_touched.clear();
        const Plan& plan = *w.plan;
        if (plan.kind->meets) feedItems();
        if (plan.kind->meets && (plan.kind->meets->wind || plan.kind->meets->all()))
            for (const ItemsOfShot::Wind& wind : m_items.winds)
                if (blowsOn(*wind.blow.wind, w.context.layer.id)) {
                    w.context.winds.push_back(wind.blow);
                    h.key(wind.key);
                }
        if (!meetsBodies(plan) && plan.elsewhere.empty()) return;
        std::vector<char> others(m_climbers.size(), false), bent = others;
        const auto touch = [&](const std::string& actor, const scene::MountOn& on) {
            const std::size_t c = climberOf(actor);
            if (c == m_climbers.size()) return;
            if (on.spot) {
                bent[c] = true;
                bends(c, *on.spot, h);
            }
            if (c != w.climber && !others[c]) {
                others[c] = true;
                add(h, m_climbers[c].placement);
            }
            const rig::Skeleton& s = m_climbers[c].entry->actor->skeleton;
            const auto read = [&](int joint) {
                for (int j = joint; j != rig::kNoJoint; j = s.joint(j).parent) {
                    h.key(m_climbers[c].keys[static_cast<std::size_t>(j)]);
                    m_touched.emplace_back(c, j);
                }
            };
            for (int j : on.joints()) read(j);
        };
        for (const scene::Mount& named : plan.elsewhere)
            if (const auto& on = foundOnce(named)) touch(named.actor, *on);
        for (const scene::Mount& named : takeActs(w, h))
            if (const auto& on = foundOnce(named)) touch(named.actor, *on);
        std::vector<const Boxes*> bases;
        for (const ItemsOfShot::Body& c : m_items.colliders) {
            if (!looksAt(plan, c.body.collider->id) || !canReach(w, c, bases)) continue;
            w.context.colliders.push_back(c.body);
            r.met.push_back(c.body.collider->id);
            h.key(c.key);
            touch(c.body.collider->mount.actor, c.on);
        }
        const auto mine = [&](int joint) { return std::binary_search(plan.writes.begin(), plan.writes.end(), joint); };
        for (const ItemsOfShot::Pin& p : m_items.pins) {
            if (!meetsAll(plan) || p.hold.pin->actor != m_climbers[w.climber].entry->id || !mine(p.joint)) continue;
            w.context.pins.push_back(p.hold);
            h.key(p.key);
            touch(p.hold.pin->to.actor, p.to);
        }
        for (std::size_t c = 0; c < m_climbers.size(); ++c) {
            const rig::Track* motion = bent[c] ? surfaced(c).get() : &m_climbers[c].track;
            if (c == w.climber && bent[c]) w.context.surface = motion;
            if (others[c])
                w.context.others.push_back(
                    {m_climbers[c].entry->id, m_climbers[c].entry->actor.get(), motion, m_climbers[c].placement});
        }
    }

    /// Whether a body may come within reach of the layer's joints in any stretch of the shot.
    bool canReach(const Waiting& w, const ItemsOfShot::Body& body, std::vector<const Boxes*>& bases) {
        if (body.farthest == 0 || w.plan->reach <= 0 || body.on.spot) return true;  // a plane, or who knows
        if (bases.empty())
            for (int root : w.plan->roots) bases.push_back(&path(w.climber, root));
        const std::size_t c = climberOf(body.body.collider->mount.actor);
        const bool rides = c < m_climbers.size();
        const Boxes standing(kStretches, Eigen::AlignedBox3d(body.middle));
        const Boxes* there = &standing;
        if (rides) {
            // The same body is looked at by every layer; its way changes only when a layer moves what carries it.
            auto& known = m_bodyPaths[&body];
            if (const Key key = pathKey(c, body.on.joint, body.middle); !known.second || known.first != key)
                known = {key, &path(c, body.on.joint, body.middle)};
            there = known.second;
        }
        const double size = body.farthest * (rides ? m_climbers[c].placement.metres : 1);
        const double reach = 1.05 * w.plan->reach * m_climbers[w.climber].placement.metres + size;
        for (const Boxes* base : bases)
            for (std::size_t k = 0; k < base->size(); ++k)
                if ((*base)[k].squaredExteriorDistance((*there)[k]) <= reach * reach) return true;
        return false;
    }

    Key pathKey(std::size_t climber, int joint, const Vec3& local) const {
        const Climber& c = m_climbers[climber];
        Hasher h;
        for (int j = joint; j != rig::kNoJoint; j = c.entry->actor->skeleton.joint(j).parent)
            h.key(c.keys[static_cast<std::size_t>(j)]);
        add(h, c.placement);
        add(h, local);
        return h.done();
    }

    static constexpr std::size_t kStretches = 8;

    /// Boxes [m, in the world] that a place on a joint keeps to in each stretch of the shot, with what it may overshoot between
    /// frames.
    const Boxes& path(std::size_t climber, int joint, const Vec3& local = Vec3::Zero()) {
        const Climber& c = m_climbers[climber];
        const rig::Skeleton& s = c.entry->actor->skeleton;
        const Key key = pathKey(climber, joint, local);
        if (const auto at = m_evaluator.m_paths.find(key); at != m_evaluator.m_paths.end()) return at->second;
        Boxes out(kStretches);
        layers::JointWorlds worlds(s, {joint});
        Vec3 last = Vec3::Zero();
        double step = 0;
        for (int f = 0; f < m_frames; ++f) {
            worlds.update(layers::PoseView(c.track, f));
            const Affine& w = worlds.world(joint);
            const Vec3 p = c.placement.toWorld(local == Vec3::Zero() ? w.t : Vec3(w.t + rotationOf(w.m) * local));
            if (f > 0) step = std::max(step, (p - last).norm());
            last = p;
            const std::size_t k = static_cast<std::size_t>(f) * kStretches / static_cast<std::size_t>(m_frames);
            out[k].extend(p);
            // A stretch ends where the next begins.
            if (k + 1 < kStretches && static_cast<std::size_t>(f + 1) * kStretches / static_cast<std::size_t>(m_frames) != k)
                out[k + 1].extend(p);
        }
        for (std::size_t k = 0; k < kStretches; ++k) {
            if (out[k].isEmpty()) out[k] = out[k == 0 ? 0 : k - 1];
            out[k].extend(Vec3(out[k].min() - Vec3::Constant(step)));
            out[k].extend(Vec3(out[k].max() + Vec3::Constant(step)));
        }
        return m_evaluator.m_paths.emplace(key, std::move(out)).first->second;
    }

    /// Runs what waits, side by side, and puts it into the tracks in the order of the stack.
    void flush() {
        if (m_waiting.empty()) return;
        std::atomic<bool> stopped{false};
        std::mutex telling;
        std::size_t done = 0;
        double told = 0;
        std::vector<double> shares(m_waiting.size(), 0);
        const auto tell = [&](std::size_t i, double share) {
            if (!m_progress) return;
            const std::lock_guard guard(telling);
            done += share - shares[i] > 0;
            shares[i] = std::max(shares[i], share);
            double all = 0;
            for (double s : shares) all += s;
            all = (m_done + all) / static_cast<double>(std::max<std::size_t>(1, m_scene.layers.size()));
            if (all > told + 0.005) m_progress(told = all);
        };
        tbb::parallel_for(std::size_t{0}, m_waiting.size(), [&](std::size_t i) {
            Waiting& w = m_waiting[i];
            Kept made;
            try {
                layers::Filtered f = layers::run(*w.plan->kind, w.context, m_climbers[w.climber].track, m_cancel,
                                                 [&](double share) { tell(i, 0.99 * share); });
                for (auto& [joint, column] : f.joints)
                    made.changed.joints.emplace_back(joint, std::make_shared<const rig::Column>(std::move(column)));
                made.changed.patches = std::move(f.patches);
                made.changed.morphs = std::move(f.morphs);
                static_cast<layers::Told&>(made) = std::move(f);
            } catch (const Cancelled&) {
                stopped = true;
                return;
            } catch (const Failure& f) {
                made.problem = f.error().sentence;
            }
            w.made = std::make_shared<const Kept>(std::move(made));
            tell(i, 1);
        });
        // What is finished stays known although the rest was given up.
        for (const Waiting& w : m_waiting)
            if (w.made) m_evaluator.keep(w.full, *w.made);
        if (stopped) throw Cancelled{};
        m_done += static_cast<double>(m_waiting.size());
        m_out.simulated += static_cast<int>(m_waiting.size());
        std::vector<Waiting> waiting = std::move(m_waiting);
        m_waiting.clear();
        for (Climber& c : m_climbers) {
            std::fill(c.read.begin(), c.read.end(), false);
            std::fill(c.written.begin(), c.written.end(), false);
            c.made.clear();
        }
        for (Waiting& w : waiting) {
            if (!w.plan->shares->whole() && w.made->problem.empty()) mix(w);
            apply(w);
        }
    }

    /// The layer's motion mixed over what is below it.
    void mix(Waiting& w) {
        const rig::Track& below = m_climbers[w.climber].track;
        const layers::Shares& shares = *w.plan->shares;
        const auto along = [&](int joint) {
            const auto at = std::find_if(w.plan->moves.begin(), w.plan->moves.end(),
                                         [&](const layers::Moved& m) { return m.joint == joint; });
            return at == w.plan->moves.end() ? 0.0 : at->along;
        };
        const scene::Seal* sealed = w.context.seal ? w.context.seal->kept() : nullptr;
        Kept out;
        static_cast<layers::Told&>(out) = *w.made;
        out.problem = w.made->problem;
        for (const auto& [joint, column] : w.made->changed.joints) {
            rig::Column c(static_cast<std::size_t>(m_frames));
            const double place = along(joint);
            for (std::size_t f = 0; f < c.size(); ++f) {
                const Xform& above = column->size() == 1 ? column->front() : (*column)[f];
                // What is sealed was mixed before.
                if (sealed && sealed->holds(static_cast<int>(f)))
                    c[f] = above;
                else
                    c[f] = layers::mixed(below.at(joint, static_cast<int>(f)), above, shares.at(static_cast<int>(f), place));
            }
            out.changed.joints.emplace_back(joint, std::make_shared<const rig::Column>(std::move(c)));
        }
        for (const auto& patch : w.made->changed.patches) {
            rig::Patch p = *patch;
            for (int f = 0; f < m_frames; ++f) {
                if (sealed && sealed->holds(f)) continue;
                const auto share = static_cast<float>(shares.at(f, 0));
                for (std::size_t v = 0; v < p.vertices.size(); ++v)
                    p.offsets[static_cast<std::size_t>(f) * p.vertices.size() + v] *= share;
            }
            out.changed.patches.push_back(std::make_shared<const rig::Patch>(std::move(p)));
        }
        for (const auto& morph : w.made->changed.morphs) {
            rig::MorphColumn m = *morph;
            const rig::Morph was = rig::morphOf(*m_climbers[w.climber].entry->actor, below, m.of.instance);
            for (int f = 0; f < m_frames; ++f) {
                float& v = m.weights[static_cast<std::size_t>(f)];
                const float from = was.frame(f)[m.of.target];
                v = from + static_cast<float>(shares.at(f, 0)) * (v - from);
            }
            out.changed.morphs.push_back(std::make_shared<const rig::MorphColumn>(std::move(m)));
        }
        m_evaluator.keep(w.shown, out);
        w.made = std::make_shared<const Kept>(std::move(out));
    }

    void apply(const Waiting& w) {
        Climber& me = m_climbers[w.climber];
        LayerResult& r = m_out.actors[w.climber].layers[w.result];
        r.problem = w.made->problem;
        std::vector<std::string> before = std::move(r.remarks);
        static_cast<layers::Told&>(r) = *w.made;
        r.remarks.insert(r.remarks.begin(), before.begin(), before.end());
        if (!r.problem.empty()) return;
        r.changed = w.made->changed;
        me.held += r.changed.transforms();
        if (me.held > me.allowed)
            throw Failure(
                Error{me.entry->actor->source.path, "",
                      "its layers ask for more motion than a file of its size allows (" + std::to_string(m_frames) + " frames)"});
        for (const auto& [joint, column] : r.changed.joints) {
            me.track.replace(joint, column);
            me.keys[static_cast<std::size_t>(joint)] = columnKey(w.shown, static_cast<std::uint64_t>(joint));
        }
        for (const auto& morph : r.changed.morphs) rig::replace(me.track, *me.entry->actor, *morph);
    }

    Evaluator& m_evaluator;
    const scene::Scene& m_scene;
    std::shared_ptr<const scene::Shot> m_shot;
    const Cancel& m_cancel;
    const Progress& m_progress;
    int m_frames = 1;
    ItemsOfShot m_items;
    std::vector<Climber> m_climbers;
    std::optional<Readings> m_readings;
    std::deque<Plan> m_fedPlans;                                    // stay where they are
    std::vector<char> m_visited;                                    // by place in the stack
    std::map<std::string, std::shared_ptr<const Joined>> m_joined;  // by layer
    std::size_t m_at = 0;                                           // place in the stack of the layer in hand
    std::vector<Waiting> m_waiting;
    std::vector<std::shared_ptr<const scene::Layer>> m_kept;
    std::deque<std::pair<scene::Mount, std::optional<scene::MountOn>>> m_found;
    std::deque<std::shared_ptr<const rig::Track>> m_surfaced;
    std::vector<std::pair<std::size_t, int>> m_touched;  // joints that the layer in hand looks at elsewhere
    std::unordered_map<const ItemsOfShot::Body*, std::pair<Key, const Boxes*>> m_bodyPaths;
    double m_done = 0;
    Evaluation m_out;
};

void Evaluator::Plan::resolve(const scene::FedCurves* fed) {
    shares.reset();
    settings = std::make_shared<const scene::Resolved>(*layer, kind->settings, shot->keysOf({scene::List::Layers, layer->id}),
                                                       shot->fps, frames, fed, shot->period(frames));
    shares.emplace(*kind, settings, shot->windowOf(layer->id, frames));
    morphs = kind->morphs ? kind->morphs(*actor, *settings) : std::vector<rig::MorphId>();
    Hasher h;
    h.text(layer->kind);
    settings->hash(h, shares->mix(), shares->amount());
    const auto reachOf = kind->meets ? kind->meets->reach : nullptr;
    reach = reachOf ? reachOf(*actor, *layer, *settings) : 0;
    const auto apart = layers::apartOf(*layer, settings);
    for (const auto& [joint, own] : apart) {
        h.text(joint);
        own->hash(h, shares->mix(), shares->amount());
        if (reachOf) reach = std::max(reach, reachOf(*actor, *layer, *own));
    }
    key = h.done();
}

const Evaluator::Plan& Evaluator::planOf(const std::shared_ptr<const scene::Layer>& layer,
                                         const std::shared_ptr<const scene::Shot>& shot, const scene::ActorEntry& entry,
                                         int frames) {
    Plan& p = m_plans[layer->id];
    const bool known = p.layer == layer && p.actor == entry.actor;
    if (known && p.shot == shot && p.frames == frames) return p;
    if (!known) {
        p = {};
        p.layer = layer;
        p.actor = entry.actor;
        p.kind = layers::findKind(layer->kind);
        if (!p.kind)
            p.problem = "this version has no layer kind \"" + layer->kind + "\"";
        else if (const auto problem = p.kind->problem(*entry.actor, *layer))
            p.problem = *problem;
    }
    p.shot = shot;
    p.frames = frames;
    if (!p.problem.empty()) return p;
    p.resolve(nullptr);
    if (known) return p;
    const rig::Skeleton& s = entry.actor->skeleton;
    p.moves = p.kind->moves(*entry.actor, *layer);
    // It may look at all that hangs on what it moves, and at what that hangs on.
    std::vector<char> below(static_cast<std::size_t>(s.size()), false), above = below;
    for (const layers::Moved& m : p.moves) {
        below[static_cast<std::size_t>(m.joint)] = true;
        for (int j = m.joint; j != rig::kNoJoint && !above[static_cast<std::size_t>(j)]; j = s.joint(j).parent)
            above[static_cast<std::size_t>(j)] = true;
    }
    // And at other joints that its settings name.
    for (const scene::SettingSpec& row : p.kind->settings)
        if (row.type == scene::SettingType::Mount)
            if (auto named = scene::mountIn(s, layer->actor, layer->text(row.id));
                named && (named->actor != layer->actor || named->spot))
                p.elsewhere.push_back(std::move(*named));
    for (const scene::SettingSpec& row : p.kind->settings)
        if (row.type == scene::SettingType::Joint || row.type == scene::SettingType::Mount)
            for (int j = s.find(layer->text(row.id)); j != rig::kNoJoint && !above[static_cast<std::size_t>(j)];
                 j = s.joint(j).parent)
                above[static_cast<std::size_t>(j)] = true;
    if (p.kind->reads)
        for (int read : p.kind->reads(*entry.actor, *layer))
            for (int j = read; j != rig::kNoJoint && !above[static_cast<std::size_t>(j)]; j = s.joint(j).parent)
                above[static_cast<std::size_t>(j)] = true;
    for (int j : s.order())
        if (const int up = s.joint(j).parent; up != rig::kNoJoint && below[static_cast<std::size_t>(up)])
            below[static_cast<std::size_t>(j)] = true;
    for (const layers::Moved& m : p.moves)
        if (const int up = s.joint(m.joint).parent; up == rig::kNoJoint || !below[static_cast<std::size_t>(up)])
            p.roots.push_back(m.joint);
    for (int j = 0; j < s.size(); ++j) {
        if (below[static_cast<std::size_t>(j)]) p.writes.push_back(j);
        if (below[static_cast<std::size_t>(j)] || above[static_cast<std::size_t>(j)]) p.reads.push_back(j);
    }
    return p;
}

std::shared_ptr<const rig::Region> Evaluator::regionFor(const scene::ActorEntry& entry, const std::string& name) {
    if (name.empty()) return nullptr;
    const std::vector<rig::MapStep> steps = scene::regionOf(entry, name);
    const auto at = std::find_if(m_regions.begin(), m_regions.end(), [&](const Laid& l) {
        return l.actor == entry.actor && l.steps == steps && l.maps == entry.maps;
    });
    if (at != m_regions.end()) return at->region;
    constexpr std::size_t kMost = 16;
    if (m_regions.size() >= kMost) m_regions.erase(m_regions.begin());
    m_regions.push_back({entry.actor, steps, entry.maps, rig::regionOf(*entry.actor, steps, entry.maps)});
    return m_regions.back().region;
}

std::shared_ptr<const Evaluator::Kept> Evaluator::known(const Key& key) {
    const std::lock_guard guard(m_memory->lock);
    const auto at = m_memory->kept.find(key);
    if (at == m_memory->kept.end()) return nullptr;
    at->second->used = ++m_memory->clock;
    return at->second;
}

void Evaluator::keep(const Key& key, Kept kept) {
    const std::lock_guard guard(m_memory->lock);
    kept.bytes = kept.body ? kept.body->ownBytes(nullptr) : 0;
    for (const auto& [joint, column] : kept.changed.joints) kept.bytes += column->size() * sizeof(Xform);
    for (const auto& patch : kept.changed.patches) kept.bytes += patch->offsets.size() * sizeof(Vec3f);
    for (const auto& morph : kept.changed.morphs) kept.bytes += morph->weights.size() * sizeof(float);
    kept.used = ++m_memory->clock;
    auto& mine = m_memory->kept[key];
    m_memory->bytes += kept.bytes - (mine ? mine->bytes : 0);
    mine = std::make_shared<Kept>(std::move(kept));
    while (m_memory->bytes > kMostBytes && m_memory->kept.size() > 1) {
        const auto oldest = std::min_element(m_memory->kept.begin(), m_memory->kept.end(),
                                             [](const auto& a, const auto& b) { return a.second->used < b.second->used; });
        m_memory->bytes -= oldest->second->bytes;
        m_memory->kept.erase(oldest);
    }
}

std::size_t Evaluator::cachedBytes() const {
    const std::lock_guard guard(m_memory->lock);
    return m_memory->bytes;
}

TrackPtr Evaluator::bodyOf(const scene::Scene& scene, const scene::Shot& shot, const scene::ActorEntry& entry,
                           const Cancel& cancel) {
    const layers::ResolvedPtr piece = entry.isPiece() ? pieceIn(scene, shot, entry, cancel) : nullptr;
    return bodyOf(scene, shot, entry, piece.get(), cancel);
}

layers::ResolvedPtr Evaluator::pieceIn(const scene::Scene& scene, const scene::Shot& shot, const scene::ActorEntry& piece,
                                       const Cancel& cancel, std::vector<std::string>* said) {
    const int frames = scene.frames(shot);
    scene::FedCurves curves;
    if (!piece.feeds.empty()) {
        scene::Tuned heard = piece;
        std::vector<std::string> without;
        std::erase_if(heard.feeds, [&](const auto& feed) {
            const scene::Gauge* g = scene.gauge(feed.second.gauge);
            const auto why = g ? scene::whyNotFollowed(scene, piece, *g) : std::nullopt;
            if (why) without.push_back(*why);
            return why.has_value();
        });
        // Gauges that a piece can follow look below all layers, and at nothing that is fed.
        const auto motion = [&](const scene::ActorEntry& a, std::string_view) {
            const layers::ResolvedPtr set = a.isPiece() ? pieceIn(scene, shot, a, cancel) : nullptr;
            const Key key = bodyKey(scene, shot, a, scene.grid(shot, a), set.get());
            Motion out{bodyOf(scene, shot, a, set.get(), cancel), {}, false, key};
            for (int j = 0; j < out.track->joints(); ++j) out.keys.push_back(columnKey(key, static_cast<std::uint64_t>(j)));
            out.loops = shot.loop != scene::Loop::Once && out.track->closes(*a.actor);
            return out;
        };
        curves = Readings(scene, shot, frames, motion, m_readings).fed(heard, scene::pieceTable(), 0, without);
        if (said) *said = std::move(without);
    }
    return std::make_shared<const scene::Resolved>(piece, scene::pieceTable(), shot.keysOf({scene::List::Actors, piece.id}),
                                                   shot.fps, frames, &curves, shot.period(frames));
}

TrackPtr Evaluator::bodyOf(const scene::Scene& scene, const scene::Shot& shot, const scene::ActorEntry& entry,
                           const scene::Resolved* piece, const Cancel& cancel) {
    const rig::FrameGrid grid = scene.grid(shot, entry);
    const Key key = bodyKey(scene, shot, entry, grid, piece);
    if (const auto kept = known(key)) return kept->body;
    const int clip = scene.clipOf(shot, entry);
    if (const rig::Line* played = entry.leavesClip() ? nullptr : shot.lineOf(entry.id))
        for (const rig::Stretch& each : played->stretches) refuseTooMuch(*entry.actor, entry.actor->findClip(each.clip), grid);
    else if (!entry.leavesClip())
        refuseTooMuch(*entry.actor, clip, grid);
    Kept kept;
    const rig::Line* line = shot.lineOf(entry.id);
    rig::Track track = entry.leavesClip() ? rig::trialTrack(*entry.actor, entry.trial, scene::stand(scene, shot, entry), grid)
                       : line             ? rig::lineTrack(*entry.actor, *line, grid, cancel)
                                          : rig::bodyTrack(*entry.actor, clip, grid, cancel);
    if (piece && !entry.onTrial()) {
        rig::Column column;
        for (int f = 0; f < (piece->anyKeyed() ? grid.frames : 1); ++f) column.push_back(scene::pieceAt(entry, *piece, f));
        track.replace(0, std::move(column));
    }
    if (entry.onTrial() && entry.trial.onTop) track = rig::trialOver(*entry.actor, entry.trial, std::move(track));
    kept.body = std::make_shared<const rig::Track>(std::move(track));
    const TrackPtr body = kept.body;
    keep(key, std::move(kept));
    return body;
}

Evaluation Evaluator::evaluate(const scene::Scene& scene, const scene::Shot& shot, const Cancel& cancel,
                               const Progress& progress) {
    const auto from = std::chrono::steady_clock::now();
    if (m_closes.size() > kMostMemos) m_closes.clear();
    if (m_paths.size() > kMostMemos) m_paths.clear();
    if (m_plans.size() > 4 * scene.layers.size() + 1000) m_plans.clear();
    const auto shared = sharedShot(scene, shot);
    if (m_last && shared && m_last->shot == shared && !scene::changeBetween(m_last->scene, scene).moves()) {
        Evaluation same = m_last->evaluation;
        same.simulated = 0;
        same.milliseconds = std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - from).count();
        return same;
    }
    m_last.reset();
    Evaluation e = Run(*this, scene, shot, cancel, progress).evaluate();
    e.milliseconds = std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - from).count();
    if (shared) m_last = Last{scene, shared, e};
    return e;
}

}  // namespace nutatio::pipeline
