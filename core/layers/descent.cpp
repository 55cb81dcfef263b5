#include "layers/descent.h"

#include <algorithm>

namespace nutatio::layers {

Descent::Descent(const rig::Skeleton& skeleton, const std::vector<int>& joints) {
    std::vector<char> wanted(static_cast<std::size_t>(skeleton.size()), false);
    for (int joint : joints)
        for (int j = joint; j != rig::kNoJoint; j = skeleton.joint(j).parent) wanted[static_cast<std::size_t>(j)] = true;
    std::vector<int> place(wanted.size(), -1);
    for (int j : skeleton.order()) {
        if (!wanted[static_cast<std::size_t>(j)]) continue;
        const int up = skeleton.joint(j).parent;
        const auto at = std::find(joints.begin(), joints.end(), j);
        const std::ptrdiff_t number = at == joints.end() ? -1 : at - joints.begin();
        place[static_cast<std::size_t>(j)] = static_cast<int>(m_steps.size());
        m_steps.push_back({j, up == rig::kNoJoint ? -1 : place[static_cast<std::size_t>(up)], number});
    }
    m_worlds.resize(m_steps.size());
}

void Descent::go(const PoseView& pose, const Change& change, std::span<Xform> out) {
    const Affine none;
    for (std::size_t k = 0; k < m_steps.size(); ++k) {
        const Step& s = m_steps[k];
        const Affine& above = s.parent < 0 ? none : m_worlds[static_cast<std::size_t>(s.parent)];
        Xform local = pose.local(s.joint);
        if (s.number >= 0) {
            local = change(static_cast<std::size_t>(s.number), above, local);
            out[static_cast<std::size_t>(s.number)] = local;
        }
        m_worlds[k] = above * local.affine();
    }
}

std::vector<Stretch> stretches(const LayerContext& context, int frames) {
    std::vector<Stretch> out;
    int from = 0;
    for (int cut : context.cuts)
        if (cut > from && cut < frames) {
            out.push_back({from, cut, false});
            from = cut;
        }
    out.push_back({from, frames, out.empty() && context.period > 0});
    return out;
}

std::vector<Moved> placedInChains(const rig::Skeleton& skeleton, const std::vector<std::string>& joints) {
    std::vector<int> of;
    for (const std::string& name : joints)
        if (const int j = skeleton.find(name); j != rig::kNoJoint && std::find(of.begin(), of.end(), j) == of.end())
            of.push_back(j);
    const auto depth = [&](int joint) {
        int n = 0;
        for (int j = joint; j != rig::kNoJoint; j = skeleton.joint(j).parent) n += std::find(of.begin(), of.end(), j) != of.end();
        return n;
    };
    std::vector<Moved> out;
    for (int j : of) {
        int most = 0;
        for (int other : of)
            if (other == j || skeleton.isBelow(other, j)) most = std::max(most, depth(other));
        out.push_back({j, static_cast<double>(depth(j)) / most});
    }
    return out;
}

std::optional<std::string> missingJoint(const rig::Skeleton& skeleton, const std::vector<std::string>& joints) {
    if (joints.empty()) return "it has no joint";
    return unknownJoint(skeleton, joints);
}

std::optional<std::string> unknownJoint(const rig::Skeleton& skeleton, const std::vector<std::string>& joints) {
    for (const std::string& j : joints)
        if (skeleton.find(j) == rig::kNoJoint) return "there is no joint \"" + j + "\"";
    return std::nullopt;
}

int rootOf(const rig::Skeleton& skeleton, int joint) {
    while (skeleton.joint(joint).parent != rig::kNoJoint) joint = skeleton.joint(joint).parent;
    return joint;
}

Vec3 along(const Vec3& e, const std::string& axes) {
    Vec3 out = Vec3::Zero();
    for (char c : axes) out[c - 'x'] = e[c - 'x'];
    return out;
}

}  // namespace nutatio::layers
