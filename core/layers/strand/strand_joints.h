// Which joints a strand has, how they form links, and where the links point.
#pragma once

#include "layers/layer_kind.h"
#include "physics/strand.h"

namespace nutatio::layers::strand {

/// Made once, from the rest pose.
struct StrandJoints {
    std::vector<int> joints;  // one a link: the joint that the link turns
    std::vector<physics::LinkDef> links;
    /// Where every joint of the strand but its root stands on the link above it.
    struct Rider {
        int joint;
        std::size_t link;
        Vec3 lever;  // in the link's joint's axes
    };
    std::vector<Rider> riders;
    std::vector<double> along;  // by link: place of its joint from root (0) to tip (1), for profiles
    int root = 0;
    double length = 0;  // from the root to the farthest end [units]

    /// The link whose end lies farthest from the root, along the strand.
    std::size_t farthest() const;
};

/// The joints of the strand that `root` begins: all below it, or those on the way to the layer's tip. Parents first.
std::vector<int> strandMembers(const rig::Skeleton& skeleton, const scene::Layer& layer, int root);

/// The first axis across a link of that direction, both in the joint's axes: the one of them that lies least along the link, and
/// what "first axis" means to a person who looks at the rig.
Vec3 crossAxis(const Vec3& direction);

/// The strand that `root` begins; without links when its joints have no length.
StrandJoints strandJoints(const rig::Actor& actor, const scene::Layer& layer, const PoseView& rest, int root);

}  // namespace nutatio::layers::strand
