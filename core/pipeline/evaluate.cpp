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
#include "pipeline/bodies.h"
#include "pipeline/climber.h"
#include "pipeline/context.h"
#include "pipeline/mixing.h"
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

constexpr std::size_t kMostMemos = 20000;

/// The shot as the scene shares it; null when it is none of the scene's.
std::shared_ptr<const scene::Shot> sharedShot(const scene::Scene& scene, const scene::Shot& shot) {
    const std::size_t at = scene.shots.find([&](const scene::Shot& s) { return s.id == shot.id; });
    return at < scene.shots.size() && &scene.shots[at] == &shot ? scene.shots.pointer(at) : nullptr;
}

}  // namespace

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

std::vector<layers::Came> Evaluation::cameOf(std::string_view layer) const {
    std::vector<layers::Came> out;
    for (const ActorResult& a : actors)
        for (const LayerResult& l : a.layers)
            std::copy_if(l.came.begin(), l.came.end(), std::back_inserter(out),
                         [&](const layers::Came& c) { return c.layer == layer; });
    return out;
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

Evaluator::Evaluator() : m_memory(std::make_shared<Memory>()) {}

/// One evaluation.
class Run {
  public:
    Run(Evaluator& evaluator, const scene::Scene& scene, const scene::Shot& shot, const Cancel& cancel, const Progress& progress)
        : m_evaluator(evaluator), m_scene(scene), m_cancel(cancel), m_progress(progress), m_sweeps(evaluator.m_sweeps) {
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
        auto lap = m_evaluator.m_laps.find(key);
        if (lap == m_evaluator.m_laps.end()) lap = m_evaluator.m_laps.emplace(key, body->lap(*a.actor)).first;
        c.lap = m_shot->loop != scene::Loop::Once ? lap->second : 0;
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
        const Plan& plan = fedPlan(m_evaluator.m_plans.of(layer, m_shot, *me.entry, m_frames), r.remarks);
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
            const Plan& plan = fedPlan(m_evaluator.m_plans.of(layer, m_shot, entry, m_frames), said);
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
        Motion out{r.body, c.bodyKeys, c.lap > 0 && c.lap < m_frames, c.bodyKey};
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
        const bool loops =
            me.lap > 0 && std::all_of(plan.elsewhere.begin(), plan.elsewhere.end(), [&](const scene::Mount& named) {
                const std::size_t c = climberOf(named.actor);
                return c == m_climbers.size() || m_climbers[c].lap == me.lap || m_out.actors[c].body->still();
            });
        w.context.period = loops && !me.goes ? me.lap / m_shot->fps : 0;
        w.context.onward = loops && me.goes;
        w.context.lap = loops ? me.lap : 0;
        if (plan.kind->goes) me.goes = true;
        if (w.context.onward && m_shot->loop == scene::Loop::Closed && plan.kind->simulated)
            r.remarks.push_back(
                "the body goes over the ground: what is simulated goes on from the lap before, and is not closed");
        w.context.closes = w.context.period > 0 && m_shot->loop == scene::Loop::Closed && plan.kind->simulated;
        if (!loops && m_shot->loop == scene::Loop::Closed && plan.kind->simulated)
            r.remarks.push_back(
                "the shot is marked as a loop, but its clip does not end as it begins: see the Loop page for what mends it");
        if (plan.kind->readsBody) {
            w.context.body = m_out.actors[at].body.get();
            h.key(me.bodyKey);
        }
        h.key(plan.key)
            .number(static_cast<std::uint64_t>(m_frames))
            .real(m_shot->fps)
            .real(w.context.period)
            .number(w.context.onward)
            .number(static_cast<std::uint64_t>(w.context.lap))
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
                const Plan& other = m_evaluator.m_plans.of(m_scene.layers.pointer(i), m_shot, *m_climbers[c].entry, m_frames);
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
                one->id == layer->id ? plan : fedPlan(m_evaluator.m_plans.of(one, m_shot, *m_climbers[c].entry, m_frames), said);
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
        // Layers that are solved together have flushed what they read already.
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
        if (auto kept = m_evaluator.m_memory->known(w.shown)) {
            w.made = std::move(kept);
            apply(w);
            return;
        }
        w.made = plan.shares->whole() ? nullptr : m_evaluator.m_memory->known(w.full);
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
        std::vector<const Sweeps::Boxes*> bases;
        for (const ItemsOfShot::Body& c : m_items.colliders) {
            if (!looksAt(plan, c.body.collider->id) || !isThere(c, m_scene, w.context.layer) || !canReach(w, c, bases)) continue;
            w.context.colliders.push_back(c.body);
            if (c.of.empty()) r.met.push_back(c.body.collider->id);
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
    bool canReach(const Waiting& w, const ItemsOfShot::Body& body, std::vector<const Sweeps::Boxes*>& bases) {
        if (body.farthest == 0 || w.plan->reach <= 0 || body.on.spot) return true;  // a plane, or who knows
        if (bases.empty())
            for (int root : w.plan->roots) bases.push_back(&m_sweeps.of(m_climbers[w.climber], root));
        const std::size_t c = climberOf(body.body.collider->mount.actor);
        return m_sweeps.meet(body, c < m_climbers.size() ? &m_climbers[c] : nullptr, bases, m_climbers[w.climber], w.plan->reach);
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
            if (w.made) m_evaluator.m_memory->keep(w.full, *w.made);
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

    void mix(Waiting& w) {
        const Climber& c = m_climbers[w.climber];
        Kept out = *w.made;
        out.changed = mixedOver(c.track, w.made->changed, *c.entry->actor, *w.plan->shares, w.plan->moves,
                                w.context.seal ? w.context.seal->kept() : nullptr);
        m_evaluator.m_memory->keep(w.shown, out);
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
    Sweeps m_sweeps;
    double m_done = 0;
    Evaluation m_out;
};

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

Evaluation Evaluator::evaluate(const scene::Scene& scene, const scene::Shot& shot, const Cancel& cancel,
                               const Progress& progress) {
    const auto from = std::chrono::steady_clock::now();
    if (m_laps.size() > kMostMemos) m_laps.clear();
    if (m_sweeps.size() > kMostMemos) m_sweeps.clear();
    m_plans.thin(4 * scene.layers.size() + 1000);
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
