// The tree of joints of an actor. Every node of the source is a joint here, whether a skin uses it or not.
#pragma once

#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "base/maths.h"

namespace nutatio::rig {

inline constexpr int kNoJoint = -1;

struct Joint {
    std::string name;  // as in the source; may be empty or shared by several
    int parent = kNoJoint;
    std::vector<int> children;
    Xform rest;
    bool made = false;   // here: the file does not have it
    bool moved = false;  // its rest place is other than the file's
};

/// Joints by the source's node numbers, with an order in which parents come before children.
class Skeleton {
  public:
    Skeleton() = default;
    /// Takes joints whose `parent` fields form a forest; fills children and the order.
    explicit Skeleton(std::vector<Joint> joints);

    int size() const { return static_cast<int>(m_joints.size()); }
    const Joint& joint(int i) const { return m_joints[static_cast<std::size_t>(i)]; }
    const std::vector<Joint>& joints() const { return m_joints; }
    const std::vector<int>& order() const { return m_order; }
    const std::vector<int>& roots() const { return m_roots; }

    /// What a file or a command line calls joint `i`: its name, or "#i" when the name is empty or not the only one.
    std::string reference(int i) const;
    /// What a person reads: the name, or "#i" without one.
    std::string label(int i) const;
    /// The joint that `reference` means, or kNoJoint. A shared name means the first of that name.
    int find(std::string_view reference) const;
    bool isBelow(int joint, int ancestor) const;
    /// The joint and all below it, parents first.
    std::vector<int> subtree(int joint) const;
    /// The joints from `root` down to `tip`, both included; empty when `tip` is not below `root`.
    std::vector<int> path(int root, int tip) const;

  private:
    std::vector<Joint> m_joints;
    std::vector<int> m_order;
    std::vector<int> m_roots;
    struct Named {
        int first;
        bool shared;
    };
    std::unordered_map<std::string, Named> m_byName;
};

/// World transforms of all joints for one pose of local transforms.
void worldTransforms(const Skeleton& skeleton, const std::vector<Xform>& locals, std::vector<Affine>& worlds);

/// The far end of a joint in its own axes: its farthest child, or on from its parent.
Vec3 endOf(const Skeleton& skeleton, int joint);

}  // namespace nutatio::rig
