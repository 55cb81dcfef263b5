#include "layers/run.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <deque>
#include <mutex>
#include <tuple>

#include "layers/closing.h"
#include "layers/filter.h"
#include "layers/mover.h"
#include "layers/registry.h"
#include "scene/seal.h"

namespace nutatio::layers {

namespace {

/// Counts the steps of all movers and tells of them at every hundredth.
class Counter {
  public:
    Counter(std::size_t all, const Progress& progress) : m_all(all), m_progress(progress) {}
    void one() {
        if (!m_progress) return;
        const std::size_t done = ++m_done;
        if (done * 100 / m_all == (done - 1) * 100 / m_all) return;
        const std::lock_guard guard(m_lock);
        // Another thread may have come later and told first.
        if (done <= m_told) return;
        m_told = done;
        m_progress(static_cast<double>(done) / static_cast<double>(m_all));
    }

  private:
    std::size_t m_all;
    const Progress& m_progress;
    std::atomic<std::size_t> m_done{0};
    std::mutex m_lock;
    std::size_t m_told = 0;
};

/// A mover's part of a seal: one that is kept, or one that is to be filled.
struct Sealed {
    const scene::Seal* holds = nullptr;
    const scene::Seal::Part* kept = nullptr;  // of the one that holds
    const scene::Seal* asked = nullptr;
    scene::Seal::Part* made = nullptr;  // of the one that is asked for
};

Recorded runMover(Mover& mover, const Sequence& sequence, const rig::Track& below, const Cancel& cancel, Counter& counter,
                  const Sealed& sealed) {
    Recorded out(mover);
    for (rig::Column& c : out.joints) c.reserve(static_cast<std::size_t>(below.frames()));
    const double dt = below.grid().dt();
    for (int s = sequence.first(); s < below.frames(); ++s) {
        if (cancel.asked()) throw Cancelled{};
        counter.one();
        if (sealed.kept && sealed.holds->holds(s)) {
            // It goes on from the seal's end as if it had lived through it.
            if (s == sealed.holds->to) {
                mover.start(dt, sequence.at(s), sequence.at(s + 1));
                mover.setState(sealed.kept->state);
            }
            out.put(sealed.kept->columns, sealed.kept->surfaces, static_cast<std::size_t>(s - sealed.holds->from));
            continue;
        }
        if (s == sequence.first())
            mover.start(dt, sequence.at(s), sequence.at(s + 1));
        else
            mover.step(dt, sequence.at(s), sequence.at(s + 1));
        if (s < 0) continue;
        out.put(mover, sequence.at(s));
        if (sealed.made && s == sealed.asked->to) sealed.made->state = mover.state();
    }
    if (sealed.made) {
        sealed.made->columns = out.columnsFrom(sealed.asked->from, sealed.asked->to);
        sealed.made->surfaces = out.surfacesFrom(sealed.asked->from, sealed.asked->to);
    }
    return out;
}

/// Why a seal does not fit the layer any more; empty where it does.
std::string misfit(const scene::Seal& seal, const Movers& movers, const rig::Skeleton& skeleton, const rig::FrameGrid& grid,
                   const Sequence& sequence) {
    const std::string what = "frames " + std::to_string(seal.from + 1) + " to " + std::to_string(seal.to + 1) +
                             " are sealed, and simulated all the same: ";
    if (std::abs(seal.fps - grid.fps) > 1e-9) return what + "the shot has another rate now";
    if (seal.to >= grid.frames) return what + "the shot is shorter now";
    bool same = seal.parts.size() == movers.size();
    for (std::size_t i = 0; same && i < movers.size(); ++i) {
        const scene::Seal::Part& p = seal.parts[i];
        const std::vector<int>& joints = movers[i]->joints();
        same = p.joints.size() == joints.size() && p.columns.size() == joints.size();
        for (std::size_t k = 0; same && k < joints.size(); ++k)
            same = p.joints[k] == skeleton.reference(joints[k]) &&
                   p.columns[k].size() == static_cast<std::size_t>(seal.to - seal.from + 1);
        const std::span<const rig::Patch> surfaces = movers[i]->surfaces();
        same = same && p.surfaces.size() == surfaces.size();
        for (std::size_t k = 0; same && k < surfaces.size(); ++k)
            same =
                p.surfaces[k].instance == surfaces[k].instance && p.surfaces[k].primitive == surfaces[k].primitive &&
                p.surfaces[k].vertices == surfaces[k].vertices &&
                p.surfaces[k].offsets.size() == surfaces[k].vertices.size() * static_cast<std::size_t>(seal.to - seal.from + 1);
        if (!same) break;
        movers[i]->start(grid.dt(), sequence.at(seal.to), sequence.at(seal.to + 1));
        same = movers[i]->state().size() == p.state.size();
    }
    return same ? std::string() : what + "the layer moves other joints or vertices now";
}

Filtered simulate(const LayerKind& kind, const LayerContext& context, const rig::Track& below, const Cancel& cancel,
                  const Progress& progress) {
    Movers movers = kind.simulated->movers(context, PoseView(below, 0));
    std::size_t joints = 0, vertices = 0;
    for (const auto& m : movers) {
        joints += m->joints().size();
        for (const rig::Patch& p : m->surfaces()) vertices += p.vertices.size();
    }
    // A vertex takes a quarter of a transform's room, roundly.
    if ((joints + vertices / 4) * static_cast<std::size_t>(below.frames()) > kMostTransforms)
        throw Failure("", std::to_string(joints) + " joints and " + std::to_string(vertices) + " vertices over " +
                              std::to_string(below.frames()) + " frames are more than there is room for");
    const scene::SettingSpec* preroll = kind.setting(scene::Role::Preroll);
    const int before = preroll ? static_cast<int>(std::lround(context.settings->at(preroll->id) / below.grid().dt())) : 0;
    const Sequence sequence(below, context.actor.skeleton, before,
                            context.period > 0 ? Sequence::Way::Round
                            : context.onward   ? Sequence::Way::Onward
                                               : Sequence::Way::Once);
    Counter counter(std::max<std::size_t>(1, movers.size() * static_cast<std::size_t>(below.frames() - sequence.first())),
                    progress);
    std::vector<std::optional<Recorded>> made(movers.size());
    std::vector<Closure> closures(movers.size());
    // Sealed frames are copied; motion that is being sealed is recorded on the way.
    const scene::Seal* kept = context.seal ? context.seal->kept() : nullptr;
    const bool keeps = kept != nullptr, seals = context.seal && kept != context.seal.get();
    const std::string unfit = keeps ? misfit(*kept, movers, context.actor.skeleton, below.grid(), sequence) : std::string();
    scene::Seal seal;
    if (seals) {
        seal.from = context.seal->from;
        seal.to = std::min(context.seal->to, below.frames() - 1);
        seal.fps = below.grid().fps;
        for (const auto& m : movers) {
            scene::Seal::Part& p = seal.parts.emplace_back();
            for (int j : m->joints()) p.joints.push_back(context.actor.skeleton.reference(j));
        }
    }
    const bool closes =
        (!keeps || !unfit.empty()) && context.closes && context.period > 0 && context.cuts.empty() && below.frames() > 3;
    const scene::SettingSpec* rate = kind.setting(scene::Role::Rate);
    const double quickness = 2 * kPi * std::max(0.5, rate ? context.settings->at(rate->id) : 2.0);
    std::atomic<bool> stopped{false};
    tbb::parallel_for(std::size_t{0}, movers.size(), [&](std::size_t i) {
        try {
            made[i] = closes ? closedLap(*movers[i], context.actor, sequence, quickness, cancel, closures[i])
                             : runMover(*movers[i], sequence, below, cancel, counter,
                                        {kept, keeps && unfit.empty() ? &kept->parts[i] : nullptr, &seal,
                                         seals ? &seal.parts[i] : nullptr});
        } catch (const Cancelled&) {
            stopped = true;
        }
    });
    if (stopped) throw Cancelled{};
    Filtered out;
    for (std::size_t i = 0; i < movers.size(); ++i) {
        for (std::size_t k = 0; k < movers[i]->joints().size(); ++k)
            out.joints.emplace_back(movers[i]->joints()[k], std::move(made[i]->joints[k]));
        for (rig::Patch& p : made[i]->surfaces) out.patches.push_back(std::make_shared<const rig::Patch>(std::move(p)));
    }
    for (const auto& m : movers)
        for (std::string& r : m->remarks())
            if (std::find(out.remarks.begin(), out.remarks.end(), r) == out.remarks.end()) out.remarks.push_back(std::move(r));
    for (const auto& m : movers)
        for (Came& c : m->came()) out.came.push_back(std::move(c));
    std::stable_sort(out.came.begin(), out.came.end(), [](const Came& a, const Came& b) { return a.frame < b.frame; });
    const auto worse = [](const Closure& a, const Closure& b) {
        return std::tuple(a.blended, a.after, a.laps) < std::tuple(b.blended, b.after, b.laps);
    };
    if (seals && !closes) out.sealed = std::make_shared<const scene::Seal>(std::move(seal));
    if (!unfit.empty()) out.remarks.push_back(unfit);
    if (keeps && context.closes && unfit.empty())
        out.remarks.push_back("the shot is marked as a loop, but a part of it is sealed: what is sealed is not closed");
    if (closes && !closures.empty()) out.closure = *std::max_element(closures.begin(), closures.end(), worse);
    if (context.closes && context.period > 0 && !context.cuts.empty())
        out.remarks.push_back("the shot is marked as a loop, but it is cut: what begins anew at a cut is not closed");
    if (const std::string said = remarkOn(out.closure); !said.empty()) out.remarks.push_back(said);
    return out;
}

}  // namespace

LayerContext LayerContext::bare(const rig::Actor& actor, const scene::Layer& layer) {
    const LayerKind* kind = findKind(layer.kind);
    LayerContext c{actor, layer, std::make_shared<const scene::Resolved>(layer, kind ? kind->settings : scene::Table{})};
    c.placement.metres = actor.metresPerUnit;
    c.apart = apartOf(layer, c.settings);
    return c;
}

const ResolvedPtr& LayerContext::settingsAt(int joint) const {
    for (int j = joint; j != rig::kNoJoint && !apart.empty(); j = actor.skeleton.joint(j).parent)
        if (const auto at = apart.find(actor.skeleton.reference(j)); at != apart.end()) return at->second;
    return settings;
}

std::map<std::string, ResolvedPtr, std::less<>> apartOf(const scene::Layer& layer, const ResolvedPtr& settings) {
    std::map<std::string, ResolvedPtr, std::less<>> out;
    const LayerKind* kind = findKind(layer.kind);
    for (const auto& [joint, own] : layer.apart) {
        scene::Resolved mine = *settings;
        for (const auto& [id, value] : own)
            if (const scene::SettingSpec* row = kind ? kind->setting(id) : nullptr; row && scene::mayDiffer(*row))
                mine = mine.with(id, scene::clampTo(*row, value));
        out.emplace(joint, std::make_shared<const scene::Resolved>(std::move(mine)));
    }
    return out;
}

namespace {

Filtered made(const LayerKind& kind, const LayerContext& context, const rig::Track& below, const Cancel& cancel,
              const Progress& progress) {
    return kind.simulated ? simulate(kind, context, below, cancel, progress) : kind.filter->run(context, below, cancel);
}

/// What is read beside the motion, a frame longer too: `lent` holds it.
LayerContext comingRound(const LayerContext& context, int frames, std::deque<rig::Track>& lent) {
    LayerContext c = context;
    const auto lend = [&](const rig::Track*& track) {
        if (track && track->frames() == frames) track = &lent.emplace_back(track->comeRound());
    };
    lend(c.surface);
    lend(c.body);
    for (LayerContext::Other& o : c.others) lend(o.track);
    for (LayerContext::Fellow& f : c.fellows) {
        f.context = std::make_shared<const LayerContext>(comingRound(*f.context, frames, lent));
        if (f.track->frames() == frames) f.track = std::make_shared<const rig::Track>(f.track->comeRound());
    }
    return c;
}

/// A loop whose last frame is not the first again, made as one whose is: kinds know no other loops. The frame more is dropped.
Filtered madeRound(const LayerKind& kind, const LayerContext& context, const rig::Track& below, const Cancel& cancel,
                   const Progress& progress) {
    const int frames = below.frames();
    const rig::Track longer = context.onward ? below.comeRound(&context.actor.skeleton) : below.comeRound();
    std::deque<rig::Track> lent;
    Filtered out = made(kind, comingRound(context, frames, lent), longer, cancel, progress);
    for (auto& [joint, column] : out.joints)
        if (column.size() > 1) column.pop_back();
    for (rig::PatchPtr& p : out.patches) {
        rig::Patch shorter = *p;
        shorter.offsets.resize(shorter.vertices.size() * static_cast<std::size_t>(frames));
        p = std::make_shared<const rig::Patch>(std::move(shorter));
    }
    for (rig::MorphColumnPtr& m : out.morphs) {
        rig::MorphColumn shorter = *m;
        if (shorter.weights.size() > 1) shorter.weights.pop_back();
        m = std::make_shared<const rig::MorphColumn>(std::move(shorter));
    }
    for (LaneSpan& span : out.lane) span.to = std::min(span.to, frames - 1);
    std::erase_if(out.lane, [](const LaneSpan& span) { return span.from > span.to; });
    return out;
}

}  // namespace

Filtered run(const LayerKind& kind, const LayerContext& context, const rig::Track& below, const Cancel& cancel,
             const Progress& progress) {
    const bool later = context.lap > 0 && context.lap == below.frames();
    Filtered out = (later ? madeRound : made)(kind, context, below, cancel, progress);
    for (const auto& [joint, column] : out.joints)
        if (!std::all_of(column.begin(), column.end(), [](const Xform& x) { return x.isFinite(); }))
            throw Failure("", "the motion of \"" + context.actor.skeleton.label(joint) + "\" grows beyond all numbers");
    for (const auto& patch : out.patches)
        if (!std::all_of(patch->offsets.begin(), patch->offsets.end(), [](const Vec3f& v) { return v.allFinite(); }))
            throw Failure("", "the motion of its vertices grows beyond all numbers");
    return out;
}

Shares::Shares(const LayerKind& kind, ResolvedPtr settings, scene::Curve window)
    : m_settings(std::move(settings)), m_window(std::move(window)) {
    const auto read = [&](scene::Role role, std::string_view& id) {
        const scene::SettingSpec* row = kind.setting(role);
        if (!row) return std::pair{1.0, 1.0};
        id = row->id;
        auto [low, high] = m_settings->span(id);
        for (const scene::ProfilePoint& p : m_settings->profile(id)) {
            low = std::min(low, low * p.times);
            high = std::max(high, high * p.times);
        }
        return std::pair{low, high};
    };
    const auto mix = read(scene::Role::Mix, m_mix), amount = read(scene::Role::Amount, m_amount);
    const auto all = [&](double value) {
        return std::all_of(m_window.begin(), m_window.end(), [&](double v) { return v == value; });
    };
    m_whole = all(1) && mix.first >= 1 && mix.second <= 1 && amount.first == 1 && amount.second == 1;
    m_none = mix.second <= 0 || amount.second <= 0 || (!m_window.empty() && all(0));
}

void Shares::hash(Hasher& into) const {
    m_settings->hashOne(into, m_mix);
    m_settings->hashOne(into, m_amount);
    into.number(m_window.size()).bytes(m_window.data(), m_window.size() * sizeof(double));
}

double Shares::at(int frame, double along) const {
    const double mix = m_mix.empty() ? 1 : std::min(1.0, m_settings->at(m_mix, frame, along));
    const double acts =
        m_window.empty() ? 1 : m_window[static_cast<std::size_t>(within(frame, 0, static_cast<int>(m_window.size()) - 1))];
    return acts * mix * (m_amount.empty() ? 1 : m_settings->at(m_amount, frame, along));
}

Xform mixed(const Xform& a, const Xform& b, double u) {
    if (u == 1) return b;
    if (u <= 1) return {a.t + u * (b.t - a.t), blend(a.r, b.r, u), a.s + u * (b.s - a.s)};
    const Quat turn = fromRotationVector(u * rotationVector(b.r * a.r.conjugate()));
    // A joint is never shrunk to nothing or turned inside out by showing more of it.
    const Vec3 s = a.s.array() * (b.s.array() / a.s.array()).pow(u);
    return {a.t + u * (b.t - a.t), (turn * a.r).normalized(), s.allFinite() ? s : b.s};
}

}  // namespace nutatio::layers
