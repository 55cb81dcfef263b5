#include "layers/closing.h"

#include <cmath>
#include <limits>

#include "layers/run.h"
#include "physics/anderson.h"

namespace nutatio::layers {

// A lap maps the state y of a mover at the first frame to Phi(y) at the last one, which shows the body as the first does. The
// loop closes where Phi(y) = y. Two plain laps, then Anderson's acceleration; the state's components are weighed by how much they
// vary within a lap, so that turns, places and speeds can be told together.
//
// seam = max over ends of links of |dx| and |dv| / w, in lengths of the longest way along the mover
//
// Tried on strands of 8 links (nutatio-bars prints it): without a body that is met all loops close. With one that is met every
// lap the map is not smooth, and some motion honestly never repeats, or after several laps only. Where the motion is so large
// that the fit misleads, laps are run plainly until what was thrown in at the start has died away, and it is tried once more.
// What does not close then is blended.

namespace {

constexpr double kClosed = 2e-5;  // lengths
constexpr int kPatience = 40, kMost = 400;
constexpr int kMore = 20;        // laps more,
constexpr double kBetter = 0.7;  // which must bring the best seam down to that share of it
constexpr int kSettle = 18, kReturns = 6;
constexpr double kDies = 40;     // [s] for the start to die away
constexpr double kSame = 1e-3;   // lengths: after so many laps it is where it was
constexpr double kBlend = 0.25;  // [s]
// Of a surface so many vertices are looked at, and that share of the height counts as its length.
constexpr std::size_t kVertices = 64;
constexpr double kSurface = 0.1;

/// Ends of what a mover moves, seen from what carries it, and some of its vertices.
class LinkEnds {
  public:
    LinkEnds(const rig::Actor& actor, const Mover& mover) : m_offsets(mover.surfaces().size()) {
        const rig::Skeleton& skeleton = actor.skeleton;
        const std::vector<int>& joints = mover.joints();
        std::vector<int> at(static_cast<std::size_t>(skeleton.size()), -1);
        for (std::size_t k = 0; k < joints.size(); ++k) at[static_cast<std::size_t>(joints[k])] = static_cast<int>(k);
        std::vector<double> away(joints.size(), 0);
        for (int j : skeleton.order()) {
            if (at[static_cast<std::size_t>(j)] < 0) continue;
            const int up = skeleton.joint(j).parent, above = up == rig::kNoJoint ? -1 : at[static_cast<std::size_t>(up)];
            const Vec3 end = rig::endOf(skeleton, j);
            const auto k = static_cast<std::size_t>(at[static_cast<std::size_t>(j)]);
            m_links.push_back({static_cast<int>(k), above, end});
            away[k] = (above < 0 ? 0 : away[static_cast<std::size_t>(above)]) + end.norm();
            m_length = std::max(m_length, away[k]);
        }
        m_worlds.resize(joints.size());
        for (std::size_t k = 0; k < m_offsets.size(); ++k) m_offsets[k].resize(mover.surfaces()[k].vertices.size());
        if (!m_offsets.empty()) m_length = std::max(m_length, kSurface * actor.height);
    }
    double length() const { return m_length; }
    void read(const Mover& mover, const PoseView& pose, std::vector<Vec3>& out) {
        m_locals.resize(m_worlds.size());
        mover.write(pose, m_locals);
        out.clear();
        for (const Link& l : m_links) {
            const Affine own = m_locals[static_cast<std::size_t>(l.joint)].affine();
            Affine& w = m_worlds[static_cast<std::size_t>(l.joint)];
            w = l.above < 0 ? own : m_worlds[static_cast<std::size_t>(l.above)] * own;
            out.push_back(w.apply(l.end));
        }
        for (std::size_t k = 0; k < m_offsets.size(); ++k) {
            mover.writeSurface(pose, k, m_offsets[k]);
            const std::size_t step = std::max<std::size_t>(1, m_offsets[k].size() / kVertices);
            for (std::size_t v = 0; v < m_offsets[k].size(); v += step) out.push_back(m_offsets[k][v].cast<double>());
        }
    }

  private:
    struct Link {
        int joint, above;  // places among the mover's joints, parents first
        Vec3 end;
    };
    std::vector<Link> m_links;
    std::vector<Affine> m_worlds;
    std::vector<Xform> m_locals;
    std::vector<std::vector<Vec3f>> m_offsets;
    double m_length = 1e-9;
};

double farthest(const std::vector<Vec3>& a, const std::vector<Vec3>& b) {
    double most = 0;
    for (std::size_t k = 0; k < a.size(); ++k) most = std::max(most, (a[k] - b[k]).norm());
    return most;
}

/// One mover on its way round.
class Laps {
  public:
    Laps(Mover& mover, const rig::Actor& actor, const Sequence& sequence, double quickness, const Cancel& cancel)
        : m_mover(mover), m_sequence(sequence), m_ends(actor, mover), m_quickness(quickness), m_cancel(cancel) {
        for (int s = sequence.first(); s <= 0; ++s) {
            if (cancel.asked()) throw Cancelled{};
            if (s == sequence.first())
                mover.start(sequence.dt(), sequence.at(s), sequence.at(s + 1));
            else
                mover.step(sequence.dt(), sequence.at(s), sequence.at(s + 1));
        }
        m_y = mover.state();
        m_ends.read(mover, sequence.at(0), m_from);
    }

    /// True when it came round.
    bool close(Closure& out) {
        double best = std::numeric_limits<double>::max(), before = best;
        m_faster.reset();
        for (int lap = 1; lap <= kMost; ++lap) {
            const double seam = run(out.laps == 0);
            if (++out.laps == 1) out.before = seam;
            out.after = seam;
            if (lap > 1 && seam < kClosed) return true;
            if (lap >= kPatience && lap % kMore == 0 && !(best < kBetter * before)) return false;
            if (lap >= kPatience - kMore && lap % kMore == 0) before = best;
            State mapped = m_mover.state();
            if (lap < 2) {
                m_y = std::move(mapped);
                m_from = m_to;
                continue;
            }
            if (!m_faster) m_faster.emplace(weights());
            if (seam > 4 * best) m_faster->forget();
            best = std::min(best, seam);
            goOnFrom(m_faster->next(m_y, mapped), mapped);
        }
        return false;
    }

    /// Plain laps until it has settled as far as it does; after how many it is where it was, 0: it never is.
    int settle(Closure& out) {
        m_mover.start(m_sequence.dt(), m_sequence.at(0), m_sequence.at(1));
        m_mover.setState(m_y);
        std::vector<std::vector<Vec3>> at;
        const int most = within(static_cast<int>(kDies / (m_sequence.last() * m_sequence.dt())), kSettle, kMost);
        for (int lap = 0; lap < most; ++lap) {
            run(false);
            ++out.laps;
            at.push_back(m_to);
        }
        m_y = m_mover.state();
        m_from = m_to;
        for (int m = 1; m <= kReturns; ++m)
            if (farthest(at.back(), at[at.size() - 1 - static_cast<std::size_t>(m)]) < kSame * m_ends.length()) return m;
        return 0;
    }

    /// One more lap, and so many frames beyond it.
    Recorded record(int beyond) {
        Recorded out(m_mover);
        out.put(m_mover, m_sequence.at(0));
        m_ends.read(m_mover, m_sequence.at(0), m_from);
        for (int s = 1; s <= m_sequence.last() + beyond; ++s) {
            const int frame = s <= m_sequence.last() ? s : s - m_sequence.last();
            step(frame);
            out.put(m_mover, m_sequence.at(frame));
            if (s == m_sequence.last() - 1) m_ends.read(m_mover, m_sequence.at(frame), m_nearly);
            if (s == m_sequence.last()) m_ends.read(m_mover, m_sequence.at(frame), m_to);
        }
        return out;
    }
    /// Of the lap run last.
    double seam(bool first = false) {
        std::vector<Vec3> speed = m_to;
        for (std::size_t k = 0; k < speed.size(); ++k) speed[k] -= m_nearly[k];
        double most = farthest(m_from, m_to);
        if (!first) most = std::max(most, farthest(speed, m_speed) / (m_sequence.dt() * m_quickness));
        m_speed = std::move(speed);
        return most / m_ends.length();
    }

  private:
    void step(int s) {
        if (m_cancel.asked()) throw Cancelled{};
        m_mover.step(m_sequence.dt(), m_sequence.at(s), m_sequence.at(s + 1));
    }

    double run(bool first) {
        for (int s = 1; s <= m_sequence.last(); ++s) {
            step(s);
            if (s == m_sequence.last() - 1) m_ends.read(m_mover, m_sequence.at(s), m_nearly);
            if (first) widen(m_mover.state());
        }
        m_ends.read(m_mover, m_sequence.at(m_sequence.last()), m_to);
        return seam(first);
    }

    void widen(const State& state) {
        if (m_low.empty()) m_low = m_high = state;
        for (std::size_t i = 0; i < state.size(); ++i) {
            m_low[i] = std::min(m_low[i], state[i]);
            m_high[i] = std::max(m_high[i], state[i]);
        }
    }

    std::vector<double> weights() const {
        std::vector<double> out(m_low.size(), 0.0);
        for (std::size_t i = 0; i < out.size(); ++i) {
            const double range = m_high[i] - m_low[i], least = 1e-6 * std::max(std::abs(m_low[i]), std::abs(m_high[i]));
            if (i < m_mover.smooth() && range > least && range > 1e-9 && range < 1e20) out[i] = 1 / range;
        }
        return out;
    }

    void goOnFrom(State next, const State& mapped) {
        if (!std::all_of(next.begin(), next.end(), [](double v) { return std::isfinite(v); })) {
            m_faster->forget();
            next = mapped;
        }
        for (std::size_t i = m_mover.smooth(); i < next.size(); ++i) next[i] = mapped[i];
        m_mover.start(m_sequence.dt(), m_sequence.at(0), m_sequence.at(1));
        m_mover.setState(next);
        m_y = std::move(next);
        m_ends.read(m_mover, m_sequence.at(0), m_from);
    }

    Mover& m_mover;
    const Sequence& m_sequence;
    LinkEnds m_ends;
    double m_quickness;
    const Cancel& m_cancel;
    State m_y, m_low, m_high;
    std::optional<physics::Anderson> m_faster;
    std::vector<Vec3> m_from, m_to, m_nearly, m_speed;
};

}  // namespace

Recorded closedLap(Mover& mover, const rig::Actor& actor, const Sequence& sequence, double quickness, const Cancel& cancel,
                   Closure& out) {
    Laps laps(mover, actor, sequence, quickness, cancel);
    if (laps.close(out)) {
        Recorded lap = laps.record(0);
        out.after = laps.seam();
        return lap;
    }
    out.returns = laps.settle(out);
    if (out.returns <= 1 && laps.close(out)) {
        out.returns = 0;
        Recorded lap = laps.record(0);
        out.after = laps.seam();
        return lap;
    }
    if (out.returns == 1) out.returns = 0;
    const int last = sequence.last(), n = std::max(1, std::min(static_cast<int>(std::lround(kBlend / sequence.dt())), last / 2));
    out.blended = n;
    Recorded lap = laps.record(n);
    lap.blendFrom(static_cast<std::size_t>(last), static_cast<std::size_t>(n));
    out.after = 0;
    return lap;
}

std::string remarkOn(const Closure& c) {
    if (c.blended == 0) return {};
    std::string out = "it does not come round by itself";
    if (c.returns > 1) out += ", but after " + std::to_string(c.returns) + " laps";
    out += ": blended over its first " + std::to_string(c.blended) + (c.blended == 1 ? " frame" : " frames");
    if (c.returns > 1)
        out += "; a shot of " + std::to_string(c.returns) +
               " laps would need no blending, and more damping (fewer bounces) may close one";
    else
        out += "; more damping (fewer bounces) may close it";
    return out;
}

}  // namespace nutatio::layers
