#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>

#include "physics/articulated.h"

namespace nutatio::physics {

// A row asks for a speed v along a direction of the joints' speeds, by an impulse p within bounds. Its response on all rows is
// W = (a/2) J A^-1 J^T, A the factored body: eight rows at a time go up the branches that they touch and down where a row looks,
// in single precision, since they shape impulses alone and those are applied in double. Springs answer within it, being implicit.
// Projected Gauss-Seidel with a warm start; a friction pair is solved together and cut to the circle mu p_normal.
//
// Limits. With the joint's turn (q_p middle)^-1 q = swing twist, sv the swing's rotation vector, el = |(sv.side / A, sv.z / B)|:
// one row on el, one on the twist. The joint's speed is w = J(sv) (sv.side' side + sv.z' z) + (swing axis) twist', with
// J = 1 + (1 - cos t)/t^2 [sv] + (t - sin t)/t^3 [sv]^2, t = |sv|; with B = [J side, J z, swing axis] the rows are B^-T of the
// gradients. Along the plain gradient a hinge went 37 degrees too far: a forearm's fast twist turns into swing unseen.
//
// Soft grips: with g = exp(-2 zeta w h), tr = 2 exp(-zeta w h) cos(w_d h), c = 1/g - 1, k = (1 + g - tr)/g on the mass 1/W that
// the row sees: soft = W/c, wanted speed = goal speed - k err/(h c).

namespace {

constexpr double kJammed = 0.05;                  // of what a body that is free would give way
constexpr double kPushOut = 2, kPushApart = 0.2;  // [sizes/s] at most: limbs that ranges hold in one another are not driven apart
constexpr double kHalf = 0.99;                    // a/2
constexpr double kPushBack = 0.2;                 // share of a depth that is given back in a step
constexpr double kSlop = 2e-4;                    // [sizes]
constexpr double kAhead = 0.002;                  // [sizes] within which a contact is looked for
constexpr double kBounces = 0.15;                 // [sizes/s] of arrival from which it does
constexpr double kLimitAhead = 0.01;              // [rad]
constexpr double kLimitSpeed = 6;                 // [rad/s]
constexpr double kEnough = 3e-4;                  // [sizes/s]
constexpr int kPasses = 12;
constexpr double kFree = 1e30;
constexpr std::uint32_t kLimitIds = 0x40000000u, kGripIds = 0x20000000u;

constexpr std::size_t kW = 8;
using Pack = float __attribute__((vector_size(4 * kW)));
struct Pack3 {
    Pack x, y, z;
};
/// A matrix in single precision.
struct Small {
    float m[9];
    explicit Small(const Mat3& a) {
        for (int r = 0; r < 3; ++r)
            for (int c = 0; c < 3; ++c) m[3 * r + c] = static_cast<float>(a(r, c));
    }
    Small() = default;
};

[[gnu::always_inline]] inline Pack3 operator+(const Pack3& a, const Pack3& b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
[[gnu::always_inline]] inline Pack3 operator-(const Pack3& a, const Pack3& b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
[[gnu::always_inline]] inline Pack3 times(const Small& s, const Pack3& v) {
    const float* m = s.m;
    return {m[0] * v.x + m[1] * v.y + m[2] * v.z, m[3] * v.x + m[4] * v.y + m[5] * v.z, m[6] * v.x + m[7] * v.y + m[8] * v.z};
}
[[gnu::always_inline]] inline Pack3 timesTransposed(const Small& s, const Pack3& v) {
    const float* m = s.m;
    return {m[0] * v.x + m[3] * v.y + m[6] * v.z, m[1] * v.x + m[4] * v.y + m[7] * v.z, m[2] * v.x + m[5] * v.y + m[8] * v.z};
}
[[gnu::always_inline]] inline Pack3 cross(const Vec3f& a, const Pack3& b) {
    return {a.y() * b.z - a.z() * b.y, a.z() * b.x - a.x() * b.z, a.x() * b.y - a.y() * b.x};
}
[[gnu::always_inline]] inline Pack dot(const Vec3f& a, const Pack3& b) {
    return a.x() * b.x + a.y() * b.y + a.z() * b.z;
}

/// What the sweeps over a body read, in single precision; on the stack.
struct Sweep {
    static constexpr std::size_t kMost = Articulated::kMostSegments;
    Small E[kMost], G[kMost], D[kMost], B11[kMost], B12[kMost], B22[kMost];
    Vec3f up[kMost];
    Pack3 t[kMost], f[kMost], w[kMost], v[kMost];
};

}  // namespace

/// Where a joint stands in its range, with the rates that its rows take.
struct Articulated::LimitNow {
    Quat frame, swing;  // the middle of the range in the world; from there
    double beyond = 0;  // el
    double twist = 0;
    Vec3 swingRow, twistRow;  // in `frame`
    Vec3 sv;
};

bool Articulated::limitNow(std::size_t i, LimitNow& out) const {
    const SegmentDef& d = m_defs[i];
    const Segment& s = m_s[i];
    if (!d.limited || s.parent < 0) return false;
    out.frame = m_s[static_cast<std::size_t>(s.parent)].q * d.middle;
    Quat rel = out.frame.conjugate() * s.q;
    if (rel.w() < 0) rel.coeffs() *= -1;
    out.twist = 2 * std::atan2(rel.vec().dot(d.axis), rel.w());
    if (out.twist > kPi) out.twist -= 2 * kPi;
    if (out.twist < -kPi) out.twist += 2 * kPi;
    out.swing = rel * Quat(Eigen::AngleAxisd(-out.twist, d.axis));
    out.sv = rotationVector(out.swing);
    const Vec3 z = d.axis.cross(d.side);
    const double sa = out.sv.dot(d.side) / d.swingA, sb = out.sv.dot(z) / d.swingB;
    out.beyond = std::sqrt(sa * sa + sb * sb);
    const double t = out.sv.norm(), ja = t < 1e-4 ? 0.5 : (1 - std::cos(t)) / (t * t),
                 jb = t < 1e-4 ? 1.0 / 6 : (t - std::sin(t)) / (t * t * t);
    const Mat3 X = skew(out.sv), J = Mat3::Identity() + ja * X + jb * X * X;
    Mat3 B;
    B.col(0) = J * d.side;
    B.col(1) = J * z;
    B.col(2) = out.swing * d.axis;
    const Mat3 rows = B.inverse().transpose();
    const double el = std::max(out.beyond, 1e-6);
    out.swingRow = rows * Vec3(sa / d.swingA / el, sb / d.swingB / el, 0);
    out.twistRow = rows.col(2);
    return true;
}

void Articulated::limitRows(double h) {
    LimitNow now;
    for (std::size_t i = 0; i < m_s.size(); ++i) {
        // A joint well inside a wide range costs nothing: no pole is near.
        if (!limitNow(i, now)) continue;
        const int a = static_cast<int>(i), b = m_s[i].parent;
        const double near = h * (m_s[i].w - m_s[static_cast<std::size_t>(b)].w).norm() + kLimitAhead;
        const auto row = [&](double room, const Vec3& own, std::uint32_t id) {
            if (!(room < near)) return;
            const Vec3 n = now.frame * own;
            const double target = room > 0 ? -room / h : std::min(-kPushBack * room / h, kLimitSpeed);
            const Cached* c = cached(id);
            addRow(a, b, n, n, true, target, 0, kFree, c ? c->p : 0, id);
        };
        const auto id = kLimitIds + static_cast<std::uint32_t>(4 * i);
        if (now.beyond > 1e-6 && now.swingRow.allFinite()) {
            const double length = now.swingRow.norm();
            row((m_swingLet[i] - now.beyond) / length, -now.swingRow / length, id);
        }
        if (now.twistRow.allFinite()) {
            const double length = now.twistRow.norm();
            row((std::max(m_defs[i].twist, m_twistLet[i]) - std::abs(now.twist)) / length,
                (now.twist > 0 ? -1.0 : 1.0) / length * now.twistRow, id + 1);
        }
    }
}

double Articulated::beyondLimits() const {
    double worst = 0;
    LimitNow now;
    for (std::size_t i = 0; i < m_s.size(); ++i) {
        if (!limitNow(i, now)) continue;
        const SegmentDef& d = m_defs[i];
        worst = std::max(worst, std::abs(now.twist) - std::max(d.twist, m_twistLet[i]));
        if (now.beyond <= m_swingLet[i]) continue;
        const Vec3 z = d.axis.cross(d.side);
        const double ga = now.sv.dot(d.side) / (d.swingA * d.swingA), gb = now.sv.dot(z) / (d.swingB * d.swingB);
        worst = std::max(worst, (now.beyond - m_swingLet[i]) * now.beyond / std::hypot(ga, gb));
    }
    return worst;
}

const Articulated::Cached* Articulated::cached(std::uint32_t id) const {
    const auto at =
        std::lower_bound(m_cache.begin(), m_cache.end(), id, [](const Cached& c, std::uint32_t k) { return c.id < k; });
    return at != m_cache.end() && at->id == id ? &*at : nullptr;
}

void Articulated::addRow(int a, int b, const Vec3& n, const Vec3& p, bool angular, double target, double low, double high,
                         double warm, std::uint32_t id) {
    if (m_rows.size() >= kMostRows) return;
    const Segment& sa = m_s[static_cast<std::size_t>(a)];
    Row r;
    r.a = a;
    r.b = b;
    r.n = angular ? Vec3(Vec3::Zero()) : n;
    r.ta = angular ? n : Vec3((p - sa.joint).cross(n));
    r.v0 = angular ? n.dot(sa.w) : n.dot(sa.v + sa.w.cross(p - sa.x));
    r.tb = Vec3::Zero();
    if (b >= 0) {
        const Segment& sb = m_s[static_cast<std::size_t>(b)];
        r.tb = angular ? n : Vec3((p - sb.joint).cross(n));
        r.v0 -= angular ? n.dot(sb.w) : n.dot(sb.v + sb.w.cross(p - sb.x));
    }
    r.target = target;
    r.low = low;
    r.high = high;
    r.p = warm;
    if (id) m_ids.emplace_back(id, static_cast<int>(m_rows.size()));
    m_rows.push_back(r);
}

void Articulated::contactRows(double h) {
    findTouches(h, kAhead * m_size, true, m_touches);
    for (const Touch& t : m_touches) {
        if (m_rows.size() + 3 > kMostRows) break;
        const Cached* known = cached(t.id);
        const double size = wholeOf(m_s[static_cast<std::size_t>(t.a)]).size;
        double target =
            t.gap > 0 ? -t.gap / h
                      : std::min(kPushBack * std::max(0.0, -t.gap - kSlop * size) / h, (t.b < 0 ? kPushOut : kPushApart) * size);
        if (known && known->arrive > 0) target = std::max(target, t.bounce * known->arrive);
        const int normal = static_cast<int>(m_rows.size());
        addRow(t.a, t.b, t.n, t.p, false, target + t.n.dot(t.v), 0, kFree, known ? known->p : 0, t.id);
        m_rows.back().contact = true;
        const Vec3 t1 = anySquareTo(t.n), t2 = t.n.cross(t1);
        // Friction holds a segment to the speed at which its pose slides there, as far as it follows that pose.
        const auto a = static_cast<std::size_t>(t.a);
        Vec3 slides = t.v;
        if (t.b < 0) {
            slides += m_following[a].share * (slideOf(m_s[a], m_following[a], t.p) - t.v);
        } else {
            const auto b = static_cast<std::size_t>(t.b);
            slides += std::min(m_following[a].share, m_following[b].share) *
                      (slideOf(m_s[a], m_following[a], t.p) - slideOf(m_s[b], m_following[b], t.p));
        }
        addRow(t.a, t.b, t1, t.p, false, t1.dot(slides), 0, 0, known ? known->t1 : 0, 0);
        addRow(t.a, t.b, t2, t.p, false, t2.dot(slides), 0, 0, known ? known->t2 : 0, 0);
        for (int k = 1; k <= 2; ++k) {
            m_rows[static_cast<std::size_t>(normal + k)].normal = normal;
            m_rows[static_cast<std::size_t>(normal + k)].mu = t.mu;
        }
    }
}

void Articulated::gripRows(double h) {
    m_gripPulls.assign(m_grips.size(), -1);
    std::uint32_t id = kGripIds;
    for (std::size_t g = 0; g < m_grips.size(); ++g) {
        const Grip& grip = m_grips[g];
        if (m_rows.size() + 3 > kMostRows) return;
        const Segment& s = m_s[static_cast<std::size_t>(grip.segment)];
        const Vec3 p = s.x + s.q * grip.at;
        const Vec3 error = grip.turns ? rotationVector(s.q * grip.turn.conjugate()) : Vec3(p - grip.place);
        m_gripPulls[g] = static_cast<double>(m_rows.size());
        for (int k = 0; k < 3; ++k, ++id) {
            const Cached* c = cached(id);
            addRow(grip.segment, -1, Vec3::Unit(k), p, grip.turns, grip.velocity[k] - 0.5 * error[k] / h, -grip.most * h,
                   grip.most * h, c ? c->p : 0, id);
            Row& r = m_rows.back();
            r.error = error[k];
            r.goal = grip.velocity[k];
            r.swing = grip.swing;
            r.zeta = grip.zeta;
        }
    }
}

void Articulated::thrustRows(double h) {
    for (const Thrust& t : m_thrusts) {
        const double p = t.force * h / kHalf;
        addRow(t.segment, t.off, t.along, t.at, false, 0, p, p, p, 0);
    }
}

double Articulated::pullOf(std::size_t grip) const {
    if (grip >= m_gripPulls.size() || m_gripPulls[grip] < 0) return 0;
    return m_gripPulls[grip];
}

/// The responses of all rows to one another, symmetric: those beside and behind each pack are computed, the rest mirrored.
void Articulated::respond() {
    const std::size_t n = m_s.size(), R = m_rows.size(), stride = (R + kW - 1) / kW * kW;
    std::fill(m_need.begin(), m_need.end(), 0);
    for (const Row& r : m_rows)
        for (int from : {r.a, r.b})
            for (int i = from; i >= 0 && !m_need[static_cast<std::size_t>(i)]; i = m_s[static_cast<std::size_t>(i)].parent)
                m_need[static_cast<std::size_t>(i)] = 1;
    Sweep k;
    for (std::size_t i = 0; i < n; ++i) {
        if (!m_need[i]) continue;
        const Segment& s = m_s[i];
        if (s.parent >= 0) {
            k.E[i] = Small(s.E);
            k.G[i] = Small(s.G);
            k.D[i] = Small(s.D);
            k.up[i] = s.up.cast<float>();
            continue;
        }
        const Root& r = m_roots[static_cast<std::size_t>(s.tree)];
        k.B11[i] = Small(Mat3(r.inverse.topLeftCorner<3, 3>()));
        k.B12[i] = Small(Mat3(r.inverse.topRightCorner<3, 3>()));
        k.B22[i] = Small(Mat3(r.inverse.bottomRightCorner<3, 3>()));
    }
    struct Direction {
        Vec3f n, ta, tb;
    };
    std::array<Direction, kMostRows> rows;
    for (std::size_t r = 0; r < R; ++r)
        rows[r] = {(kHalf * m_rows[r].n).cast<float>(), (kHalf * m_rows[r].ta).cast<float>(),
                   (kHalf * m_rows[r].tb).cast<float>()};
    const Pack3 zero{};
    for (std::size_t base = 0; base < R; base += kW) {
        std::fill(m_on.begin(), m_on.end(), 0);
        for (std::size_t i = 0; i < n; ++i)
            if (m_need[i]) k.t[i] = k.f[i] = zero;
        for (std::size_t lane = 0; lane < kW && base + lane < R; ++lane) {
            const Row& r = m_rows[base + lane];
            const auto put = [&](int segment, const Vec3& t, const Vec3& f) {
                const auto i = static_cast<std::size_t>(segment);
                k.t[i].x[lane] -= static_cast<float>(t.x());
                k.t[i].y[lane] -= static_cast<float>(t.y());
                k.t[i].z[lane] -= static_cast<float>(t.z());
                k.f[i].x[lane] -= static_cast<float>(f.x());
                k.f[i].y[lane] -= static_cast<float>(f.y());
                k.f[i].z[lane] -= static_cast<float>(f.z());
                m_on[i] = 1;
            };
            put(r.a, r.ta, r.n);
            if (r.b >= 0) put(r.b, -r.tb, -r.n);
        }
        for (std::size_t i = n; i-- > 0;) {
            if (!m_on[i] || m_s[i].parent < 0) continue;
            const auto p = static_cast<std::size_t>(m_s[i].parent);
            m_on[p] = 1;
            const Pack3 f = k.f[i] - times(k.G[i], k.t[i]);
            k.f[p] = k.f[p] + f;
            k.t[p] = k.t[p] + times(k.E[i], k.t[i]) + cross(k.up[i], f);
        }
        for (std::size_t i = 0; i < n; ++i) {
            if (!m_need[i]) continue;
            if (m_s[i].parent < 0) {
                k.w[i] = zero - (times(k.B11[i], k.t[i]) + times(k.B12[i], k.f[i]));
                k.v[i] = zero - (timesTransposed(k.B12[i], k.t[i]) + times(k.B22[i], k.f[i]));
                continue;
            }
            const auto p = static_cast<std::size_t>(m_s[i].parent);
            k.v[i] = k.v[p] - cross(k.up[i], k.w[p]);
            k.w[i] = timesTransposed(k.E[i], k.w[p]) - timesTransposed(k.G[i], k.v[i]);
            if (m_on[i]) k.w[i] = k.w[i] - times(k.D[i], k.t[i]);
        }
        for (std::size_t r = base; r < R; ++r) {
            const auto a = static_cast<std::size_t>(m_rows[r].a);
            Pack v = dot(rows[r].n, k.v[a]) + dot(rows[r].ta, k.w[a]);
            if (m_rows[r].b >= 0) {
                const auto b = static_cast<std::size_t>(m_rows[r].b);
                v -= dot(rows[r].n, k.v[b]) + dot(rows[r].tb, k.w[b]);
            }
            std::memcpy(&m_W[r * stride + base], &v, sizeof v);
            for (std::size_t lane = 0; lane < kW; ++lane)
                if (base + lane < r) m_W[(base + lane) * stride + r] = v[lane];
        }
    }
    for (std::size_t r = 0; r < R; ++r)
        for (std::size_t c = R; c < stride; ++c) m_W[r * stride + c] = 0;
}

/// Springs of grips, on the mass that each row sees.
void Articulated::soften(double h) {
    const std::size_t stride = (m_rows.size() + kW - 1) / kW * kW;
    for (std::size_t r = 0; r < m_rows.size(); ++r) {
        Row& q = m_rows[r];
        // Limbs that meet along the line of the joints between them cannot part: no impulse would be enough.
        if (q.contact && q.b >= 0 &&
            static_cast<double>(m_W[r * stride + r]) * wholeOf(m_s[static_cast<std::size_t>(q.a)]).mass < kJammed)
            q.p = q.high = 0;
        if (q.swing <= 0) continue;
        const double w = 2 * kPi * q.swing, g = std::exp(-2 * q.zeta * w * h), e = std::exp(-q.zeta * w * h);
        const double tr = q.zeta < 1 ? 2 * e * std::cos(std::min(w * h * std::sqrt(1 - q.zeta * q.zeta), 0.9 * kPi))
                                     : 2 * e * std::cosh(w * h * std::sqrt(q.zeta * q.zeta - 1));
        const double c = 1 / g - 1, k = (1 + g - tr) / g;
        if (c < 1e-9) {
            q.low = q.high = 0;
            continue;
        }
        q.soft = static_cast<double>(m_W[r * stride + r]) / c;
        q.target = q.goal - k / h * q.error / c;
    }
}

void Articulated::iterate() {
    struct Working {
        float p, low, high, diagonal, inverse, soft, mu;
        int normal;
    };
    const std::size_t R = m_rows.size(), stride = (R + kW - 1) / kW * kW;
    std::array<Working, kMostRows> work;
    for (std::size_t r = 0; r < R; ++r) {
        const Row& q = m_rows[r];
        const float d = m_W[r * stride + r] + static_cast<float>(q.soft);
        work[r] = {static_cast<float>(q.p),   static_cast<float>(q.low),  static_cast<float>(q.high), d,
                   d > 1e-20f ? 1 / d : 0.0f, static_cast<float>(q.soft), static_cast<float>(q.mu),   q.normal};
        m_v[r] = static_cast<float>(q.v0 - q.target);
    }
    for (std::size_t r = R; r < stride; ++r) m_v[r] = 0;
    const auto push = [&](std::size_t r, float by) {
        if (by == 0) return;
        const float* w = &m_W[r * stride];
        for (std::size_t c = 0; c < stride; c += kW) {
            Pack a, b;
            std::memcpy(&a, w + c, sizeof a);
            std::memcpy(&b, &m_v[c], sizeof b);
            b += a * by;
            std::memcpy(&m_v[c], &b, sizeof b);
        }
    };
    for (std::size_t r = 0; r < R; ++r) push(r, work[r].p);
    const auto enough = static_cast<float>(kEnough * m_size);
    for (int pass = 0; pass < kPasses; ++pass) {
        float worst = 0;
        for (std::size_t r = 0; r < R; ++r) {
            Working& q = work[r];
            if (q.normal >= 0) {
                Working& q2 = work[r + 1];
                float a = q.p - m_v[r] * q.inverse;
                float b = q2.p - (m_v[r + 1] + m_W[r * stride + r + 1] * (a - q.p)) * q2.inverse;
                const float most = q.mu * work[static_cast<std::size_t>(q.normal)].p, square = a * a + b * b;
                if (square > most * most) {
                    const float k = most / std::sqrt(square);
                    a *= k;
                    b *= k;
                }
                const float da = a - q.p, db = b - q2.p;
                q.p = a;
                q2.p = b;
                push(r, da);
                push(r + 1, db);
                worst = std::max({worst, std::abs(da) * q.diagonal, std::abs(db) * q2.diagonal});
                ++r;
                continue;
            }
            const float p = within(q.p - (m_v[r] + q.soft * q.p) * q.inverse, q.low, q.high), by = p - q.p;
            q.p = p;
            push(r, by);
            worst = std::max(worst, std::abs(by) * q.diagonal);
        }
        if (worst < enough) break;
    }
    for (std::size_t r = 0; r < R; ++r) m_rows[r].p = work[r].p;
}

/// All impulses at once through the body.
void Articulated::applyRows(double h) {
    if (!m_rows.empty()) {
        respond();
        soften(h);
        iterate();
    }
    std::fill(m_t.begin(), m_t.end(), Vec3::Zero());
    std::fill(m_f.begin(), m_f.end(), Vec3::Zero());
    for (const Row& r : m_rows) {
        const auto a = static_cast<std::size_t>(r.a);
        m_t[a] -= r.p * r.ta;
        m_f[a] -= r.p * r.n;
        if (r.b < 0) continue;
        const auto b = static_cast<std::size_t>(r.b);
        m_t[b] += r.p * r.tb;
        m_f[b] += r.p * r.n;
    }
    for (const Blow& b : m_blows) {
        const Segment& s = m_s[b.segment];
        const Vec3 p = b.impulse / kHalf;
        m_t[b.segment] -= (s.x + s.q * b.at - s.joint).cross(p);
        m_f[b.segment] -= p;
    }
    const bool any = !m_rows.empty() || !m_blows.empty();
    m_blows.clear();
    if (any) {
        for (std::size_t i = m_s.size(); i-- > 0;) {
            const Segment& s = m_s[i];
            if (s.parent < 0) continue;
            const auto p = static_cast<std::size_t>(s.parent);
            const Vec3 f = m_f[i] - s.G * m_t[i];
            m_f[p] += f;
            m_t[p] += s.E * m_t[i] + s.up.cross(f);
        }
        for (std::size_t i = 0; i < m_s.size(); ++i) {
            Segment& s = m_s[i];
            if (s.parent < 0) {
                Eigen::Matrix<double, 6, 1> p;
                p << m_t[i], m_f[i];
                const Eigen::Matrix<double, 6, 1> y = -(m_roots[static_cast<std::size_t>(s.tree)].inverse * p);
                s.jw = y.head<3>();
                s.jv = y.tail<3>();
                if (m_rootAims[i].held) continue;
            } else {
                const Segment& up = m_s[static_cast<std::size_t>(s.parent)];
                s.jv = up.jv + up.jw.cross(s.up);
                s.jw = s.E.transpose() * up.jw - s.D * m_t[i] - s.G.transpose() * s.jv;
            }
            s.v += kHalf * (s.jv + s.jw.cross(s.r));
            s.momentum += kHalf * (s.turned * s.jw);
            s.w = s.turnedInverse * s.momentum;
        }
    }
    keepRows();
    for (std::size_t b = 0; b < m_bodies.size(); ++b) {
        Whole& whole = m_bodies[b];
        Vec3 lift = Vec3::Zero();
        for (const Row& r : m_rows) {
            if (!r.contact) continue;
            const int other = r.b < 0 ? -1 : m_s[static_cast<std::size_t>(r.b)].body;
            if (m_s[static_cast<std::size_t>(r.a)].body == static_cast<int>(b) && other != static_cast<int>(b)) lift += r.p * r.n;
            if (other == static_cast<int>(b) && m_s[static_cast<std::size_t>(r.a)].body != other) lift -= r.p * r.n;
        }
        const double weight = whole.mass * whole.gravity.norm() * h;
        whole.supported = weight > 0 ? std::max(0.0, -kHalf * lift.dot(whole.gravity.normalized()) / weight) : 0;
    }
    for (double& pull : m_gripPulls)
        if (pull >= 0) {
            const auto at = static_cast<std::size_t>(pull);
            pull = kHalf * Vec3(m_rows[at].p, m_rows[at + 1].p, m_rows[at + 2].p).norm() / h;
        }
}

void Articulated::keepRows() {
    for (Segment& s : m_s) s.load = 0;
    for (const Row& r : m_rows) {
        if (!r.contact) continue;
        m_s[static_cast<std::size_t>(r.a)].load += r.p;
        if (r.b >= 0) m_s[static_cast<std::size_t>(r.b)].load += r.p;
    }
    m_fresh.clear();
    for (const auto& [id, k] : m_ids) {
        const Row& r = m_rows[static_cast<std::size_t>(k)];
        Cached c{id, r.p, 0, 0, 0};
        if (r.contact) {
            c.t1 = m_rows[static_cast<std::size_t>(k) + 1].p;
            c.t2 = m_rows[static_cast<std::size_t>(k) + 2].p;
            // Stopped at the surface while it still came: it bounces in the next step.
            const double came = r.target < 0 ? -r.v0 : 0;
            if (r.p > 0 && came > kBounces * wholeOf(m_s[static_cast<std::size_t>(r.a)]).size) c.arrive = came;
        }
        m_fresh.push_back(c);
    }
    std::sort(m_fresh.begin(), m_fresh.end(), [](const Cached& a, const Cached& b) { return a.id < b.id; });
    if (m_fresh.size() > kMostCached) m_fresh.resize(kMostCached);
    m_cache.swap(m_fresh);
}

}  // namespace nutatio::physics
