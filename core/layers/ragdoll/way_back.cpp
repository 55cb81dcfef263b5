#include "layers/ragdoll/way_back.h"

#include <algorithm>
#include <cmath>

namespace nutatio::layers::ragdoll {

// With u of the way, T long, what it is off its animation is off0 (1 - 10u^3 + 15u^4 - 6u^5) + rate0 T (u - 6u^3 + 8u^4 - 3u^5).
// One that rises is off no more by kGathered of its way: by then it crouches over the animation's feet, from where its legs lift
// it. The body as a whole stands as high as what it touches the ground with lets it.

namespace {

constexpr double kLeast = 0.25, kForEach = 0.4;  // [s], [s/heights]
constexpr double kForRising = 0.9;               // [s]
constexpr double kLow = 0.6;                     // of the height that its middle has in the animation: it lies
constexpr double kGathered = 0.6;                // of its way
constexpr double kDeep = 0.55;                   // lengths of its legs, that it crouches
constexpr double kNear = 0.02;                   // heights: nothing to come back from

Vec3 centreIn(const physics::OneBody& body, const BodyPose& pose) {
    Vec3 sum = Vec3::Zero();
    for (std::size_t i = 0; i < body.size(); ++i) {
        const physics::SegmentDef& d = body.segment(i);
        sum += d.mass * (pose[i].joint + pose[i].turn * (d.centre - d.joint));
    }
    return sum / body.mass();
}

/// Its deepest point in a pose.
double lowestIn(const physics::OneBody& body, std::size_t i, const Quat& turn, const Vec3& centre) {
    const physics::SegmentDef& d = body.segment(i);
    double low = 1e300;
    for (const Vec3& c : d.corners) low = std::min(low, (centre + turn * (c - d.centre)).y());
    if (d.corners.empty())
        for (const Vec3& c : {d.endA, d.endB}) low = std::min(low, (centre + turn * (c - d.centre)).y() - d.radius);
    return low;
}

}  // namespace

double WayBack::lowestOf(const physics::OneBody& body, const std::vector<Quat>& turns, const std::vector<Vec3>& places) const {
    double low = 1e300;
    for (std::size_t i = 0; i < body.size(); ++i) low = std::min(low, lowestIn(body, i, turns[i], places[i]));
    return low;
}

double WayBack::needs(const physics::OneBody& body, const BodyPose& pose) const {
    double far = 0, low = 1e300, lowPosed = 1e300, size = 0;
    for (std::size_t i = 0; i < body.size(); ++i) {
        const physics::SegmentDef& d = body.segment(i);
        far = std::max(far, (body.at(i, d.endB - d.centre) - pose[i].joint - pose[i].turn * (d.endB - d.joint)).norm());
        low = std::min(low, lowestIn(body, i, body.turn(i), body.place(i)));
        lowPosed = std::min(lowPosed, lowestIn(body, i, pose[i].turn, pose[i].joint + pose[i].turn * (d.centre - d.joint)));
        size = std::max(size, (d.endB - body.segment(0).centre).norm());
    }
    const double heights = far / std::max(1e-9, 2 * size);
    if (heights < kNear) return 0;
    const bool lies = body.centreOfMass().y() - low < kLow * (centreIn(body, pose).y() - lowPosed);
    return kLeast + kForEach * heights + (lies ? kForRising : 0);
}

void WayBack::begin(const physics::OneBody& body, const BodyPose& pose, std::span<const Rate> rates, std::span<const Vec3> levers,
                    std::span<const Vec3> bones, double seconds) {
    m_off.assign(body.size(), {});
    double lowPosed = 1e300;
    std::vector<Quat> turns;
    std::vector<Vec3> places;
    for (std::size_t i = 0; i < body.size(); ++i) {
        const int parent = m_figure.segments[i].parent;
        Off& off = m_off[i];
        off.bone = bones[i];
        turns.push_back(body.turn(i));
        places.push_back(body.place(i));
        lowPosed = std::min(lowPosed, lowestIn(body, i, pose[i].turn, pose[i].joint + pose[i].turn * levers[i]));
        if (parent < 0) {
            off.turn = rotationVector(body.turn(i) * pose[i].turn.conjugate());
            off.turnRate = body.spin(i) - rates[i].turn;
            const Vec3 joint = body.place(i) - body.turn(i) * levers[i];
            off.place = joint - pose[i].joint;
            off.placeRate = body.velocity(i) - body.spin(i).cross(body.turn(i) * levers[i]) - rates[i].place;
            continue;
        }
        const auto p = static_cast<std::size_t>(parent);
        const Quat is = body.turn(p).conjugate() * body.turn(i), should = pose[p].turn.conjugate() * pose[i].turn;
        off.turn = rotationVector(is * should.conjugate());
        off.turnRate =
            body.turn(p).conjugate() * (body.spin(i) - body.spin(p)) - pose[p].turn.conjugate() * (rates[i].turn - rates[p].turn);
    }
    m_low = lowestOf(body, turns, places);
    m_rises = body.centreOfMass().y() - m_low < kLow * (centreIn(body, pose).y() - lowPosed);
    m_seconds = std::max(1e-3, seconds);
    m_past = 0;
    m_on = true;
}

double WayBack::gathers() const {
    return m_rises ? kGathered : 1.0;
}

Vec3 WayBack::boneAt(std::size_t segment, const Vec3& posed, double past) const {
    const double share = eased(std::clamp(past / (gathers() * m_seconds), 0.0, 1.0));
    return m_off[segment].bone + share * (posed - m_off[segment].bone);
}

void WayBack::advance(double dt) {
    m_past += dt;
    if (m_past > m_seconds + 1e-9) m_on = false;
}

void WayBack::pose(double past, const BodyPose& clip, const physics::OneBody& body, std::span<const Vec3> levers, double floor,
                   const Vec3& left, std::vector<Quat>& turns, std::vector<Vec3>& places) const {
    const double u = std::clamp(past / m_seconds, 0.0, 1.0), T = gathers() * m_seconds, v = std::min(1.0, u / gathers());
    const std::size_t n = body.size();
    std::vector<Quat> posed(n);
    std::vector<Vec3> posedAt(n);
    const auto lowestOfPose = [&](const BodyPose& p) {
        for (std::size_t i = 0; i < n; ++i) {
            posed[i] = p[i].turn;
            posedAt[i] = p[i].joint + p[i].turn * levers[i];
        }
        return lowestOf(body, posed, posedAt);
    };
    const double stands = lowestOfPose(clip);
    BodyPose pose = clip;
    if (m_rises) {
        // No deeper than trunk, skirt or tail have room.
        const auto sat = [&](double share) {
            pose = clip;
            m_legs.sit(pose, share, left);
            return lowestOfPose(pose) - stands;
        };
        double deep = kDeep;
        if (sat(deep) < 0)
            for (double less = 0, more = deep; more - less > 0.02;)
                (sat(0.5 * (less + more)) < -1e-9 ? more : less) = 0.5 * (less + more), deep = less;
        sat(deep * (u < kGathered ? eased(u / kGathered) : 1 - eased((u - kGathered) / (1 - kGathered))));
    }
    const auto off = [&](const Vec3& by, const Vec3& rate) -> Vec3 {
        const double v3 = v * v * v;
        return (1 - v3 * (10 + v * (6 * v - 15))) * by + (T * (v - v3 * (6 + v * (3 * v - 8)))) * rate;
    };
    turns.resize(n);
    places.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
        const int parent = m_figure.segments[i].parent;
        const Quat by = fromRotationVector(off(m_off[i].turn, m_off[i].turnRate));
        if (parent < 0) {
            turns[i] = (by * pose[i].turn).normalized();
            places[i] = pose[i].joint + off(m_off[i].place, m_off[i].placeRate) + turns[i] * levers[i];
            continue;
        }
        const auto p = static_cast<std::size_t>(parent);
        turns[i] = (turns[p] * by * pose[p].turn.conjugate() * pose[i].turn).normalized();
        places[i] = places[p] + turns[p] * boneAt(i, clip[i].offset, past) + turns[i] * levers[i];
    }
    // Where it began in the air or on something it comes down from there; where its animation is deeper it gets as deep.
    const double share = eased(v), low = lowestOf(body, turns, places),
                 level = (1 - share) * std::min(floor, m_low) + share * std::min(floor, stands);
    double up = std::max(0.0, level - low);
    if (m_rises) {
        // It neither hovers meanwhile; at last it is where the animation is, in the air or not.
        const double ground = (1 - share) * m_low + share * stands;
        up = ground - low;
    }
    for (Vec3& p : places) p.y() += up;
}

void WayBack::appendState(std::vector<double>& to) const {
    to.insert(to.end(), {m_on ? 1.0 : 0.0, m_rises ? 1.0 : 0.0, m_past, m_seconds, m_low});
    for (std::size_t i = 0; i < m_figure.segments.size(); ++i) {
        const Off o = i < m_off.size() ? m_off[i] : Off{};
        for (const Vec3* v : {&o.turn, &o.turnRate, &o.place, &o.placeRate, &o.bone}) to.insert(to.end(), v->begin(), v->end());
    }
}

const double* WayBack::takeState(const double* from) {
    m_on = from[0] != 0;
    m_rises = from[1] != 0;
    m_past = from[2];
    m_seconds = std::max(1e-3, from[3]);
    m_low = from[4];
    from += 5;
    m_off.resize(m_figure.segments.size());
    for (Off& o : m_off)
        for (Vec3* v : {&o.turn, &o.turnRate, &o.place, &o.placeRate, &o.bone}) {
            *v = Vec3::Map(from);
            from += 3;
        }
    return from;
}

}  // namespace nutatio::layers::ragdoll
