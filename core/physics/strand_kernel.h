// One step of a batch of strands. The derivation stands at the top of strand.cpp; the letters are its letters.
#pragma once

#include "physics/strand_lanes.h"

namespace {

namespace lanes {

constexpr double kDelta = 0.02;
constexpr double kA = 2.0 - kDelta;
constexpr double kTensionLoss = 0.6;   // share of the tension inertia's turning that is lost each step
constexpr double kTensionShare = 0.1;  // mu: how near to the bound of stability tension may come
// Shares of a link, from its joint on, along which contact becomes more and more its own: of the way that it is pushed, and of
// the speed that it loses.
constexpr double kOwnReach = 0.25, kBlowReach = 0.4;
constexpr double kCalm = 1e-5;                      // lengths a second below which a base and a body stand still
constexpr double kBed = 0.05;                       // lengths within which what lies must stay to fall asleep
constexpr double kCalmWait = 2.0, kCalmRamp = 2.0;  // [s] for which it must, and over which it then falls asleep
constexpr double kMissed = 0.1;                     // how fast that time is forgotten, step by step, while nothing is touched
constexpr double kMostTurn = 0.5;                   // [rad] a link may turn within one substep

template <int W>
class Kernel {
    using P = Pack<W>;
    using V = V3<W>;
    using L = Link<W>;

  public:
    explicit Kernel(const nutatio::physics::StepArgs& a)
        : m_a(a),
          m_links(reinterpret_cast<L*>(a.link)),
          m_base(reinterpret_cast<Base<W>*>(a.base)),
          m_bodies(reinterpret_cast<Body<W>*>(a.body)),
          m_h(a.h),
          m_eta(0.5 * a.h) {}

    void step() {
        m_spin = times<W>(1 / m_h, rotationVector<W>(m_base->turn1 * ~m_base->turn0));
        m_velocity = times<W>(1 / m_h, m_base->place1 - m_base->place0);
        for (int i = 0; i < m_a.links; ++i) predict(m_links[i], parent(i));
        for (int i = m_a.links; i-- > 0;) gather(m_links[i], parent(i));
        for (int i = 0; i < m_a.links; ++i) spread(m_links[i], parent(i));
        boundBodies();
        for (int i = 0; i < m_a.links; ++i) {
            drift(m_links[i], parent(i));
            constrain(i);
        }
        if (m_met > 0)
            settle();
        else
            m_base->calm = all<W>(0.0);
    }

  private:
    L* parent(int i) const { return m_a.parents[i] < 0 ? nullptr : m_links + m_a.parents[i]; }
    bool has(unsigned f) const { return m_a.features & f; }

    void predict(L& l, const L* p) {
        const Q4<W>& above = p ? p->q : m_base->turn0;
        l.dbar = unit<W>(l.d + times<W>(m_eta, cross<W>(l.w, l.d)));
        const Q4<W> aim = above * l.goal0;
        const V phi = rotationVector<W>(l.q * ~aim);
        l.c = m_eta * (l.dampU + m_eta * l.stiffU);
        if (has(nutatio::physics::kShaped)) {
            // Each axis has a spring of its own: the axes are those of the animated joint, turned on by half the bend.
            const P cv = m_eta * (l.dampV + m_eta * l.stiffV), ct = m_eta * (l.dampT + m_eta * l.stiffT);
            const Q4<W> half = anyTurn<W>(times<W>(0.5, phi));
            const V u = turn<W>(half, turn<W>(aim, l.axisU)), v = turn<W>(half, turn<W>(aim, l.axisV)), t = cross<W>(u, v);
            l.C = outer<W>(l.c, u) + outer<W>(cv, v) + outer<W>(ct, t);
            l.s = (m_eta * l.stiffU * dot<W>(phi, u)) * u + (m_eta * l.stiffV * dot<W>(phi, v)) * v +
                  (m_eta * l.stiffT * dot<W>(phi, t)) * t;
        } else {
            l.s = (m_eta * l.stiffU) * phi;
        }
        if (has(nutatio::physics::kMovingGoals)) {
            const V spin = turn<W>(above, l.goalSpin);
            l.s = l.s - (has(nutatio::physics::kShaped) ? l.C * spin : l.c * spin);
        }
        if (has(nutatio::physics::kOffLine)) {
            if (p) {
                // From the parent's end to this joint, turned on to the half step.
                const V off = turn<W>(p->q, l.attach) - p->length * p->d;
                l.shift = off + times<W>(m_eta, cross<W>(p->w, off));
            } else {
                l.shift = times<W>(0.5, turn<W>(m_base->turn0, l.attach) + turn<W>(m_base->turn1, l.attach));
            }
        }
        const P twist = l.twistInertia, spun = dot<W>(l.w, l.dbar), zero = {};
        l.J = outer<W>(twist, l.dbar);
        l.pt = (-twist * spun) * l.dbar;
        const P steady =
            most<W>(zero, (m_h * m_h / (4 * kTensionShare)) * l.tension * l.length - 0.25 * l.lightest * l.length * l.length);
        if (any<W>(steady > 0)) {
            l.J = l.J + diagonal<W>(steady) - outer<W>(steady, l.dbar);
            l.pt = l.pt - ((1 - kTensionLoss) * steady) * (l.w - spun * l.dbar);
        }
        l.H = {{zero, zero, zero}, {zero, zero, zero}, {zero, zero, zero}};
        P drag = l.drag;
        V pull = m_base->gravity;
        if (has(nutatio::physics::kAired)) {
            drag += l.catches;
            pull = pull + drag * l.air;
        }
        if (has(nutatio::physics::kPulled)) pull = pull + l.pull;
        l.M = diagonal<W>(l.mass * (1 + (2 * m_eta / kA) * drag));
        l.pf = -(l.mass * l.v) - ((2 * m_eta / kA) * l.mass) * pull;
        l.lever = l.length;
        if (has(nutatio::physics::kStretches))
            l.lever =
                within<W>(l.reach + m_eta * l.reachSpeed, l.length - kBeyond * l.stretchMost, l.length + kBeyond * l.stretchMost);
    }

    /// Moves an articulated inertia from its point to a point `r` before it (r: from the new point to the old).
    [[gnu::always_inline]] static void shiftTo(const V& r, Sym<W>& J, Rows<W>& H, const Sym<W>& M, V& pt, const V& pf) {
        const V n0 = cross<W>(r, {M.xx, M.xy, M.xz}), n1 = cross<W>(r, {M.xy, M.yy, M.yz}), n2 = cross<W>(r, {M.xz, M.yz, M.zz});
        const V h0 = cross<W>(H.x, r), h1 = cross<W>(H.y, r), h2 = cross<W>(H.z, r);
        H.x = H.x + V{n0.x, n1.x, n2.x};
        H.y = H.y + V{n0.y, n1.y, n2.y};
        H.z = H.z + V{n0.z, n1.z, n2.z};
        const V g0 = cross<W>(H.x, r), g1 = cross<W>(H.y, r), g2 = cross<W>(H.z, r);
        J.xx -= h0.x + g0.x;
        J.xy -= h1.x + g0.y;
        J.xz -= h2.x + g0.z;
        J.yy -= h1.y + g1.y;
        J.yz -= h2.y + g1.z;
        J.zz -= h2.z + g2.z;
        pt = pt + cross<W>(r, pf);
    }

    /// A pin pulls at a point of the link itself: its inertia enters at that point's lever from the joint.
    void pin(L& l) {
        const P c = m_eta * (l.pinDamp + m_eta * l.pinStiff), zero = {};
        if (!any<W>(c > 0)) return;
        const V here = turn<W>(l.q, l.pinLever), r = here + times<W>(m_eta, cross<W>(l.w, here));
        V pf = (m_eta * l.pinStiff) * (l.x + here - l.pinPlace) - c * l.pinVelocity, pt{zero, zero, zero};
        Sym<W> J{zero, zero, zero, zero, zero, zero};
        Rows<W> H{{zero, zero, zero}, {zero, zero, zero}, {zero, zero, zero}};
        const Sym<W> M = diagonal<W>(c);
        shiftTo(r, J, H, M, pt, pf);
        l.J = l.J + J;
        l.M = l.M + M;
        l.H = {l.H.x + H.x, l.H.y + H.y, l.H.z + H.z};
        l.pt = l.pt + pt;
        l.pf = l.pf + pf;
    }

    void stretch(L& l) {
        // Beyond its limit a stiff one-sided spring joins in: a quarter of a swing a step, critically damped.
        const P over = l.reach - l.length, excess = over - within<W>(over, -l.stretchMost, l.stretchMost);
        const double w = 2 * 3.14159265358979323846 * 0.25 / m_h;
        const Mask<W> past = excess != 0;
        const P hard = past ? l.carried * (w * w) : 0.0 * w, hardDamp = past ? l.carried * (2 * w) : 0.0 * w;
        const P c = m_eta * (l.stretchDamp + hardDamp + m_eta * (l.stretchStiff + hard));
        l.y = l.M * l.dbar;
        l.z = l.H * l.dbar;
        l.e = dot<W>(l.dbar, l.pf) + m_eta * (l.stretchStiff * over + hard * excess);
        // A link that may not stretch has no such speed.
        const P zero = {};
        l.share = l.stretchMost > 0 ? 1.0 / (dot<W>(l.dbar, l.y) + c) : zero;
        const V by = l.share * l.y, bz = l.share * l.z;
        l.M = l.M - outer<W>(l.share, l.y);
        l.H = {l.H.x - bz.x * l.y, l.H.y - bz.y * l.y, l.H.z - bz.z * l.y};
        l.J = l.J - outer<W>(l.share, l.z);
        l.pf = l.pf - l.e * by;
        l.pt = l.pt - l.e * bz;
    }

    void gather(L& l, L* p) {
        if (has(nutatio::physics::kStretches)) stretch(l);
        shiftTo(l.lever * l.dbar, l.J, l.H, l.M, l.pt, l.pf);
        if (has(nutatio::physics::kPinned)) pin(l);
        const bool shaped = has(nutatio::physics::kShaped);
        Sym<W> A = l.J;
        if (shaped) {
            A = A + l.C;
        } else {
            A.xx += l.c;
            A.yy += l.c;
            A.zz += l.c;
        }
        l.D = inverse<W>(A);
        l.u = l.pt + l.s;
        if (!p) return;
        const Rows<W> DH = l.D * l.H;
        const Sym<W> M = l.M - symmetric<W>(l.H, DH);
        const V pf = l.pf - across<W>(DH, l.u), Du = l.D * l.u;
        Sym<W> J;
        Rows<W> H;
        V pt;
        if (shaped) {
            const Rows<W> C = rows<W>(l.C);
            J = l.C - symmetric<W>(C, l.D * C);
            // An idle link hands on nothing: not even what rounding leaves of C - C.
            J = {l.alive * J.xx, l.alive * J.xy, l.alive * J.xz, l.alive * J.yy, l.alive * J.yz, l.alive * J.zz};
            H = l.C * DH;
            pt = l.C * Du - l.s;
        } else {
            const P c2 = l.c * l.c;
            J = {l.c - c2 * l.D.xx, -c2 * l.D.xy, -c2 * l.D.xz, l.c - c2 * l.D.yy, -c2 * l.D.yz, l.c - c2 * l.D.zz};
            H = {l.c * DH.x, l.c * DH.y, l.c * DH.z};
            pt = l.c * Du - l.s;
        }
        if (has(nutatio::physics::kOffLine)) shiftTo(l.shift, J, H, M, pt, pf);
        p->J = p->J + J;
        p->M = p->M + M;
        p->H = {p->H.x + H.x, p->H.y + H.y, p->H.z + H.z};
        p->pt = p->pt + pt;
        p->pf = p->pf + pf;
    }

    void spread(L& l, const L* p) {
        const V& wp = p ? p->wMid : m_spin;
        V vb = p ? p->vMid : m_velocity;
        if (has(nutatio::physics::kOffLine)) vb = vb + cross<W>(wp, l.shift);
        const V pushed = has(nutatio::physics::kShaped) ? l.C * wp : l.c * wp;
        l.wMid = l.D * (pushed - l.u - l.H * vb);
        l.vMid = vb + cross<W>(l.wMid, l.lever * l.dbar);
        if (has(nutatio::physics::kStretches)) {
            l.stretchSpeed = -l.share * (dot<W>(l.y, l.vMid) + dot<W>(l.z, l.wMid) + l.e);
            l.vMid = l.vMid + l.stretchSpeed * l.dbar;
        }
        // What the joint hands to the link, along it. A sudden slack is believed only step by step: a snap comes back at once.
        const V force = across<W>(l.H, l.wMid) + l.M * vb + l.pf;
        l.tension = most<W>(magnitude<W>((2 / m_h) * dot<W>(force, l.dbar)), 0.8 * l.tension);
        l.v = l.v + times<W>(kA, l.vMid - l.v);
    }

    [[gnu::always_inline]] void place(L& l, const L* p) const {
        const bool off = has(nutatio::physics::kOffLine);
        if (!p) {
            l.x = off ? m_base->place1 + turn<W>(m_base->turn1, l.attach) : m_base->place1;
        } else if (!off) {
            l.x = p->x + p->reach * p->d;
        } else {
            l.x = p->x + turn<W>(p->q, l.attach);
            if (has(nutatio::physics::kStretches)) l.x = l.x + (p->reach - p->length) * p->d;
        }
    }
    /// Velocity of the link's joint at the end of the step.
    [[gnu::always_inline]] V jointVelocity(const L& l, const L* p) const {
        if (!p) return m_base->velocityEnd;
        return has(nutatio::physics::kOffLine) ? p->v + cross<W>(p->w, l.x - (p->x + p->reach * p->d)) : p->v;
    }

    void drift(L& l, const L* p) {
        place(l, p);
        m_jointVelocity = jointVelocity(l, p);
        V rel = l.v - m_jointVelocity;
        P inverse = l.inverseLength;
        if (has(nutatio::physics::kStretches)) {
            // No faster along itself than from one stop to the other in a step; at a stop, no further.
            const Mask<W> gives = l.stretchMost > 0;
            const P zero = {}, most1 = kBeyond * l.stretchMost, fastest = (2 / m_h) * most1,
                    along = gives ? dot<W>(rel, l.dbar) : zero;
            const P asked = l.reach + m_h * within<W>(l.stretchSpeed, -fastest, fastest),
                    now = within<W>(asked, l.length - most1, l.length + most1);
            const Mask<W> stopped = ((asked > now) & (along > 0)) | ((asked < now) & (along < 0));
            l.reachSpeed = stopped ? zero : within<W>(along, -fastest, fastest);
            l.v = l.v + (l.reachSpeed - along) * l.dbar;
            l.reach = now;
            rel = rel - along * l.dbar;
            inverse = gives ? 1.0 / most<W>(now, 0.05 * l.length) : inverse;
        }
        // Half a radian a step is as fast as a link may turn: teleports stay finite, and the change is carried down by the joint
        // velocity of the next.
        const P fastest = (kMostTurn / m_h) * l.length, speed2 = dot<W>(rel, rel);
        const Mask<W> tooFast = speed2 > fastest * fastest;
        if (any<W>(tooFast)) {
            const V slow = (fastest / root<W>(most<W>(speed2, all<W>(1e-300)))) * rel;
            l.v = pick<W>(tooFast, l.v - rel + slow, l.v);
            rel = pick<W>(tooFast, slow, rel);
        }
        const V y = (m_eta * inverse) * rel;
        const V d1 = unit<W>(l.dbar + y);
        const V d = unit<W>((1.0 / most<W>(dot<W>(d1, l.dbar), all<W>(0.1))) * l.dbar + y);
        const P fastTwist = all<W>(kMostTurn / m_h), twist = within<W>(dot<W>(l.wMid, l.dbar), -fastTwist, fastTwist);
        l.w = inverse * cross<W>(d, rel) + twist * l.dbar;
        l.q = tidied<W>(smallTurn<W>((m_h * twist) * d) * (arc<W>(l.d, d) * l.q));
        l.d = turn<W>(l.q, l.direction);
    }

    [[gnu::always_inline]] static void redirect(Mask<W> where, L& l, const V& d) {
        l.q = pick<W>(where, tidied<W>(arc<W>(l.d, d) * l.q), l.q);
        l.d = turn<W>(l.q, l.direction);
    }

    /// Limits differ by side: in the plane of tan(angle / 2) (a stereographic picture of the directions) the most is an ellipse
    /// in each quarter, so that no angle need be known, and equal limits are a circle.
    void limitBend(L& l, const L* p, const Q4<W>& goal) {
        const V axis = turn<W>(goal, l.direction);
        const P along = dot<W>(axis, l.d), zero = {};
        if (!any<W>(along < l.bendFrom)) return;
        const V side = unitOr<W>(l.d - along * axis, square<W>(axis)), about = cross<W>(axis, side);
        const P u = dot<W>(about, turn<W>(goal, l.axisU)), v = dot<W>(about, turn<W>(goal, l.axisV));
        const P cu = u * (u > 0 ? l.bendU : l.bendBackU), cv = v * (v > 0 ? l.bendV : l.bendBackV);
        const P cot2 = cu * cu + cv * cv, cot = root<W>(cot2), share = 1.0 / (1.0 + cot2);
        const P mostCos = (cot2 - 1.0) * share, mostSin = 2.0 * cot * share;
        const Mask<W> past = along < mostCos;
        redirect(past, l, mostCos * axis + mostSin * side);
        // Outward is away from the axis, square to the link: as the link now stands, cos side - sin axis.
        const P cosine = past ? mostCos : along, sine = past ? mostSin : dot<W>(l.d, side);
        const V outward = cosine * side - sine * axis;
        const P speed = dot<W>(l.v - m_jointVelocity, outward);
        P lost = (past & (speed > 0)) ? speed : zero;
        if (any<W>(l.bendEase > 0)) {
            // An eased one is come to no faster than by a share of the way that is left in a second, against the goal, which goes
            // along.
            const P tangent = sine / most<W>(1.0 + cosine, all<W>(1e-9));
            const P left = most<W>(2.0 * (1.0 - tangent * cot) / (cot + tangent + 1e-9), zero);
            V spin = p ? p->w : m_spin;
            if (has(nutatio::physics::kMovingGoals)) spin = spin + turn<W>(p ? p->q : m_base->turn1, l.goalSpin);
            const P over = speed - dot<W>(cross<W>(spin, l.d), outward) * l.length - left * l.bendEase * l.length;
            lost = (l.bendEase > 0) & (over > 0) ? over : lost;
        }
        l.v = l.v - lost * outward;
        l.w = l.w - (lost * l.inverseLength) * cross<W>(l.d, outward);
    }

    void limitTwist(L& l, const Q4<W>& goal) {
        // Swing and twist: the twist is what the quaternion holds along the link's own direction.
        const Q4<W> off = ~goal * l.q;
        P t = off.x * l.direction.x + off.y * l.direction.y + off.z * l.direction.z, w = off.w;
        const Mask<W> flip = w < 0;
        t = flip ? -t : t;
        w = flip ? -w : w;
        const P n = root<W>(most<W>(t * t + w * w, all<W>(1e-24)));
        const P angle = (t / n) * angleOverSine<W>(least<W>(w / n, all<W>(1.0)));
        const P kept = within<W>(angle, -l.twistMost, l.twistMost), over = angle - kept, zero = {};
        const Mask<W> past = over != 0;
        if (!any<W>(past)) return;
        l.q = pick<W>(past, tidied<W>(anyTurn<W>(-over * l.d) * l.q), l.q);
        l.d = turn<W>(l.q, l.direction);
        const P spin = dot<W>(l.w, l.d);
        l.w = l.w - ((past & (spin * over > 0)) ? spin : zero) * l.d;
    }

    /// From 0 at 0 to 1 at 1 and beyond, without a kink.
    [[gnu::always_inline]] static P eased(const P& x) {
        const P u = least<W>(x, all<W>(1.0));
        return u * u * (3.0 - 2.0 * u);
    }

    /// Lanes in which link i had to be moved.
    Mask<W> keepClear(int i, int b) {
        L& l = m_links[i];
        const P allowed = reinterpret_cast<const P*>(m_a.allowed)[i * m_a.bodies + b];
        const Body<W>& body = m_bodies[b];
        const BodyKind kind = static_cast<BodyKind>(m_a.bodyKinds[b]);
        const P half = 0.5 * l.reach, zero = {};
        if (kind != kPlane) {
            // Most bodies are far from most links: a ball round each tells so cheaply.
            const V apart = l.x + half * l.d - body.middle;
            const P near = half + l.radius + body.reach;
            if (!any<W>(dot<W>(apart, apart) < near * near)) return zero != zero;
        }
        const V bone = l.reach * l.d;
        Touch<W> c = touch<W>(kind, body, l.x, bone);
        if (kind == kPlane) {
            // A plane is met by the link's end: its joint is the end of the link above, which has been seen to.
            c.lever = zero + 1.0;
            c.distance = dot<W>(body.axisY, l.x + bone - body.a) + body.apart;
        }
        // The surface that is met lies as deep inside as this link may be.
        c.distance = c.distance + allowed;
        const P lever = c.lever * l.reach, height = dot<W>(c.normal, l.x - c.centre);
        // With n.(x + lambda d - centre) = R asked for: n.d = sN, and d keeps its sideways part.
        const Mask<W> deep = (c.distance < l.radius) & (c.lever >= 0.05);
        if (!any<W>(deep)) return deep;
        // A contact near the link's own joint would turn it wildly for little: it is left to the link above.
        const P own = eased(c.lever * (1.0 / kOwnReach));
        const P rise = lever * dot<W>(l.d, c.normal);
        const P sN = (rise + own * (c.radius + l.radius - allowed - height - rise)) / (deep ? lever : zero + 1.0);
        const V flat = l.d - dot<W>(l.d, c.normal) * c.normal;
        const P flat2 = dot<W>(flat, flat);
        // Where its joint lies inside, no turn of this link can help.
        const Mask<W> hit = deep & (sN <= 1) & (sN >= -1) & (flat2 >= 1e-20);
        if (!any<W>(hit)) return hit;
        const V side = (1.0 / root<W>(hit ? flat2 : zero + 1.0)) * flat;
        const P up = hit ? sN : zero;
        const V slip = m_jointVelocity + c.lever * (l.v - m_jointVelocity) - c.velocity;
        const P approach = dot<W>(c.normal, slip);
        const Mask<W> closing = hit & (approach < 0);
        const P lost = closing ? -approach : zero;
        // Coulomb: sliding loses at most friction times what the surface took of the approach; and as the step was half done at
        // that speed, the way that it made comes back too, or what sticks would creep.
        const V sliding = slip - approach * c.normal;
        const P speed = root<W>(most<W>(dot<W>(sliding, sliding), all<W>(1e-300)));
        const P held = closing ? least<W>(all<W>(1.0), body.friction * lost / speed) : zero;
        const P back = held / most<W>(c.lever, all<W>(0.25));
        const V off = up * c.normal + root<W>(1.0 - up * up) * side;
        redirect(hit, l, unit<W>(off - (m_eta * l.inverseLength * back) * sliding));
        const V across = c.normal - dot<W>(c.normal, l.d) * l.d;
        const P ownBlow = eased(c.lever * (1.0 / kBlowReach));
        const P square = most<W>(dot<W>(across, across), all<W>(0.25));
        const V push = ownBlow * ((closing ? lost / (c.lever * square) : zero) * across - back * sliding);
        l.v = l.v + push;
        l.w = l.w + l.inverseLength * cross<W>(l.d, push);
        m_touched = m_touched + (hit ? zero + 1.0 : zero);
        return hit;
    }

    /// Lanes in which nothing about the strand moves: not its base, its goals, nor any body that it might meet.
    Mask<W> isStill() const {
        const P zero = {};
        P length = zero, goals = zero, bodies = zero;
        for (int i = 0; i < m_a.links; ++i) {
            const L& l = m_links[i];
            length += l.alive * l.length;
            if (has(nutatio::physics::kMovingGoals)) goals = most<W>(goals, dot<W>(l.goalSpin, l.goalSpin));
        }
        for (int k = 0; k < m_met; ++k) {
            const Body<W>& b = m_bodies[m_a.met[k]];
            const P speed = dot<W>(b.velocity, b.velocity) + dot<W>(b.spin, b.spin) * length * length;
            bodies = most<W>(bodies, b.apart < 1e29 ? speed : zero);
        }
        const P base = dot<W>(m_velocity, m_velocity) + dot<W>(m_spin, m_spin) * length * length;
        return (base + bodies < kCalm * kCalm * length * length) & (goals < kCalm * kCalm);
    }

    /// What lies on a still body and stays within a narrow place falls asleep there: contact that is seen to step by step would
    /// leave a buzz of its own. It wakes as soon as anything about it moves.
    void settle() {
        const P zero = {};
        P& calm = m_base->calm;
        if (has(nutatio::physics::kPinned | nutatio::physics::kAired) || !any<W>((m_touched > 0) | (calm > 0))) return;
        P length = zero, strayed = zero;
        for (int i = 0; i < m_a.links; ++i) {
            const V off = m_links[i].x + m_links[i].reach * m_links[i].d - m_links[i].bed;
            length += m_links[i].alive * m_links[i].length;
            strayed = most<W>(strayed, m_links[i].alive * dot<W>(off, off));
        }
        const Mask<W> keeps = isStill() & (strayed < kBed * kBed * length * length);
        const Mask<W> lies = (m_touched > 0) | (calm > kCalmWait + kCalmRamp);
        // While it buzzes a touch is missed now and then.
        calm = keeps ? (lies ? calm + m_h : most<W>(calm - (kMissed * m_h), zero)) : zero;
        const Mask<W> anew = calm <= 0;
        const P sleep = within<W>((calm - kCalmWait) * (1 / kCalmRamp), zero, zero + 1.0);
        const bool sleeps = any<W>(sleep > 0), deep = any<W>(sleep >= 1);
        for (int i = 0; i < m_a.links; ++i) {
            L& l = m_links[i];
            if (sleeps) fallAsleep(l, parent(i), sleep, deep);
            const V end = l.x + l.reach * l.d;
            l.bed = pick<W>(anew, end, l.bed);
            l.before = {l.q, l.d, l.v, l.w, l.reach, l.reachSpeed};
        }
    }

    void fallAsleep(L& l, const L* p, const P& sleep, bool deep) {
        const Mask<W> some = sleep > 0;
        const P awake = 1.0 - sleep;
        const auto mixed = [&](const V& was, const V& is) { return was + awake * (is - was); };
        // The direction goes part of the way; the turn follows it by the shortest arc.
        const V d = unitOr<W>(mixed(l.before.d, l.d), l.d);
        l.q = pick<W>(some, tidied<W>(arc<W>(l.d, d) * l.q), l.q);
        l.v = pick<W>(some, mixed(l.before.v, awake * l.v), l.v);
        l.w = pick<W>(some, mixed(l.before.w, awake * l.w), l.w);
        l.reach = some ? l.before.reach + awake * (l.reach - l.before.reach) : l.reach;
        l.reachSpeed = some ? awake * l.reachSpeed : l.reachSpeed;
        if (deep) {
            const Mask<W> all = sleep >= 1;
            l.q = pick<W>(all, l.before.q, l.q);
            const P zero = {};
            l.v = pick<W>(all, V{zero, zero, zero}, l.v);
            l.w = pick<W>(all, V{zero, zero, zero}, l.w);
            l.reach = all ? l.before.reach : l.reach;
        }
        l.d = pick<W>(some, turn<W>(l.q, l.direction), l.d);
        place(l, p);
    }

    void boundBodies() {
        const P zero = {};
        m_touched = zero;
        for (int b = 0; b < m_a.bodies; ++b) {
            Body<W>& body = m_bodies[b];
            // What every lane passes through need not be looked at link by link.
            if (!any<W>(body.apart < 1e29)) continue;
            m_a.met[m_met++] = b;
            if (m_a.bodyKinds[b] == kPlane) continue;
            if (m_a.bodyKinds[b] == kBox) {
                body.middle = body.a;
                body.reach = root<W>(dot<W>(body.half, body.half)) - body.apart;
            } else {
                const V way = body.b - body.a;
                body.middle = body.a + times<W>(0.5, way);
                body.reach = 0.5 * root<W>(dot<W>(way, way)) + most<W>(body.radiusA, body.radiusB) - body.apart;
            }
            body.reach = most<W>(body.reach, all<W>(0.0));
        }
    }

    void constrain(int i) {
        L& l = m_links[i];
        const L* p = parent(i);
        const bool limits = has(nutatio::physics::kBendLimit | nutatio::physics::kTwistLimit);
        if (limits) {
            const Q4<W> goal = (p ? p->q : m_base->turn1) * l.goal1;
            if (has(nutatio::physics::kBendLimit)) limitBend(l, p, goal);
            if (has(nutatio::physics::kTwistLimit)) limitTwist(l, goal);
        }
        // A second round only where the first one moved the link: turning it off one body may have turned it into another, or
        // brought another point of it to the same one.
        if (m_met == 0) return;
        bool touched = false;
        for (int k = 0; k < m_met; ++k) touched |= any<W>(keepClear(i, m_a.met[k]));
        if (touched)
            for (int k = 0; k < m_met; ++k) keepClear(i, m_a.met[k]);
    }

    const nutatio::physics::StepArgs& m_a;
    L* m_links;
    Base<W>* m_base;
    Body<W>* m_bodies;
    double m_h, m_eta;
    int m_met = 0;
    V m_spin, m_velocity, m_jointVelocity;
    P m_touched;
};

}  // namespace lanes
}  // namespace
