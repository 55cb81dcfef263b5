#include "pipeline/live.h"

#include <algorithm>

#include "layers/context_of.h"
#include "layers/filter.h"
#include "layers/registry.h"
#include "layers/run.h"

namespace nutatio::pipeline {

// A mover is stepped to a moment with the one after it in view, and the one after it is made by the layer below. So the lowest of
// n layers runs n steps ahead of what is shown, the next n - 1, and so on: each level keeps the few moments that the one above
// still asks for.

Live::Live(const scene::Scene& scene, const std::string& actorId, Evaluator& evaluator)
    : m_scene(scene), m_shot(std::make_shared<const scene::Shot>(scene.shot())) {
    const scene::ActorEntry& entry = *std::as_const(m_scene).actor(actorId);
    const int frames = m_scene.frames(*m_shot);
    PieceSettings pieces;
    for (const scene::ActorEntry& a : m_scene.actors)
        if (a.isPiece()) pieces[a.id] = evaluator.pieceIn(m_scene, *m_shot, a, {});
    m_items = itemsOf(m_scene, *m_shot, frames, pieces);
    std::vector<layers::LayerContext::Other> others;
    for (const scene::ActorEntry& a : m_scene.actors) {
        if (a.id == actorId) continue;
        m_others.push_back(evaluator.bodyOf(m_scene, *m_shot, a));
        others.push_back({a.id, a.actor.get(), m_others.back().get(), scene::placementOf(a)});
    }
    const TrackPtr body = m_clip = evaluator.bodyOf(m_scene, *m_shot, entry);
    const layers::ContextOf contexts(*m_shot, entry, [&](const std::string& name) { return evaluator.regionFor(entry, name); });
    const double period = contexts.periodOf(*body);
    for (const scene::Layer& l : m_scene.layers) {
        const layers::LayerKind* kind = layers::findKind(l.kind);
        if (l.actor != actorId || !kind || !m_scene.acts(l) || kind->problem(*entry.actor, l)) continue;
        if (!kind->simulated && !(kind->filter && (kind->filter->live || kind->filter->remembers))) continue;
        Level level;
        level.layer = &l;
        level.kind = kind;
        auto settings = std::make_shared<const scene::Resolved>(l, kind->settings, m_shot->keysOf({scene::List::Layers, l.id}),
                                                                m_shot->fps, frames, nullptr, m_shot->period(frames));
        level.context = std::make_unique<layers::LayerContext>(contexts.of(l, settings));
        level.context->others = others;
        level.context->period = period;
        surround(*level.context, m_scene, *m_shot, m_items, frames);
        const auto onSurface = [&](const scene::Mount& mount) { return mount.actor == actorId && mount.spot; };
        const layers::LayerContext& context = *level.context;
        level.onSurface =
            std::any_of(context.colliders.begin(), context.colliders.end(),
                        [&](const auto& b) { return onSurface(b.collider->mount); }) ||
            std::any_of(context.pins.begin(), context.pins.end(), [&](const auto& h) { return onSurface(h.pin->to); }) ||
            std::any_of(kind->settings.begin(), kind->settings.end(), [&](const scene::SettingSpec& row) {
                const auto mount = row.type == scene::SettingType::Mount
                                       ? scene::mountIn(entry.actor->skeleton, actorId, l.text(row.id))
                                       : std::nullopt;
                return mount && onSurface(*mount);
            });
        level.moves = kind->moves(*entry.actor, l);
        if (!kind->simulated && !kind->filter->live) level.remembers = kind->filter->remembers(*settings, m_shot->fps);
        level.shares.emplace(*kind, settings, m_shot->windowOf(l.id, frames));
        m_levels.push_back(std::move(level));
    }
}

void Live::start(double dt, Body body) {
    m_dt = dt;
    m_source = std::move(body);
    m_step = m_first = 0;
    m_body.clear();
    for (Level& l : m_levels) {
        l.made.clear();
        l.moved.clear();
        l.past.clear();
        l.movers.clear();
        l.first = 0;
    }
    m_result = at(m_levels.size(), 0)->locals;
}

void Live::step() {
    ++m_step;
    m_result = at(m_levels.size(), m_step)->locals;
    while (m_body.size() > 2 && m_first < m_step) {
        m_body.pop_front();
        ++m_first;
    }
    for (Level& l : m_levels)
        while (l.made.size() > 2 && l.first < m_step) {
            l.made.pop_front();
            l.moved.pop_front();
            ++l.first;
        }
}

/// What stands above so many levels at a step; null when it is not known yet.
const Live::Moment* Live::at(std::size_t levels, int step) {
    if (levels == 0) {
        while (m_first + static_cast<int>(m_body.size()) <= step) {
            auto next = m_source(m_first + static_cast<int>(m_body.size()));
            if (!next) return nullptr;
            m_body.push_back(std::move(*next));
        }
        return &m_body[static_cast<std::size_t>(step - m_first)];
    }
    Level& l = m_levels[levels - 1];
    while (l.first + static_cast<int>(l.made.size()) <= step) {
        const int next = l.first + static_cast<int>(l.made.size());
        if (!at(levels - 1, next)) return nullptr;
        make(l, levels - 1, next);
    }
    return &l.made[static_cast<std::size_t>(step - l.first)];
}

void Live::make(Level& l, std::size_t below, int step) {
    // Asking for the moment after may bring in more of the body: deques keep what they hold in place.
    const Moment* ahead = at(below, step + 1);
    const Moment& now = *at(below, step);
    if (!ahead) ahead = &now;
    const layers::PoseView pose(now.locals, now.frame, now.time), next(ahead->locals, ahead->frame, ahead->time);
    Moment out = now;
    std::vector<rig::PatchPtr> moved;
    if (l.onSurface) bend(l, below, now, step);
    if (l.kind->simulated) {
        if (l.movers.empty()) l.movers = l.kind->simulated->movers(*l.context, pose);
        for (const auto& mover : l.movers) {
            mover->pull(m_pulled, m_pullTo);
            if (step == 0)
                mover->start(m_dt, pose, next);
            else
                mover->step(m_dt, pose, next);
            m_scratch.resize(mover->joints().size());
            mover->write(pose, m_scratch);
            for (std::size_t k = 0; k < m_scratch.size(); ++k)
                out.locals[static_cast<std::size_t>(mover->joints()[k])] = m_scratch[k];
            for (std::size_t k = 0; k < mover->surfaces().size(); ++k) {
                auto patch = std::make_shared<rig::Patch>(mover->surfaces()[k]);
                patch->offsets.assign(patch->vertices.size(), Vec3f::Zero());
                mover->writeSurface(pose, k, patch->offsets);
                for (Vec3f& v : patch->offsets) v *= static_cast<float>(l.shares->at(now.frame, 0));
                moved.push_back(std::move(patch));
            }
        }
    } else if (l.kind->filter->live) {
        l.kind->filter->live(*l.context, pose, out.locals);
    } else {
        l.past.push_back(now);
        while (l.past.size() > 2 && l.past[1].time < now.time - l.remembers) l.past.pop_front();
        recall(l, now, out.locals);
    }
    if (!l.shares->whole())
        for (const layers::Moved& m : l.moves) {
            const auto j = static_cast<std::size_t>(m.joint);
            out.locals[j] = layers::mixed(now.locals[j], out.locals[j], l.shares->at(now.frame, m.along));
        }
    l.made.push_back(std::move(out));
    l.moved.push_back(std::move(moved));
}

void Live::bend(Level& l, std::size_t below, const Moment& now, int step) {
    l.surface = {};
    for (const auto& [instance, morph] : m_clip->morphs()) {
        const float* weights = morph->frame(within(now.frame, 0, m_clip->frames() - 1));
        l.surface.replace(
            std::make_shared<const rig::Morph>(rig::Morph{instance, morph->targets, {weights, weights + morph->targets}}));
    }
    for (std::size_t k = 0; k < below; ++k)
        if (const auto at = static_cast<std::size_t>(step - m_levels[k].first);
            step >= m_levels[k].first && at < m_levels[k].moved.size())
            for (const rig::PatchPtr& p : m_levels[k].moved[at]) l.surface.add(p);
    l.context->surface = &l.surface;
}

TrackPtr Live::surface() const {
    rig::Track out;
    for (const Level& l : m_levels)
        if (const auto at = static_cast<std::size_t>(m_step - l.first); m_step >= l.first && at < l.moved.size())
            for (const rig::PatchPtr& p : l.moved[at]) out.add(p);
    return out.patches().empty() ? nullptr : std::make_shared<const rig::Track>(std::move(out));
}

void Live::recall(Level& l, const Moment& now, std::vector<Xform>& locals) const {
    const double fps = m_shot->fps;
    const int frames = 1 + std::max(1, static_cast<int>(std::ceil(l.remembers * fps)));
    // What was stepped at the hand's rate, at the frames that the shot would have: before the first moment it held still.
    std::vector<rig::Column> columns(now.locals.size(), rig::Column(static_cast<std::size_t>(frames)));
    std::size_t at = 0;
    for (int f = 0; f < frames; ++f) {
        const double time = now.time - (frames - 1 - f) / fps;
        while (at + 1 < l.past.size() && l.past[at + 1].time <= time) ++at;
        const Moment& a = l.past[at];
        const Moment& b = l.past[std::min(at + 1, l.past.size() - 1)];
        const double u = b.time > a.time ? std::clamp((time - a.time) / (b.time - a.time), 0.0, 1.0) : 0;
        for (std::size_t j = 0; j < columns.size(); ++j)
            columns[j][static_cast<std::size_t>(f)] = u == 0 ? a.locals[j] : layers::mixed(a.locals[j], b.locals[j], u);
    }
    std::vector<rig::ColumnPtr> shared;
    for (rig::Column& c : columns) shared.push_back(std::make_shared<const rig::Column>(std::move(c)));
    const rig::Track below({frames, fps, 0, (frames - 1) / fps}, std::move(shared));
    // Its settings as they hold now; nothing of the shot's cuts and loop is told of a hand.
    layers::LayerContext context = *l.context;
    context.settings = std::make_shared<const scene::Resolved>(context.settings->heldAt(now.frame));
    context.apart = layers::apartOf(context.layer, context.settings);
    context.cuts.clear();
    context.period = 0;
    context.unfolds = true;
    for (auto& [joint, column] : l.kind->filter->run(context, below, {}).joints)
        locals[static_cast<std::size_t>(joint)] = column.back();
}

}  // namespace nutatio::pipeline
