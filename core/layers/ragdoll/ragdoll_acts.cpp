#include "layers/ragdoll/ragdoll_acts.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "scene/items.h"

namespace nutatio::layers::ragdoll {

// Reach: the hand is drawn firmly along a path of least jerk from where it is to where it should be, within the ease-in; the
// force has a bound, so at what is out of reach nothing stretches. Hold: the same, at what it grips, from the first step on.
// Look: headings by a spring, of n segments the k-th from the root k/n of the way. Leap: with T until it lands, every segment
// gets (X - x - g T^2/2)/T - V more, V the centre of mass's speed, which turns no joint; up to a height, v = sqrt(2 g H).

namespace {

using What = Doing::What;
using Starts = Doing::Starts;

constexpr double kLetsGo = 0.2, kLetsGoAtOnce = 1.0 / 24;  // [s], in which what goes limp does so at most and at least
constexpr double kTurnsToLook = 0.25;                      // [s] at least
constexpr double kLegsGive = 0.9;                          // of their strength, while they extend
constexpr double kArmGives = 0.85;                    // of the strength of an arm or neck, while hand or head are drawn elsewhere
constexpr double kLever = 0.25;                       // sizes, of what turns a head
constexpr double kOff = 0.02, kPast = 5 * kPi / 180;  // [sizes], [rad]: told from there on
constexpr double kNotYet = -1, kUpAgain = -2;

/// What a segment hangs on, up to where something else hangs too, and without that.
std::vector<std::size_t> upToTrunk(const rig::Figure& figure, std::size_t segment) {
    std::vector<std::size_t> out;
    for (int p = figure.segments[segment].parent; p >= 0; p = figure.segments[static_cast<std::size_t>(p)].parent) {
        const auto hang = std::count_if(figure.segments.begin(), figure.segments.end(),
                                        [&](const rig::FigureSegment& g) { return g.parent == p; });
        if (hang != 1 || figure.segments[static_cast<std::size_t>(p)].parent < 0) break;
        out.push_back(static_cast<std::size_t>(p));
    }
    return out;
}

}  // namespace

BodyActs::BodyActs(const LayerContext& context, const rig::Figure& figure, Anchors& anchors)
    : m_figure(figure),
      m_placement(context.placement),
      m_fps(context.settings->fps()),
      m_limp(figure.segments.size(), 0.0),
      m_limpWas(figure.segments.size(), 0.0),
      m_limpWhenItLands(context.settings->text("landing") == "goes limp") {
    m_size = figure.height * context.placement.metres;
    for (const LayerContext::Act& a : context.acts) {
        Act act;
        act.name = a.layer->name;
        act.layer = a.layer->id;
        act.settings = a.settings;
        act.asks = a.doing;
        act.spans = a.spans;
        act.share = a.share;
        for (const std::string& j : act.asks.joints) {
            const int joint = context.actor.skeleton.find(j);
            const int segment = joint == rig::kNoJoint ? -1 : figure.segmentOf[static_cast<std::size_t>(joint)];
            if (segment >= 0) act.segments.push_back(static_cast<std::size_t>(segment));
        }
        if (act.segments.empty()) act.segments.push_back(0);
        for (std::size_t i = 0; i < figure.segments.size(); ++i) {
            const bool own = std::find(act.segments.begin(), act.segments.end(), i) != act.segments.end();
            const int p = figure.segments[i].parent;
            act.below.push_back(own || (p >= 0 && act.below[static_cast<std::size_t>(p)]));
        }
        const std::size_t named = act.segments.size();
        for (std::size_t k = 0; k < named; ++k) {
            // A hand is drawn by its arm; a head looks with its neck.
            const bool looks = act.asks.what == What::Look && named == 1,
                       draws = act.asks.what == What::Reach || act.asks.what == What::Hold;
            if (draws || act.asks.what == What::Look) act.arm.push_back(act.segments[k]);
            for (std::size_t above : upToTrunk(figure, act.segments[k])) {
                if (draws || looks) act.arm.push_back(above);
                if (looks) act.segments.push_back(above);
            }
        }
        if (act.asks.what == What::Leap && act.asks.byLegs) {
            std::vector<std::size_t> feet;
            for (std::size_t s : act.segments)
                if (figure.segments[s].parent >= 0) feet.push_back(s);
            act.legs.emplace(figure, std::move(feet));
        }
        if (const auto to = scene::mountIn(context.actor.skeleton, context.layer.actor, act.asks.to))
            act.anchor = anchors.add(*to);
        m_acts.push_back(std::move(act));
    }
}

void BodyActs::headings(const std::vector<Quat>& turns, const physics::OneBody& body) {
    m_heading = turns;
    m_heads.resize(body.size());
    m_hands.resize(body.size());
    for (std::size_t i = 0; i < body.size(); ++i) {
        m_heads[i] = body.place(i);
        m_hands[i] = body.segment(i).endB - body.segment(i).centre;
    }
    m_weight = body.mass() * std::max(kEarthGravity, body.gravity().norm());
}

void BodyActs::reset() {
    for (Act& a : m_acts) {
        a.begun = -1;
        a.over = a.active = false;
        a.times.clear();
        if (a.legs) a.legs->reset();
    }
    std::fill(m_limp.begin(), m_limp.end(), 0.0);
    m_limpWas = m_limp;
    m_thrown = false;
    m_aloft = 0;
    m_sinceLanded = -1;
    m_landed = kNotYet;
    m_recovering.reset();
}

/// A touch after a while in the air lets all of it go; what recovers may land again.
void BodyActs::land(double time, double dt, const physics::OneBody& body) {
    constexpr double kAloft = 0.12;  // [s]: longer than a step is off the ground
    bool touches = false;
    for (std::size_t i = 0; i < body.size(); ++i) touches = touches || body.touches(i);
    if (m_recovering && m_landed >= 0) m_landed = kUpAgain;
    if (m_landed < 0 && touches && m_aloft >= kAloft - 1e-9) m_landed = time;
    m_aloft = touches ? 0 : m_aloft + dt;
    m_sinceLanded = m_landed < 0 ? -1 : time - m_landed + dt;
}

double BodyActs::letGo(const Act& act, double u) const {
    if (act.asks.what != What::Limp || !act.active) return 0;
    return (act.mixWas + u * (act.mix - act.mixWas)) * eased(within((act.past + (u - 1) * m_dt) / act.letsGoIn, 0.0, 1.0));
}

/// Of a landing.
double BodyActs::letGoLanded(double u) const {
    return m_sinceLanded < 0 ? 0 : eased(within((m_sinceLanded + (u - 1) * m_dt) / kLetsGo, 0.0, 1.0));
}

double BodyActs::limp(std::size_t segment, double u) const {
    double out = std::max(m_limpWas[segment] + u * (m_limp[segment] - m_limpWas[segment]), letGoLanded(u));
    for (const Act& act : m_acts)
        if (act.below[segment]) out = std::max(out, letGo(act, u));
    return out;
}

double BodyActs::freed(double u) const {
    if (m_thrown) return 1;
    double out = letGoLanded(u);
    // A spring on the whole body would hold it up, however little of it were left.
    for (const Act& act : m_acts)
        if (act.below[0] && act.mix > 0) out = std::max(out, std::min(1.0, letGo(act, u) / act.full));
    return out;
}

/// The far end of what acts: a hand's palm, a head's middle.
Vec3 BodyActs::handOf(const physics::OneBody& body, std::size_t segment) const {
    const physics::SegmentDef& d = body.segment(segment);
    return body.at(segment, d.endB - d.centre);
}

void BodyActs::place(Act& act, int frame, const Anchors& anchors, const physics::OneBody& body,
                     const std::vector<std::pair<std::string, physics::Body>>& bodies) const {
    act.targetBefore = act.target;
    act.turnBefore = act.turn;
    const Vec3 place = act.asks.place(frame);
    act.target = place;
    act.turn = Quat::Identity();
    if (act.anchor >= 0) {
        const Affine& w = anchors.world(act.anchor);
        act.turn = (m_placement.turn * rotationOf(w.m)).normalized();
        act.target = m_placement.toWorld(w.t) + (act.asks.what == What::Hold ? Vec3(Vec3::Zero()) : Vec3(act.turn * place));
    }
    if (act.asks.onto.empty()) return;
    const auto at = std::find_if(bodies.begin(), bodies.end(), [&](const auto& b) { return b.first == act.asks.onto; });
    if (at == bodies.end()) return;
    const Vec3 hand = handOf(body, act.segments.front());
    const physics::Contact c = physics::nearest(at->second, hand, Vec3::Zero());
    if (c.normal.allFinite()) act.target = hand - c.distance * c.normal;
}

bool BodyActs::due(const Act& act, std::size_t number, const physics::OneBody& body) const {
    if (act.asks.starts == Starts::AfterTheOneBelow) return number == 0 || m_acts[number - 1].over;
    if (act.asks.starts == Starts::OnTouch) {
        for (std::size_t i = 0; i < body.size(); ++i)
            if (act.below[i] && body.touches(i)) return true;
        return false;
    }
    if (act.asks.starts == Starts::WhenNear) return (handOf(body, act.segments.front()) - act.target).norm() < act.asks.near;
    return true;
}

Vec3 BodyActs::turnBy(const Act& act, const physics::OneBody& body) const {
    if (act.asks.turning == Doing::Turning::On) return Vec3::Zero();
    // Forwards as it stands now: about what is to its left.
    const Vec3 asked = act.asks.turning == Doing::Turning::AsAsked
                           ? Vec3(act.asks.spin * leftOf(body.turn(0), m_placement.turn * m_figure.forward))
                           : Vec3(Vec3::Zero());
    return asked - body.spinOfWhole();
}

LegsAsked BodyActs::askedOf(const Act& act, int frame, double dt) const {
    LegsAsked out;
    out.crouch = act.asks.crouch;
    out.seconds = act.asks.crouchFrames / m_fps;
    out.effort = act.asks.effort;
    out.strength = act.asks.strength.at(frame);
    out.toPlace = act.asks.toPlace;
    out.place = act.target;
    out.until = std::max(dt, act.length - act.past + dt);
    out.height = act.asks.height;
    return out;
}

void BodyActs::bend(BodyPose& pose) const {
    for (const Act& act : m_acts)
        if (act.legs) act.legs->bend(pose, leftOf(pose.front().turn, m_placement.turn * m_figure.forward));
}

void BodyActs::begin(Act& act, int frame, double dt, physics::OneBody& body) {
    const std::size_t hand = act.segments.front();
    act.from = handOf(body, hand);
    act.own = act.turn.conjugate() * (act.from - act.target);
    const double strength = act.asks.strength.at(frame);
    const Vec3 g = body.gravity();
    if (act.asks.what == What::Leap) {
        const Vec3 v = body.meanVelocity();
        Vec3 wanted = v;
        if (act.legs) {
            act.legs->begin(body, askedOf(act, frame, dt));
            if (act.legs->hasLegs()) return;
        }
        if (act.asks.toPlace) {
            const double T = std::max(dt, act.length);
            wanted = (act.target - body.centreOfMass() - 0.5 * g * T * T) / T;
        } else {
            const Vec3 up = g.norm() > 0 ? Vec3(-g.normalized()) : Vec3(Vec3::UnitY());
            wanted += (std::sqrt(2 * g.norm() * act.asks.height) - v.dot(up)) * up;
        }
        body.hurl(strength * (wanted - v), strength * turnBy(act, body));
    }
    if (act.asks.what == What::Push) {
        for (std::size_t s : act.segments)
            body.push(s, Vec3::Zero(), strength * body.mass() / static_cast<double>(act.segments.size()) * act.asks.push);
    }
}

void BodyActs::advance(int frame, double dt, const Anchors& anchors, physics::OneBody& body,
                       const std::vector<std::pair<std::string, physics::Body>>& bodies) {
    m_limpWas = m_limp;
    std::fill(m_limp.begin(), m_limp.end(), 0.0);
    m_dt = dt;
    m_thrown = false;
    m_recovering.reset();
    const double time = frame / m_fps;
    for (std::size_t n = 0; n < m_acts.size(); ++n) {
        Act& act = m_acts[n];
        place(act, frame, anchors, body, bodies);
        const auto span = std::find_if(act.spans.begin(), act.spans.end(),
                                       [&](const scene::Interval& s) { return time >= s.from - 1e-9 && time <= s.to + 1e-9; });
        const bool inside = act.spans.empty() || span != act.spans.end();
        if (!inside) {
            if (act.begun >= 0 && act.legs) judge(act, 0, dt, body);
            if (act.legs) act.legs->release(dt);
            act.over = act.over || act.begun >= 0;
            act.begun = -1;
            act.active = false;
            continue;
        }
        const double from = act.spans.empty() ? 0 : span->from,
                     to = act.spans.empty() ? static_cast<double>(act.share.size()) / m_fps : span->to,
                     ease = act.spans.empty() ? 0 : span->easeIn;
        if (act.begun < 0 && !due(act, n, body)) {
            act.active = false;
            continue;
        }
        const bool begins = act.begun < 0;
        if (begins) {
            act.begun = act.asks.starts == Starts::OnTime ? from : time;
            act.over = false;
            act.targetBefore = act.target;
            act.turnBefore = act.turn;
            timeOf(act);
        }
        act.active = true;
        act.force = act.asks.force.at(frame);
        act.past = time - act.begun;
        act.length = to - act.begun;
        if (begins) begin(act, frame, dt, body);
        const double strength =
            act.share.empty() ? 1 : act.share[std::min(static_cast<std::size_t>(frame), act.share.size() - 1)];
        // An act that began after its interval did fades in from the frame on which it began.
        act.weight = act.asks.starts == Starts::OnTime || ease <= 0
                         ? strength
                         : act.asks.strength.at(frame) * std::min(eased(act.past / ease), 1.0);
        if (act.asks.what == What::Limp) {
            // Muscles let go within a few frames, what is half held up is a puppet; and in some time, however short frames are.
            act.letsGoIn = within(ease, kLetsGoAtOnce, kLetsGo);
            act.full = act.asks.strength.at(frame);
            act.mix = ease > act.letsGoIn && act.past < ease ? act.full : act.weight;
            act.mixWas = begins || act.share.empty() || frame < 1 || act.past - dt < ease
                             ? act.mix
                             : act.share[std::min(static_cast<std::size_t>(frame - 1), act.share.size() - 1)];
        }
        // An arm that chased its pose meanwhile would hold the hand back with more than a body weighs.
        for (std::size_t i : act.arm) m_limp[i] = std::max(m_limp[i], kArmGives * act.weight);
        const bool legs = act.legs && act.legs->hasLegs();
        if (legs) act.legs->advance(act.past, body, askedOf(act, frame, dt));
        // What is thrown is let go at once: a root that is still led would take the speed away.
        if ((act.asks.what == What::Leap || act.asks.what == What::Push) && act.asks.strength.at(frame) > 0 &&
            (!legs || act.legs->drives() || act.legs->isOff()))
            m_thrown = true;
        if (legs && act.legs->drives())
            for (std::size_t i = 0; i < m_limp.size(); ++i)
                if (act.legs->isLeg(i)) m_limp[i] = std::max(m_limp[i], kLegsGive);
        if (act.asks.what == What::Recover) {
            m_recoverSeconds = act.spans.empty() ? 1 : std::max(dt, to - act.begun);
            m_recovering = std::min(1.0, act.past / m_recoverSeconds);
        }
        if (act.legs || act.weight > 0.99 * act.asks.strength.at(frame)) judge(act, ease, dt, body);
    }
    if (m_limpWhenItLands) land(time, dt, body);
    if (m_thrown) m_limpWas = m_limp;
}

BodyActs::Time& BodyActs::timeOf(Act& act) {
    for (Time& t : act.times)
        if (t.begun == act.begun) return t;
    return act.times.emplace_back(Time{act.begun, 0, false, {}, {}});
}

void BodyActs::judge(Act& act, double ease, double dt, const physics::OneBody& body) const {
    Time& time = timeOf(act);
    const std::size_t hand = act.segments.front();
    switch (act.asks.what) {
        case What::Reach: {
            if (act.past < std::max(ease, 2 * dt)) return;
            const double off = (handOf(body, hand) - act.targetBefore).norm();
            if (off <= time.off) return;
            time.off = off;
            // From where the arm hangs, along its bones.
            double length = 0;
            Vec3 at = handOf(body, hand);
            for (std::size_t i : act.arm) {
                length += (at - body.joint(i)).norm();
                at = body.joint(i);
            }
            time.far = (act.targetBefore - at).norm() > 0.99 * length;
            return;
        }
        case What::Hold:
            if (act.past >= std::max(ease, 2 * dt))
                time.off = std::max(time.off, (handOf(body, hand) - act.targetBefore - act.turnBefore * act.own).norm());
            return;
        case What::Look: {
            if (act.past < std::max(ease, kTurnsToLook) + dt) return;
            const std::size_t looks = *std::max_element(act.segments.begin(), act.segments.end());
            const Vec3 way = act.targetBefore - body.place(looks),
                       forward = body.turn(looks) * (m_placement.turn * m_figure.forward);
            if (way.norm() > 1e-6 * m_size)
                time.off = std::max(time.off, std::acos(std::clamp(forward.normalized().dot(way.normalized()), -1.0, 1.0)));
            return;
        }
        case What::Leap:
            if (!act.legs) return;
            time.leapt = act.legs->shortfall(m_size);
            time.briefly = act.legs->shortfall(m_size, true);
            return;
        default:
            return;
    }
}

/// In two or three words, and whether it is less than was asked.
std::pair<std::string, bool> BodyActs::toldOf(const Act& act, const Time& time) const {
    char text[80];
    switch (act.asks.what) {
        case What::Reach:
            if (time.off <= kOff * m_size) return {"reached", false};
            std::snprintf(text, sizeof text, "%.0f cm short: %s", 100 * time.off, time.far ? "too far" : "force");
            return {text, true};
        case What::Hold:
            if (time.off <= kOff * m_size) return {"holds", false};
            std::snprintf(text, sizeof text, "lets go by %.0f cm: force", 100 * time.off);
            return {text, true};
        case What::Look:
            if (time.off <= kPast) return {"looks at it", false};
            std::snprintf(text, sizeof text, "%.0f\u00b0 past: force", degrees(time.off));
            return {text, true};
        case What::Leap:
            return time.briefly.empty() ? std::pair(std::string("reached"), false) : std::pair(time.briefly, true);
        default:
            return {};
    }
}

std::vector<Came> BodyActs::came() const {
    std::vector<Came> out;
    const auto frame = [&](double time) { return static_cast<int>(std::lround(time * m_fps)); };
    for (const Act& a : m_acts) {
        for (const Time& t : a.times)
            if (auto [text, less] = toldOf(a, t); !text.empty()) out.push_back({a.layer, frame(t.begun), std::move(text), less});
        if (a.neverDue()) out.push_back({a.layer, a.spans.empty() ? 0 : frame(a.spans.front().from), "never due", true});
    }
    return out;
}

void BodyActs::drive(double u, double h, double dt, physics::OneBody& body, std::vector<physics::Grip>& grips,
                     std::vector<physics::Thrust>& thrusts) {
    bool anchored = false;
    for (Act& act : m_acts) {
        if (act.active && act.legs && act.legs->drive(u * dt, h, body, thrusts))
            body.hurl(Vec3::Zero(), act.asks.strength.at() * turnBy(act, body));
        if (!act.active || act.weight <= 0 ||
            (act.asks.what != What::Reach && act.asks.what != What::Hold && act.asks.what != What::Look))
            continue;
        const double weight = act.weight * act.force;
        const auto ease = [&] {
            for (const scene::Interval& s : act.spans)
                if (s.from <= act.begun + 1e-9 && s.to >= act.begun - 1e-9) return std::max(s.easeIn, 2 * dt);
            return 2 * dt;
        }();
        for (std::size_t segment : act.segments) {
            physics::Grip g;
            g.segment = body.number(segment);
            // [times the body's weight], and of turning a part of its size as a lever.
            g.most = weight * m_weight * (act.asks.what == What::Look ? kLever * m_size : 1.0);
            const auto at = [&](double share) -> Vec3 {
                const Vec3 target = act.targetBefore + share * (act.target - act.targetBefore);
                if (act.asks.what == What::Hold) {
                    const Vec3 by = rotationVector(act.turn * act.turnBefore.conjugate());
                    return target + fromRotationVector(share * by) * act.turnBefore * act.own;
                }
                const double past = std::max(0.0, act.past + (share - 1) * dt);
                return act.from + eased(past / ease) * (target - act.from);
            };
            if (act.asks.what == What::Look) {
                g.turns = true;
                g.turn = m_heading[segment];
                const Vec3 forward = m_heading[segment] * (m_placement.turn * m_figure.forward),
                           way = act.target - m_heads[segment];
                // Where several segments look, those nearer the root turn part of the way: a chest half as far as its head.
                // A firm turn, as far as its force goes: a spring ends short, against a neck that is held to its pose.
                const double looks = eased(std::clamp((act.past + (u - 1) * dt) / std::max(ease, kTurnsToLook), 0.0, 1.0));
                double rank = 1;
                for (std::size_t other : act.segments) rank += other < segment;
                if (way.norm() > 1e-6 * m_size)
                    g.turn = (blend(Quat::Identity(), arc(forward.normalized(), way.normalized()),
                                    looks * rank / static_cast<double>(act.segments.size())) *
                              g.turn)
                                 .normalized();
            } else {
                g.at = m_hands[segment];
                g.place = at(u);
                g.velocity = (at(u + h / dt) - g.place) / h;
                g.anchors = act.asks.what == What::Hold && !anchored && act.weight > 0.99;
                anchored = anchored || g.anchors;
            }
            grips.push_back(g);
        }
    }
}

void BodyActs::appendState(State& out) const {
    for (const Act& a : m_acts) {
        out.insert(out.end(), {a.begun, a.over ? 1.0 : 0.0, a.active ? 1.0 : 0.0});
        for (const Vec3* v : {&a.from, &a.own, &a.target}) out.insert(out.end(), v->begin(), v->end());
        for (double c : a.turn.coeffs()) out.push_back(c);
        if (a.legs) a.legs->appendState(out);
    }
    out.insert(out.end(), {m_aloft, m_landed});
    out.insert(out.end(), m_limp.begin(), m_limp.end());
}

const double* BodyActs::takeState(const double* from) {
    for (Act& a : m_acts) {
        a.begun = *from++;
        a.over = *from++ != 0;
        a.active = *from++ != 0;
        for (Vec3* v : {&a.from, &a.own, &a.target}) {
            *v = Vec3::Map(from);
            from += 3;
        }
        for (double& c : a.turn.coeffs()) c = *from++;
        if (a.legs) from = a.legs->takeState(from);
    }
    m_aloft = *from++;
    m_landed = *from++;
    for (double& l : m_limp) l = *from++;
    return from;
}

std::vector<std::string> BodyActs::remarks() const {
    std::vector<std::string> out;
    for (const Act& a : m_acts) {
        double off = 0;
        bool far = false;
        for (const Time& t : a.times) {
            if (t.off >= off) far = t.far;
            off = std::max(off, t.off);
            if (!t.leapt.empty()) out.push_back("\"" + a.name + "\" " + t.leapt);
        }
        char text[200] = "";
        if (a.asks.what == What::Reach && off > kOff * m_size)
            std::snprintf(text, sizeof text, "\"%s\" ends %.0f cm short of what it reaches for: %s", a.name.c_str(), 100 * off,
                          far ? "that is farther than its arm is long" : "more force brings it nearer");
        if (a.asks.what == What::Hold && off > kOff * m_size)
            std::snprintf(text, sizeof text, "\"%s\" lets go by up to %.0f cm: more force holds it", a.name.c_str(), 100 * off);
        if (a.asks.what == What::Look && off > kPast)
            std::snprintf(text, sizeof text, "\"%s\" looks up to %.0f degrees past what it looks at", a.name.c_str(),
                          degrees(off));
        if (*text != 0) out.emplace_back(text);
        if (a.neverDue()) out.push_back("\"" + a.name + "\" is never due in this shot");
    }
    if (m_limpWhenItLands && m_landed == kNotYet) out.push_back("it does not land in this shot, or is not in the air before");
    return out;
}

}  // namespace nutatio::layers::ragdoll
