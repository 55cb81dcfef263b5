#include "layers/balance/poised.h"

#include <algorithm>
#include <set>

#include "layers/joint_worlds.h"
#include "rig/limb.h"

namespace nutatio::layers::balance {

namespace {

std::vector<int> hangingBelow(const rig::Skeleton& s, int top) {
    std::vector<int> out;
    for (int j : s.order())
        if (j == top || s.isBelow(j, top)) out.push_back(j);
    return out;
}

}  // namespace

Poised::Poised(const rig::Actor& actor, const rig::Roles& roles, const rig::Masses& masses, std::vector<int> turned)
    : m_s(actor.skeleton), m_masses(masses), m_turned(std::move(turned)), m_turnOf(static_cast<std::size_t>(m_s.size()), -1) {
    for (std::size_t k = 0; k < m_turned.size(); ++k) {
        m_turnOf[static_cast<std::size_t>(m_turned[k])] = static_cast<int>(k);
        m_hanging.push_back(hangingBelow(m_s, m_turned[k]));
    }
    std::vector<Affine> rest;
    rig::worldTransforms(m_s, actor.restPose(), rest);
    const auto at = [&](int j) -> const Vec3& { return rest[static_cast<std::size_t>(j)].t; };
    for (const auto* limbs : {&roles.legs, &roles.arms})
        for (const rig::Limb& l : *limbs) {
            if (!l.found()) continue;
            m_limbs.push_back({l.upper, l.lower, l.end, limbs == &roles.legs || roles.fourLegged,
                               (at(l.lower) - at(l.upper)).norm() + (at(l.end) - at(l.lower)).norm()});
            m_chains.push_back({hangingBelow(m_s, l.upper), Vec3::UnitX()});
        }
    m_carriers = rig::carriersOf(m_s, roles);
    std::set<int> joints(m_turned.begin(), m_turned.end());
    joints.insert(m_carriers.begin(), m_carriers.end());
    for (const Limb& l : m_limbs) joints.insert({l.upper, l.lower, l.end});
    for (int j : m_s.order())
        if (joints.count(j)) m_joints.push_back(j);
}

void Poised::readHinges(const std::vector<std::vector<Affine>>& worlds) {
    for (std::size_t k = 0; k < m_limbs.size(); ++k) {
        const Limb& l = m_limbs[k];
        Vec3 sum = Vec3::Zero();
        for (const std::vector<Affine>& w : worlds) {
            const auto at = [&](int j) -> const Affine& { return w[static_cast<std::size_t>(j)]; };
            sum += rotationOf(at(l.upper).m).conjugate() * rig::hingeOf(at(l.upper).t, at(l.lower).t, at(l.end).t);
        }
        if (sum.norm() > 1e-9) m_chains[k].hinge = sum.normalized();
    }
}

void Poised::pose(const Posture& p, std::vector<Xform>& locals, std::vector<Affine>& worlds) const {
    const Affine none;
    worlds.resize(static_cast<std::size_t>(m_s.size()));
    const auto above = [&](int j) -> const Affine& {
        const int up = m_s.joint(j).parent;
        return up == rig::kNoJoint ? none : worlds[static_cast<std::size_t>(up)];
    };
    // Hand and foot keep the turn that they have below.
    std::vector<Quat> kept(m_limbs.size());
    rig::worldTransforms(m_s, locals, worlds);
    for (std::size_t k = 0; k < m_limbs.size(); ++k) kept[k] = rotationOf(worlds[static_cast<std::size_t>(m_limbs[k].end)].m);
    const Quat lean = fromRotationVector(p.lean);
    for (int j : m_s.order()) {
        const auto at = static_cast<std::size_t>(j);
        Xform& x = locals[at];
        const Affine& up = above(j);
        if (std::find(m_carriers.begin(), m_carriers.end(), j) != m_carriers.end()) {
            const Vec3 place = up.apply(x.t);
            if (p.lean != Vec3::Zero()) x = turnedInWorld(x, up, lean);
            x.t = up.inverse().apply(p.pivot + lean * (place - p.pivot) + p.shift);
        }
        if (const int k = m_turnOf[at]; k >= 0 && p.turns[static_cast<std::size_t>(k)] != Vec3::Zero())
            x = turnedInWorld(x, up, fromRotationVector(p.turns[static_cast<std::size_t>(k)]));
        worlds[at] = up * x.affine();
    }
    for (std::size_t k = 0; k < m_limbs.size(); ++k) {
        const Limb& l = m_limbs[k];
        if (p.held[k] <= 0) continue;
        const auto placeOf = [&](int j) -> const Vec3& { return worlds[static_cast<std::size_t>(j)].t; };
        const Vec3 c = placeOf(l.end), target = c + p.held[k] * (p.ends[k] - c);
        const Quat turnNow = rotationOf(worlds[static_cast<std::size_t>(l.end)].m);
        const Quat turn = blend(turnNow, kept[k], p.held[k]);
        if ((target - c).norm() < 1e-12 * l.length && turnNow.angularDistance(turn) < 1e-12) continue;
        const rig::LimbTurn t = rig::reachWithLimb(placeOf(l.upper), placeOf(l.lower), c, target,
                                                   rotationOf(worlds[static_cast<std::size_t>(l.upper)].m) * m_chains[k].hinge);
        const Quat upperWas = rotationOf(worlds[static_cast<std::size_t>(l.upper)].m),
                   lowerWas = rotationOf(worlds[static_cast<std::size_t>(l.lower)].m);
        for (int j : m_chains[k].below) {
            const auto at = static_cast<std::size_t>(j);
            const Affine& up = above(j);
            if (j == l.upper || j == l.lower || j == l.end) {
                const Quat wanted = j == l.upper ? Quat(t.upper * upperWas) : j == l.lower ? Quat(t.lower * lowerWas) : turn;
                const Quat is = rotationOf((up * locals[at].affine()).m);
                locals[at] = turnedInWorld(locals[at], up, (wanted * is.conjugate()).normalized());
            }
            worlds[at] = up * locals[at].affine();
        }
    }
}

std::pair<double, Vec3> Poised::hangingOn(std::size_t turned, const std::vector<Affine>& worlds) const {
    double share = 0;
    Vec3 sum = Vec3::Zero();
    for (int j : m_hanging[turned]) {
        const auto at = static_cast<std::size_t>(j);
        share += m_masses.share[at];
        if (m_masses.share[at] > 0) sum += m_masses.share[at] * worlds[at].apply(m_masses.centre[at]);
    }
    return {share, share > 0 ? Vec3(sum / share) : worlds[static_cast<std::size_t>(m_turned[turned])].t};
}

}  // namespace nutatio::layers::balance
