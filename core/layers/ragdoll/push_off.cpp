#include "layers/ragdoll/push_off.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "rig/limb.h"

namespace nutatio::layers {

// With V the speed wanted at take-off, n from the feet to the centre of mass, e the way that the legs still have to extend and v
// the speed along n: (V.n)^2 = v^2 + 2 a e, so that the speed is there when the legs are straight; each substep asks for v + a h,
// by no more force than the effort. The trunk goes down beforehand, and over the feet as far as the force m (a - g), along V and
// up, leans: it passes through the centre of mass then.

namespace {

constexpr double kLowest = 0.04;                                  // [sizes] above the lowest that a foot may stand
constexpr double kStraight = 0.98;                                // of a leg's length, at which it gives no more
constexpr double kSlipped = 0.03, kShort = 0.03, kMissed = 0.05;  // [sizes], share of the speed, [sizes]: told from there on
constexpr double kMostLean = 0.5;                                 // [lengths of a leg] that the trunk goes over the feet

Vec3 jointOf(const physics::OneBody& body, std::size_t i) {
    const physics::SegmentDef& d = body.segment(i);
    return body.at(i, d.joint - d.centre);
}

double lowestOf(const physics::OneBody& body, std::size_t i, const Vec3& up) {
    const physics::SegmentDef& d = body.segment(i);
    return std::min(body.at(i, d.endA - d.centre).dot(up), body.at(i, d.endB - d.centre).dot(up)) - d.radius;
}

Vec3 upOf(const Vec3& gravity) {
    return gravity.norm() > 0 ? Vec3(-gravity.normalized()) : Vec3(Vec3::UnitY());
}

}  // namespace

PushOff::PushOff(const rig::Figure& figure, std::vector<std::size_t> feet) : m_figure(figure), m_named(std::move(feet)) {
    const std::size_t n = figure.segments.size();
    for (std::size_t i = 0; i < n; ++i) {
        const bool named = std::find(m_named.begin(), m_named.end(), i) != m_named.end();
        const bool ends = std::none_of(figure.segments.begin(), figure.segments.end(),
                                       [&](const rig::FigureSegment& g) { return g.parent == static_cast<int>(i); });
        if (!named && (!ends || !m_named.empty())) continue;
        Leg leg;
        for (int k = static_cast<int>(i); k >= 0; k = figure.segments[static_cast<std::size_t>(k)].parent) {
            const auto s = static_cast<std::size_t>(k);
            if (figure.segments[s].parent < 0 || (figure.fellow[s] == k && !(named && leg.chain.size() < 3))) {
                leg.trunk = s;
                break;
            }
            leg.chain.insert(leg.chain.begin(), s);
        }
        if (leg.chain.size() >= 3) m_all.push_back(std::move(leg));
    }
}

bool PushOff::isLeg(std::size_t segment) const {
    return std::any_of(m_legs.begin(), m_legs.end(), [&](const Leg& l) {
        // A foot keeps its ankle.
        return std::find(l.chain.begin(), l.chain.end() - 1, segment) != l.chain.end() - 1;
    });
}

Vec3 PushOff::wantedSpeed(const Vec3& centre, const Vec3& gravity, double ahead) const {
    if (!m_asked.toPlace) return m_asked.strength * std::sqrt(2 * gravity.norm() * std::max(0.0, m_asked.height)) * upOf(gravity);
    const double T = std::max(0.02, m_asked.until - ahead);
    return m_asked.strength * ((m_asked.place - centre) / T - 0.5 * T * gravity);
}

double PushOff::lengthOf(const Leg& leg, const physics::OneBody& body) const {
    const Vec3 a = jointOf(body, leg.chain[0]), b = jointOf(body, leg.chain[1]), c = jointOf(body, leg.chain.back());
    return (b - a).norm() + (c - b).norm();
}

/// How far the legs may yet extend, of the one that has least of it.
double PushOff::extension(const physics::OneBody& body) const {
    double least = 1e30;
    for (const Leg& leg : m_legs)
        least = std::min(
            least, kStraight * lengthOf(leg, body) - (jointOf(body, leg.chain.back()) - jointOf(body, leg.chain[0])).norm());
    return m_legs.empty() ? 0 : least;
}

void PushOff::begin(const physics::OneBody& body, const LegsAsked& asked) {
    const Vec3 g = body.gravity(), up = upOf(g);
    m_asked = asked;
    m_legs.clear();
    double lowest = 1e30;
    for (std::size_t i = 0; i < body.size(); ++i) lowest = std::min(lowest, lowestOf(body, i, up));
    double height = 0;
    for (std::size_t i = 0; i < body.size(); ++i) height = std::max(height, body.at(i, Vec3::Zero()).dot(up) - lowest);
    for (const Leg& leg : m_all)
        if (!m_named.empty() || body.touches(leg.chain.back()) ||
            lowestOf(body, leg.chain.back(), up) < lowest + kLowest * height)
            m_legs.push_back(leg);
    m_phase = m_legs.empty() ? Phase::Off : Phase::Crouches;
    m_share = m_slip = m_got = m_miss = 0;
    m_capped = false;
    if (m_legs.empty()) return;
    Vec3 feet = Vec3::Zero();
    double length = 0;
    for (const Leg& leg : m_legs) {
        feet += body.place(leg.chain.back()) / static_cast<double>(m_legs.size());
        length += lengthOf(leg, body) / static_cast<double>(m_legs.size());
    }
    const double down = std::clamp(asked.crouch, 0.0, 0.8) * length;
    const Vec3 from = body.centreOfMass() - feet, V = wantedSpeed(body.centreOfMass(), g, asked.seconds + 0.2);
    const Vec3 force = V * (V.norm() / (2 * std::max(down, 0.05 * length))) - g;
    const double rises = force.dot(up), tall = std::max(0.0, from.dot(up) - down);
    Vec3 lean = Vec3::Zero();
    if (rises > 0) lean = tall / rises * (force - rises * up);
    lean -= from - from.dot(up) * up;
    if (lean.norm() > kMostLean * length) lean *= kMostLean * length / lean.norm();
    m_crouch = lean - down * up;
}

void PushOff::advance(double past, const physics::OneBody& body, const LegsAsked& asked) {
    m_asked = asked;
    if (m_phase == Phase::Crouches && past >= asked.seconds) {
        m_phase = Phase::Drives;
        m_room = std::max(extension(body), 1e-6);
    }
    if (m_phase == Phase::Crouches) m_share = eased(past / std::max(asked.seconds, 1e-6));
    if (m_phase == Phase::Drives) m_share = std::clamp(extension(body) / m_room, 0.0, 1.0);
    if (m_phase == Phase::Off) m_share = 0;
}

void PushOff::bend(BodyPose& pose, const Vec3& left) const {
    if (m_share <= 0 || (m_phase != Phase::Crouches && m_phase != Phase::Drives)) return;
    const Vec3 by = m_share * m_crouch;
    BodyPose out = pose;
    for (SegmentStand& s : out) s.joint += by;
    for (const Leg& leg : m_legs) {
        const std::size_t top = leg.chain[0], mid = leg.chain[1], foot = leg.chain.back();
        const Vec3 a = pose[top].joint, b = pose[mid].joint, c = pose[foot].joint;
        const rig::LimbTurn turn = rig::reachWithLimb(a + by, b + by, c + by, c, left);
        out[top].turn = (turn.upper * pose[top].turn).normalized();
        const Vec3 knee = a + by + turn.upper * (b - a);
        for (std::size_t k = 1; k + 1 < leg.chain.size(); ++k) {
            const std::size_t i = leg.chain[k];
            out[i].turn = (turn.lower * pose[i].turn).normalized();
            out[i].joint = knee + turn.lower * (pose[i].joint - b);
        }
        out[foot].joint = knee + turn.lower * (c - b);
        out[foot].turn = pose[foot].turn;
    }
    pose = std::move(out);
}

bool PushOff::drive(double past, double h, const physics::OneBody& body, std::vector<physics::Thrust>& out) {
    if (m_phase != Phase::Drives) return false;
    const Vec3 g = body.gravity(), centre = body.centreOfMass(), speed = body.meanVelocity(),
               wanted = wantedSpeed(centre, g, past);
    Vec3 mean = Vec3::Zero();
    double slid = 0;
    bool stands = false;
    for (const Leg& leg : m_legs) {
        const std::size_t foot = leg.chain.back();
        mean += (centre - body.place(foot)).normalized();
        if (!body.touches(foot)) continue;
        stands = true;
        const Vec3 v = body.velocity(foot), up = upOf(g);
        slid = std::max(slid, (v - v.dot(up) * up).norm());
    }
    m_slip += h * slid;
    const Vec3 way = mean.norm() > 1e-9 ? Vec3(mean.normalized()) : upOf(g);
    const double room = extension(body), after = wanted.dot(way), now = speed.dot(way);
    // Pressed on what they stand on, feet touch it; those that lose it for the first time have left.
    if (room <= 1e-3 * m_room || now >= after || (!stands && m_got > 0)) {
        const Vec3 up = upOf(g);
        const double T = m_asked.until - past;
        m_got = wanted.norm() > 1e-9 ? speed.dot(wanted) / wanted.squaredNorm() : 1;
        if (!m_asked.toPlace) {
            m_got = after > 0 ? speed.dot(up) / std::max(1e-9, wanted.dot(up)) : 1;
            m_miss = m_asked.height - std::pow(std::max(0.0, speed.dot(up)), 2) / std::max(1e-9, 2 * g.norm());
        } else {
            m_miss = (centre + T * speed + 0.5 * T * T * g - m_asked.place).norm();
        }
        m_phase = Phase::Off;
        return true;
    }
    if (stands) m_got = std::max(m_got, 1e-3);
    const double gain = (after * after - std::max(0.0, now) * std::abs(now)) / (2 * std::max(room, 1e-3 * m_room));
    const double weight = body.mass() * std::max(g.norm(), 1e-3),
                 most = m_asked.effort * weight / static_cast<double>(m_legs.size());
    if (body.mass() * (gain + g.norm()) > m_asked.effort * weight) m_capped = true;
    for (const Leg& leg : m_legs) {
        const std::size_t foot = leg.chain.back();
        physics::Thrust t;
        t.segment = body.number(leg.trunk);
        t.off = body.number(foot);
        t.at = body.place(foot);
        t.along = (centre - t.at).normalized();
        const Vec3 trunk = body.velocity(leg.trunk) + body.spin(leg.trunk).cross(t.at - body.place(leg.trunk));
        t.speed = t.along.dot(trunk - body.velocity(foot)) + gain * h;
        t.most = most;
        out.push_back(t);
    }
    return false;
}

std::string PushOff::shortfall(double size) const {
    if (m_phase != Phase::Off) return {};
    if (m_legs.empty()) return "finds no legs to leap with";
    if (m_got > 1 - kShort && (!m_asked.toPlace || m_miss < kMissed * size)) return {};
    char text[200];
    if (m_asked.toPlace)
        std::snprintf(text, sizeof text, "comes %.0f cm short of its place", 100 * m_miss);
    else
        std::snprintf(text, sizeof text, "rises %.0f cm of %.0f", 100 * (m_asked.height - m_miss), 100 * m_asked.height);
    std::string out = text;
    if (m_slip > kSlipped * size) {
        std::snprintf(text, sizeof text, ": its feet slip by %.0f cm", 100 * m_slip);
        out += text;
    } else if (m_capped) {
        out += ": its legs push no harder";
    }
    return out;
}

void PushOff::appendState(std::vector<double>& to) const {
    to.insert(to.end(),
              {static_cast<double>(static_cast<int>(m_phase)), m_share, m_room, m_slip, m_got, m_miss, m_capped ? 1.0 : 0.0});
    to.insert(to.end(), m_crouch.begin(), m_crouch.end());
    for (const Leg& leg : m_all)
        to.push_back(std::any_of(m_legs.begin(), m_legs.end(), [&](const Leg& l) { return l.chain == leg.chain; }) ? 1 : 0);
}

const double* PushOff::takeState(const double* from) {
    m_phase = static_cast<Phase>(static_cast<int>(std::clamp(std::round(*from++), 0.0, 3.0)));
    for (double* v : {&m_share, &m_room, &m_slip, &m_got, &m_miss}) *v = *from++;
    m_capped = *from++ != 0;
    m_crouch = Vec3::Map(from);
    from += 3;
    m_legs.clear();
    for (const Leg& leg : m_all)
        if (*from++ != 0) m_legs.push_back(leg);
    return from;
}

}  // namespace nutatio::layers
