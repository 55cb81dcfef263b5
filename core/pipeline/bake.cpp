#include "pipeline/bake.h"

#include <algorithm>
#include <set>

#include "base/thin.h"
#include "files/bvh.h"
#include "files/set_piece.h"
#include "layers/registry.h"
#include "pipeline/morphs.h"
#include "rig/morph_targets.h"

namespace nutatio::pipeline {

namespace {

double stray(const rig::Column& c, rig::Path path, int a, int b, int f, double angle, double length) {
    const double u = static_cast<double>(f - a) / (b - a);
    const Xform &xa = c[static_cast<std::size_t>(a)], &xb = c[static_cast<std::size_t>(b)], &x = c[static_cast<std::size_t>(f)];
    if (path == rig::Path::Turn) return x.r.angularDistance(blend(xa.r, xb.r, u)) / angle;
    const Vec3 &va = path == rig::Path::Move ? xa.t : xa.s, &vb = path == rig::Path::Move ? xb.t : xb.s,
               &v = path == rig::Path::Move ? x.t : x.s;
    return (v - (va + u * (vb - va))).norm() / length;
}

rig::Channel channelOf(const rig::Column& c, int joint, rig::Path path, const rig::FrameGrid& grid,
                       const std::vector<int>& frames) {
    rig::Channel ch;
    ch.joint = joint;
    ch.path = path;
    ch.width = path == rig::Path::Turn ? 4 : 3;
    Quat last = Quat::Identity();
    for (int f : frames) {
        ch.times.push_back(static_cast<float>(grid.time(f)));
        const Xform& x = c[static_cast<std::size_t>(f)];
        if (path == rig::Path::Turn) {
            last = sameSide(x.r, last);  // no flips: each key on the side of the one before
            for (int k = 0; k < 4; ++k) ch.values.push_back(static_cast<float>(last.coeffs()[k]));
        } else {
            const Vec3& v = path == rig::Path::Move ? x.t : x.s;
            for (int k = 0; k < 3; ++k) ch.values.push_back(static_cast<float>(v[k]));
        }
    }
    // Two frames may fall on one time at a clip's ragged end; the later one holds.
    while (ch.times.size() > 1 && ch.times[ch.times.size() - 1] <= ch.times[ch.times.size() - 2]) {
        ch.times.erase(ch.times.end() - 2);
        ch.values.erase(ch.values.end() - 2 * ch.width, ch.values.end() - ch.width);
    }
    return ch;
}

const Vec3& part(const Xform& x, rig::Path p) {
    return p == rig::Path::Move ? x.t : x.s;
}

bool differs(const rig::Column& a, const rig::Track& body, int joint, rig::Path path) {
    for (std::size_t f = 0; f < a.size(); ++f) {
        const Xform& b = body.at(joint, static_cast<int>(f));
        if (path == rig::Path::Turn ? a[f].r.coeffs() != b.r.coeffs() : part(a[f], path) != part(b, path)) return true;
    }
    return false;
}

class Baker {
  public:
    Baker(const scene::Scene& scene, const scene::ActorEntry& entry, const BakeOptions& options, Evaluator& evaluator,
          const Cancel& cancel)
        : m_scene(scene),
          m_entry(entry),
          m_options(options),
          m_evaluator(evaluator),
          m_cancel(cancel),
          m_scales(rig::scalesAbove(*entry.actor)),
          m_rest(std::make_shared<const rig::Track>(rig::bodyTrack(*entry.actor, -1, {1, 24, 0, 0}))) {}

    /// The rest pose, of one frame and without weights.
    const rig::Track& rest() const { return *m_rest; }

    /// The actor's motion in a shot, with everything outside the asked range as it was.
    ActorResult evaluate(const scene::Shot& shot, BakeReport& report) {
        ActorResult r = *m_evaluator.evaluate(m_scene, shot, m_cancel).actor(m_entry.id);
        const int clip = m_scene.clipOf(shot, m_entry);
        const std::string where = !shot.name.empty() ? "shot \"" + shot.name + "\", "
                                  : clip >= 0        ? "clip \"" + m_entry.actor->clipLabel(clip) + "\", "
                                                     : std::string();
        for (const LayerResult& l : r.layers)
            if (!l.problem.empty()) {
                report.warnings.push_back(where + "layer \"" + l.id + "\" does nothing: " + l.problem);
            } else {
                for (const std::string& remark : l.remarks)
                    report.warnings.push_back(where + "layer \"" + l.id + "\": " + remark);
            }
        if (m_options.firstFrame > 0) r.result = std::make_shared<const rig::Track>(ranged(r));
        leaveOut(r);
        return r;
    }

    files::NewClip clipOf(int clip, bool line, const std::optional<std::string>& beside, const ActorResult& r,
                          BakeReport& report) const {
        files::NewClip out;
        // A line is no clip of the source either.
        const bool recorded = line || (clip >= 0 && m_entry.actor->clips[static_cast<std::size_t>(clip)].recorded);
        const bool piece = m_entry.isPiece();
        // The source has no clip of this name: it goes out as a new one, with the body's own motion in it.
        out.source = recorded ? -1 : clip;
        out.beside = recorded && !line && !beside ? m_entry.actor->clips[static_cast<std::size_t>(clip)].name : beside;
        const rig::Track& before = recorded || piece ? *m_rest : *r.body;
        const rig::FrameGrid& g = r.result->grid();
        BakeReport::ClipReport said;
        said.name = beside ? *beside : clip >= 0 ? m_entry.actor->clipLabel(clip) : "rest pose";
        said.frames = g.frames;
        for (int j = 0; j < r.result->joints(); ++j) {
            if (r.result->column(j) == before.column(j) || ((recorded || piece) && r.result->holdsStill(j))) continue;
            const rig::Column& c = *r.result->column(j);
            bool moved = false;
            for (rig::Path p : {rig::Path::Move, rig::Path::Turn, rig::Path::Scale}) {
                if (!differs(c, before, j, p)) continue;
                moved = true;
                const double length =
                    m_options.tolerance.heightShare * m_entry.actor->height / m_scales[static_cast<std::size_t>(j)];
                std::vector<int> frames;
                if (m_options.tolerance.keyEveryFrame())
                    for (int f = 0; f < g.frames; ++f) frames.push_back(f);
                else
                    frames = keyFrames(c, p, radians(m_options.tolerance.angleDeg),
                                       p == rig::Path::Scale ? m_options.tolerance.heightShare : length);
                out.channels.push_back(channelOf(c, j, p, g, frames));
                measureError(c, j, p, frames, length, said);
                said.keys += static_cast<int>(out.channels.back().times.size());
                said.framesKeys += g.frames;
            }
            said.joints += moved ? 1 : 0;
        }
        if (clip >= 0 && !beside)
            sayWhatBecameLinear(m_entry.actor->clips[static_cast<std::size_t>(clip)], out, said.name, report);
        report.clips.push_back(said);
        return out;
    }

  private:
    bool inRange(int frame) const { return frame + 1 >= m_options.firstFrame && frame + 1 <= m_options.lastFrame; }

    /// The result within the asked range, the body outside: joints, vertices and morph weights. Where layers carry the actor as a
    /// whole, it is carried all through: it would leap at the ends of the range.
    rig::Track ranged(const ActorResult& r) const {
        rig::Track out = *r.result, outside = *r.body;
        for (std::size_t k = 0; k < r.layers.size(); ++k) {
            if (!carries(r.layers[k].id)) continue;
            const TrackPtr below = r.below(k), above = r.below(k + 1);
            for (const auto& [joint, column] : r.layers[k].changed.joints) {
                rig::Column c;
                for (int f = 0; f < out.frames(); ++f)
                    c.push_back(
                        movedBy(above->at(joint, f).affine() * below->at(joint, f).affine().inverse(), outside.at(joint, f)));
                outside.replace(joint, std::move(c));
            }
        }
        for (int j = 0; j < out.joints(); ++j) {
            if (out.column(j) == outside.column(j)) continue;
            rig::Column c;
            for (int f = 0; f < out.frames(); ++f) c.push_back((inRange(f) ? *r.result : outside).at(j, f));
            out.replace(j, std::move(c));
        }
        for (const auto& [id, patch] : r.result->patches()) {
            rig::Patch cut = *patch;
            for (std::size_t k = 0; k < cut.offsets.size(); ++k)
                if (!inRange(static_cast<int>(k / cut.vertices.size()))) cut.offsets[k].setZero();
            out.replace(std::make_shared<const rig::Patch>(std::move(cut)));
        }
        for (const auto& [instance, morph] : r.result->morphs()) {
            rig::Morph cut = *morph;
            const rig::Morph was = rig::morphOf(*m_entry.actor, *r.body, instance);
            for (int f = 0; f < out.frames(); ++f)
                if (!inRange(f)) std::copy_n(was.frame(f), cut.targets, cut.weights.begin() + f * cut.targets);
            out.replace(std::make_shared<const rig::Morph>(std::move(cut)));
        }
        return out;
    }

    /// The row by which a layer that carries the actor as a whole may be left out; null for all others.
    const scene::SettingSpec* leftOutRow(const scene::Layer* layer) const {
        const layers::LayerKind* kind = layer ? layers::findKind(layer->kind) : nullptr;
        return kind ? kind->setting(scene::Role::LeftOut) : nullptr;
    }
    bool carries(const std::string& layer) const { return leftOutRow(m_scene.layer(layer)) != nullptr; }

    static Xform movedBy(const Affine& by, Xform x) {
        x.t = by.apply(x.t);
        x.r = (rotationOf(by.m) * x.r).normalized();
        return x;
    }

    /// Takes out what layers did to joints that is not to go out, under all that stands above them.
    void leaveOut(ActorResult& r) const {
        rig::Track out = *r.result;
        bool any = false;
        for (std::size_t k = 0; k < r.layers.size(); ++k) {
            const scene::Layer* layer = m_scene.layer(r.layers[k].id);
            const scene::SettingSpec* row = leftOutRow(layer);
            if (!row || layer->text(row->id) != "without" || r.layers[k].changed.joints.empty()) continue;
            any = true;
            const TrackPtr below = r.below(k), above = r.below(k + 1);
            for (const auto& [joint, column] : r.layers[k].changed.joints) {
                rig::Column c;
                for (int f = 0; f < out.frames(); ++f)
                    c.push_back(movedBy(below->at(joint, f).affine() * above->at(joint, f).affine().inverse(), out.at(joint, f)));
                out.replace(joint, std::move(c));
            }
        }
        if (any) r.result = std::make_shared<const rig::Track>(std::move(out));
    }

    /// How far what is blended between keys lies from the frames that were simulated.
    void measureError(const rig::Column& c, int joint, rig::Path p, const std::vector<int>& frames, double length,
                      BakeReport::ClipReport& said) const {
        const double angle = radians(std::max(m_options.tolerance.angleDeg, 1e-9));
        const double unit = p == rig::Path::Scale ? m_options.tolerance.heightShare : length;
        double worst = 0;
        for (std::size_t k = 1; k < frames.size(); ++k)
            for (int f = frames[k - 1] + 1; f < frames[k]; ++f)
                worst = std::max(worst, stray(c, p, frames[k - 1], frames[k], f, angle, std::max(unit, 1e-12)));
        double& error = p == rig::Path::Turn ? said.errorDeg : said.errorShare;
        const double is = worst * (p == rig::Path::Turn ? m_options.tolerance.angleDeg : m_options.tolerance.heightShare);
        if (is <= error) return;
        error = is;
        said.worst = m_entry.actor->skeleton.label(joint);
    }

    /// The keys that go out are linear; what was stepped or cubic on a joint that a layer moves is so no more.
    void sayWhatBecameLinear(const rig::Clip& clip, const files::NewClip& out, const std::string& name,
                             BakeReport& report) const {
        for (const auto& [was, word] : {std::pair{rig::Interpolation::Step, "stepped"}, {rig::Interpolation::Cubic, "cubic"}}) {
            std::vector<int> joints;
            for (const rig::Channel& c : clip.channels)
                if (c.interpolation == was && std::any_of(out.channels.begin(), out.channels.end(), [&](const rig::Channel& o) {
                        return o.joint == c.joint && o.path == c.path;
                    }))
                    joints.push_back(c.joint);
            std::sort(joints.begin(), joints.end());
            joints.erase(std::unique(joints.begin(), joints.end()), joints.end());
            if (joints.empty()) continue;
            std::string names;
            for (std::size_t k = 0; k < std::min<std::size_t>(3, joints.size()); ++k)
                names += (k ? ", " : "") + m_entry.actor->skeleton.label(joints[k]);
            if (joints.size() > 3) names += " and " + std::to_string(joints.size() - 3) + " more";
            report.warnings.push_back("clip \"" + name + "\": the " + word + " keys of " + names +
                                      " are linear ones now, on the frames of the shot");
        }
    }

    const scene::Scene& m_scene;
    const scene::ActorEntry& m_entry;
    const BakeOptions& m_options;
    Evaluator& m_evaluator;
    const Cancel& m_cancel;
    std::vector<double> m_scales;
    TrackPtr m_rest;
};

/// Weights of morph targets, old and new, where a layer changed them: a key on every frame.
void addWeights(const rig::Actor& actor, const rig::Track& body, const rig::Track& result, const MorphFit& fit, std::size_t shot,
                files::NewClip& clip, BakeReport::ClipReport& said) {
    for (std::size_t i = 0; i < actor.instances.size(); ++i) {
        const auto instance = static_cast<int>(i);
        const auto was = body.morphs().find(instance), is = result.morphs().find(instance);
        const bool changed = is != result.morphs().end() && (was == body.morphs().end() || was->second != is->second);
        const int more = fit.count(instance);
        if (!changed && more == 0) continue;
        const std::vector<float>& rest = actor.meshes[static_cast<std::size_t>(actor.instances[i].mesh)].weights;
        rig::Channel c;
        c.joint = actor.instances[i].joint;
        c.path = rig::Path::Weights;
        c.width = static_cast<int>(rest.size()) + more;
        for (int f = 0; f < result.frames(); ++f) {
            c.times.push_back(static_cast<float>(result.grid().time(f)));
            for (std::size_t t = 0; t < rest.size(); ++t)
                c.values.push_back(is != result.morphs().end() ? is->second->frame(f)[t] : rest[t]);
            for (int t = 0; t < more; ++t)
                c.values.push_back(fit.weights(instance, shot)[static_cast<std::size_t>(f * more + t)]);
        }
        if (c.times.size() > 1 && c.times.back() <= c.times[c.times.size() - 2]) {
            // Two frames may fall on one time at a clip's ragged end; the later one holds.
            c.times.erase(c.times.end() - 2);
            c.values.erase(c.values.end() - 2 * c.width, c.values.end() - c.width);
        }
        said.keys += static_cast<int>(c.times.size());
        said.framesKeys += result.frames();
        clip.channels.push_back(std::move(c));
    }
}

Result<const scene::ActorEntry*> chooseActor(const scene::Scene& scene, const std::string& wanted) {
    if (scene.actors.empty()) return refused("the scene has no actor to hand off");
    if (!wanted.empty()) {
        if (const scene::ActorEntry* a = scene.actor(wanted)) return a;
        return refused("the scene has no actor \"" + wanted + "\"");
    }
    const scene::ActorEntry* found = nullptr;
    for (const scene::ActorEntry& a : scene.actors) {
        if (std::none_of(scene.layers.begin(), scene.layers.end(), [&](const auto& l) { return l.actor == a.id; })) continue;
        if (found) return refused("several actors have layers; say which one with --actor");
        found = &a;
    }
    if (found) return found;
    // Set pieces go out only when they are asked for.
    for (const scene::ActorEntry& a : scene.actors)
        if (!a.isPiece()) return &a;
    return &scene.actors.front();
}

/// A shot to hand off, and whether it takes the place of its clip or stands beside it under its own name.
struct Job {
    scene::Shot shot;
    int clip = -1;
    bool beside = false;
};

/// A shot's name, or that with a number behind it where a clip is called so: a shot is often called as the clip that it was made
/// of.
std::string ownName(const std::string& shot, std::set<std::string>& names) {
    std::string name = shot;
    for (int n = 2; !names.insert(name).second; ++n) name = shot + " " + std::to_string(n);
    return name;
}

Result<std::vector<Job>> jobsFor(const scene::Scene& scene, const scene::ActorEntry& entry, const BakeOptions& options) {
    const rig::Actor& actor = *entry.actor;
    std::vector<Job> jobs;
    const auto firstOf = [&](int clip) -> const scene::Shot* {
        for (const scene::Shot& s : scene.shots)
            if (s.lead == entry.id && scene.clipOf(s, entry) == clip && !s.lineOf(entry.id)) return &s;
        return nullptr;
    };
    const auto addClip = [&](int clip) {
        if (const scene::Shot* s = firstOf(clip)) {
            jobs.push_back({*s, clip});
            return;
        }
        // A clip that no shot shows plays by itself.
        scene::Shot s;
        s.fps = scene.shot().fps;
        s.lead = entry.id;
        if (clip >= 0) s.clips[entry.id] = scene::clipReference(actor, clip);
        jobs.push_back({std::move(s), clip});
    };
    if (options.shot) {
        const scene::Shot* s = scene.findShot(*options.shot);
        if (!s) return refused("there is no shot \"" + *options.shot + "\"");
        const int clip = scene.clipOf(*s, entry);
        jobs.push_back({*s, clip, entry.isPiece() || s->lineOf(entry.id) || (firstOf(clip) != s && firstOf(clip) != nullptr)});
    } else if (options.clip) {
        const int clip = actor.findClip(*options.clip);
        if (clip < 0) return refused("there is no clip \"" + *options.clip + "\"");
        addClip(clip);
    } else if (actor.clips.empty()) {
        jobs.push_back({scene.shot(), -1, entry.isPiece()});
    } else {
        for (std::size_t c = 0; c < actor.clips.size(); ++c) addClip(static_cast<int>(c));
        // What is arranged in shots goes out beside the clips that it was made of.
        for (const scene::Shot& s : scene.shots)
            if (s.lead == entry.id && s.lineOf(entry.id)) jobs.push_back({s, scene.clipOf(s, entry), true});
    }
    if (options.fps > 0)
        for (Job& j : jobs) j.shot.fps = options.fps;
    return jobs;
}

/// A BVH's channels are one block over one grid, so bare joints go out with the source's own clip under the new keys.
void addSourceMotion(const rig::Actor& actor, files::NewClip& clip) {
    if (clip.source < 0) return;
    for (rig::Channel ch : actor.clips[static_cast<std::size_t>(clip.source)].channels) {
        const bool replaced = std::any_of(clip.channels.begin(), clip.channels.end(),
                                          [&](const rig::Channel& c) { return c.joint == ch.joint && c.path == ch.path; });
        if (!replaced) clip.channels.push_back(std::move(ch));
    }
    for (rig::Channel& c : clip.channels)
        if (c.path == rig::Path::Move)
            for (float& v : c.values) v = static_cast<float>(v * actor.metresPerUnit);
}

}  // namespace

std::vector<int> keyFrames(const rig::Column& column, rig::Path path, double angle, double length) {
    return thinned(static_cast<int>(column.size()), 1.0,
                   [&](int a, int b, int f) { return stray(column, path, a, b, f, angle, length); });
}

namespace {

/// Without `out` nothing is written.
Result<BakeReport> bakeInside(const scene::Scene& given, const BakeOptions& options,
                              const std::optional<std::filesystem::path>& out, Evaluator& evaluator, const Cancel& cancel,
                              const Progress& progress) {
    scene::Scene scene = scene::withoutTrials(given);
    if (const scene::ActorEntry* a = std::as_const(scene).actor(options.actor); a && a->isPiece())
        files::shapePiece(*scene.actor(options.actor), true);
    const auto chosen = chooseActor(scene, options.actor);
    if (!chosen) return chosen.error();
    const scene::ActorEntry& entry = *chosen.value();
    const rig::Actor& actor = *entry.actor;
    const bool bvhOut = out && out->extension() == ".bvh";
    if (bvhOut && actor.source.format != rig::SourceDocument::Format::Bvh)
        return Error{out->string(), "", "only what came from a BVH file can be written as BVH; choose .glb or .gltf"};
    const auto asked = jobsFor(scene, entry, options);
    if (!asked) return asked.error();
    const std::vector<Job>& jobs = asked.value();
    if (options.beside && jobs.size() > 1)
        return refused("one new name cannot serve " + std::to_string(jobs.size()) + " clips; choose one with --clip");

    BakeReport report;
    Baker baker(scene, entry, options, evaluator, cancel);
    std::vector<files::NewClip> fresh;
    MorphFit morphs(actor);
    std::vector<ActorResult> results;
    std::set<std::string> names;
    for (const rig::Clip& c : *actor.clips) names.insert(c.name);
    for (std::size_t k = 0; k < jobs.size(); ++k) {
        const int frames = scene.frames(jobs[k].shot);
        if (options.firstFrame > 0 && (options.lastFrame < options.firstFrame || options.lastFrame > frames))
            return refused("the range " + std::to_string(options.firstFrame) + ":" + std::to_string(options.lastFrame) +
                           " does not lie in the shot's frames 1:" + std::to_string(frames));
        const ActorResult r = baker.evaluate(jobs[k].shot, report);
        std::optional<std::string> beside = options.beside;
        if (!beside && jobs[k].beside) beside = ownName(jobs[k].shot.name, names);
        files::NewClip clip = baker.clipOf(jobs[k].clip, jobs[k].shot.lineOf(entry.id) != nullptr, beside, r, report);
        if (bvhOut) {
            const auto written = files::writeBvh(actor, *r.body, *r.result, *out);
            if (!written) return written.error();
            return report;
        }
        if (actor.source.format == rig::SourceDocument::Format::Bvh) addSourceMotion(actor, clip);
        fresh.push_back(std::move(clip));
        results.push_back(r);
        if (progress) progress(0.95 * static_cast<double>(k + 1) / static_cast<double>(jobs.size()));
    }
    if (cancel.asked()) throw Cancelled{};
    for (const ActorResult& r : results) morphs.add(*r.result);
    const std::vector<files::NewMorphs> targets = morphs.targets();
    for (std::size_t k = 0; k < results.size(); ++k)
        // What is arranged is no clip of the source's: all of its weights go out.
        addWeights(actor, jobs[k].shot.lineOf(entry.id) ? baker.rest() : *results[k].body, *results[k].result, morphs, k,
                   fresh[k], report.clips[k]);
    if (!out) return report;
    const auto written = files::writeGltf(actor, fresh, *out, targets);
    if (!written) return written.error();
    if (progress) progress(1);
    return report;
}

}  // namespace

Result<BakeReport> bake(const scene::Scene& scene, const BakeOptions& options, const std::filesystem::path& out,
                        Evaluator& evaluator, const Cancel& cancel, const Progress& progress) {
    try {
        return bakeInside(scene, options, out, evaluator, cancel, progress);
    } catch (const Failure& f) {
        return f.error();
    } catch (const std::exception& e) {
        return unreadable(out.string(), e);
    }
}

Result<BakeReport> planBake(const scene::Scene& scene, const BakeOptions& options, Evaluator& evaluator, const Cancel& cancel) {
    try {
        return bakeInside(scene, options, std::nullopt, evaluator, cancel, {});
    } catch (const Failure& f) {
        return f.error();
    } catch (const std::exception& e) {
        return unreadable("", e);
    }
}

}  // namespace nutatio::pipeline
