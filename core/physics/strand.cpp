#include "physics/strand.h"

#include <algorithm>
#include <cstddef>

#include "physics/oscillator.h"
#include "physics/pack_body.h"
#include "physics/strand_lanes.h"

namespace nutatio::physics {

// Notation: link i with absolute turn q, direction d = q e, joint place x, end velocity V, angular
// velocity W. h step, eta = h/2, a = 2 - delta. Momentum is kept at the link ends in world space, so no Coriolis term appears.
//
// Springs are fitted by their poles: see oscillator.cpp.
//
// Stiffness. M_ij = sum over ends k beyond both joints of m_k l_ik . l_jk. Joint i's spring is khat sigma s_i^2 M_ii, s_i its
// share of the swing rate, and sigma the largest eigenvalue of M_ij / (s_i sqrt(M_ii) s_j sqrt(M_jj)): then the first mode of the
// whole is the asked one, whatever the shares are; they shape the bend and do not shift the rate.
// Stretching is the same with the weights beyond both links for M_ij.
//
// Tension. Between drift and kick the link's direction stands still, so tension acts like the spring of a leapfrog scheme: stable
// only while the sideways frequency it makes, up to 4 T / (m L), stays below 2/h. A lantern on a thread, or many joints on a
// short whisker, lie far beyond that. A link whose tension is too great gets a turning inertia of its own, eps = h^2 T L / (4 mu)
// - m L^2 / 4, which bounds that frequency for any tension (the linearly implicit midpoint rule); below the bound eps is 0 and
// nothing is changed.
//
// Articulated recursion. For the subtree beyond a joint, [torque; force] = [J H; H^T M] [w; v] + [pt; pf] at the joint's place;
// eliminating the joint's own turn against its spring-damper C (w - w_parent) + s gives the parent's view of it in O(1) a link.
// A stretching link has one more unknown, the speed along itself, eliminated in the same way at the link's end.

namespace {

using Fields = lanes::Link<2>;
using BaseFields = lanes::Base<2>;
constexpr std::size_t kPack = 2 * sizeof(double);

constexpr std::size_t kBodyFields = sizeof(lanes::Body<2>) / kPack;
constexpr double kA = kMidpointGain;
constexpr double kLeastBend = 1e-3;  // [rad] that a limit leaves

#define FIELD(name) (offsetof(Fields, name) / kPack)

/// Largest eigenvalue of a symmetric matrix with no negative entry outweighing the rest, by power iteration.
double largestEigenvalue(const Eigen::MatrixXd& M) {
    Eigen::VectorXd v = Eigen::VectorXd::Ones(M.rows());
    double value = 1;
    for (int k = 0; k < 200; ++k) {
        const Eigen::VectorXd next = M * v;
        const double before = value, n = next.norm();
        if (!(n > 0)) return 1;
        value = n / v.norm();
        v = next / n;
        if (k > 3 && std::abs(value - before) < 1e-12 * value) break;
    }
    return value;
}

StepFunction stepFor(int width) {
    return width == 8 ? stepLanes8 : width == 4 ? stepLanes4 : stepLanes2;
}

/// Doubles before the first one that lies on a cache line, in a vector with room for it.
std::size_t aligned(const std::vector<double>& v) {
    const auto at = reinterpret_cast<std::uintptr_t>(v.data());
    return ((64 - at % 64) % 64) / sizeof(double);
}

}  // namespace

bool hangsInLine(std::span<const LinkDef> links) {
    return std::all_of(links.begin(), links.end(), [&](const LinkDef& l) {
        if (l.parent < 0) return l.attach.isZero(0);
        const LinkDef& p = links[static_cast<std::size_t>(l.parent)];
        return (l.attach - p.length * p.direction).norm() < 1e-9 * p.length;
    });
}

int bestWidth() {
    static const int kBest = __builtin_cpu_supports("avx512f") ? 8 : __builtin_cpu_supports("avx2") ? 4 : 2;
    return kBest;
}

int substepsFor(double dt, double swing, bool quick) {
    // Faster swings get a finer grid, so that w h stays below 0.32: beyond about 0.5 a lightly damped strand that is thrown about
    // can feed its highest modes from its turning and never come to rest (measured; see README.md).
    double rate = quick ? 240 : 120;
    for (double f = quick ? 12 : 6; swing > f; f *= 2) rate *= 2;
    return std::max(1, static_cast<int>(std::ceil(dt * rate - 1e-6)));
}

StrandBatch::StrandBatch(std::span<const StrandPlan> plans, double h, int width)
    : m_width(width), m_lanes(static_cast<int>(plans.size())), m_h(h), m_fields(sizeof(Fields) / kPack) {
    std::size_t most = 0;
    for (const StrandPlan& p : plans) {
        m_count.push_back(p.links.size());
        if (p.links.size() > most) {
            most = p.links.size();
            m_parents.clear();
            for (const LinkDef& l : p.links) m_parents.push_back(l.parent);
        }
    }
    const auto W = static_cast<std::size_t>(width);
    m_data.assign(most * m_fields * W + 8, 0.0);
    m_linksAt = aligned(m_data);
    m_baseData.assign(sizeof(BaseFields) / kPack * W + 8, 0.0);
    m_baseAt = aligned(m_baseData);
    m_prepared.resize(plans.size());
    for (int lane = 0; lane < m_width; ++lane) {
        const std::size_t used = lane < m_lanes ? plans[static_cast<std::size_t>(lane)].links.size() : 0;
        setBase(lane, {});
        prepareEmpty(lane, used);
        if (lane >= m_lanes) continue;
        if (!hangsInLine(plans[static_cast<std::size_t>(lane)].links)) m_features |= kOffLine;
        prepareShape(lane, plans[static_cast<std::size_t>(lane)]);
        tune(lane, plans[static_cast<std::size_t>(lane)]);
    }
}

void StrandBatch::setStep(double h) {
    m_h = h;
}

void StrandBatch::put(int lane, std::size_t link, std::size_t field, const Vec3& v) {
    for (int k = 0; k < 3; ++k) at(lane, link, field + static_cast<std::size_t>(k)) = v[k];
}
void StrandBatch::put(int lane, std::size_t link, std::size_t field, const Quat& q) {
    for (int k = 0; k < 4; ++k) at(lane, link, field + static_cast<std::size_t>(k)) = q.coeffs()[k];
}
Vec3 StrandBatch::vector(int lane, std::size_t link, std::size_t field) const {
    return {at(lane, link, field), at(lane, link, field + 1), at(lane, link, field + 2)};
}
Quat StrandBatch::quaternion(int lane, std::size_t link, std::size_t field) const {
    return {at(lane, link, field + 3), at(lane, link, field), at(lane, link, field + 1), at(lane, link, field + 2)};
}

void StrandBatch::prepareEmpty(int lane, std::size_t from) {
    // Links that a lane does not have weigh nothing, hang on like the rest and stand still against what carries them.
    for (std::size_t i = from; i < m_parents.size(); ++i) {
        at(lane, i, FIELD(length)) = at(lane, i, FIELD(inverseLength)) = at(lane, i, FIELD(reach)) = 1;
        at(lane, i, FIELD(dampU)) = at(lane, i, FIELD(dampV)) = at(lane, i, FIELD(dampT)) = 1 / m_h;
        at(lane, i, FIELD(bendFrom)) = -2;
        at(lane, i, FIELD(twistMost)) = kNoLimit;
        put(lane, i, FIELD(direction), Vec3(Vec3::UnitZ()));
        put(lane, i, FIELD(axisU), Vec3(Vec3::UnitX()));
        put(lane, i, FIELD(axisV), Vec3(Vec3::UnitY()));
        put(lane, i, FIELD(d), Vec3(Vec3::UnitZ()));
        for (const std::size_t f : {FIELD(q), FIELD(goal0), FIELD(goal1)}) put(lane, i, f, Quat::Identity());
        at(lane, i, FIELD(carried)) = 1;
        at(lane, i, FIELD(stretchDamp)) = 1 / m_h;
        // Far below all bodies: an idle link must not be pushed about.
        at(lane, i, FIELD(radius)) = -kNoLimit;
    }
}

void StrandBatch::prepareShape(int lane, const StrandPlan& plan) {
    for (std::size_t i = 0; i < plan.links.size(); ++i) {
        const LinkDef& l = plan.links[i];
        at(lane, i, FIELD(length)) = at(lane, i, FIELD(reach)) = l.length;
        at(lane, i, FIELD(alive)) = 1;
        at(lane, i, FIELD(inverseLength)) = 1 / l.length;
        put(lane, i, FIELD(direction), l.direction);
        put(lane, i, FIELD(attach), l.attach);
        Vec3 u = l.axisU - l.direction * l.direction.dot(l.axisU);
        u = u.norm() > 1e-6 ? Vec3(u.normalized()) : anySquareTo(l.direction);
        put(lane, i, FIELD(axisU), u);
        put(lane, i, FIELD(axisV), Vec3(l.direction.cross(u)));
    }
}

void StrandBatch::prepareMasses(int lane, const StrandPlan& plan) {
    double total = 0;
    for (const LinkDef& l : plan.links) total += l.length;
    const std::size_t n = plan.links.size();
    std::vector<double> mass(n), carried;
    std::vector<char> inner(n, false);
    for (std::size_t i = 0; i < n; ++i) {
        // Even weight along the strand, each link's half at either end: the tip keeps half a link (error -0.45 % at 8 links).
        mass[i] = 0.5 * plan.links[i].length / total;
        if (const int p = plan.links[i].parent; p >= 0) {
            mass[static_cast<std::size_t>(p)] += 0.5 * plan.links[i].length / total;
            inner[static_cast<std::size_t>(p)] = true;
        }
    }
    double sum = 0;
    for (std::size_t i = 0; i < n; ++i) {
        if (!inner[i]) mass[i] += plan.def.endWeight;
        sum += mass[i];
    }
    carried = mass;
    for (std::size_t i = n; i-- > 0;)
        if (const int p = plan.links[i].parent; p >= 0) carried[static_cast<std::size_t>(p)] += carried[i];
    for (std::size_t i = 0; i < n; ++i) {
        const LinkDef& l = plan.links[i];
        at(lane, i, FIELD(mass)) = mass[i];
        at(lane, i, FIELD(carried)) = carried[i];
        at(lane, i, FIELD(twistInertia)) = 0.01 * mass[i] * l.length * l.length;
        at(lane, i, FIELD(lightest)) = l.parent < 0 ? mass[i] : std::min(mass[i], mass[static_cast<std::size_t>(l.parent)]);
    }
    m_prepared[static_cast<std::size_t>(lane)].total = sum;
    m_prepared[static_cast<std::size_t>(lane)].endWeight = plan.def.endWeight;
}

// With p the joints' places and, beyond joint j, m0 = sum m_k, m1 = sum m_k e_k, m2 = sum m_k e_k.e_k over the ends e_k:
// M_ij = m2 - (p_i + p_j).m1 + p_i.p_j m0 for every i above j, in time n x depth instead of n x depth^2.
void StrandBatch::addBeyond(int lane, const StrandPlan& plan, Eigen::MatrixXd& M, Eigen::MatrixXd& S) const {
    const std::size_t n = plan.links.size();
    const Vec3 origin = plan.links.front().restPlace;
    std::vector<double> m0(n, 0.0), m2(n, 0.0);
    std::vector<Vec3> m1(n, Vec3::Zero()), p(n);
    for (std::size_t j = n; j-- > 0;) {
        const LinkDef& l = plan.links[j];
        p[j] = l.restPlace - origin;
        const Vec3 end = p[j] + l.length * l.restDirection;
        const double mass = at(lane, j, FIELD(mass));
        m0[j] += mass;
        m1[j] += mass * end;
        m2[j] += mass * end.squaredNorm();
        if (l.parent >= 0) {
            const auto up = static_cast<std::size_t>(l.parent);
            m0[up] += m0[j];
            m1[up] += m1[j];
            m2[up] += m2[j];
        }
    }
    for (std::size_t j = 0; j < n; ++j)
        for (int i = static_cast<int>(j); i >= 0; i = plan.links[static_cast<std::size_t>(i)].parent) {
            const auto a = static_cast<std::size_t>(i);
            const auto row = static_cast<Eigen::Index>(i), column = static_cast<Eigen::Index>(j);
            M(row, column) = M(column, row) = m2[j] - (p[a] + p[j]).dot(m1[j]) + p[a].dot(p[j]) * m0[j];
            S(row, column) = S(column, row) = m0[j] * plan.links[a].restDirection.dot(plan.links[j].restDirection);
        }
}

void StrandBatch::prepareStiffness(int lane, const StrandPlan& plan) {
    Prepared& out = m_prepared[static_cast<std::size_t>(lane)];
    const auto n = static_cast<Eigen::Index>(plan.links.size());
    const auto at0 = [](Eigen::Index i) { return static_cast<std::size_t>(i); };
    // Which ends each joint carries, and how far: lever of joint i to end k is end_k - joint_i.
    Eigen::MatrixXd M = Eigen::MatrixXd::Zero(n, n), S = M;
    constexpr Eigen::Index kLong = 64;  // links from which the sums over what lies beyond are kept instead of added up anew
    if (n > kLong) addBeyond(lane, plan, M, S);
    std::vector<Eigen::Index> above;
    for (Eigen::Index k = 0; n <= kLong && k < n; ++k) {
        const LinkDef& last = plan.links[at0(k)];
        const Vec3 end = last.restPlace + last.length * last.restDirection;
        const double mass = at(lane, at0(k), FIELD(mass));
        above.clear();
        for (Eigen::Index i = k; i >= 0; i = plan.links[at0(i)].parent) above.push_back(i);
        for (Eigen::Index i : above)
            for (Eigen::Index j : above) {
                M(i, j) += mass * (end - plan.links[at0(i)].restPlace).dot(end - plan.links[at0(j)].restPlace);
                S(i, j) += mass * plan.links[at0(i)].restDirection.dot(plan.links[at0(j)].restDirection);
            }
    }
    Eigen::VectorXd root(n), along(n);
    for (Eigen::Index i = 0; i < n; ++i) {
        // A curled strand may carry its weight right at a joint; a tenth of its own link keeps the spring from vanishing.
        const LinkDef& l = plan.links[at0(i)];
        const double own = 0.01 * at(lane, at0(i), FIELD(mass)) * l.length * l.length;
        root[i] = std::sqrt(std::max(M(i, i), own)) * std::max(l.swing, 1e-3);
        along[i] = std::sqrt(S(i, i));
    }
    for (Eigen::Index i = 0; i < n; ++i)
        for (Eigen::Index j = 0; j < n; ++j) {
            M(i, j) /= root[i] * root[j];
            S(i, j) /= along[i] * along[j];
        }
    out.sigma = largestEigenvalue(M);
    out.stretchSigma = largestEigenvalue(S);
    out.inertia.resize(at0(n));
    for (Eigen::Index i = 0; i < n; ++i) out.inertia[at0(i)] = out.sigma * root[i] * root[i];
}

void StrandBatch::tune(int lane, const StrandPlan& plan) {
    Prepared& prepared = m_prepared[static_cast<std::size_t>(lane)];
    const StrandDef& def = plan.def;
    if (prepared.endWeight != def.endWeight) {
        prepareMasses(lane, plan);
        prepareStiffness(lane, plan);
    }
    const double w = 2 * kPi * def.swing;
    const Poles usual = fitPoles(w, def.zeta, m_h);
    // At rest the scheme balances khat a/2 against gravity, a little more than w^2: gravity grows by as much, so that sag is
    // what physics says.
    prepared.gravityShare = w > 0 ? usual.khat * (kA / 2) / (w * w) : 1;
    const Poles stretching = fitPoles(2 * kPi * def.stretchSwing, std::clamp(def.zeta, 0.05, 1.0), m_h);
    unsigned features = m_features;
    if (def.stiffU != 1 || def.stiffV != 1 || def.stiffTwist != 1) features |= kShaped;
    for (std::size_t i = 0; i < plan.links.size(); ++i) {
        const LinkDef& l = plan.links[i];
        const auto poles = [&](double stiff) {
            return stiff == 1 && l.zeta == 1 ? usual : fitPoles(w * std::sqrt(stiff), std::min(def.zeta * l.zeta, 5.0), m_h);
        };
        const std::pair<std::size_t, double> springs[] = {
            {FIELD(stiffU), def.stiffU}, {FIELD(stiffV), def.stiffV}, {FIELD(stiffT), def.stiffTwist}};
        const double inertia = prepared.inertia[i];
        for (std::size_t k = 0; k < 3; ++k) {
            const Poles p = poles(springs[k].second);
            at(lane, i, FIELD(stiffU) + k) = p.khat * inertia;
            at(lane, i, FIELD(dampU) + k) = p.dhat * inertia;
        }
        at(lane, i, FIELD(drag)) = def.airDrag * l.airDrag;
        at(lane, i, FIELD(radius)) = l.radius;
        double bend = kPi;  // the least of all sides
        for (std::size_t side = 0; side < l.stops.size(); ++side) {
            const double most = within(std::min({l.stops[side], def.bendLimit, l.bendLimit}), kLeastBend, kPi);
            at(lane, i, FIELD(bendU) + side) = most >= kPi ? 0 : 1 / std::tan(0.5 * most);
            bend = std::min(bend, most);
        }
        at(lane, i, FIELD(bendEase)) = l.easeOver > 0 ? 1 / l.easeOver : 0;
        // An eased one reaches into the whole of its range.
        at(lane, i, FIELD(bendFrom)) = bend >= kPi ? -2 : l.easeOver > 0 ? 2 : std::cos(bend);
        at(lane, i, FIELD(twistMost)) = l.twistLimit >= kPi ? kNoLimit : l.twistLimit;
        if (bend < kPi) features |= kBendLimit;
        if (l.twistLimit < kPi) features |= kTwistLimit;
        const double carried = at(lane, i, FIELD(carried)) * prepared.stretchSigma;
        // The stiff spring begins a little before the limit, so that the dead stop lies at the limit itself.
        at(lane, i, FIELD(stretchMost)) = l.stretch * l.length / lanes::kBeyond;
        at(lane, i, FIELD(stretchStiff)) = stretching.khat * carried;
        at(lane, i, FIELD(stretchDamp)) = stretching.dhat * carried;
        if (l.stretch > 0) features |= kStretches;
    }
    m_features = features;
    wake(lane);
    setGravity(lane, def.gravity);
}

void StrandBatch::setGravity(int lane, const Vec3& g) {
    Prepared& p = m_prepared[static_cast<std::size_t>(lane)];
    if (g != p.gravity) wake(lane);
    p.gravity = g;
    for (int k = 0; k < 3; ++k)
        m_baseData[m_baseAt +
                   (offsetof(BaseFields, gravity) / kPack + static_cast<std::size_t>(k)) * static_cast<std::size_t>(m_width) +
                   static_cast<std::size_t>(lane)] = p.gravityShare * g[k];
}

void StrandBatch::wake(int lane) {
    m_baseData[m_baseAt + offsetof(BaseFields, calm) / kPack * static_cast<std::size_t>(m_width) +
               static_cast<std::size_t>(lane)] = 0;
}

void StrandBatch::setBase(int lane, const BaseStep& b) {
    const auto W = static_cast<std::size_t>(m_width);
    double* to = m_baseData.data() + m_baseAt + static_cast<std::size_t>(lane);
    for (std::size_t k = 0; k < 4; ++k) {
        to[k * W] = b.turn0.coeffs()[static_cast<Eigen::Index>(k)];
        to[(4 + k) * W] = b.turn1.coeffs()[static_cast<Eigen::Index>(k)];
    }
    for (std::size_t k = 0; k < 3; ++k) {
        to[(8 + k) * W] = b.place0[static_cast<Eigen::Index>(k)];
        to[(11 + k) * W] = b.place1[static_cast<Eigen::Index>(k)];
        to[(14 + k) * W] = b.velocityEnd[static_cast<Eigen::Index>(k)];
    }
}
static_assert(offsetof(BaseFields, turn1) == 4 * kPack && offsetof(BaseFields, place0) == 8 * kPack &&
              offsetof(BaseFields, velocityEnd) == 14 * kPack);

void StrandBatch::setGoal(int lane, std::size_t link, const LinkGoal& g) {
    if (!g.spin.isZero(0)) m_features |= kMovingGoals;
    put(lane, link, FIELD(goal0), g.turn0);
    put(lane, link, FIELD(goal1), g.turn1);
    put(lane, link, FIELD(goalSpin), g.spin);
}

void StrandBatch::setAir(int lane, std::size_t link, const Vec3& velocity, double drag) {
    m_features |= kAired;
    put(lane, link, FIELD(air), velocity);
    at(lane, link, FIELD(catches)) = drag;
}

void StrandBatch::setPull(int lane, std::size_t link, const Vec3& acceleration, const Vec3& unfelt) {
    m_features |= kPulled;
    put(lane, link, FIELD(pull), Vec3(acceleration + (at(lane, link, FIELD(drag)) + at(lane, link, FIELD(catches))) * unfelt));
}

void StrandBatch::setPin(int lane, std::size_t link, const PinStep& pin) {
    // Strength s answers at up to a quarter of a swing a step, critically damped, and is soft where s is small.
    m_features |= kPinned;
    const double s = std::clamp(pin.strength, 0.0, 1.0), w = 2 * kPi * 0.25 / m_h * s * s;
    const double mass = m_prepared[static_cast<std::size_t>(lane)].total;
    at(lane, link, FIELD(pinStiff)) = mass * w * w;
    at(lane, link, FIELD(pinDamp)) = 2 * mass * w;
    put(lane, link, FIELD(pinLever), pin.lever);
    put(lane, link, FIELD(pinPlace), pin.place);
    put(lane, link, FIELD(pinVelocity), pin.velocity);
}

void StrandBatch::setBodies(std::size_t count) {
    if (m_bodyKinds.size() == count) return;
    m_bodyKinds.assign(count, 0);
    m_bodiesMet.assign(count, 0);
    m_bodyData.assign(count * kBodyFields * static_cast<std::size_t>(m_width) + 8, 0.0);
    m_bodyAt = aligned(m_bodyData);
    m_allowedData.assign(m_parents.size() * count * static_cast<std::size_t>(m_width) + 8, 0.0);
    m_allowedAt = aligned(m_allowedData);
    for (std::size_t b = 0; b < count; ++b)
        for (int lane = 0; lane < m_width; ++lane) passBody(lane, b);
}

void StrandBatch::setBody(int lane, std::size_t body, const Body& what) {
    m_bodyKinds[body] = laneKind(what.kind);
    packBody(what, m_bodyData.data() + m_bodyAt + body * kBodyFields * static_cast<std::size_t>(m_width), m_width, lane);
}

void StrandBatch::passBody(int lane, std::size_t body) {
    const auto W = static_cast<std::size_t>(m_width);
    m_bodyData[m_bodyAt + (body * kBodyFields + offsetof(lanes::Body<2>, apart) / kPack) * W + static_cast<std::size_t>(lane)] =
        kNoLimit;
}

void StrandBatch::allowDepth(int lane, std::size_t link, std::size_t body, double depth) {
    m_allowedData[m_allowedAt + (link * m_bodyKinds.size() + body) * static_cast<std::size_t>(m_width) +
                  static_cast<std::size_t>(lane)] = depth;
}

void StrandBatch::start(int lane, const Vec3& basePlace, const Quat& baseTurn, std::span<const Quat> goals, const Vec3& velocity,
                        const Vec3& spin) {
    const std::size_t n = links(lane);
    const Prepared& p = m_prepared[static_cast<std::size_t>(lane)];
    wake(lane);
    for (std::size_t i = 0; i < n; ++i) {
        const int parent = m_parents[i];
        const auto up = static_cast<std::size_t>(parent);
        const Quat above = parent < 0 ? baseTurn : quaternion(lane, up, FIELD(q));
        const Quat q = (above * goals[i]).normalized();
        put(lane, i, FIELD(q), q);
        put(lane, i, FIELD(d), Vec3(q * vector(lane, i, FIELD(direction))));
        put(lane, i, FIELD(x),
            Vec3((parent < 0 ? basePlace : vector(lane, up, FIELD(x))) + above * vector(lane, i, FIELD(attach))));
        put(lane, i, FIELD(w), spin);
        at(lane, i, FIELD(reach)) = at(lane, i, FIELD(length));
        at(lane, i, FIELD(reachSpeed)) = 0;
        put(lane, i, FIELD(v), Vec3(velocity + spin.cross(end(lane, i) - basePlace)));
        at(lane, i, FIELD(tension)) = at(lane, i, FIELD(mass)) * p.gravityShare * p.gravity.norm();
        setGoal(lane, i, {goals[i], goals[i], Vec3::Zero()});
    }
    // Each link carries the weight of all that hangs below it, until the first step has measured what it really carries.
    for (std::size_t i = n; i-- > 0;)
        if (m_parents[i] >= 0) at(lane, static_cast<std::size_t>(m_parents[i]), FIELD(tension)) += at(lane, i, FIELD(tension));
}

void StrandBatch::carry(int lane, const Vec3& from, const Quat& by, const Vec3& to, const Vec3& gained) {
    wake(lane);
    for (std::size_t i = 0; i < links(lane); ++i) {
        const Quat q = (by * quaternion(lane, i, FIELD(q))).normalized();
        put(lane, i, FIELD(q), q);
        put(lane, i, FIELD(d), Vec3(q * vector(lane, i, FIELD(direction))));
        put(lane, i, FIELD(x), Vec3(to + by * (vector(lane, i, FIELD(x)) - from)));
        put(lane, i, FIELD(v), Vec3(by * vector(lane, i, FIELD(v)) + gained));
        put(lane, i, FIELD(w), Vec3(by * vector(lane, i, FIELD(w))));
    }
}

namespace {
// The fields from the goals on are the state, but those that live within one step only. A goal that stands still is told once: it
// is carried too.
constexpr std::size_t kStateAt = FIELD(goal0), kStateEnd = FIELD(dbar), kLyingAt = FIELD(bed);
}  // namespace

void StrandBatch::appendState(int lane, std::vector<double>& to) const {
    const auto W = static_cast<std::size_t>(m_width);
    to.push_back(m_baseData[m_baseAt + offsetof(BaseFields, calm) / kPack * W + static_cast<std::size_t>(lane)]);
    for (std::size_t i = 0; i < links(lane); ++i) {
        for (std::size_t f = kStateAt; f < kStateEnd; ++f) to.push_back(at(lane, i, f));
        for (std::size_t f = kLyingAt; f < m_fields; ++f) to.push_back(at(lane, i, f));
    }
}

std::span<const double> StrandBatch::takeState(int lane, std::span<const double> from) {
    const auto W = static_cast<std::size_t>(m_width);
    std::size_t k = 0;
    m_baseData[m_baseAt + offsetof(BaseFields, calm) / kPack * W + static_cast<std::size_t>(lane)] = from[k++];
    for (std::size_t i = 0; i < links(lane); ++i) {
        for (std::size_t f = kStateAt; f < kStateEnd; ++f) at(lane, i, f) = from[k++];
        for (std::size_t f = kLyingAt; f < m_fields; ++f) at(lane, i, f) = from[k++];
    }
    makeWhole(lane);
    return from.subspan(k);
}

void StrandBatch::makeWhole(int lane) {
    // Bits stay where nothing was altered.
    constexpr double kAltered = 1e-9;
    bool altered = false;
    for (std::size_t i = 0; i < links(lane); ++i) {
        Quat q = quaternion(lane, i, FIELD(q));
        altered = altered || std::abs(q.norm() - 1) > kAltered ||
                  (q.normalized() * vector(lane, i, FIELD(direction)) - vector(lane, i, FIELD(d))).norm() > kAltered;
        if (!altered) continue;
        q.normalize();
        put(lane, i, FIELD(q), q);
        put(lane, i, FIELD(d), Vec3(q * vector(lane, i, FIELD(direction))));
        if (m_parents[i] < 0) continue;
        const auto up = static_cast<std::size_t>(m_parents[i]);
        const double stretched = at(lane, up, FIELD(reach)) - at(lane, up, FIELD(length));
        put(lane, i, FIELD(x),
            Vec3(vector(lane, up, FIELD(x)) + quaternion(lane, up, FIELD(q)) * vector(lane, i, FIELD(attach)) +
                 stretched * vector(lane, up, FIELD(d))));
    }
    if (altered) wake(lane);
}

void StrandBatch::step() {
    StepArgs a;
    a.links = static_cast<int>(m_parents.size());
    a.parents = m_parents.data();
    a.h = m_h;
    a.features = m_features;
    a.link = m_data.data() + m_linksAt;
    a.base = m_baseData.data() + m_baseAt;
    a.bodies = static_cast<int>(m_bodyKinds.size());
    a.bodyKinds = m_bodyKinds.data();
    a.body = m_bodyData.data() + m_bodyAt;
    a.allowed = m_allowedData.data() + m_allowedAt;
    a.met = m_bodiesMet.data();
    stepFor(m_width)(a);
}

Quat StrandBatch::turn(int lane, std::size_t link) const {
    return quaternion(lane, link, FIELD(q));
}
Vec3 StrandBatch::place(int lane, std::size_t link) const {
    return vector(lane, link, FIELD(x));
}
Vec3 StrandBatch::end(int lane, std::size_t link) const {
    return vector(lane, link, FIELD(x)) + at(lane, link, FIELD(reach)) * vector(lane, link, FIELD(d));
}
Vec3 StrandBatch::endVelocity(int lane, std::size_t link) const {
    return vector(lane, link, FIELD(v));
}
double StrandBatch::stretchOf(int lane, std::size_t link) const {
    return at(lane, link, FIELD(reach)) * at(lane, link, FIELD(inverseLength));
}

double StrandBatch::energy(int lane) const {
    const Prepared& p = m_prepared[static_cast<std::size_t>(lane)];
    double e = 0;
    for (std::size_t i = 0; i < links(lane); ++i)
        e += at(lane, i, FIELD(mass)) * (0.5 * endVelocity(lane, i).squaredNorm() - p.gravityShare * p.gravity.dot(end(lane, i)));
    return e;
}

void Strand::step(const BaseStep& base, std::span<const LinkGoal> goals, std::span<const Body> bodies) {
    m_batch.setBase(0, base);
    for (std::size_t i = 0; i < goals.size(); ++i) m_batch.setGoal(0, i, goals[i]);
    m_batch.setBodies(bodies.size());
    for (std::size_t b = 0; b < bodies.size(); ++b) m_batch.setBody(0, b, bodies[b]);
    m_batch.step();
}

}  // namespace nutatio::physics
