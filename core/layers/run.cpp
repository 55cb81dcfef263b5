#include "layers/run.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <mutex>

namespace nutatio::layers {

namespace {

/// Frames of the body in the order a part lives through them: pre-roll first, then the shot.
class Sequence {
  public:
    Sequence(const rig::Track& track, int preroll, bool loops) : m_track(track), m_preroll(preroll), m_loops(loops) {}

    int first() const { return -m_preroll; }
    PoseView at(int step) const { return {m_track, frame(step), step * m_track.grid().dt()}; }

  private:
    int frame(int step) const {
        const int last = m_track.frames() - 1;
        if (!m_loops) return std::clamp(step, 0, last);
        const int f = step % last;  // the last frame is the first one again
        return step == last ? last : f < 0 ? f + last : f;
    }
    const rig::Track& m_track;
    int m_preroll;
    bool m_loops;
};

/// Counts the steps of all parts and tells of them at every hundredth.
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

std::vector<rig::Column> runPart(Part& part, const Sequence& sequence, const rig::Track& below, const Cancel& cancel,
                                 Counter& counter) {
    const std::size_t n = part.joints().size();
    std::vector<rig::Column> columns(n);
    for (rig::Column& c : columns) c.reserve(static_cast<std::size_t>(below.frames()));
    std::vector<Xform> out(n);
    const double dt = below.grid().dt();
    for (int s = sequence.first(); s < below.frames(); ++s) {
        if (cancel.asked()) throw Cancelled{};
        counter.one();
        if (s == sequence.first())
            part.start(dt, sequence.at(s), sequence.at(s + 1));
        else
            part.step(dt, sequence.at(s), sequence.at(s + 1));
        if (s < 0) continue;
        part.write(sequence.at(s), out);
        for (std::size_t k = 0; k < n; ++k) columns[k].push_back(out[k]);
    }
    return columns;
}

}  // namespace

Ran run(const LayerKind& kind, const LayerContext& context, const rig::Track& below, const Cancel& cancel,
        const Progress& progress) {
    Parts parts = kind.parts(context, PoseView(below, 0));
    std::size_t joints = 0;
    for (const auto& p : parts) joints += p->joints().size();
    if (joints * static_cast<std::size_t>(below.frames()) > kMostTransforms)
        throw Failure("", std::to_string(joints) + " joints over " + std::to_string(below.frames()) +
                              " frames are more than there is room for");
    const Sequence sequence(below, static_cast<int>(std::lround(context.layer.number("preroll"))), below.closes(context.actor));
    Counter counter(std::max<std::size_t>(1, parts.size() * static_cast<std::size_t>(below.frames() - sequence.first())),
                    progress);
    std::vector<std::vector<rig::Column>> columns(parts.size());
    std::atomic<bool> stopped{false};
    tbb::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t i) {
        try {
            columns[i] = runPart(*parts[i], sequence, below, cancel, counter);
        } catch (const Cancelled&) {
            stopped = true;
        }
    });
    if (stopped) throw Cancelled{};
    Ran out{below, {}};
    for (std::size_t i = 0; i < parts.size(); ++i)
        for (std::size_t k = 0; k < parts[i]->joints().size(); ++k) {
            const int joint = parts[i]->joints()[k];
            if (!std::all_of(columns[i][k].begin(), columns[i][k].end(), [](const Xform& x) { return x.isFinite(); }))
                throw Failure("", "the motion of \"" + context.actor.skeleton.label(joint) + "\" grows beyond all numbers");
            out.track.replace(joint, std::move(columns[i][k]));
        }
    for (const auto& p : parts)
        for (std::string& r : p->remarks()) out.remarks.push_back(std::move(r));
    return out;
}

bool mixesWhole(const scene::Layer& layer) {
    const auto [low, high] = layer.span("mix");
    return low >= 1 && high >= 1;
}

Xform mixed(const Xform& a, const Xform& b, double u) {
    if (u >= 1) return b;
    return {a.t + u * (b.t - a.t), blend(a.r, b.r, u), a.s + u * (b.s - a.s)};
}

rig::Track mixed(const rig::Track& below, const rig::Track& above, const scene::Layer& layer) {
    rig::Track out = below;
    std::vector<double> mix;
    for (int f = 0; f < below.frames(); ++f) mix.push_back(layer.numberAt("mix", f));
    for (int j = 0; j < below.joints(); ++j) {
        if (below.column(j) == above.column(j)) continue;
        rig::Column c(static_cast<std::size_t>(below.frames()));
        for (int f = 0; f < below.frames(); ++f)
            c[static_cast<std::size_t>(f)] = mixed(below.at(j, f), above.at(j, f), mix[static_cast<std::size_t>(f)]);
        out.replace(j, std::move(c));
    }
    return out;
}

}  // namespace nutatio::layers
