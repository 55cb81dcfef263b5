#include "pipeline/bodies.h"

#include <unordered_set>

#include "pipeline/climber.h"
#include "pipeline/evaluate.h"
#include "rig/line.h"
#include "scene/set_piece.h"

namespace nutatio::pipeline {

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
    if (const auto kept = m_memory->known(key)) return kept->body;
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
    m_memory->keep(key, std::move(kept));
    return body;
}

}  // namespace nutatio::pipeline
