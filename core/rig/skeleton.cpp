#include "rig/skeleton.h"

#include <algorithm>
#include <charconv>

namespace nutatio::rig {

Skeleton::Skeleton(std::vector<Joint> joints) : m_joints(std::move(joints)) {
    for (Joint& j : m_joints) j.children.clear();
    for (int i = 0; i < size(); ++i) {
        const auto [known, fresh] = m_byName.try_emplace(m_joints[static_cast<std::size_t>(i)].name, Named{i, false});
        if (!fresh) known->second.shared = true;
        const int p = m_joints[static_cast<std::size_t>(i)].parent;
        if (p == kNoJoint)
            m_roots.push_back(i);
        else
            m_joints[static_cast<std::size_t>(p)].children.push_back(i);
    }
    for (int r : m_roots) {
        const std::vector<int> below = subtree(r);
        m_order.insert(m_order.end(), below.begin(), below.end());
    }
}

std::string Skeleton::reference(int i) const {
    const std::string& name = joint(i).name;
    return !name.empty() && !m_byName.at(name).shared ? name : "#" + std::to_string(i);
}

std::string Skeleton::label(int i) const {
    return joint(i).name.empty() ? "#" + std::to_string(i) : joint(i).name;
}

int Skeleton::find(std::string_view reference) const {
    if (const auto at = m_byName.find(std::string(reference)); !reference.empty() && at != m_byName.end())
        return at->second.first;
    if (reference.size() > 1 && reference.front() == '#') {
        int index = kNoJoint;
        const char* end = reference.data() + reference.size();
        const auto [at, bad] = std::from_chars(reference.data() + 1, end, index);
        if (bad == std::errc() && at == end && index >= 0 && index < size()) return index;
    }
    return kNoJoint;
}

bool Skeleton::isBelow(int j, int ancestor) const {
    for (; j != kNoJoint; j = joint(j).parent)
        if (j == ancestor) return true;
    return false;
}

std::vector<int> Skeleton::subtree(int root) const {
    std::vector<int> out, waiting{root};
    while (!waiting.empty()) {
        const int j = waiting.back();
        waiting.pop_back();
        out.push_back(j);
        const auto& c = joint(j).children;
        waiting.insert(waiting.end(), c.rbegin(), c.rend());
    }
    return out;
}

std::vector<int> Skeleton::path(int root, int tip) const {
    std::vector<int> out;
    for (int j = tip; j != kNoJoint; j = joint(j).parent) {
        out.push_back(j);
        if (j == root) {
            std::reverse(out.begin(), out.end());
            return out;
        }
    }
    return {};
}

void worldTransforms(const Skeleton& skeleton, const std::vector<Xform>& locals, std::vector<Affine>& worlds) {
    worlds.resize(locals.size());
    for (int j : skeleton.order()) {
        const auto i = static_cast<std::size_t>(j);
        const int p = skeleton.joint(j).parent;
        worlds[i] = p == kNoJoint ? locals[i].affine() : worlds[static_cast<std::size_t>(p)] * locals[i].affine();
    }
}

Vec3 endOf(const Skeleton& s, int joint) {
    Vec3 best = Vec3::Zero();
    for (int c : s.joint(joint).children)
        if (s.joint(c).rest.t.norm() > best.norm()) best = s.joint(c).rest.t;
    if (best.norm() < 1e-9) best = s.joint(joint).rest.r.conjugate() * s.joint(joint).rest.t;
    return best;
}

}  // namespace nutatio::rig
