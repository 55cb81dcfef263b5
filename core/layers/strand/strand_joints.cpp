#include "layers/strand/strand_joints.h"

#include <algorithm>

#include "layers/joint_worlds.h"

namespace nutatio::layers::strand {

namespace {

class Planner {
  public:
    Planner(const rig::Actor& actor, const scene::Layer& layer, const PoseView& rest, int root)
        : m_skeleton(actor.skeleton),
          m_members(strandMembers(m_skeleton, layer, root)),
          m_worlds(m_skeleton, m_skeleton.subtree(root)),
          m_endRatio(layer.number("end")),
          m_root(root),
          m_fallback(0.1 * actor.height) {
        m_worlds.update(rest);
        m_isMember.assign(static_cast<std::size_t>(m_skeleton.size()), false);
        for (int j : m_members) m_isMember[static_cast<std::size_t>(j)] = true;
        m_depth.assign(static_cast<std::size_t>(m_skeleton.size()), 0.0);
        for (auto j = m_members.rbegin(); j != m_members.rend(); ++j)
            for (int c : m_skeleton.joint(*j).children)
                if (isMember(c)) m_depth[at(*j)] = std::max(m_depth[at(*j)], m_depth[at(c)] + (place(c) - place(*j)).norm());
    }

    StrandJoints plan() {
        StrandJoints p;
        p.root = m_root;
        std::vector<int> linkOf(static_cast<std::size_t>(m_skeleton.size()), -1);  // by joint: the link that carries it
        const Quat base = rotationOf(m_worlds.above(m_root).m);
        const double tiny = 1e-5 * std::max(m_depth[at(m_root)], 1e-4 * m_fallback);
        for (int j : m_members) {
            const int above = j == m_root ? -1 : linkOf[at(m_skeleton.joint(j).parent)];
            linkOf[at(j)] = above;
            if (above >= 0) {
                const auto up = static_cast<std::size_t>(above);
                p.riders.push_back({j, up, m_worlds.turn(p.joints[up]).conjugate() * (place(j) - p.links[up].restPlace)});
            }
            const Vec3 way = lever(j, above, p);
            if (way.norm() <= tiny) continue;  // nothing to swing: it rides on the link above
            physics::LinkDef l;
            l.parent = above;
            l.length = way.norm();
            l.restPlace = place(j);
            l.restDirection = way / l.length;
            l.direction = m_worlds.turn(j).conjugate() * l.restDirection;
            l.axisU = crossAxis(l.direction);
            l.attach = above < 0 ? base.conjugate() * (place(j) - place(m_root))
                                 : m_worlds.turn(p.joints[static_cast<std::size_t>(above)]).conjugate() *
                                       (place(j) - p.links[static_cast<std::size_t>(above)].restPlace);
            linkOf[at(j)] = static_cast<int>(p.links.size());
            p.links.push_back(l);
            p.joints.push_back(j);
        }
        measureAlong(p);
        return p;
    }

  private:
    static void measureAlong(StrandJoints& p) {
        std::vector<double> from(p.links.size());
        for (std::size_t i = 0; i < p.links.size(); ++i) {
            const int up = p.links[i].parent;
            from[i] = up < 0 ? 0 : from[static_cast<std::size_t>(up)] + p.links[static_cast<std::size_t>(up)].length;
            p.length = std::max(p.length, from[i] + p.links[i].length);
        }
        // The last joint is the tip: a profile that ends at 0 there really does.
        double last = 0;
        for (double f : from) last = std::max(last, f);
        for (double f : from) p.along.push_back(last > 0 ? f / last : 0);
    }

    static std::size_t at(int j) { return static_cast<std::size_t>(j); }
    bool isMember(int j) const { return m_isMember[at(j)]; }
    const Vec3& place(int j) const { return m_worlds.world(j).t; }

    /// From the joint to the end of its link: to the child that the longest way leads through, or beyond the last joint.
    Vec3 lever(int j, int above, const StrandJoints& p) const {
        int best = rig::kNoJoint;
        double longest = -1;
        const bool inner = std::any_of(m_skeleton.joint(j).children.begin(), m_skeleton.joint(j).children.end(),
                                       [&](int c) { return isMember(c); });
        for (int c : m_skeleton.joint(j).children) {
            if (inner && !isMember(c)) continue;
            const double way = m_depth[at(c)] + (place(c) - place(j)).norm();
            if (way > longest) {
                longest = way;
                best = c;
            }
        }
        if (best != rig::kNoJoint) return place(best) - place(j);
        if (above >= 0)
            return m_endRatio * p.links[static_cast<std::size_t>(above)].length *
                   p.links[static_cast<std::size_t>(above)].restDirection;
        // A lone joint points on from its parent, or hangs down when that says nothing.
        const int parent = m_skeleton.joint(j).parent;
        const Vec3 way = parent == rig::kNoJoint ? Vec3::Zero() : Vec3(place(j) - m_worlds.above(j).t);
        return m_endRatio * (way.norm() > 1e-6 * m_fallback ? way : Vec3(0, -m_fallback, 0));
    }

    const rig::Skeleton& m_skeleton;
    std::vector<int> m_members;
    JointWorlds m_worlds;
    double m_endRatio;
    int m_root;
    double m_fallback;
    std::vector<bool> m_isMember;
    std::vector<double> m_depth;
};

}  // namespace

Vec3 crossAxis(const Vec3& direction) {
    Eigen::Index least = 0;
    direction.cwiseAbs().minCoeff(&least);
    return Vec3::Unit(least);
}

std::size_t StrandJoints::farthest() const {
    std::vector<double> reach(links.size());
    std::size_t best = 0;
    for (std::size_t i = 0; i < links.size(); ++i) {
        const int p = links[i].parent;
        reach[i] = links[i].length + (p < 0 ? 0 : reach[static_cast<std::size_t>(p)]);
        if (reach[i] > reach[best]) best = i;
    }
    return best;
}

std::vector<int> strandMembers(const rig::Skeleton& s, const scene::Layer& layer, int root) {
    const int tip = s.find(layer.text("tip"));
    std::vector<int> members = tip == rig::kNoJoint ? s.subtree(root) : s.path(root, tip);
    for (const std::string& name : layer.list("without"))
        if (const int out = s.find(name); out != rig::kNoJoint && out != root)
            std::erase_if(members, [&](int j) { return j == out || s.isBelow(j, out); });
    return members;
}

StrandJoints strandJoints(const rig::Actor& actor, const scene::Layer& layer, const PoseView& rest, int root) {
    return Planner(actor, layer, rest, root).plan();
}

}  // namespace nutatio::layers::strand
