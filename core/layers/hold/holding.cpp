#include "layers/hold/holding.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <optional>

#include "base/calm.h"
#include "layers/descent.h"
#include "layers/hold/held_point.h"
#include "layers/hold/hold_build.h"
#include "layers/joint_worlds.h"
#include "rig/limb.h"
#include "rig/parts.h"
#include "rig/roles.h"
#include "rig/sole.h"

namespace nutatio::layers::hold {

// Of each point its way over what it stands on; where it stands (rig::standingOf, or the intervals of the layer) it is held at
// the median of its places there, the least change. Offset o = place - x, weight w = 1 inside and the quintic outside over some
// frames, no farther than to the point's next contact: O := (O W (1-w) + o w)/(W (1-w) + w) for the points of one limb, W := W
// (1-w) + w. The body's root takes a share of the feet's mean offset, and what a limb would have to reach beyond itself; then
// each limb is brought to its end's place by two bones (rig::reachWithLimb), and hand or foot keeps its turn. Where the clip
// walks in place the ground runs under it as fast as its feet tell (rig::strideOf).

namespace {

constexpr double kBendsBy = 310 * kPi / 180;  // [rad/s] at most, that a knee or elbow bends apart from how it is animated
constexpr double kCalmAbout = 0.06;           // [s] about a limb that would bend faster, in which the body goes along less
constexpr int kShares = 32;                   // in which a share is looked for

/// Evened out over some frames on either side, ends held or going round.
std::vector<Vec3> evened(const std::vector<Vec3>& v, double frames, bool round) {
    if (frames < 0.3) return v;
    const int n = static_cast<int>(v.size()), reach = static_cast<int>(std::ceil(3 * frames));
    std::vector<Vec3> out(v.size());
    for (int f = 0; f < n; ++f) {
        Vec3 sum = Vec3::Zero();
        double all = 0;
        for (int k = -reach; k <= reach; ++k) {
            const double w = std::exp(-0.5 * k * k / (frames * frames));
            const int last = n - 1, at = round && last > 0 ? ((f + k) % last + last) % last : within(f + k, 0, last);
            sum += w * v[static_cast<std::size_t>(at)];
            all += w;
        }
        out[static_cast<std::size_t>(f)] = sum / all;
    }
    return out;
}

class Holding {
  public:
    Holding(const LayerContext& context, const rig::Track& below, const Cancel& cancel)
        : m_c(context),
          m_below(below),
          m_cancel(cancel),
          m_s(context.actor.skeleton),
          m_settings(*context.settings),
          m_build(buildOf(context.actor, context.layer)),
          m_n(below.frames()),
          m_level(scene::levelOf(context.placement)),
          m_ground(context, below, m_build.root, m_level) {
        sample(m_below, m_worlds);
        if (context.body && context.body->frames() == m_n && !m_ground.carried() && !m_ground.isSurface() &&
            context.cuts.empty()) {
            sample(*context.body, m_clipWorlds);
            m_clipGround.emplace(context, *context.body, m_build.root, m_level);
        }
        readSoles();
    }

    Filtered run() {
        for (std::size_t k = 0; k < m_build.limbs.size(); ++k) {
            const HeldLimb& limb = m_build.limbs[k];
            if (limb.onSole)
                for (const Vec3* edge : {&limb.heel, &limb.ball}) m_points.push_back({k, pointOf(k, limb.end, *edge)});
            else
                for (int joint : limb.points) m_points.push_back({k, pointOf(k, joint, spotOn(joint))});
        }
        combine();
        moveRoot();
        calm();
        return solve();
    }

  private:
    struct OfLimb {
        std::size_t limb;
        Point point;
    };
    const Vec3& place(int joint, int f) const { return m_worlds[static_cast<std::size_t>(f)][static_cast<std::size_t>(joint)].t; }

    void sample(const rig::Track& track, std::vector<std::vector<Affine>>& out) const {
        std::vector<Xform> pose;
        out.resize(static_cast<std::size_t>(m_n));
        for (int f = 0; f < m_n; ++f) {
            if (m_cancel.asked()) throw Cancelled{};
            track.pose(f, pose);
            rig::worldTransforms(m_s, pose, out[static_cast<std::size_t>(f)]);
        }
    }

    /// Heel and ball of feet that stand on both.
    void readSoles() {
        if (m_settings.text("sole") == "keep their turn") return;
        for (const rig::Sole& sole : rig::solesOf(m_c.actor, rig::rolesOf(m_c.actor), m_level))
            for (HeldLimb& l : m_build.limbs)
                if (l.end == sole.joint) {
                    l.onSole = true;
                    l.heel = sole.middleOfHeel();
                    l.ball = sole.middleOfBall();
                }
    }

    /// The point that is held of what hangs on a joint, in its axes.
    Vec3 spotOn(int joint) const {
        Vec3 out;
        for (int k = 0; k < 3; ++k) {
            const std::string id = scene::channelId(std::string("spot_") + "xyz"[k], m_s.reference(joint));
            out[k] = m_settings.at(id) / m_c.placement.metres;
        }
        if (out.isZero()) return out;
        // Lengths are the actor's, however its joints are scaled.
        const Mat3& m = m_worlds.front()[static_cast<std::size_t>(joint)].m;
        return m.inverse() * (rotationOf(m) * out);
    }

    double limbLength(const HeldLimb& l) const {
        return (place(l.lower, 0) - place(l.upper, 0)).norm() + (place(l.end, 0) - place(l.lower, 0)).norm();
    }

    Point pointOf(std::size_t limb, int joint, const Vec3& local) const {
        std::vector<Vec3> world, clip;
        for (const auto& worlds : m_worlds) world.push_back(worlds[static_cast<std::size_t>(joint)].apply(local));
        for (const auto& worlds : m_clipWorlds) clip.push_back(worlds[static_cast<std::size_t>(joint)].apply(local));
        return PointFinder(m_c, m_ground, m_below.grid().fps)
            .find(joint, local, std::move(world), limbLength(m_build.limbs[limb]), clip, m_clipGround ? &*m_clipGround : nullptr);
    }

    /// The offset of each limb's end: of its points, the later ones win.
    void combine() {
        m_offset.assign(m_build.limbs.size(), std::vector<Vec3>(static_cast<std::size_t>(m_n), Vec3::Zero()));
        m_weight.assign(m_build.limbs.size(), std::vector<double>(static_cast<std::size_t>(m_n), 0.0));
        for (const OfLimb& o : m_points)
            for (std::size_t f = 0; f < o.point.offset.size(); ++f) {
                const double w = o.point.weight[f];
                double& W = m_weight[o.limb][f];
                Vec3& O = m_offset[o.limb][f];
                const double all = W * (1 - w) + w;
                if (all > 0) O = (O * W * (1 - w) + o.point.offset[f] * w) / all;
                W = all;
            }
        for (std::size_t k = 0; k < m_offset.size(); ++k)
            for (std::size_t f = 0; f < m_offset[k].size(); ++f) m_offset[k][f] *= m_weight[k][f];
        m_turn.assign(m_build.limbs.size(), {});
        for (std::size_t k = 0; k < m_build.limbs.size(); ++k)
            if (m_build.limbs[k].onSole) standOnSole(k);
    }

    /// A foot of which heel and ball stand: it turns from the one towards the other, and its joint goes where that leaves it.
    void standOnSole(std::size_t limb) {
        const Point *heel = nullptr, *ball = nullptr;
        for (const OfLimb& o : m_points)
            if (o.limb == limb) (heel ? ball : heel) = &o.point;
        m_turn[limb].assign(static_cast<std::size_t>(m_n), Quat::Identity());
        for (std::size_t f = 0; f < m_turn[limb].size(); ++f) {
            const double wh = heel->weight[f], wb = ball->weight[f], all = wh * (1 - wb) + wb;
            m_weight[limb][f] = all;
            m_offset[limb][f] = Vec3::Zero();
            if (all <= 0) continue;
            const Vec3 ankle = place(m_build.limbs[limb].end, static_cast<int>(f));
            const Vec3 from = ball->world[f] - heel->world[f], to = from + ball->offset[f] - heel->offset[f];
            if (from.norm() > 0 && to.norm() > 0)
                m_turn[limb][f] = blend(Quat::Identity(), arc(from.normalized(), to.normalized()), std::min(wh, wb));
            const auto wanted = [&](const Point& p) -> Vec3 {
                return p.world[f] + p.offset[f] - ankle - m_turn[limb][f] * (p.world[f] - ankle);
            };
            m_offset[limb][f] = wanted(*heel) * wh * (1 - wb) + wanted(*ball) * wb;
        }
    }

    /// Knee or elbow turned about the line from hip to foot until it points to a joint.
    void bendTowards(rig::LimbTurn& turn, const Vec3& a, const Vec3& b, const Vec3& c, int joint, int f, double share) const {
        const Vec3 knee = turn.upper * (b - a), line = knee + turn.lower * (c - b);
        if (!(line.norm() > 0)) return;
        const Vec3 n = line.normalized(), to = place(joint, f) - a;
        const Vec3 is = knee - n.dot(knee) * n, wanted = to - n.dot(to) * n;
        if (is.norm() < 1e-9 * line.norm() || wanted.norm() < 1e-9 * line.norm()) return;
        const double angle = std::atan2(n.dot(is.cross(wanted)), is.dot(wanted));
        const Quat by = fromRotationVector(share * angle * n);
        turn.upper = (by * turn.upper).normalized();
        turn.lower = (by * turn.lower).normalized();
    }

    void moveRoot() {
        m_root.assign(static_cast<std::size_t>(m_n), Vec3::Zero());
        const double share = m_settings.at("body"), spread = 0.05 * m_below.grid().fps;
        if (m_build.root == rig::kNoJoint) return;
        const bool round = m_c.period > 0;
        for (int f = 0; f < m_n; ++f) {
            const auto at = static_cast<std::size_t>(f);
            Vec3 sum = Vec3::Zero();
            double all = 0;
            for (std::size_t k = 0; k < m_build.limbs.size(); ++k)
                if (m_build.limbs[k].foot) {
                    sum += m_offset[k][at];
                    all += m_weight[k][at];
                }
            if (all > 0) m_root[at] = share * sum / std::max(1.0, all);
        }
        m_root = evened(m_root, spread, round);
        // Where a limb is too short for its place the body's root comes nearer.
        for (int turn = 0; turn < 3 && share > 0; ++turn) {
            std::vector<Vec3> more(static_cast<std::size_t>(m_n), Vec3::Zero());
            for (int f = 0; f < m_n; ++f) {
                const auto at = static_cast<std::size_t>(f);
                for (std::size_t k = 0; k < m_build.limbs.size(); ++k) {
                    const HeldLimb& l = m_build.limbs[k];
                    if (!l.foot || m_weight[k][at] <= 0) continue;
                    const Vec3 hip = place(l.upper, f) + m_root[at], way = place(l.end, f) + m_offset[k][at] - hip;
                    const double reach = std::max(0.97 * limbLength(l), (place(l.end, f) - place(l.upper, f)).norm());
                    if (const double over = way.norm() - reach; over > 0) more[at] += over * way.normalized();
                }
            }
            more = evened(more, spread, round);
            for (std::size_t f = 0; f < more.size(); ++f) m_root[f] += more[f];
        }
    }

    /// How far a limb is bent whose end is so far from its top [rad].
    double bendOver(const HeldLimb& l, double away) const {
        const double a = (place(l.lower, 0) - place(l.upper, 0)).norm(), b = (place(l.end, 0) - place(l.lower, 0)).norm();
        if (!(a > 0) || !(b > 0)) return 0;
        return kPi - std::acos(within((a * a + b * b - away * away) / (2 * a * b), -1.0, 1.0));
    }
    /// What that is more than below, with shares of the limb's offset and of the root's [rad].
    double bentMore(std::size_t limb, int f, double offset, double root) const {
        const auto at = static_cast<std::size_t>(f);
        const HeldLimb& l = m_build.limbs[limb];
        const Vec3 way = place(l.end, f) - place(l.upper, f);
        return bendOver(l, (way + offset * m_offset[limb][at] - root * m_root[at]).norm()) - bendOver(l, way.norm());
    }

    /// How far a limb may be bent more than below, by frame [rad]: as far as it would be, but no frame farther from the next than
    /// kBendsBy lets it.
    std::vector<double> calmBends(std::size_t limb) const {
        std::vector<double> most;
        for (int f = 0; f < m_n; ++f) most.push_back(std::abs(bentMore(limb, f, 1, 1)) + 1e-9);
        const double step = kBendsBy / m_below.grid().fps;
        const auto follow = [&](int f, int from) {
            double& here = most[static_cast<std::size_t>(f)];
            here = std::min(here, most[static_cast<std::size_t>(from)] + step);
        };
        // Of a loop twice: what follows its end is its beginning.
        for (int lap = 0; lap < (m_c.period > 0 ? 2 : 1); ++lap) {
            for (int f = 1; f < m_n; ++f) follow(f, f - 1);
            for (int f = m_n - 2; f >= 0; --f) follow(f, f + 1);
            if (m_c.period <= 0) break;
            follow(0, m_n - 1);
            follow(m_n - 1, 0);
        }
        return most;
    }

    /// The largest share of kShares at which nothing is bent beyond what it may be, or that which bends least.
    template <class Beyond>
    static double shareOf(const Beyond& beyond) {
        double share = 1, least = 1e300;
        for (int k = 0; k <= kShares && least > 0; ++k) {
            const double tried = 1 - static_cast<double>(k) / kShares, over = beyond(tried);
            if (over >= least) continue;
            least = over;
            share = tried;
        }
        return share;
    }

    /// A limb that is nearly straight bends far for a little way, and would bend and straighten within two frames of a short
    /// contact. The body goes along less there, and the limb slides, for as much as its bend would change too fast. What was set
    /// by hand is held.
    void calm() {
        std::vector<std::size_t> found;
        for (std::size_t k = 0; k < m_build.limbs.size(); ++k)
            if (std::none_of(m_points.begin(), m_points.end(), [&](const OfLimb& o) {
                    return o.limb == k &&
                           std::any_of(o.point.held.begin(), o.point.held.end(), [](const Held& h) { return h.set; });
                }))
                found.push_back(k);
        std::vector<std::vector<double>> allowed;
        for (std::size_t k : found) allowed.push_back(calmBends(k));
        const auto beyond = [&](std::size_t n, int f, double offset, double root) {
            return std::max(0.0, std::abs(bentMore(found[n], f, offset, root)) - allowed[n][static_cast<std::size_t>(f)]);
        };
        std::vector<double> goes;
        for (int f = 0; f < m_n; ++f)
            goes.push_back(shareOf([&](double share) {
                double most = 0;
                for (std::size_t n = 0; n < found.size(); ++n)
                    if (m_build.limbs[found[n]].foot) most = std::max(most, beyond(n, f, 1, share));
                return most;
            }));
        goes = calmLow(goes, static_cast<int>(std::ceil(kCalmAbout * m_below.grid().fps)), m_c.period > 0);
        for (std::size_t f = 0; f < m_root.size(); ++f) m_root[f] *= goes[f];
        for (std::size_t n = 0; n < found.size(); ++n)
            for (int f = 0; f < m_n; ++f)
                m_offset[found[n]][static_cast<std::size_t>(f)] *= shareOf([&](double share) { return beyond(n, f, share, 1); });
    }

    Filtered solve() {
        Filtered out;
        for (int j : m_build.joints) out.joints.emplace_back(j, rig::Column(static_cast<std::size_t>(m_n)));
        // The hinge of each limb over the shot, in its upper bone's axes.
        std::vector<Vec3> hinge(m_build.limbs.size(), Vec3::Zero());
        for (std::size_t k = 0; k < hinge.size(); ++k) {
            const HeldLimb& l = m_build.limbs[k];
            for (int f = 0; f < m_n; ++f)
                hinge[k] += rotationOf(m_worlds[static_cast<std::size_t>(f)][static_cast<std::size_t>(l.upper)].m).conjugate() *
                            rig::hingeOf(place(l.upper, f), place(l.lower, f), place(l.end, f));
            if (hinge[k].norm() > 1e-9)
                hinge[k].normalize();
            else
                hinge[k] = Vec3::UnitX();
            if (m_settings.text("bend") != "as animated") hinge[k] = -hinge[k];
        }
        const int towards = m_settings.text("towards").empty() ? rig::kNoJoint : m_s.find(m_settings.text("towards"));
        Descent descent(m_s, m_build.joints);
        std::vector<Xform> made(m_build.joints.size());
        for (int f = 0; f < m_n; ++f) {
            if (m_cancel.asked()) throw Cancelled{};
            const auto at = static_cast<std::size_t>(f);
            std::vector<rig::LimbTurn> turns(m_build.limbs.size());
            for (std::size_t k = 0; k < turns.size(); ++k) {
                const HeldLimb& l = m_build.limbs[k];
                const Vec3 a = place(l.upper, f) + m_root[at], b = place(l.lower, f) + m_root[at],
                           c = place(l.end, f) + m_root[at], target = place(l.end, f) + m_offset[k][at];
                // A limb that is neither held nor carried along stays as it is.
                if ((target - c).norm() >= 1e-12 * m_c.actor.height)
                    turns[k] = rig::reachWithLimb(a, b, c, target,
                                                  rotationOf(m_worlds[at][static_cast<std::size_t>(l.upper)].m) * hinge[k]);
                if (towards != rig::kNoJoint && m_weight[k][at] > 0) bendTowards(turns[k], a, b, c, towards, f, m_weight[k][at]);
            }
            descent.go(
                PoseView(m_below, f),
                [&](std::size_t number, const Affine& above, const Xform& local) {
                    const int joint = m_build.joints[number];
                    Xform x = local;
                    if (joint == m_build.root) x.t = above.inverse().apply(above.apply(local.t) + m_root[at]);
                    const Quat was = rotationOf(m_worlds[at][static_cast<std::size_t>(joint)].m);
                    for (std::size_t k = 0; k < turns.size(); ++k) {
                        const HeldLimb& l = m_build.limbs[k];
                        if (joint != l.upper && joint != l.lower && joint != l.end) continue;
                        const Quat wanted = joint == l.upper   ? Quat(turns[k].upper * was)
                                            : joint == l.lower ? Quat(turns[k].lower * was)
                                            : l.onSole         ? Quat(m_turn[k][at] * was)
                                                               : was;
                        const Quat is = rotationOf((above * x.affine()).m);
                        x = turnedInWorld(x, above, (wanted * is.conjugate()).normalized());
                    }
                    return x;
                },
                made);
            for (std::size_t k = 0; k < made.size(); ++k) out.joints[k].second[at] = made[k];
        }
        report(out);
        return out;
    }

    /// How far each contact slides now, as it has become.
    void report(Filtered& out) {
        rig::Track above = m_below;
        for (const auto& [joint, made] : out.joints) above.replace(joint, made);
        std::vector<int> joints;
        for (const OfLimb& o : m_points) joints.push_back(o.point.joint);
        JointWorlds worlds(m_s, joints);
        std::vector<std::vector<Vec3>> now(m_points.size());
        for (int f = 0; f < m_n; ++f) {
            worlds.update(PoseView(above, f));
            for (std::size_t k = 0; k < m_points.size(); ++k)
                now[k].push_back(
                    m_ground.at(f).inverse().apply(worlds.world(m_points[k].point.joint).apply(m_points[k].point.local)));
        }
        double before = 0, after = 0;
        auto contacts = std::make_shared<Contacts>();
        for (std::size_t k = 0; k < m_points.size(); ++k)
            for (Held held : m_points[k].point.held) {
                const std::vector<Vec3> stood(now[k].begin() + held.from, now[k].begin() + held.to + 1);
                const Vec3 middle = middleOf(stood);
                for (int f = held.from; f <= held.to; ++f)
                    held.after = std::max(held.after, m_ground.off(f, now[k][static_cast<std::size_t>(f)], middle).norm());
                before = std::max(before, held.before);
                after = std::max(after, held.after);
                out.lane.push_back({held.from, held.to, LaneSpan::Form::Bar, static_cast<int>(k), held.set});
                contacts->held.push_back(held);
            }
        char said[120];
        const double mm = 1000 * m_c.placement.metres;
        const auto many = static_cast<int>(
            std::count_if(contacts->held.begin(), contacts->held.end(), [](const Held& held) { return !held.goesOn; }));
        std::snprintf(said, sizeof said, "holds %d contact%s: %s %.3g mm below, %.2g mm now", many, many == 1 ? "" : "s",
                      many == 1 ? "it slides" : "they slide", mm * before, mm * after);
        if (many > 0) out.said = said;
        out.notes = std::move(contacts);
        std::string idle;
        for (std::size_t k = 0; k < m_build.limbs.size() && many > 0; ++k)
            if (std::none_of(m_points.begin(), m_points.end(),
                             [&](const OfLimb& o) { return o.limb == k && !o.point.held.empty(); }))
                idle += (idle.empty() ? "" : ", ") + std::string("\"") + rig::plainName(m_s, m_build.limbs[k].end) + "\"";
        if (!idle.empty())
            out.remarks.push_back(idle + (idle.find(',') == std::string::npos ? " is" : " are") +
                                  " never found standing: set Near and Still wider, or set intervals by hand");
        if (many == 0) out.remarks.push_back("no contact is found: set Near and Still wider, or set intervals by hand");
        if (after > 0.02 * m_c.actor.height) {
            char text[120];
            std::snprintf(text, sizeof text, "a contact still slides by %.1f %% of the height: it is out of reach",
                          100 * after / m_c.actor.height);
            out.remarks.emplace_back(text);
        }
    }

    const LayerContext& m_c;
    const rig::Track& m_below;
    const Cancel& m_cancel;
    const rig::Skeleton& m_s;
    const scene::Resolved& m_settings;
    Build m_build;
    int m_n;
    Quat m_level;
    std::vector<std::vector<Affine>> m_worlds;  // by frame
    HeldGround m_ground;
    std::optional<HeldGround> m_clipGround;         // of the motion below all layers, on which contacts are found
    std::vector<std::vector<Affine>> m_clipWorlds;  // and its joints
    std::vector<OfLimb> m_points;
    std::vector<std::vector<Vec3>> m_offset;  // by limb, of its end
    std::vector<std::vector<double>> m_weight;
    std::vector<std::vector<Quat>> m_turn;  // by limb that stands on its sole
    std::vector<Vec3> m_root;
};

}  // namespace

Filtered held(const LayerContext& context, const rig::Track& below, const Cancel& cancel) {
    return Holding(context, below, cancel).run();
}

}  // namespace nutatio::layers::hold
