#include "layers/ragdoll/push_off.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "rig/limb.h"

namespace nutatio::layers::ragdoll {

// With V the speed wanted at take-off, n from the feet to the centre of mass, e the way that the legs still have to extend and v
// the speed along n: a = ((V.n)^2 - v^2)/(2 e) is wanted of the whole, and the legs push with m (a - g.n) and what of the last
// substeps' a did not come of it, since thighs and shins must be turned as well. They do not push to the very end of their
// length: there they would have to turn without bounds. The trunk goes down beforehand, and over the feet as far as the force m
// (a - g), along V and up, leans: it passes through the centre of mass then, give or take what is needed to steer.

namespace {

constexpr double kLowest = 0.04;                                  // [sizes] above the lowest that a foot may stand
constexpr double kStraight = 0.93;                                // of a leg's length, up to which it pushes
constexpr double kSlipped = 0.03, kShort = 0.02, kMissed = 0.06;  // [sizes]: told from there on
constexpr double kLeft = 0.04;                                    // [s] without touch after which it has left
constexpr double kFeet = 0.2;                                     // of a pose's height, up to which a limb ends that it stands on
constexpr double kSpare = 0.2;      // of the way that legs have, by which they are there before its end
constexpr double kSteers = 0.15;    // [rad]
constexpr double kMakesGood = 0.3;  // a substep
constexpr double kUnbends = 0.3;    // [s]
constexpr double kLies = 1.1;       // [rad] from upright, of the line from a foot to the weight: beyond, the foot bears none
constexpr double kLowCrouch = 0.3;  // [lengths of a leg] over its feet, to which the centre of mass goes down at most
constexpr double kLongest = 0.6;    // [s] that legs extend for
constexpr double kHolds = 0.42;     // [rad] from upright, that a push leans at most: usual ground gives way at 0.46
constexpr double kTurnsBy = 0.05;   // [lengths of a leg] past the centre of mass, that all together may push
constexpr double kAir = 0.2;        // of its push that a leg has whose foot does not stand
constexpr double kFalls = 1.2;      // of the time of a fall as deep, that a crouch takes at least: faster, it leaves the ground
constexpr double kMostLean = 0.5;   // [lengths of a leg] that the trunk goes over the feet

double lowestOf(const physics::OneBody& body, std::size_t i, const Vec3& up) {
    const physics::SegmentDef& d = body.segment(i);
    return std::min(body.at(i, d.endA - d.centre).dot(up), body.at(i, d.endB - d.centre).dot(up)) - d.radius;
}

/// Unit `way` turned towards another by no more than legs lean off the line that turns nothing.
Vec3 steered(const Vec3& way, const Vec3& to) {
    if (!(to.norm() > 1e-9)) return way;
    const Vec3 by = rotationVector(arc(way, to.normalized()));
    return fromRotationVector(by.norm() > kSteers ? Vec3(by * (kSteers / by.norm())) : by) * way;
}

/// A push that what stands can take: leant no farther from upright than it holds on to the ground.
Vec3 standing(const Vec3& along, const Vec3& up) {
    const double lean = std::acos(std::clamp(along.dot(up), -1.0, 1.0));
    return lean <= kHolds ? along : Vec3(fromRotationVector(-kHolds * along.cross(up).normalized()) * up);
}

/// A leg of more than two bones, as animals have: each joint bends on the way it is bent, until the foot is where it was under a
/// top that has gone `by`.
void fold(const BodyPose& pose, BodyPose& out, const std::vector<std::size_t>& chain, const Vec3& by) {
    constexpr double kSure = 10 * kPi / 180, kMost = 2;  // [rad] bent so far a joint folds as far as the others; at most
    constexpr int kHalves = 30;
    const std::size_t bones = chain.size() - 1;
    std::vector<Vec3> bone(bones), hinge(bones, Vec3::Zero());
    for (std::size_t k = 0; k < bones; ++k) bone[k] = pose[chain[k + 1]].joint - pose[chain[k]].joint;
    for (std::size_t k = 1; k < bones; ++k) {
        const Vec3 axis = bone[k - 1].cross(bone[k]);
        const double angle = std::atan2(axis.norm(), bone[k - 1].dot(bone[k]));
        if (axis.norm() > 0) hinge[k] = std::min(1.0, angle / kSure) * axis.normalized();
    }
    std::vector<Quat> turn(bones, Quat::Identity());
    const auto folded = [&](double angle) {
        Vec3 end = bone[0];
        for (std::size_t k = 1; k < bones; ++k) {
            turn[k] = turn[k - 1] * fromRotationVector(angle * hinge[k]);
            end += turn[k] * bone[k];
        }
        return end;
    };
    const Vec3 way = pose[chain.back()].joint - pose[chain[0]].joint - by;
    double low = 0, high = kMost;
    for (int r = 0; r < kHalves; ++r) {
        const double angle = 0.5 * (low + high);
        (folded(angle).norm() > way.norm() ? low : high) = angle;
    }
    const Vec3 end = folded(low);
    if (!(end.norm() > 0) || !(way.norm() > 0)) return;
    const Quat whole = arc(end.normalized(), way.normalized());
    Vec3 at = pose[chain[0]].joint + by;
    for (std::size_t k = 0; k < bones; ++k) {
        const Quat own = (whole * turn[k]).normalized();
        out[chain[k]].joint = at;
        out[chain[k]].turn = (own * pose[chain[k]].turn).normalized();
        at += own * bone[k];
    }
    out[chain.back()].joint = at;
    out[chain.back()].turn = pose[chain.back()].turn;
}

Vec3 upOf(const Vec3& gravity) {
    return gravity.norm() > 0 ? Vec3(-gravity.normalized()) : Vec3(Vec3::UnitY());
}

}  // namespace

PushOff::PushOff(const rig::Figure& figure, std::vector<std::size_t> feet) : m_named(std::move(feet)) {
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
        if (leg.chain.size() < 3) continue;
        const auto at = [&](std::size_t k) -> const Vec3& { return figure.segments[leg.chain[k]].at; };
        double even = 1e300;
        for (std::size_t k = 1; k + 1 < leg.chain.size(); ++k) {
            const double differ = std::abs((at(k) - at(0)).norm() - (at(leg.chain.size() - 1) - at(k)).norm());
            if (differ >= even) continue;
            even = differ;
            leg.mid = k;
        }
        m_all.push_back(std::move(leg));
    }
}

bool PushOff::isLeg(std::size_t segment) const {
    return std::any_of(m_legs.begin(), m_legs.end(), [&](const Leg& l) {
        // A foot keeps its ankle.
        return std::find(l.chain.begin(), l.chain.end() - 1, segment) != l.chain.end() - 1;
    });
}

Vec3 PushOff::wantedSpeed(const Vec3& centre, const Vec3& gravity, double ahead) const {
    const Vec3 up = upOf(gravity);
    if (!m_asked.toPlace)
        return m_asked.strength * std::sqrt(2 * gravity.norm() * std::max(0.0, m_from + m_asked.height - centre.dot(up))) * up;
    const double T = std::max(0.02, m_asked.until - ahead);
    return m_asked.strength * ((m_asked.place - centre) / T - 0.5 * T * gravity);
}

double PushOff::lengthOf(const Leg& leg, const physics::OneBody& body) const {
    // As it is built: between its ends a leg of more bones folds too.
    const auto at = [&](std::size_t k) -> const Vec3& { return body.segment(leg.chain[k]).joint; };
    return (at(leg.mid) - at(0)).norm() + (at(leg.chain.size() - 1) - at(leg.mid)).norm();
}

double PushOff::extension(const Leg& leg, const physics::OneBody& body) const {
    return std::max(0.0, kStraight * lengthOf(leg, body) - (body.joint(leg.chain.back()) - body.joint(leg.chain[0])).norm());
}

/// How far the legs may yet extend, on the whole.
double PushOff::extension(const physics::OneBody& body) const {
    double all = 0;
    for (const Leg& leg : m_legs) all += extension(leg, body) / static_cast<double>(m_legs.size());
    return all;
}

/// Of a push, what each leg has: as far as it may yet extend, and little of it before it stands; but so that all of them together
/// turn the body as little as they can, of whom some push past its centre of mass (damped least squares).
std::vector<double> PushOff::shares(const physics::OneBody& body, const std::vector<Vec3>& along) const {
    const auto n = static_cast<Eigen::Index>(m_legs.size());
    Eigen::VectorXd out(n);
    Eigen::Matrix3Xd turns(3, n);
    const Vec3 centre = body.centreOfMass();
    double length = 0;
    for (Eigen::Index k = 0; k < n; ++k) {
        const Leg& leg = m_legs[static_cast<std::size_t>(k)];
        out[k] = (body.touches(leg.chain.back()) ? 1 : kAir) * extension(leg, body);
        turns.col(k) = (body.place(leg.chain.back()) - centre).cross(along[static_cast<std::size_t>(k)]);
        length += lengthOf(leg, body) / static_cast<double>(n);
    }
    out = out.sum() > 0 ? Eigen::VectorXd(out / out.sum()) : Eigen::VectorXd::Constant(n, 1 / static_cast<double>(n));
    const Mat3 a = turns * turns.transpose() + std::pow(kTurnsBy * length, 2) * Mat3::Identity();
    out -= turns.transpose() * (a.inverse() * (turns * out));
    out = out.cwiseMax(0.0);
    return out.sum() > 0 ? std::vector<double>(out.begin(), (out /= out.sum()).end())
                         : std::vector<double>(m_legs.size(), 1 / static_cast<double>(n));
}

Vec3 leftOf(const Quat& root, const Vec3& forward) {
    const Vec3 left = Vec3::UnitY().cross(root * forward);
    return left.norm() > 1e-6 ? Vec3(left.normalized()) : Vec3(Vec3::UnitX());
}

void PushOff::begin(const physics::OneBody& body, const LegsAsked& asked) {
    const Vec3 g = body.gravity(), up = upOf(g);
    m_asked = asked;
    m_legs.clear();
    double lowest = 1e30;
    for (std::size_t i = 0; i < body.size(); ++i) lowest = std::min(lowest, lowestOf(body, i, up));
    double height = 0;
    for (std::size_t i = 0; i < body.size(); ++i) height = std::max(height, body.at(i, Vec3::Zero()).dot(up) - lowest);
    for (const Leg& leg : m_all) {
        const bool low = body.touches(leg.chain.back()) || lowestOf(body, leg.chain.back(), up) < lowest + kLowest * height;
        if (std::acos(std::clamp((body.centreOfMass() - body.place(leg.chain.back())).normalized().dot(up), -1.0, 1.0)) < kLies &&
            (low || !m_named.empty()))
            m_legs.push_back(leg);
    }
    m_phase = m_legs.empty() ? Phase::Off : Phase::Crouches;
    m_share = m_slip = m_miss = m_lost = m_speed = m_gain = m_held = m_offAt = m_offShare = 0;
    m_from = body.centreOfMass().dot(up);
    m_capped = false;
    if (m_legs.empty()) return;
    Vec3 feet = Vec3::Zero();
    double length = 0;
    for (const Leg& leg : m_legs) {
        feet += body.place(leg.chain.back()) / static_cast<double>(m_legs.size());
        length += lengthOf(leg, body) / static_cast<double>(m_legs.size());
    }
    // What lies has no room to crouch in: it would be driven into the ground.
    const double room = (body.centreOfMass() - feet).dot(up) - kLowCrouch * length;
    if (room <= 0) {
        m_legs.clear();
        m_phase = Phase::Off;
        return;
    }
    const double down = std::min(std::clamp(asked.crouch, 0.0, 0.8) * length, room);
    m_falls = kFalls * std::sqrt(2 * down / std::max(g.norm(), 1e-3));
    const Vec3 from = body.centreOfMass() - feet, V = wantedSpeed(body.centreOfMass(), g, std::max(asked.seconds, m_falls) + 0.2);
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
    const double seconds = std::max(asked.seconds, m_falls);
    if (m_phase == Phase::Crouches && past >= seconds) {
        m_phase = Phase::Drives;
        m_driven = 0;
        m_room = std::max(extension(body), 1e-6);
    }
    if (m_phase == Phase::Crouches) m_share = eased(past / std::max(seconds, 1e-6));
    if (m_phase == Phase::Drives) m_share = std::clamp(extension(body) / m_room, 0.0, 1.0);
    // Legs that did not get to extend do so in the air, and not at once.
    if (m_phase == Phase::Off) {
        if (m_offAt < 0) m_offAt = past;
        m_share = m_offShare * (1 - eased((past - m_offAt) / kUnbends));
    }
}

void PushOff::release(double dt) {
    m_share = std::max(0.0, m_share - dt / kUnbends);
}

void PushOff::bend(BodyPose& pose, const Vec3& left) const {
    if (m_share > 0 && m_phase != Phase::Idle) bendBy(pose, m_legs, m_share * m_crouch, left);
}

void PushOff::sit(BodyPose& pose, double share, const Vec3& left) const {
    if (share <= 0) return;
    double lowest = 1e300, highest = -1e300, length = 0;
    for (const SegmentStand& s : pose) {
        lowest = std::min(lowest, s.joint.y());
        highest = std::max(highest, s.joint.y());
    }
    std::vector<Leg> legs;
    for (const Leg& leg : m_all)
        if (pose[leg.chain.back()].joint.y() < lowest + kFeet * (highest - lowest)) legs.push_back(leg);
    for (const Leg& leg : legs) {
        const Vec3 &a = pose[leg.chain[0]].joint, &b = pose[leg.chain[leg.mid]].joint, &c = pose[leg.chain.back()].joint;
        length += ((b - a).norm() + (c - b).norm()) / static_cast<double>(legs.size());
    }
    bendBy(pose, legs, -share * length * Vec3::UnitY(), left);
}

void PushOff::bendBy(BodyPose& pose, const std::vector<Leg>& legs, const Vec3& by, const Vec3& left) {
    BodyPose out = pose;
    for (SegmentStand& s : out) s.joint += by;
    for (const Leg& leg : legs) {
        if (leg.chain.size() > 3) {
            fold(pose, out, leg.chain, by);
            continue;
        }
        const std::size_t top = leg.chain[0], mid = leg.chain[1], foot = leg.chain.back();
        const Vec3 a = pose[top].joint, b = pose[mid].joint, c = pose[foot].joint;
        const rig::LimbTurn turn = rig::reachWithLimb(a + by, b + by, c + by, c, left);
        out[top].turn = (turn.upper * pose[top].turn).normalized();
        const Vec3 knee = a + by + turn.upper * (b - a);
        out[mid].turn = (turn.lower * pose[mid].turn).normalized();
        out[mid].joint = knee;
        out[foot].joint = knee + turn.lower * (c - b);
        out[foot].turn = pose[foot].turn;
    }
    pose = std::move(out);
}

bool PushOff::drive(double past, double h, const physics::OneBody& body, std::vector<physics::Thrust>& out) {
    if (m_phase != Phase::Drives) return false;
    const Vec3 g = body.gravity(), up = upOf(g), centre = body.centreOfMass(), speed = body.meanVelocity();
    Vec3 mean = Vec3::Zero();
    double slid = 0;
    bool stands = false;
    for (const Leg& leg : m_legs) {
        const std::size_t foot = leg.chain.back();
        mean += (centre - body.place(foot)).normalized();
        if (!body.touches(foot)) continue;
        stands = true;
        // Where it touches: a foot that rolls does not slip.
        const physics::SegmentDef& d = body.segment(foot);
        const Vec3 a = body.at(foot, d.endA - d.centre), b = body.at(foot, d.endB - d.centre),
                   low = (a.dot(up) < b.dot(up) ? a : b) - d.radius * up;
        const Vec3 v = body.velocity(foot) + body.spin(foot).cross(low - body.place(foot));
        slid = std::max(slid, (v - v.dot(up) * up).norm());
    }
    m_slip += h * slid;
    m_lost = stands ? 0 : m_lost + h;
    m_driven += h;
    const Vec3 way = mean.norm() > 1e-9 ? Vec3(mean.normalized()) : up;
    const double room = std::max(0.0, extension(body)), now = speed.dot(way);
    const Vec3 wanted = wantedSpeed(centre + room * way, g, past + room / std::max(0.5, now));
    const double after = wanted.dot(way);
    if (room <= 1e-3 * m_room || now >= after || m_lost > kLeft || m_driven > kLongest) {
        const double T = m_asked.until - past, v = std::max(0.0, speed.dot(up));
        m_miss = m_asked.toPlace ? (centre + T * speed + 0.5 * T * T * g - m_asked.place).norm()
                                 : m_from + m_asked.height - centre.dot(up) - v * v / std::max(1e-9, 2 * g.norm());
        m_phase = Phase::Off;
        m_offAt = -1;
        m_offShare = m_share;
        return true;
    }
    // The push that the body's own joints hold back is added: asked minus measured acceleration, averaged over some substeps.
    if (m_gain > 0) m_held = within(m_held + kMakesGood * (m_gain - (now - m_speed) / h), 0.0, m_asked.effort * g.norm());
    // No more than what brings it there in this step.
    const double gain = std::min(
        (after * after - now * std::abs(now)) / (2 * std::max(room - kSpare * m_room, kSpare * m_room / 4)), (after - now) / h);
    m_speed = now;
    m_gain = gain;
    const double weight = body.mass() * std::max(g.norm(), 1e-3), force = body.mass() * (gain + m_held - g.dot(way)),
                 most = m_asked.effort * weight;
    m_capped = m_capped || force > most;
    // The force that would bring all of the speed, sideways too.
    const Vec3 leant = (wanted - speed) * (gain / std::max(1e-6, after - now)) - g;
    std::vector<Vec3> along;
    for (const Leg& leg : m_legs)
        along.push_back(standing(steered((centre - body.place(leg.chain.back())).normalized(), leant), up));
    const std::vector<double> share = shares(body, along);
    for (std::size_t k = 0; k < m_legs.size(); ++k) {
        physics::Thrust& t = out.emplace_back();
        t.segment = body.number(m_legs[k].trunk);
        t.off = body.number(m_legs[k].chain.back());
        t.at = body.place(m_legs[k].chain.back());
        t.along = along[k];
        t.force = within(force, 0.0, most) * share[k];
    }
    return false;
}

std::string PushOff::shortfall(double size, bool brief) const {
    if (m_phase == Phase::Crouches) return brief ? "over before it crouched" : "is over before it has crouched";
    if (m_phase == Phase::Drives) return brief ? "over before it is off" : "is over before it is off the ground";
    if (m_phase != Phase::Off) return {};
    if (m_legs.empty()) return brief ? "no legs" : "finds no legs to leap with";
    if (m_miss < (m_asked.toPlace ? kMissed : kShort) * size) return {};
    char text[200];
    if (!m_asked.toPlace && m_miss >= m_asked.height)
        std::snprintf(text, sizeof text, "%s", brief ? "stays on the ground" : "does not get off the ground");
    else if (brief)
        std::snprintf(text, sizeof text, "%.0f cm short", 100 * m_miss);
    else if (m_asked.toPlace)
        std::snprintf(text, sizeof text, "comes %.0f cm short of its place", 100 * m_miss);
    else
        std::snprintf(text, sizeof text, "rises %.0f cm of %.0f", 100 * (m_asked.height - m_miss), 100 * m_asked.height);
    std::string out = text;
    if (m_slip > kSlipped * size) {
        std::snprintf(text, sizeof text, ": its feet slip by %.0f cm", 100 * m_slip);
        out += brief ? ": slips" : text;
    } else if (m_capped) {
        out += brief ? ": effort" : ": its legs push no harder";
    }
    return out;
}

void PushOff::appendState(std::vector<double>& to) const {
    to.insert(to.end(), {static_cast<double>(static_cast<int>(m_phase)), m_share, m_room, m_from, m_speed, m_gain, m_held, m_lost,
                         m_offAt, m_offShare, m_slip, m_miss, m_falls, m_driven, m_capped ? 1.0 : 0.0});
    to.insert(to.end(), m_crouch.begin(), m_crouch.end());
    for (const Leg& leg : m_all)
        to.push_back(std::any_of(m_legs.begin(), m_legs.end(), [&](const Leg& l) { return l.chain == leg.chain; }) ? 1 : 0);
}

const double* PushOff::takeState(const double* from) {
    m_phase = static_cast<Phase>(static_cast<int>(std::clamp(std::round(*from++), 0.0, 3.0)));
    for (double* v : {&m_share, &m_room, &m_from, &m_speed, &m_gain, &m_held, &m_lost, &m_offAt, &m_offShare, &m_slip, &m_miss,
                      &m_falls, &m_driven})
        *v = *from++;
    m_capped = *from++ != 0;
    m_crouch = Vec3::Map(from);
    from += 3;
    m_legs.clear();
    for (const Leg& leg : m_all)
        if (*from++ != 0) m_legs.push_back(leg);
    return from;
}

}  // namespace nutatio::layers::ragdoll
