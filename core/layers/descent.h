// Going down a skeleton frame by frame while some of its joints are changed: what stands above each is as it has become.
#pragma once

#include <functional>
#include <vector>

#include "layers/layer_kind.h"

namespace nutatio::layers {

class Descent {
  public:
    /// Joints that will be changed, in any order.
    Descent(const rig::Skeleton& skeleton, const std::vector<int>& joints);

    /// Gives each of them a new local transform, parents first: `change(number, above, local)` with the world of its parent as it
    /// has become and its local transform below.
    using Change = std::function<Xform(std::size_t number, const Affine& above, const Xform& local)>;
    void go(const PoseView& pose, const Change& change, std::span<Xform> out);

  private:
    struct Step {
        int joint, parent;      // the parent's place among the steps, -1: none
        std::ptrdiff_t number;  // among those that are changed, -1: it is on the way to one
    };
    std::vector<Step> m_steps;
    std::vector<Affine> m_worlds;
};

/// Frames from one cut to the next, and whether the whole goes round.
struct Stretch {
    int from, to;  // the frame after the last one
    bool round;
};
std::vector<Stretch> stretches(const LayerContext& context, int frames);

/// The joints that a layer names, each with its place in the chain that they make with one another: 1 at the tip, 1/n at the root
/// of a chain of n.
std::vector<Moved> placedInChains(const rig::Skeleton& skeleton, const std::vector<std::string>& joints);

/// The first of the joints that a layer names which is not there, in a sentence; nothing where all are.
std::optional<std::string> unknownJoint(const rig::Skeleton& skeleton, const std::vector<std::string>& joints);
/// The same where there must be one.
std::optional<std::string> missingJoint(const rig::Skeleton& skeleton, const std::vector<std::string>& joints);
int rootOf(const rig::Skeleton& skeleton, int joint);

/// `e` [rotation vector in a joint's axes, or a way] with only some axes left.
Vec3 along(const Vec3& e, const std::string& axes);

}  // namespace nutatio::layers
