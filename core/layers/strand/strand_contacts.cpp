// What a strand meets: bodies, pins, air, other strands.
#include <algorithm>
#include <tuple>

#include "layers/strand/strand_mover.h"

namespace nutatio::layers::strand {

namespace {

constexpr double kWorthSaying = 0.003;  // of the actor's height: how deep inside is worth a sentence

/// Thinnest half of a collider [units]: how far it may go in one step without being missed.
double thickness(const scene::ColliderNumbers& c) {
    switch (c.shape) {
        case scene::Shape::Sphere:
            return c.radius;
        case scene::Shape::Capsule:
            return std::min(c.radius, c.radiusEnd);
        case scene::Shape::Box:
            return 0.5 * c.size.minCoeff();
        case scene::Shape::Plane:
            break;
    }
    return 1e30;
}

}  // namespace

void StrandMover::addColliders(const LayerContext& context) {
    const auto& passes = m_settings->list("passes");
    for (const LayerContext::Body& b : context.colliders) {
        const scene::Collider& c = *b.collider;
        if (std::find(passes.begin(), passes.end(), c.id) != passes.end()) continue;
        const int anchor = m_anchors.add(c.mount);
        if (anchor < 0) continue;
        Ridden r;
        r.name = c.name;
        r.settings = b.settings;
        r.anchor = anchor;
        r.solid = c.solid;
        m_colliders.push_back(std::move(r));
        readNumbers(m_colliders.back(), 0);
        const int joint = m_anchors.ownJoint(anchor);
        // A body that rides on the strand itself would push what carries it.
        for (Strand& s : m_strands) s.passes.push_back(joint != rig::kNoJoint && m_skeleton.isBelow(joint, s.plan.root));
    }
}

void StrandMover::readNumbers(Ridden& r, int frame) const {
    r.numbers = scene::numbersOf(*r.settings, frame);
    const double unit = m_anchors.unit(r.anchor);
    for (double* length : {&r.numbers.radius, &r.numbers.radiusEnd, &r.numbers.length}) *length *= unit;
    r.numbers.size *= unit;
    r.numbers.offset *= unit;
    r.size = r.numbers.reach();
}

void StrandMover::addPins(const LayerContext& context) {
    for (const LayerContext::Hold& hold : context.pins) {
        const scene::Pin* p = hold.pin;
        const int joint = m_skeleton.find(p->joint), anchor = m_anchors.add(p->to);
        if (joint == rig::kNoJoint || anchor < 0) continue;
        for (std::size_t k = 0; k < m_strands.size(); ++k) {
            const StrandJoints& plan = m_strands[k].plan;
            if (p->end) {
                for (std::size_t i = 0; i < plan.links.size(); ++i)
                    if (plan.joints[i] == joint)
                        m_pins.push_back({hold.settings, anchor, k, i, plan.links[i].length * plan.links[i].direction});
                continue;
            }
            // A joint stands on the link above it; the root is carried by the body and cannot be held.
            for (const StrandJoints::Rider& r : plan.riders)
                if (r.joint == joint) m_pins.push_back({hold.settings, anchor, k, r.link, r.lever});
        }
    }
}

bool StrandMover::bodiesAreQuick(double dt) const {
    // Against the body that carries the strands: what rides along with them is not quick.
    const Strand& s = m_strands.front();
    const Vec3 carried = s.felt.place - s.before.place;
    const double steps = physics::substepsFor(dt, quickest());
    for (std::size_t i = 0; i < m_colliders.size(); ++i) {
        const Ridden& r = m_colliders[i];
        // A body that no strand can reach needs no smaller steps, however fast it moves.
        if (!r.inReach) continue;
        if ((r.now.centre - r.before.centre - carried).norm() > steps * thickness(r.numbers)) return true;
    }
    return false;
}

void StrandMover::readPlaces(const PoseView& pose) {
    m_anchors.update(pose);
    for (Ridden& r : m_colliders) {
        if (r.settings->anyKeyed()) readNumbers(r, pose.frame());
        r.now = placeCollider(r.numbers, m_anchors.world(r.anchor));
    }
    for (Held& h : m_pins) {
        const Affine& a = m_anchors.world(h.anchor);
        h.now = a.t + rotationOf(a.m) * (m_anchors.unit(h.anchor) * h.settings->vector("offset", pose.frame()));
        h.strength = h.settings->at("strength", pose.frame());
    }
}

void StrandMover::blow(const PoseView& pose, bool first) {
    if (m_air.still()) return;
    m_air.setFrame(pose.frame());
    for (Strand& s : m_strands) {
        const double catches = s.catches.at(pose.frame());
        physics::StrandBatch& b = m_batches[s.batch];
        const Quat back = carryOf(s).conjugate();
        for (std::size_t i = 0; i < s.air.size(); ++i) {
            const Vec3 here = s.base.place + back.conjugate() * (b.end(s.lane, i) - s.felt.place);
            const Vec3 v = m_air.at(here, pose.time());
            const double drag = physics::windDrag(m_metres * v.norm(), catches);
            // Half way between this frame's air and the last one's: what the frame in between is blown by.
            const Vec3 mean = first ? v : Vec3(0.5 * (v + s.air[i]));
            s.air[i] = v;
            b.setAir(s.lane, i, back * mean, drag);
        }
    }
}

void StrandMover::meetOthers(int frame) {
    struct Near {
        double gap;
        std::size_t strand, link;
    };
    std::vector<Near> near;
    for (std::size_t a = 0; a < m_strands.size(); ++a) {
        const Strand& me = m_strands[a];
        physics::StrandBatch& mine = m_batches[me.batch];
        near.clear();
        for (std::size_t o = 0; o < m_strands.size(); ++o) {
            if (o == a) continue;
            const Strand& other = m_strands[o];
            const physics::StrandBatch& theirs = m_batches[other.batch];
            for (std::size_t j = 1; j < other.plan.links.size(); ++j) {
                const Vec3 middle = 0.5 * (theirs.place(other.lane, j) + theirs.end(other.lane, j));
                for (std::size_t i = 1; i < me.plan.links.size(); ++i) {
                    const Vec3 here = 0.5 * (mine.place(me.lane, i) + mine.end(me.lane, i));
                    const double gap = (here - middle).norm() - 0.5 * (me.plan.links[i].length + other.plan.links[j].length);
                    if (gap < 0.25 * me.plan.length) near.push_back({gap, o, j});
                }
            }
        }
        // Ties go by number, so that the choice is the same every time.
        std::sort(near.begin(), near.end(), [](const Near& p, const Near& q) {
            return std::tie(p.gap, p.strand, p.link) < std::tie(q.gap, q.strand, q.link);
        });
        std::size_t slot = 0;
        std::vector<std::pair<std::size_t, std::size_t>> taken;
        for (const Near& n : near) {
            if (slot == kNeighbours) break;
            if (std::find(taken.begin(), taken.end(), std::pair(n.strand, n.link)) != taken.end()) continue;
            taken.emplace_back(n.strand, n.link);
            const Strand& other = m_strands[n.strand];
            const physics::StrandBatch& theirs = m_batches[other.batch];
            physics::Body body;
            body.a = theirs.place(other.lane, n.link);
            body.b = theirs.end(other.lane, n.link);
            body.velocity = theirs.endVelocity(other.lane, n.link);
            const double along = other.plan.along[n.link];
            body.radiusA = body.radiusB = other.plan.length * other.radius.at(frame, along);
            body.friction = 0.1;
            mine.setBody(me.lane, m_colliders.size() + slot++, body);
        }
        for (; slot < kNeighbours; ++slot) mine.passBody(me.lane, m_colliders.size() + slot);
    }
}

void StrandMover::findReachable() {
    for (Ridden& r : m_colliders) r.inReach = false;
    for (Strand& s : m_strands) {
        s.near.clear();
        // All of the strand lies within its length of its base, all through the frame.
        const double reach = s.plan.length * reachOf(*s.settings) + (s.felt.place - s.before.place).norm();
        const Vec3 base = s.base.place;
        for (std::size_t i = 0; i < m_colliders.size(); ++i) {
            Ridden& r = m_colliders[i];
            if (s.passes[i]) continue;
            const bool far = r.numbers.shape != scene::Shape::Plane &&
                             std::min((r.now.centre - base).norm(), (r.before.centre - base).norm()) -
                                     (r.now.centre - r.before.centre).norm() - r.size - reach >
                                 0;
            if (far) {
                m_batches[s.batch].passBody(s.lane, i);
                continue;
            }
            s.near.push_back(i);
            r.inReach = true;
        }
    }
}

// The animated pose often stands inside its own body's colliders (a cape on a back). What it has there at a frame a link may have
// too: the surface that a link meets lies that deep inside. The allowance follows the animated pose alone - one that followed the
// simulated state would stick and jump - rises at once and fades over kForgetting. Set pieces allow nothing: nobody animated a
// body into a block that was put there afterwards.
void StrandMover::allowDepths(const PoseView& pose, double decay) {
    const double share = pushedShare(pose);
    const std::size_t bodies = m_colliders.size();
    m_standing.clear();
    for (const Ridden& r : m_colliders) m_standing.push_back(bodyOf(r.numbers, r.now));
    for (Strand& s : m_strands) {
        const std::size_t n = s.plan.links.size();
        s.allowed.resize(n * bodies, 0.0);
        s.allows.resize(bodies, 0);
        if (std::any_of(s.allows.begin(), s.allows.end(), [](char a) { return a & (kNow | kBefore); }))
            s.allowedBefore = s.allowed;
        s.allowedBefore.resize(n * bodies, 0.0);
        m_posed.clear();
        double reach = 0;  // of any link from where the strand begins
        for (std::size_t i = 0; i < n; ++i) {
            const physics::LinkDef& l = s.plan.links[i];
            const int joint = s.plan.joints[i];
            m_posed.push_back({m_worlds.world(joint).t, l.length * (m_worlds.turn(joint) * l.direction),
                               s.plan.length * s.radius.at(pose.frame(), s.plan.along[i])});
            const Posed& p = m_posed.back();
            reach = std::max(reach, (p.from + 0.5 * p.way - m_posed.front().from).norm() + 0.5 * l.length + p.radius);
        }
        for (std::size_t c = 0; c < bodies; ++c) {
            Ridden& r = m_colliders[c];
            if (s.passes[c] || r.solid) continue;
            const physics::Body& body = m_standing[c];
            const bool plane = body.kind == physics::Body::Kind::Plane;
            const bool near = plane || (m_posed.front().from - r.now.centre).norm() < (1 + 1e-9) * (reach + r.size);
            char& allows = s.allows[c];
            allows = static_cast<char>((allows & kTold) | (allows & kNow ? kBefore : 0));
            if (!near && !(allows & kBefore)) continue;
            // The innermost loop: arrays whose length is known to be n are read without a check of every index.
            const Posed* posed = m_posed.data();
            const physics::LinkDef* links = s.plan.links.data();
            double* allowedAt = s.allowed.data() + c;
            for (std::size_t i = 0; i < n; ++i) {
                const Posed& p = posed[i];
                const double length = links[i].length;
                double depth = 0;
                if (plane)
                    depth = p.radius - (body.turn * Vec3::UnitY()).dot(p.from + p.way - body.a);
                else if (near && (p.from + 0.5 * p.way - r.now.centre).norm() < 0.5 * length + p.radius + r.size)
                    depth = p.radius - physics::nearest(body, p.from, p.way).distance;
                const int joint = s.plan.joints[i];
                if (depth > r.deepest.depth && pose.time() >= 0) r.deepest = {depth, joint, pose.frame()};
                if (depth > r.first.depth && pose.time() == 0) r.first = {depth, joint, 0};
                double& allowed = allowedAt[i * bodies];
                allowed = std::max({0.0, share * depth, decay * allowed});
                if (allowed < 1e-7 * length) allowed = 0;
                if (allowed != 0) allows |= kNow;
            }
        }
        if (decay == 0) {
            s.allowedBefore = s.allowed;
            findAllowing(s);
        }
    }
}

/// Which bodies some link may be inside of, where the depths came from elsewhere.
void StrandMover::findAllowing(Strand& s) {
    const std::size_t bodies = m_colliders.size();
    s.allows.assign(bodies, kTold);
    for (std::size_t k = 0; k < s.allowed.size(); ++k)
        if (s.allowed[k] != 0) s.allows[k % bodies] |= kNow | kBefore;
}

double StrandMover::pushedShare(const PoseView& pose) const {
    const double frames = m_settings->at("push_out");
    return frames > 0 ? std::clamp(1 - pose.time() / (m_dt * frames), 0.0, 1.0) : 1.0;
}

void StrandMover::passAllowances(double u) {
    for (Strand& s : m_strands)
        for (std::size_t c : s.near) {
            if (s.allows[c] == 0) continue;
            s.allows[c] = static_cast<char>(s.allows[c] & (kNow | kBefore) ? s.allows[c] | kTold : 0);
            physics::StrandBatch& batch = m_batches[s.batch];
            const double *before = s.allowedBefore.data() + c, *after = s.allowed.data() + c;
            for (std::size_t i = 0; i < s.plan.links.size(); ++i) {
                const std::size_t k = i * m_colliders.size();
                const double from = before[k], to = after[k];
                batch.allowDepth(s.lane, i, c, to > from ? to : from + u * (to - from));
            }
        }
}

std::vector<std::string> StrandMover::remarks() const {
    std::vector<std::string> out = m_source.remarks();
    const auto mm = [&](double depth) { return std::to_string(std::lround(1000 * m_metres * depth)) + " mm"; };
    for (const Ridden& r : m_colliders) {
        const bool starts = r.first.depth > kWorthSaying * m_height;
        if (!starts && !(r.deepest.depth > kWorthSaying * m_height)) continue;
        const auto& where = starts ? r.first : r.deepest;
        std::string s = "\"" + m_skeleton.label(where.joint) + "\" " + (starts ? "starts" : "stands") + " inside \"" + r.name +
                        "\", " + mm(where.depth);
        if (!starts) s += " at frame " + std::to_string(where.frame + 1);
        out.push_back(s + ": the animated pose is that deep");
    }
    return out;
}

void StrandMover::placeBodies(double u, double dt) {
    for (Ridden& r : m_colliders) {
        const ColliderPlace at{r.before.centre + u * (r.now.centre - r.before.centre), blend(r.before.turn, r.now.turn, u)};
        r.body = bodyOf(r.numbers, at);
        r.body.spin = rotationVector(r.now.turn * r.before.turn.conjugate()) / dt;
        r.body.velocity = (r.now.centre - r.before.centre) / dt + r.body.spin.cross(r.body.a - at.centre);
    }
}

void StrandMover::moveBodies(const Strand& s) {
    const Quat back = carryOf(s).conjugate();
    const bool whole = s.felt.place == s.base.place && s.felt.turn.coeffs() == s.base.turn.coeffs();
    physics::StrandBatch& batch = m_batches[s.batch];
    for (std::size_t i : s.near) {
        if (whole) {
            batch.setBody(s.lane, i, m_colliders[i].body);
            continue;
        }
        physics::Body b = m_colliders[i].body;
        b.a = toFelt(s, b.a);
        b.b = toFelt(s, b.b);
        b.turn = back * b.turn;
        b.velocity = back * b.velocity;
        b.spin = back * b.spin;
        batch.setBody(s.lane, i, b);
    }
}

void StrandMover::movePins(double u, double dt) {
    for (const Held& h : m_pins) {
        const Strand& s = m_strands[h.strand];
        physics::PinStep p;
        p.strength = h.strength;
        p.lever = h.lever;
        p.place = toFelt(s, h.before + u * (h.now - h.before));
        p.velocity = carryOf(s).conjugate() * ((h.now - h.before) / dt);
        m_batches[s.batch].setPin(s.lane, h.link, p);
    }
}

}  // namespace nutatio::layers::strand
