// What is drawn of an actor: meshes bound to joints, their skins, materials and pictures.
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "base/maths.h"
#include "base/shared.h"

namespace nutatio::rig {

struct MorphTarget {
    std::vector<Vec3f> positions;  // offsets, one a vertex; may be empty
    std::vector<Vec3f> normals;
};

/// Up to eight joints a vertex; weights sum to 1.
struct Influence {
    std::array<std::uint16_t, 8> joint{};
    std::array<float, 8> weight{};
};

/// What a file's skin weights were like, before they were made to sum to 1.
struct WeightsRead {
    int off = 0;      // vertices whose weights do not sum to 1
    int none = 0;     // vertices without any
    float worst = 1;  // the sum that is farthest from 1
};

/// Whoever edits one of its lists copies that list alone: an undo of a stroke keeps weights, not meshes.
struct Primitive {
    Shared<std::vector<Vec3f>> positions;
    Shared<std::vector<Vec3f>> normals;  // always as many as positions: computed when the source has none
    Shared<std::vector<Vec2f>> uvs;      // may be empty
    Shared<std::vector<Vec4f>> colours;  // linear; may be empty
    Shared<std::vector<Influence>> influences;
    WeightsRead weightsRead;
    bool weighed = false;                          // they are other than the file's: hand-off writes them
    Shared<std::vector<std::uint32_t>> triangles;  // three a triangle
    Shared<std::vector<MorphTarget>> morphs;
    int material = -1;
};

struct Mesh {
    std::string name;
    std::vector<Primitive> primitives;
    std::vector<float> weights;        // rest weight of each morph target
    std::vector<std::string> targets;  // names of morph targets; may be fewer than there are
};

struct Skin {
    std::vector<int> joints;
    std::vector<Affine> inverseBind;
    bool rebound = false;  // joints or matrices are other than the file's: hand-off writes them
};

/// A mesh hung on a joint, drawn through a skin when it has one.
struct MeshInstance {
    int joint = 0;
    int mesh = 0;
    int skin = -1;
};

struct Material {
    Vec4f colour = Vec4f::Ones();
    int image = -1;
    bool blend = false;
    bool doubleSided = false;
    float alphaCutoff = -1;  // < 0: none
};

/// A picture as it stood in the file, still packed (PNG or JPEG).
struct PackedImage {
    std::string name;
    std::shared_ptr<const std::vector<std::uint8_t>> bytes;
};

/// Vertices of one primitive of one instance, in world space, for one pose.
struct PosedVertices {
    std::vector<Vec3f> positions;
    std::vector<Vec3f> normals;
};

struct Actor;
/// Offsets of some vertices in bind space, on top of the morphs.
struct MovedVertices {
    const std::vector<std::uint32_t>* vertices = nullptr;  // null: none
    const Vec3f* offsets = nullptr;                        // as many
};
/// What a joint does to vertices in bind space: p -> m p + t.
struct Bone {
    Eigen::Matrix3f m;
    Vec3f t;
};
/// One bone a joint of the instance's skin, then the joint the instance hangs on: what is not skinned follows that one.
/// glTF 2.0, 3.7.3.3: a skinned mesh ignores its own node; joint world x inverse bind places it.
std::vector<Bone> bonesOf(const Actor& actor, const MeshInstance& instance, const std::vector<Affine>& worlds);

/// Morph weights and moved vertices applied in bind space; false when nothing moves: `out` is left as it was. `weights` may be
/// empty: the rest weights.
bool bend(const Actor& actor, const MeshInstance& instance, const Primitive& primitive, const std::vector<float>& weights,
          const MovedVertices& moved, PosedVertices& out);

/// Bends, then follows the bones of the pose whose world transforms are `worlds`.
void poseVertices(const Actor& actor, const MeshInstance& instance, const Primitive& primitive, const std::vector<Affine>& worlds,
                  const std::vector<float>& weights, PosedVertices& out, const MovedVertices& moved = {});

}  // namespace nutatio::rig
