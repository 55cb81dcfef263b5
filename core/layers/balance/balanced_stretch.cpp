#include "layers/balance/balanced_stretch.h"

#include <tbb/parallel_for.h>

#include <Eigen/LU>
#include <algorithm>
#include <atomic>
#include <cmath>

#include "base/calm.h"
#include "layers/balance/weight_path.h"

namespace nutatio::layers::balance {

// With c the centre of mass below, and turned and leant as c1:
//   in the air   c1 + what makes it fall (fallingOffsets)        feet go along
//   on the ground  c1 + crouches + path (fit(c1, 0.06 s) - c1)    feet, and hands that grip, keep their places
//   pressure point p = c - c'' (y - floor) / max(g + y'', 0.2 g) (Vukobratovic and Borovac, Zero-Moment Point: thirty five years
//   of its life, Int. J. Humanoid Robotics 1, 2004); e takes it into the outline of what stands, a tenth drawn in, or under what
//   grips; the weight has to go by d - (y / g) d'' = e (offsetForPressure). Groups of joints make good their shares of d by
//   dx = J^T (J J^T + k r^2)^-1 s d over kRounds, with J = share of the mass that hangs on a joint x (axis x lever), k 1e-3 for
//   the spine and 0.5 for arms and tail, r = |J| / sqrt 2, none beyond its limit: lim tanh(x / lim).

namespace {

constexpr int kRounds = 6, kHipRounds = 3, kHalves = 5;
constexpr double kSmooth = 0.06, kLeanCalm = 0.35, kPressCalm = 0.12;  // [s]
constexpr double kAround = 0.3;  // [s] before and after, whose contacts hold the weight up too: a step is caught by the next foot
constexpr double kFades = 0.15;  // [s] from a flight, over which path and counter-balance die away
constexpr double kHandEase = 0.25;           // [s] about a grip
constexpr double kStraight = 6 * kPi / 180;  // [rad] that an even path may turn a leg by, apart from how it is animated
constexpr double kStraightAbout = 0.12;      // [s] about a leg that would be turned by more, in which the path is evened less
constexpr double kUnseenTurn = 0.2, kUnseenWay = 0.001;  // [deg], [heights]: what changes by less all through is left as it is
constexpr double kUpright = 0.6;                         // of the line between the hips, that is level in one that stands
constexpr double kBeyond = 0.1;  // of an outline, that the pressure point may lie beyond it: flesh, shoes and rounding

/// 1 where something holds, and less and less over so many frames about it.
std::vector<double> softly(const std::vector<char>& holds, double frames) {
    const int n = static_cast<int>(holds.size());
    std::vector<double> out(holds.size(), 0.0);
    for (int way : {1, -1}) {
        double since = 1e30;
        for (int k = 0; k < n; ++k) {
            const auto f = static_cast<std::size_t>(way > 0 ? k : n - 1 - k);
            since = holds[f] ? 0 : since + 1;
            out[f] = std::max(out[f], eased(1 - since / (frames + 1)));
        }
    }
    return out;
}

/// One stretch of a shot balanced.
class Balancing {
  public:
    Balancing(const LayerContext& context, const Weights& weights, const Turned& turned, const Poised& body,
              const rig::Track& below, const Stretch& over, Weighing is, const Cancel& cancel)
        : m_c(context),
          m_s(*context.settings),
          m_weights(weights),
          m_turned(turned),
          m_below(below),
          m_from(over.from),
          m_cancel(cancel),
          m_is(std::move(is)),
          m_body(body),
          m_n(over.to - over.from),
          m_fps(below.grid().fps),
          m_metres(context.placement.metres),
          m_pull(kEarthGravity * weights.pull * m_s.at("gravity")) {}

    void run() {
        m_body.readHinges(m_is.worlds);
        begin();
        turnAndLean();
        lift();
        counter();
        settle();
    }

    void write(Filtered& out, Weighed& weighed) {
        const std::size_t first = out.joints.empty() ? 0 : out.joints.front().second.size();
        std::vector<Xform> locals;
        std::vector<Affine> worlds;
        std::vector<Vec3> centre;
        for (int f = 0; f < m_n; ++f) {
            posed(f, locals, worlds);
            for (auto& [joint, column] : out.joints) column.push_back(locals[static_cast<std::size_t>(joint)]);
            centre.push_back(m_c.placement.toWorld(m_body.centreOf(worlds)));
            depart(f, locals, worlds);
        }
        // What nobody could see is not done: it is as near to the noise of the clip as to what is asked.
        if (unseen()) {
            for (auto& [joint, column] : out.joints)
                for (int f = 0; f < m_n; ++f) column[first + static_cast<std::size_t>(f)] = m_below.at(joint, m_from + f);
            centre = m_is.centre;
            std::fill(m_most.begin(), m_most.end(), 0.0);
        }
        tell(weighed, centre);
    }
    double missed() const { return m_missed; }

  private:
    double asked(std::string_view id, int f) const { return m_s.at(id, m_from + f); }
    Posture& at(int f) { return m_postures[static_cast<std::size_t>(f)]; }
    const Posture& at(int f) const { return m_postures[static_cast<std::size_t>(f)]; }
    Vec3 toOwn(const Vec3& way) const { return m_c.placement.turn.conjugate() * way / m_metres; }

    Vec3 posed(int f, std::vector<Xform>& locals, std::vector<Affine>& worlds) const {
        m_below.pose(m_from + f, locals);
        m_body.pose(at(f), locals, worlds);
        return m_c.placement.toWorld(m_body.centreOf(worlds));
    }

    /// All frames, side by side; each by itself, so that threads make no difference.
    template <class F>
    void everyFrame(const F& each) const {
        std::atomic<bool> stopped{false};
        tbb::parallel_for(tbb::blocked_range<int>(0, m_n, 8), [&](const tbb::blocked_range<int>& r) {
            std::vector<Xform> locals;
            std::vector<Affine> worlds;
            for (int f = r.begin(); f != r.end() && !stopped; ++f) {
                if (m_cancel.asked())
                    stopped = true;
                else
                    each(f, locals, worlds);
            }
        });
        if (stopped) throw Cancelled{};
    }

    void begin() {
        const auto n = static_cast<std::size_t>(m_n);
        const std::size_t limbs = m_body.limbs().size();
        m_flies.assign(n, false);
        for (const rig::Flight& x : m_is.flights)
            for (int i = x.from; i <= x.to; ++i)
                if (const int f = i - m_is.laps.first(); f >= 0 && f < m_n) m_flies[static_cast<std::size_t>(f)] = true;
        if (m_is.laps.round) m_flies.back() = m_flies.front();
        std::array<std::vector<double>, 2> grips;
        for (std::size_t k = 0; k < 2; ++k) {
            std::vector<char> mine;
            for (const auto& g : m_is.gripping) mine.push_back(g[k]);
            grips[k] = softly(mine, kHandEase * m_fps);
        }
        const std::vector<double> hangs = softly(m_is.hangs, kHandEase * m_fps);
        const bool keeps = m_s.text("hands") == "keep their places";
        m_postures.resize(n);
        for (std::size_t f = 0; f < n; ++f) {
            Posture& p = m_postures[f];
            p.turns.assign(m_turned.joints.size(), Vec3::Zero());
            p.pivot = m_c.placement.toOwn(m_is.centre[f]);
            std::size_t hand = 0;
            for (std::size_t k = 0; k < limbs; ++k) {
                const Poised::Limb& l = m_body.limbs()[k];
                p.ends.push_back(m_is.worlds[f][static_cast<std::size_t>(l.end)].t);
                p.held.push_back(l.foot ? 1 - hangs[f] : keeps ? 1.0 : grips[hand][f]);
                hand += l.foot ? 0 : 1;
            }
        }
        m_most.assign(m_turned.groups.size() + 3 + limbs, 0.0);
        m_saturated.assign(m_turned.groups.size() + 1, 0);
        m_beyond.assign(n, 0.0);
    }

    /// Which way the hips face [rad about the upright], frame by frame.
    std::vector<double> heading() const {
        std::vector<double> out;
        const int left = m_weights.roles.legs[0].upper, right = m_weights.roles.legs[1].upper;
        for (int i = 0; i < m_is.laps.size(); ++i) {
            const std::vector<Affine>& w = m_is.worlds[static_cast<std::size_t>(m_is.laps.source(i))];
            const Laps& laps = m_is.laps;
            const Vec3 from = laps.moved(m_c.placement.toWorld(w[static_cast<std::size_t>(right)].t), laps.lapOf(i)),
                       line = laps.moved(m_c.placement.toWorld(w[static_cast<std::size_t>(left)].t), laps.lapOf(i)) - from;
            // One that lies on its side faces where it faced.
            if (Vec3(line.x(), 0, line.z()).norm() < kUpright * line.norm() && !out.empty()) {
                out.push_back(out.back());
                continue;
            }
            const double now = std::atan2(-line.z(), line.x());
            out.push_back(out.empty() ? now : out.back() + std::remainder(now - out.back(), 2 * kPi));
        }
        return out;
    }

    /// From hind legs to fore legs, level; for four legs.
    Vec3 alongBack(int f) const {
        const std::vector<Affine>& w = m_is.worlds[static_cast<std::size_t>(f)];
        Vec3 way = Vec3::Zero();
        for (std::size_t k = 0; k < 2; ++k)
            way += w[static_cast<std::size_t>(m_weights.roles.arms[k].upper)].t -
                   w[static_cast<std::size_t>(m_weights.roles.legs[k].upper)].t;
        way = m_c.placement.turn * way;
        way.y() = 0;
        return way.norm() > 0 ? Vec3(way.normalized()) : Vec3(Vec3::Zero());
    }

    void turnAndLean() {
        const int first = m_is.laps.first();
        const std::vector<Turning> turnings = turningsOf(heading(), m_fps, radians(m_s.at("turns_from")));
        // The spine shares a turn evenly, but for what its joints are said to take more or less.
        std::vector<double> shares;
        double all = 0;
        for (std::size_t k : m_turned.spine) {
            const std::string own = scene::channelId("takes_turns", m_c.actor.skeleton.reference(m_turned.joints[k]));
            // A joint without a value of its own has 0.
            shares.push_back(std::max(0.0, 1 + m_s.at(own)));
            all += shares.back();
        }
        const rig::PlacePath path(m_is.laps.laidOut(m_is.centre), rig::Ends::Held);
        const Vec3 up = toOwn(Vec3::UnitY()).normalized();
        // The fit reaches three times as far, and no farther than the laps that are laid out beside this one.
        const double room = (m_n - 1 - m_s.at("ahead")) / 3,
                     calm = m_is.laps.round ? std::min(kLeanCalm * m_fps, room) : kLeanCalm * m_fps;
        for (int f = 0; f < m_n; ++f) {
            Posture& p = at(f);
            double turn = 0;
            for (const Turning& t : turnings)
                turn += counterTurn(t, first + f, asked("effort", f) * asked("wind_up", f), m_s.at("wind_frames"),
                                    asked("effort", f) * asked("carry", f), m_s.at("carry_frames"));
            if (turn != 0 && all > 0)
                for (std::size_t k = 0; k < m_turned.spine.size(); ++k) p.turns[m_turned.spine[k]] += turn * shares[k] / all * up;
            if (turn != 0 && all > 0)
                for (std::size_t k : m_turned.head)
                    p.turns[k] -= asked("head", f) * turn / static_cast<double>(m_turned.head.size()) * up;
            const double lean = asked("poise", f) * asked("lean", f);
            if (lean <= 0) continue;
            const int ahead = std::min(first + f + static_cast<int>(std::lround(m_s.at("ahead"))), path.frames() - 1);
            const Vec3 pull = path.fit(ahead, std::max(0.7, calm), m_fps).acceleration;
            const Vec3 level(pull.x(), 0, pull.z());
            if (level.norm() < 1e-9) continue;
            const double angle = std::min(lean * std::atan2(level.norm(), m_pull), radians(60));
            Vec3 by = angle * Vec3::UnitY().cross(level.normalized());
            // Four legs hold it up before and behind: it leans into turns alone.
            if (m_weights.roles.fourLegged) by = by.dot(alongBack(f)) * alongBack(f);
            p.lean = toOwn(by) * m_metres;
        }
    }

    /// How much path and counter-balance there is at a frame of laps: nothing at a flight.
    std::vector<double> window() const {
        std::vector<char> flies(static_cast<std::size_t>(m_is.laps.size()), false);
        for (const rig::Flight& x : m_is.flights)
            for (int i = x.from - 1; i <= x.to + 1; ++i) flies[static_cast<std::size_t>(i)] = true;
        std::vector<double> out = softly(flies, kFades * m_fps);
        for (double& v : out) v = 1 - v;
        return out;
    }

    /// Goals of the centre of mass that are no counter-balance: flights that fall, crouches, an even path.
    void lift() {
        const Laps& laps = m_is.laps;
        std::vector<Vec3> centre(static_cast<std::size_t>(m_n));
        everyFrame([&](int f, auto& locals, auto& worlds) { centre[static_cast<std::size_t>(f)] = posed(f, locals, worlds); });
        const rig::PlacePath path(laps.laidOut(centre), rig::Ends::Held);
        std::vector<Vec3> way(static_cast<std::size_t>(laps.size()), Vec3::Zero());
        if (m_s.text("air") != "as animated") way = fallingOffsets(path, m_is.flights, m_pull, m_fps, m_s.at("work") / m_fps);
        crouch(way);
        const std::vector<double> away = window();
        std::vector<Vec3> even(way.size(), Vec3::Zero());
        for (int i = 0; i < laps.size(); ++i) {
            const auto k = static_cast<std::size_t>(i);
            const double amount = away[k] * asked("poise", laps.source(i)) * asked("path", laps.source(i));
            if (amount > 0) even[k] = std::min(1.0, amount) * (path.smooth(i, kSmooth * m_fps) - path.frame(i));
        }
        const double most = 0.25 * m_weights.leg * m_metres;
        std::vector<Vec3> shifts(static_cast<std::size_t>(m_n), Vec3::Zero());
        std::vector<double> share(static_cast<std::size_t>(m_n), 1.0);
        everyFrame([&](int f, auto& locals, auto& worlds) {
            const auto i = static_cast<std::size_t>(laps.first() + f);
            const auto k = static_cast<std::size_t>(f);
            Posture& p = at(f);
            shift(p, f, way[i]);
            if (even[i] == Vec3::Zero()) return;
            const Vec3 goal = centre[k] + way[i] + even[i];
            // What the hips are moved by carries less than the whole of it: legs stay.
            Vec3 by = Vec3::Zero();
            for (int r = 0; r < kHipRounds; ++r) {
                const Vec3 rest = goal - posed(f, locals, worlds);
                by += 0.8 * rest;
                const double size = by.norm();
                shifts[k] = size > 0 ? Vec3(by * (most * std::tanh(size / most) / size)) : by;
                shift(p, f, way[i] + shifts[k]);
            }
            // A leg's turn is the root of its way there, where it is nearly straight: the share is found by halves.
            Posture without = p;
            shift(without, f, way[i]);
            std::vector<Xform> were;
            m_below.pose(m_from + f, were);
            m_body.pose(without, were, worlds);
            const auto within = [&] {
                posed(f, locals, worlds);
                return mostLegTurn(were, locals) <= kStraight;
            };
            if (within()) return;
            double much = 1;
            share[k] = 0;
            for (int r = 0; r < kHalves; ++r) {
                const double half = 0.5 * (share[k] + much);
                shift(p, f, way[i] + half * shifts[k]);
                (within() ? share[k] : much) = half;
            }
        });
        // A leg that is nearly straight bends far for a little way: the path stays as animated about there.
        share = calmLow(share, static_cast<int>(std::ceil(kStraightAbout * m_fps)), m_is.laps.round);
        for (int f = 0; f < m_n; ++f) {
            const auto k = static_cast<std::size_t>(f);
            if (share[k] < 1) shift(at(f), f, way[static_cast<std::size_t>(laps.first() + f)] + share[k] * shifts[k]);
        }
    }

    /// How far legs are turned from one pose to another [rad].
    double mostLegTurn(const std::vector<Xform>& were, const std::vector<Xform>& locals) const {
        double turn = 0;
        for (const Poised::Limb& l : m_body.limbs())
            for (int j : {l.upper, l.lower, l.end})
                if (l.foot)
                    turn = std::max(turn,
                                    locals[static_cast<std::size_t>(j)].r.angularDistance(were[static_cast<std::size_t>(j)].r));
        return turn;
    }

    /// Moves the body by a way [m, in the world]; in the air its feet go along.
    void shift(Posture& p, int f, const Vec3& way) const {
        p.shift = toOwn(way);
        if (!m_flies[static_cast<std::size_t>(f)]) return;
        for (std::size_t k = 0; k < p.ends.size(); ++k)
            p.ends[k] = m_is.worlds[static_cast<std::size_t>(f)][static_cast<std::size_t>(m_body.limbs()[k].end)].t + p.shift;
    }

    void crouch(std::vector<Vec3>& way) const {
        const Laps& laps = m_is.laps;
        const std::vector<rig::Flight>& flights = m_is.flights;
        for (std::size_t k = 0; k < flights.size(); ++k) {
            const int b = flights[k].from - 1, e = flights[k].to + 1;
            const double before = std::min<double>(m_s.at("push_frames"), k > 0 ? b - flights[k - 1].to - 1 : b),
                         after = std::min<double>(m_s.at("land_frames"),
                                                  k + 1 < flights.size() ? flights[k + 1].from - 1 - e : laps.size() - 1 - e);
            const double most = 0.35 * m_weights.leg * m_metres;
            for (int i = 0; i < laps.size(); ++i) {
                const int f = laps.source(i);
                const double effort = asked("effort", f);
                const double deep = effort * 0.01 *
                                    (asked("push", f) * bump(i, b - before, b - 0.45 * before, b) +
                                     asked("land", f) * bump(i, e, e + 0.35 * after, e + after));
                way[static_cast<std::size_t>(i)].y() -= std::min(deep, most);
            }
        }
    }

    Vec3 pressureOf(const rig::PlacePath& path, int i, double floor) const {
        const rig::PlacePath::Fit fit = path.fit(i, std::max(0.7, kPressCalm * m_fps), m_fps);
        const Vec3 c = path.frame(i);
        const double k = (c.y() - floor) / std::max(m_pull + fit.acceleration.y(), 0.2 * m_pull);
        return {c.x() - k * fit.acceleration.x(), floor, c.z() - k * fit.acceleration.z()};
    }

    /// The mean place of the hands that grip.
    std::optional<Vec3> gripOf(int f) const {
        Vec3 sum = Vec3::Zero();
        int many = 0;
        for (std::size_t k = 0; k < 2; ++k)
            if (m_is.gripping[static_cast<std::size_t>(f)][k]) {
                sum += m_c.placement.toWorld(
                    m_is.worlds[static_cast<std::size_t>(f)][static_cast<std::size_t>(m_weights.roles.arms[k].end)].t);
                ++many;
            }
        if (many == 0) return std::nullopt;
        return Vec3(sum / many);
    }

    /// Outlines of what is by the floor, by frame.
    std::vector<std::vector<Eigen::Vector2d>> outlines() const {
        std::vector<std::vector<Eigen::Vector2d>> out;
        for (const std::vector<Vec3>& low : m_is.byFloor) {
            std::vector<Eigen::Vector2d> points;
            for (const Vec3& p : low) points.emplace_back(p.x(), p.z());
            out.push_back(hullOf(std::move(points)));
        }
        return out;
    }
    /// The outline of all that is by the floor about a frame of laps.
    std::vector<Eigen::Vector2d> around(int i, const std::vector<std::vector<Eigen::Vector2d>>& outlines) const {
        std::vector<Eigen::Vector2d> points;
        const int reach = static_cast<int>(std::lround(kAround * m_fps));
        for (int k = std::max(0, i - reach); k <= std::min(i + reach, m_is.laps.size() - 1); ++k) {
            for (const Eigen::Vector2d& p : outlines[static_cast<std::size_t>(m_is.laps.source(k))]) {
                const Vec3 there = m_is.laps.moved(Vec3(p.x(), 0, p.y()), m_is.laps.lapOf(k));
                points.emplace_back(there.x(), there.z());
            }
        }
        return hullOf(std::move(points));
    }

    void counter() {
        bool any = false;
        for (int f = 0; f < m_n && !any; ++f) {
            any = asked("hips", f) > 0;
            for (const Group& g : m_turned.groups) any = any || asked(g.row, f) > 0;
            any = any && asked("poise", f) > 0;
        }
        if (!any) return;
        const Laps& laps = m_is.laps;
        std::vector<Vec3> centre(static_cast<std::size_t>(m_n));
        everyFrame([&](int f, auto& locals, auto& worlds) { centre[static_cast<std::size_t>(f)] = posed(f, locals, worlds); });
        const std::vector<Vec3> delta = offsets(centre);
        const double most = 0.25 * m_weights.leg * m_metres;
        std::vector<double> missed(static_cast<std::size_t>(m_n), 0.0);
        // Without their limits.
        std::vector<Vec3> hipsBy(missed.size(), Vec3::Zero());
        std::vector<std::vector<Vec3>> turnsBy(missed.size());
        everyFrame([&](int f, auto& locals, auto& worlds) {
            const auto k = static_cast<std::size_t>(f);
            const Vec3& d = delta[static_cast<std::size_t>(laps.first() + f)];
            if (d.norm() < 1e-9) return;
            Posture& p = at(f);
            const Posture was = p;
            const Vec3 goal = centre[k] + d;
            Vec3& hips = hipsBy[k];
            std::vector<Vec3>& turns = turnsBy[k];
            turns.assign(m_turned.joints.size(), Vec3::Zero());
            for (int r = 0; r <= kRounds; ++r) {
                const Vec3 rest = goal - posed(f, locals, worlds);
                missed[k] = Vec3(rest.x(), 0, rest.z()).norm();
                if (r == kRounds) break;
                hips += asked("hips", f) * Vec3(rest.x(), 0, rest.z());
                for (const Group& g : m_turned.groups) bend(g, f, rest, worlds, turns);
                const double size = hips.norm();
                p.shift = was.shift + toOwn(size > 0 ? Vec3(hips * (most * std::tanh(size / most) / size)) : hips);
                for (const Group& g : m_turned.groups)
                    for (std::size_t t : g.turned) {
                        const double turn = turns[t].norm();
                        p.turns[t] = was.turns[t] + (turn > 0 ? Vec3(turns[t] * (g.most * std::tanh(turn / g.most) / turn))
                                                              : Vec3(Vec3::Zero()));
                    }
            }
        });
        for (double v : missed) m_missed = std::max(m_missed, v);
        // tanh of it is 0.95.
        constexpr double kFull = 1.83;
        for (std::size_t f = 0; f < missed.size(); ++f) {
            for (std::size_t g = 0; g < m_turned.groups.size() && !turnsBy[f].empty(); ++g) {
                const Group& group = m_turned.groups[g];
                m_saturated[g] += std::any_of(group.turned.begin(), group.turned.end(),
                                              [&](std::size_t t) { return turnsBy[f][t].norm() > kFull * group.most; });
            }
            m_saturated.back() += hipsBy[f].norm() > kFull * most;
        }
    }

    /// Where a leg does not reach its foot's place any more, the body comes nearer.
    void settle() {
        everyFrame([&](int f, auto& locals, auto& worlds) {
            if (m_flies[static_cast<std::size_t>(f)]) return;
            Posture& p = at(f);
            for (int r = 0; r < kHipRounds; ++r) {
                posed(f, locals, worlds);
                Vec3 by = Vec3::Zero();
                for (std::size_t k = 0; k < p.ends.size(); ++k) {
                    if (p.held[k] < 1) continue;
                    const Vec3 off = p.ends[k] - worlds[static_cast<std::size_t>(m_body.limbs()[k].end)].t;
                    if (off.norm() > by.norm()) by = off;
                }
                if (by.norm() < 1e-6 * m_weights.leg) return;
                p.shift += by;
            }
        });
    }

    /// Turns of one group's joints that take the weight a part of the rest nearer.
    void bend(const Group& g, int f, const Vec3& rest, const std::vector<Affine>& worlds, std::vector<Vec3>& turns) const {
        const double share = asked(g.row, f);
        if (share <= 0 || g.turned.empty()) return;
        // An arm that grips is no counterweight.
        if (g.hand >= 0 && m_is.gripping[static_cast<std::size_t>(f)][static_cast<std::size_t>(g.hand)]) return;
        Eigen::Matrix<double, 2, Eigen::Dynamic> j(2, 3 * static_cast<Eigen::Index>(g.turned.size()));
        const Mat3 toWorld = m_c.placement.turn.toRotationMatrix();
        for (std::size_t k = 0; k < g.turned.size(); ++k) {
            const auto [mass, centre] = m_body.hangingOn(g.turned[k], worlds);
            const Vec3 lever = centre - worlds[static_cast<std::size_t>(m_turned.joints[g.turned[k]])].t;
            // d c = m (w x lever), in the world
            const Mat3 by = -mass * m_metres * toWorld * skew(lever);
            j.middleCols<3>(3 * static_cast<Eigen::Index>(k)).row(0) = by.row(0);
            j.middleCols<3>(3 * static_cast<Eigen::Index>(k)).row(1) = by.row(2);
        }
        const double r2 = 0.5 * j.squaredNorm();
        if (!(r2 > 1e-18)) return;
        const Eigen::Matrix2d a = j * j.transpose() + g.spread * r2 * Eigen::Matrix2d::Identity();
        const Eigen::VectorXd x = j.transpose() * (a.inverse() * (share * Eigen::Vector2d(rest.x(), rest.z())));
        for (std::size_t k = 0; k < g.turned.size(); ++k) turns[g.turned[k]] += x.segment<3>(3 * static_cast<Eigen::Index>(k));
    }

    /// How far the weight has to lie elsewhere for the ground to push from where something stands.
    std::vector<Vec3> offsets(const std::vector<Vec3>& centre) {
        const Laps& laps = m_is.laps;
        const int size = laps.size();
        const rig::PlacePath path(laps.laidOut(centre), rig::Ends::Held);
        const std::vector<double> away = window();
        const auto low = outlines();
        std::vector<Vec3> asks(static_cast<std::size_t>(size), Vec3::Zero());
        std::vector<double> height(static_cast<std::size_t>(size), 0.0);
        for (int i = 0; i < size; ++i) {
            const auto k = static_cast<std::size_t>(i);
            const int f = laps.source(i);
            const double poise = std::min(1.0, asked("poise", f)) * away[k];
            const auto grip = gripOf(f);
            if (grip && m_is.hangs[static_cast<std::size_t>(f)]) {
                const Vec3 p = pressureOf(path, i, grip->y());
                asks[k] = poise * Vec3(grip->x() - p.x(), 0, grip->z() - p.z());
                continue;
            }
            const double floor = m_is.floor[static_cast<std::size_t>(f)];
            height[k] = std::max(0.0, path.frame(i).y() - floor);
            const std::vector<Eigen::Vector2d> stands = around(i, low);
            if (stands.empty() || m_is.doubtful) continue;
            const Vec3 p = pressureOf(path, i, floor);
            const Eigen::Vector2d to = nearestIn(stands, {p.x(), p.z()}, kBeyond);
            if (i >= laps.first() && i < laps.first() + m_n)
                m_beyond[static_cast<std::size_t>(i - laps.first())] = (to - Eigen::Vector2d(p.x(), p.z())).norm();
            asks[k] = poise * Vec3(to.x() - p.x(), 0, to.y() - p.z());
        }
        // What is off by as much all the way round is how the animator stands it.
        if (laps.round) {
            Vec3 mean = Vec3::Zero();
            const int lap = laps.frames - 1;
            const auto own = [&](int i) -> Vec3& { return asks[static_cast<std::size_t>(laps.first() + i)]; };
            for (int i = 0; i < lap; ++i) mean += own(i) / lap;
            for (int i = 0; i < lap; ++i) own(i) -= mean;
            // Each lap asks alike: what is read of the outermost ones is read from one side.
            for (int i = 0; i < size; ++i)
                if (i < laps.first() || i >= laps.first() + lap) asks[static_cast<std::size_t>(i)] = own(laps.source(i));
        }
        std::vector<Vec3> out(asks.size(), Vec3::Zero());
        const double most = 0.5 * m_weights.leg * m_metres;
        const auto part = [&](int from, int to) {
            std::vector<double> x, z, h;
            for (int i = from; i <= to; ++i) {
                x.push_back(asks[static_cast<std::size_t>(i)].x());
                z.push_back(asks[static_cast<std::size_t>(i)].z());
                h.push_back(height[static_cast<std::size_t>(i)]);
            }
            x = offsetForPressure(x, h, m_pull, m_fps, from > 0, to + 1 < size);
            z = offsetForPressure(z, h, m_pull, m_fps, from > 0, to + 1 < size);
            for (int i = from; i <= to; ++i) {
                Vec3 d(x[static_cast<std::size_t>(i - from)], 0, z[static_cast<std::size_t>(i - from)]);
                if (d.norm() > most) d *= most / d.norm();
                out[static_cast<std::size_t>(i)] = d;
            }
        };
        int from = 0;
        for (const rig::Flight& x : m_is.flights) {
            if (x.from - 1 >= from) part(from, x.from - 1);
            from = x.to + 1;
        }
        if (from < size) part(from, size - 1);
        return out;
    }

    bool unseen() const {
        return m_is.flights.empty() && m_most.front() <= kUnseenWay * 100 * m_metres * m_c.actor.height &&
               std::all_of(m_most.begin() + 1, m_most.end(), [](double turn) { return turn <= kUnseenTurn; });
    }

    /// How far this frame's pose is from the one below.
    void depart(int f, const std::vector<Xform>& locals, const std::vector<Affine>& worlds) {
        const auto turned = [&](int joint) {
            return degrees(m_below.at(joint, m_from + f).r.angularDistance(locals[static_cast<std::size_t>(joint)].r));
        };
        const auto more = [](double& most, double v) { most = std::max(most, v); };
        const std::vector<Affine>& was = m_is.worlds[static_cast<std::size_t>(f)];
        for (int j : m_body.carriers()) {
            const auto carrier = static_cast<std::size_t>(j);
            more(m_most[0], 100 * m_metres * (worlds[carrier].t - was[carrier].t).norm());
            more(m_most[1], turned(j));
        }
        std::size_t at = 2;
        for (const Group& g : m_turned.groups) {
            for (std::size_t t : g.turned) more(m_most[at], turned(m_turned.joints[t]));
            ++at;
        }
        for (std::size_t t : m_turned.head) more(m_most[at], turned(m_turned.joints[t]));
        ++at;
        for (const Poised::Limb& l : m_body.limbs()) {
            for (int j : {l.upper, l.lower, l.end}) more(m_most[at], turned(j));
            ++at;
        }
    }

    void tell(Weighed& out, const std::vector<Vec3>& centre) const {
        const auto own = [&](const Vec3& p) { return m_c.placement.toOwn(p); };
        const rig::PlacePath path(m_is.laps.laidOut(centre), rig::Ends::Held);
        const auto stands = outlines();
        for (int f = 0; f < m_n; ++f) {
            const auto k = static_cast<std::size_t>(f);
            out.below.push_back(own(m_is.centre[k]));
            out.above.push_back(own(centre[k]));
            const double floor = m_is.floor[k];
            out.floor.push_back(floor);
            const auto grip = gripOf(f);
            out.pressure.push_back(own(pressureOf(path, m_is.laps.first() + f, grip && m_is.hangs[k] ? grip->y() : floor)));
            std::vector<Vec3> around;
            if (!m_flies[k])
                for (const Eigen::Vector2d& p : stands[k]) around.push_back(own(Vec3(p.x(), floor, p.y())));
            out.support.push_back(std::move(around));
        }
        out.beyond.insert(out.beyond.end(), m_beyond.begin(), m_beyond.end());
        out.doubtful = out.doubtful || m_is.doubtful;
        for (const rig::Flight& x : m_is.flights) {
            const int from = x.from - m_is.laps.first();
            if (from < 0 || from >= m_n - (m_is.laps.round ? 1 : 0)) continue;
            out.flights.push_back({m_from + from, m_from + x.to - m_is.laps.first(), x.pull, rig::pullOf(path, x, m_fps)});
        }
        std::vector<std::string> names{"Body goes", "Body leans"};
        for (const Group& g : m_turned.groups) names.emplace_back(g.label);
        names.emplace_back("Head");
        int side = 0;
        for (const Poised::Limb& l : m_body.limbs()) {
            const bool fore = side > 1;
            names.push_back(std::string(side % 2 == 0 ? "Left " : "Right ") + (l.foot ? (fore ? "fore leg" : "leg") : "arm"));
            ++side;
        }
        for (std::size_t k = 0; k < names.size(); ++k) {
            const auto known =
                std::find_if(out.turned.begin(), out.turned.end(), [&](const Weighed::Turned& t) { return t.name == names[k]; });
            Weighed::Turned& t = known == out.turned.end() ? out.turned.emplace_back(Weighed::Turned{names[k]}) : *known;
            t.goes = k == 0;
            t.most = std::max(t.most, m_most[k]);
            const double full = k == 0 ? m_saturated.back() : k >= 2 && k - 2 < m_saturated.size() - 1 ? m_saturated[k - 2] : 0;
            t.saturated = std::max(t.saturated, full / std::max(1, m_n));
        }
    }

    const LayerContext& m_c;
    const scene::Resolved& m_s;
    const Weights& m_weights;
    const Turned& m_turned;
    const rig::Track& m_below;
    int m_from;
    const Cancel& m_cancel;
    Weighing m_is;
    Poised m_body;
    int m_n;
    double m_fps, m_metres, m_pull;
    std::vector<Posture> m_postures;
    std::vector<char> m_flies;
    std::vector<double> m_most;
    std::vector<int> m_saturated;  // by group, the hips last
    std::vector<double> m_beyond;  // by frame [m]
    double m_missed = 0;
};

}  // namespace

double balanceStretch(const LayerContext& context, const Weights& weights, const Turned& turned, const Poised& body,
                      const rig::Track& below, const Stretch& over, Weighing is, const Cancel& cancel, Filtered& out,
                      Weighed& weighed) {
    Balancing each(context, weights, turned, body, below, over, std::move(is), cancel);
    each.run();
    each.write(out, weighed);
    return each.missed();
}

}  // namespace nutatio::layers::balance
