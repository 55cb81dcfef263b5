#include "measure/gauge.h"

#include <algorithm>

#include "layers/descent.h"
#include "layers/joint_worlds.h"
#include "measure/trace.h"
#include "rig/mass.h"
#include "rig/path.h"
#include "rig/roles.h"

namespace nutatio::measure {

namespace {

using rig::Ends;

/// A joint's or a spot's way through the world, frame by frame.
struct Way {
    std::vector<Vec3> places;  // [m]
    std::vector<Quat> turns;
};

/// Where what is seen stands, frame by frame, in its actor's own world.
class Follow {
  public:
    explicit Follow(const Seen& seen) : m_seen(seen), m_worlds(seen.actor->skeleton, seen.on.joints()) {}
    Affine at(int frame) {
        m_worlds.update(layers::PoseView(*m_seen.track, frame));
        return m_seen.on.at([&](int j) -> const Affine& { return m_worlds.world(j); }, m_seen.track, frame);
    }

  private:
    const Seen& m_seen;
    layers::JointWorlds m_worlds;
};

Way wayOf(const Seen& s, const Vec3& local = Vec3::Zero()) {
    Way out;
    Follow follow(s);
    for (int f = 0; f < s.track->frames(); ++f) {
        const Affine at = follow.at(f);
        out.places.push_back(s.placement.toWorld(at.apply(local)));
        out.turns.push_back(s.placement.turn * rotationOf(at.m));
    }
    return out;
}

/// All of a vector, its part along one axis, or its length in a plane.
double chosen(const Vec3& v, const std::string& axes) {
    if (axes.empty()) return v.norm();
    if (axes.size() == 1) return v[axes.front() - 'x'];
    Vec3 in = Vec3::Zero();
    for (char c : axes) in[c - 'x'] = v[c - 'x'];
    return in.norm();
}

class Reader {
  public:
    Reader(const scene::Gauge& gauge, const Sight& sight)
        : m_gauge(gauge), m_sight(sight), m_frames(sight.of.track->frames()), m_fps(sight.of.track->grid().fps) {
        constexpr double kLeast = 0.7;  // [frames]
        m_calm = std::max(kLeast, gauge.number("calm") / 24 * m_fps);
    }

    Result<scene::Curve> read() {
        const std::string& m = m_gauge.text("measure");
        if (m_gauge.text("from") == "joint" && !m_sight.to.actor &&
            (m == "speed" || m == "travel" || m == "turning" || m == "acceleration"))
            return refused("it is seen from another joint: choose which");
        if (m == "speed") return along(velocities());
        if (m == "travel") return travel();
        if (m == "turning") return turning();
        if (m == "acceleration" || m == "weight") return acceleration(m == "weight");
        if (m == "distance" || m == "closing") return between(m == "closing");
        if (m == "height") return heights(wayOf(m_sight.of, point()).places);
        if ((m == "angle" || m == "stretch") && (m_sight.of.on.spot || m_sight.to.on.spot))
            return refused("bones have angles and lengths at rest: choose joints, not spots of the surface");
        if (m == "angle") return angle();
        if (m == "stretch") return stretch();
        if (m == "contact") return contact();
        if (m == "mass") return massSpeed();
        return refused("this version does not measure \"" + m + "\"");
    }

  private:
    Vec3 point() const {
        const bool end = m_gauge.text("point") == "end" && !m_sight.of.on.spot;
        return end ? rig::endOf(m_sight.of.actor->skeleton, m_sight.of.on.joint) : Vec3(Vec3::Zero());
    }

    /// For the frames between two cuts at a time.
    template <class Each>
    void stretches(const Each& each) const {
        int from = 0;
        for (int cut : m_sight.cuts)
            if (cut > from && cut < m_frames) {
                each(from, cut, Ends::Held);
                from = cut;
            }
        each(from, m_frames, from == 0 && m_sight.round && m_frames > 2 ? Ends::Round : Ends::Held);
    }

    std::vector<rig::PlacePath::Fit> fits(const std::vector<Vec3>& places, double calm) const {
        std::vector<rig::PlacePath::Fit> out;
        stretches([&](int from, int to, Ends ends) {
            const rig::PlacePath path({places.begin() + from, places.begin() + to}, ends);
            for (int f = 0; f < to - from; ++f) out.push_back(path.fit(f, calm, m_fps));
        });
        return out;
    }

    /// What it is seen from, where that moves.
    std::optional<Way> seat() const {
        if (m_gauge.text("from") == "joint") return wayOf(m_sight.to);
        if (m_gauge.text("from") != "root") return std::nullopt;
        return wayOf(m_sight.of.at(bodyRoot(*m_sight.of.actor, m_sight.of.on.joint)));
    }

    std::vector<Vec3> seen(std::vector<Vec3> places) const {
        if (const auto s = seat())
            for (std::size_t f = 0; f < places.size(); ++f) places[f] = s->turns[f].conjugate() * (places[f] - s->places[f]);
        return places;
    }

    std::vector<Vec3> velocities() const {
        // What stands on the ground goes along with it: the world, and any other actor.
        const bool counts = m_gauge.text("from") == "world" ||
                            (m_gauge.text("from") == "joint" && m_sight.to.actor && m_sight.to.track != m_sight.of.track);
        const Vec3 ground = counts ? m_sight.ground.value_or(Vec3(Vec3::Zero())) : Vec3(Vec3::Zero());
        const auto s = seat();
        std::vector<Vec3> out;
        for (const auto& fit : fits(seen(wayOf(m_sight.of, point()).places), m_calm))
            out.push_back(fit.speed - (s ? Vec3(s->turns[out.size()].conjugate() * ground) : ground));
        return out;
    }

    scene::Curve along(const std::vector<Vec3>& v) const {
        scene::Curve out;
        for (const Vec3& each : v) out.push_back(chosen(each, m_gauge.text("axes")));
        return out;
    }

    scene::Curve travel() const {
        // Of the fitted speed: steps from frame to frame would add up every shake.
        const scene::Curve speed = along(velocities());
        scene::Curve out{0};
        for (std::size_t f = 1; f < speed.size(); ++f) out.push_back(out.back() + 0.5 * (speed[f - 1] + speed[f]) / m_fps);
        return out;
    }

    scene::Curve turning() const {
        Way own = wayOf(m_sight.of);
        if (const auto s = seat())
            for (std::size_t f = 0; f < own.turns.size(); ++f) own.turns[f] = s->turns[f].conjugate() * own.turns[f];
        scene::Curve out;
        stretches([&](int from, int to, Ends ends) {
            const rig::TurnPath path({own.turns.begin() + from, own.turns.begin() + to}, ends);
            for (int f = 0; f < to - from; ++f)
                out.push_back(degrees(chosen(path.frame(f).conjugate() * path.rate(f, m_calm, m_fps), m_gauge.text("axes"))));
        });
        return out;
    }

    scene::Curve acceleration(bool felt) const {
        scene::Curve out;
        if (felt) {
            for (const auto& fit : fits(wayOf(m_sight.of, point()).places, m_calm))
                out.push_back((fit.acceleration + kEarthGravity * Vec3::UnitY()).norm() / kEarthGravity);
            return out;
        }
        std::vector<Vec3> a;
        for (const auto& fit : fits(seen(wayOf(m_sight.of, point()).places), m_calm)) a.push_back(fit.acceleration);
        return along(a);
    }

    Result<scene::Curve> between(bool closing) const {
        if (!m_sight.to.actor) return refused("it measures from one joint to another: choose the other one");
        std::vector<Vec3> apart = wayOf(m_sight.of, point()).places;
        const std::vector<Vec3> to = wayOf(m_sight.to).places;
        for (std::size_t f = 0; f < apart.size(); ++f) apart[f] -= to[f];
        if (!closing) return along(apart);
        scene::Curve out;
        for (const auto& fit : fits(apart, m_calm)) out.push_back(-fit.value.dot(fit.speed) / std::max(fit.value.norm(), 1e-9));
        return out;
    }

    scene::Curve heights(const std::vector<Vec3>& places) const {
        scene::Curve out;
        for (const Vec3& p : places) out.push_back(p.y());
        if (m_sight.over.empty()) return out;
        std::fill(out.begin(), out.end(), std::numeric_limits<double>::infinity());
        for (const Under& under : m_sight.over) {
            const double unit = under.rides.actor ? under.rides.placement.metres : 1;
            std::optional<Follow> follow;
            if (under.rides.actor) follow.emplace(under.rides);
            for (std::size_t f = 0; f < places.size(); ++f) {
                const auto numbers = scene::numbersOf(*under.settings, static_cast<int>(f));
                const Affine world = follow ? follow->at(static_cast<int>(f)) : Affine{};
                const physics::Body body = layers::bodyOf(numbers, layers::placeCollider(numbers, world));
                const Vec3 p = under.rides.actor ? under.rides.placement.toOwn(places[f]) : places[f];
                out[f] = std::min(out[f], unit * physics::nearest(body, p, Vec3::Zero()).distance);
            }
        }
        return out;
    }

    scene::Curve angle() const {
        const rig::Skeleton& s = m_sight.of.actor->skeleton;
        const Way own = wayOf(m_sight.of), end = wayOf(m_sight.of, rig::endOf(s, m_sight.of.on.joint));
        // Against the other joint's bone, or against the bone that it hangs on.
        Way from, to;
        const int up = s.joint(m_sight.of.on.joint).parent;
        if (m_sight.to.actor) {
            from = wayOf(m_sight.to);
            to = wayOf(m_sight.to, rig::endOf(m_sight.to.actor->skeleton, m_sight.to.on.joint));
        } else if (up != rig::kNoJoint) {
            const Seen parent = m_sight.of.at(up);
            from = wayOf(parent);
            to = own;
        }
        const std::string& axes = m_gauge.text("axes");
        scene::Curve out;
        for (std::size_t f = 0; f < own.places.size(); ++f) {
            const Vec3 a = from.places.empty() ? Vec3(Vec3::UnitY()) : Vec3(to.places[f] - from.places[f]);
            const Vec3 b = end.places[f] - own.places[f], across = a.cross(b);
            if (axes.size() != 1) {
                out.push_back(degrees(std::atan2(across.norm(), a.dot(b))));
                continue;
            }
            // Of what is seen along the hinge: a swing to the side does not turn the sign over.
            const Vec3 hinge = own.turns[f] * Vec3::Unit(axes.front() - 'x');
            out.push_back(degrees(std::atan2(across.dot(hinge), a.dot(b) - a.dot(hinge) * b.dot(hinge))));
        }
        return out;
    }

    Result<scene::Curve> stretch() const {
        Seen other = m_sight.to;
        if (other.actor && other.actor != m_sight.of.actor)
            return refused("it has a length at rest to joints of its own actor only");
        if (!other.actor) other = m_sight.of.at(m_sight.of.actor->skeleton.joint(m_sight.of.on.joint).parent);
        if (other.on.joint == rig::kNoJoint) return refused("it hangs on no joint: choose another one to measure its length to");
        std::vector<Affine> rest;
        rig::worldTransforms(m_sight.of.actor->skeleton, m_sight.of.actor->restPose(), rest);
        const double length =
            m_sight.of.placement.metres *
            (rest[static_cast<std::size_t>(m_sight.of.on.joint)].t - rest[static_cast<std::size_t>(other.on.joint)].t).norm();
        if (!(length > 0)) return refused("the two joints stand in one place at rest");
        const std::vector<Vec3> a = wayOf(m_sight.of).places, b = wayOf(other).places;
        scene::Curve out;
        for (std::size_t f = 0; f < a.size(); ++f) out.push_back((a[f] - b[f]).norm() / length - 1);
        return out;
    }

    scene::Curve contact() const {
        const std::vector<Vec3> places = wayOf(m_sight.of, point()).places;
        scene::Curve above = heights(places);
        if (m_sight.over.empty()) {
            // A joint is a poor sole: its own floor is where it is lowest.
            scene::Curve sorted = above;
            std::sort(sorted.begin(), sorted.end());
            const double floor = sorted[static_cast<std::size_t>(0.03 * static_cast<double>(sorted.size() - 1))];
            for (double& a : above) a -= floor;
        }
        const double height = m_sight.of.actor->height * m_sight.of.placement.metres, near = m_gauge.number("near") * height,
                     still = m_gauge.number("still") * height;
        const Vec3 ground = m_sight.ground.value_or(Vec3(Vec3::Zero()));
        const auto moves = fits(places, std::max(0.7, m_fps / 60));
        // Farther and faster to let go than to touch, so that a shake does not end it.
        constexpr double kFarther = 1.7, kFaster = 2, kLeastSeconds = 0.1, kGapSeconds = 0.05;
        std::vector<char> touches(above.size());
        bool on = false;
        for (std::size_t f = 0; f < above.size(); ++f) {
            const double v = (moves[f].speed - ground).norm();
            on = on ? above[f] <= kFarther * near && v <= kFaster * still : above[f] < near && v < still;
            touches[f] = on;
        }
        drop(touches, false, kGapSeconds * m_fps);
        drop(touches, true, kLeastSeconds * m_fps);
        // Eased over two 24ths of a second before and after.
        const double ease = 2.0 / 24 * m_fps;
        scene::Curve out(touches.size(), 0.0);
        for (std::size_t f = 0; f < out.size(); ++f) {
            const int reach = static_cast<int>(std::ceil(ease));
            for (int k = -reach; k <= reach; ++k) {
                const int at = static_cast<int>(f) + k;
                if (at < 0 || at >= m_frames || !touches[static_cast<std::size_t>(at)]) continue;
                out[f] = std::max(out[f], eased(1 - std::abs(k) / (ease + 1e-9)));
            }
        }
        return out;
    }

    /// Takes away runs of `what` that are shorter than so many frames, but for those that the shot's ends cut off.
    static void drop(std::vector<char>& marks, bool what, double frames) {
        for (std::size_t f = 0; f < marks.size();) {
            std::size_t to = f;
            while (to < marks.size() && marks[to] == marks[f]) ++to;
            if ((marks[f] != 0) == what && f > 0 && to < marks.size() && static_cast<double>(to - f) < frames)
                std::fill(marks.begin() + static_cast<std::ptrdiff_t>(f), marks.begin() + static_cast<std::ptrdiff_t>(to), !what);
            f = to;
        }
    }

    scene::Curve massSpeed() const {
        const Seen& of = m_sight.of;
        const rig::Masses masses = rig::massesOf(*of.actor);
        std::vector<Xform> pose;
        std::vector<Affine> worlds;
        std::vector<Vec3> places;
        for (int f = 0; f < m_frames; ++f) {
            of.track->pose(f, pose);
            rig::worldTransforms(of.actor->skeleton, pose, worlds);
            places.push_back(of.placement.toWorld(rig::centreOfMass(masses, worlds)));
        }
        scene::Curve out;
        for (const auto& fit : fits(places, m_calm)) out.push_back(fit.speed.norm());
        return out;
    }

    const scene::Gauge& m_gauge;
    const Sight& m_sight;
    int m_frames;
    double m_fps, m_calm;
};

/// How fast a joint's level places move [m/s], where it is low and keeps its height.
void lowMoves(const Seen& of, double legs, bool round, std::vector<Vec3>& out) {
    const Way way = wayOf(of);
    std::vector<double> sorted;
    for (const Vec3& p : way.places) sorted.push_back(p.y());
    std::sort(sorted.begin(), sorted.end());
    const double floor = sorted[static_cast<std::size_t>(0.03 * static_cast<double>(sorted.size() - 1))];
    const double fps = of.track->grid().fps;
    const rig::PlacePath path(way.places, round && way.places.size() > 2 ? Ends::Round : Ends::Held);
    constexpr double kLow = 0.06, kLevel = 0.35;  // leg lengths, leg lengths a second
    for (int f = 0; f < path.frames(); ++f) {
        const Vec3 v = path.fit(f, std::max(0.7, fps / 60), fps).speed;
        if (way.places[static_cast<std::size_t>(f)].y() - floor < kLow * legs && std::abs(v.y()) < kLevel * legs)
            out.emplace_back(v.x(), 0, v.z());
    }
}

Vec3 medianOf(const std::vector<Vec3>& all) {
    Vec3 out;
    for (int k = 0; k < 3; ++k) {
        std::vector<double> v;
        for (const Vec3& p : all) v.push_back(p[k]);
        std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
        out[k] = v[v.size() / 2];
    }
    return out;
}

}  // namespace

int bodyRoot(const rig::Actor& actor, int joint) {
    const rig::Skeleton& s = actor.skeleton;
    const rig::Roles roles = rig::rolesOf(actor);
    const int top = layers::rootOf(s, joint);
    if (roles.hips == rig::kNoJoint || top != layers::rootOf(s, roles.hips)) return top;
    // Rigs there are that have hips and spine as brothers.
    const int spine = roles.spine.size() > 1 ? roles.spine[1] : roles.hips;
    int at = roles.hips;
    while (at != spine && !s.isBelow(spine, at) && s.joint(at).parent != rig::kNoJoint) at = s.joint(at).parent;
    return at;
}

std::vector<int> peaksOf(const scene::Curve& c, double share) {
    std::vector<int> out;
    if (c.size() < 3) return out;
    const auto [low, high] = std::minmax_element(c.begin(), c.end());
    const double least = share * (*high - *low);
    if (!(least > 0)) return out;
    // Down by `least` from the highest frame since the last dip makes it a peak; up by as much from the lowest one ends a dip.
    std::size_t top = 0, dip = 0;
    bool rises = true;
    for (std::size_t f = 1; f < c.size(); ++f) {
        if (rises && c[f] > c[top]) top = f;
        if (!rises && c[f] < c[dip]) dip = f;
        if (rises && c[f] < c[top] - least) {
            if (top > 0) out.push_back(static_cast<int>(top));
            rises = false;
            dip = f;
        } else if (!rises && c[f] > c[dip] + least) {
            rises = true;
            top = f;
        }
    }
    return out;
}

int nextOf(const std::vector<int>& peaks, int frame, int way) {
    if (way > 0) {
        const auto at = std::upper_bound(peaks.begin(), peaks.end(), frame);
        return at == peaks.end() ? peaks.front() : *at;
    }
    const auto at = std::lower_bound(peaks.begin(), peaks.end(), frame);
    return at == peaks.begin() ? peaks.back() : *(at - 1);
}

std::optional<Vec3> groundBelow(const Seen& actor, bool round) {
    const rig::Roles roles = rig::rolesOf(*actor.actor);
    if (!roles.hasLegs()) return std::nullopt;
    std::vector<Affine> rest;
    rig::worldTransforms(actor.actor->skeleton, actor.actor->restPose(), rest);
    const auto place = [&](int j) { return rest[static_cast<std::size_t>(j)].t; };
    const rig::Limb& leg = roles.legs[0];
    const double legs = actor.placement.metres * (leg.lower == rig::kNoJoint ? (place(leg.upper) - place(leg.end)).norm()
                                                                             : (place(leg.upper) - place(leg.lower)).norm() +
                                                                                   (place(leg.lower) - place(leg.end)).norm());
    std::vector<Vec3> low;
    for (const rig::Limb& each : roles.legs)
        for (int j : {each.end, each.beyond})
            if (j != rig::kNoJoint) {
                lowMoves(actor.at(j), legs, round, low);
            }
    if (low.empty() || !(legs > 0)) return std::nullopt;
    // Mean shift from the median (Comaniciu and Meer, 2002).
    const double wide = 0.35 * legs;
    Vec3 mode = medianOf(low);
    for (int k = 0; k < 50; ++k) {
        Vec3 sum = Vec3::Zero();
        double weights = 0;
        for (const Vec3& v : low) {
            const double w = std::exp(-0.5 * (v - mode).squaredNorm() / (wide * wide));
            sum += w * v;
            weights += w;
        }
        if (!(weights > 0)) return std::nullopt;
        const Vec3 next = sum / weights;
        if ((next - mode).norm() < 1e-9 * legs) break;
        mode = next;
    }
    const auto close = std::count_if(low.begin(), low.end(), [&](const Vec3& v) { return (v - mode).norm() < 0.5 * legs; });
    const std::vector<Vec3> way = wayOf(actor.at(roles.hips != rig::kNoJoint ? roles.hips : leg.upper)).places;
    const double seconds = (static_cast<double>(way.size()) - 1) / actor.track->grid().fps;
    const Vec3 net = way.back() - way.front();
    const bool stays = seconds > 0 && Vec3(net.x(), 0, net.z()).norm() / seconds < 0.3 * mode.norm();
    const bool runs = mode.norm() > 0.3 * legs && static_cast<double>(close) > 0.4 * static_cast<double>(low.size());
    return stays && runs ? std::optional(mode) : std::nullopt;
}

Result<scene::Curve> readGauge(const scene::Gauge& gauge, const Sight& sight) {
    Sight with = sight;
    const std::string& m = gauge.text("measure");
    if (m == "speed" || m == "travel" || m == "contact") {
        if (gauge.text("ground") == "typed")
            with.ground = gauge.number("ground_speed") * scene::windDirection(gauge.number("ground_heading"), 0);
        if (gauge.text("ground") == "found") {
            with.ground = groundBelow(sight.of, sight.round);
            if (!with.ground) return refused("its feet do not tell how the ground runs: type its speed");
        }
    }
    return Reader(gauge, with).read();
}

}  // namespace nutatio::measure
