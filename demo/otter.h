// The otter pilot of the night ferry: joints, shape and clips, all from code. Metres, y up, facing +z.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "demo/gltf_builder.h"

namespace nutatio::demo {

/// Joints by name, with places in the rest pose. All joints' axes are the world's in the rest pose.
struct OtterRig {
    std::map<std::string, int> number;
    std::vector<Vec3> place;
    std::vector<int> parent;
    std::vector<std::string> name;

    int operator[](const std::string& joint) const { return number.at(joint); }
    const Vec3& at(const std::string& joint) const { return place[static_cast<std::size_t>(number.at(joint))]; }
    std::vector<Xform> restPose() const;
};

OtterRig addOtterJoints(GltfBuilder& b);
void addOtterMeshes(GltfBuilder& b, const OtterRig& rig);
void addOtterClips(GltfBuilder& b, const OtterRig& rig);
/// What it does about a boat, in a file of its own.
void addLakesideClips(GltfBuilder& b, const OtterRig& rig);
/// The jetty: planks with their top at y = 0, posts, a rope coil.
void buildJetty(GltfBuilder& b);
/// A flat boat that lies before the jetty's end, its deck at y = -0.26; from its post a rope hangs slack to the jetty: joints
/// "boat", "rope_01" .. "rope_10".
void buildBoat(GltfBuilder& b);
/// The float of a net: a painted ball with a pennant on a stick.
void buildFloat(GltfBuilder& b);
/// The deckhand, hauling a rope: a BVH file's text.
std::string deckhandBvh();

}  // namespace nutatio::demo
