// An imported character, prop or stick figure: joints, skins, meshes, clips, and the document it came from.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "base/hash.h"
#include "base/shared.h"
#include "rig/clip.h"
#include "rig/mesh.h"
#include "rig/skeleton.h"

namespace nutatio::rig {

using Bytes = std::vector<std::uint8_t>;

/// The source file as it was read, so that hand-off can give back everything it did not touch.
struct SourceDocument {
    enum class Format { Gltf, Glb, Bvh };
    Format format = Format::Gltf;
    std::string path;
    Shared<std::string> text;                           // the JSON of a glTF, or the whole BVH
    std::vector<std::shared_ptr<const Bytes>> buffers;  // a glTF's buffers, as many as its JSON lists
    Bytes otherChunks;                                  // of a .glb, after the two that glTF defines
};

/// What a person said that a joint is: one of kRolesToTell (rig/roles.h).
struct ToldRole {
    int joint = kNoJoint;
    std::string role;
    bool operator==(const ToldRole&) const = default;
};

/// Everything here is never changed after loading; scenes share it.
struct Actor {
    std::string name;
    Skeleton skeleton;
    Shared<std::vector<Mesh>> meshes;
    Shared<std::vector<Skin>> skins;
    Shared<std::vector<Material>> materials;
    Shared<std::vector<PackedImage>> images;
    Shared<std::vector<MeshInstance>> instances;
    Shared<std::vector<Clip>> clips;
    SourceDocument source;
    std::vector<std::string> warnings;
    double metresPerUnit = 1;
    std::vector<ToldRole> told;  // the later counts where two say the same of a body
    Key content;  // of everything that motion depends on
    Key picture;  // of everything that is drawn: meshes, skins, materials, pictures

    /// Height of the rest pose [units]: of the drawn meshes, or of the joints when there are none. Never 0.
    double height = 1;
    Vec3 low = Vec3::Zero(), high = Vec3::Ones();  // rest bounds [units]
    std::vector<bool> isSkinJoint;                 // by joint: some skin uses it

    std::vector<Xform> restPose() const;
    /// Bounds of the drawn meshes in a pose, or of the joints when there are none. Never empty.
    Eigen::AlignedBox3d bounds(const std::vector<Xform>& pose) const;
    /// Clip called `name`, or "#index"; -1 when there is none.
    int findClip(std::string_view name) const;
    std::string clipLabel(int clip) const;
    /// Fills `content` anew after a change of clips alone.
    void keyMotion();
    /// Fills height, bounds, isSkinJoint and the two keys from the rest.
    void finish();
};

/// World scale above each joint in the rest pose, never below 1e-9: a length in the world by it is one in local units.
std::vector<double> scalesAbove(const Actor& actor);

}  // namespace nutatio::rig
