// Where bodies and layers may be in the course of a shot: a body that cannot come near a layer is none of its inputs.
#pragma once

#include <map>
#include <unordered_map>
#include <vector>

#include "base/hash.h"
#include "base/maths.h"

namespace nutatio::pipeline {

struct Climber;
struct ItemsOfShot;
struct BodyOfShot;

/// Boxes that places keep to in stretches of one shot, made once for each motion of what carries them.
class Sweeps {
  public:
    /// By stretch [m, in the world], with what a place may overshoot between frames.
    using Boxes = std::vector<Eigen::AlignedBox3d>;
    using Memo = std::map<Key, Boxes>;

    explicit Sweeps(Memo& memo) : m_memo(memo) {}
    /// Whether a body may come within `reach` [units of `layer`] of a place that one of `bases` keeps to, in any stretch.
    /// `carrier`: the actor that it rides on; null: the world.
    bool meet(const BodyOfShot& body, const Climber* carrier, const std::vector<const Boxes*>& bases, const Climber& layer,
              double reach);
    /// Of a place in the axes of a joint.
    const Boxes& of(const Climber& climber, int joint, const Vec3& local = Vec3::Zero());

  private:
    Memo& m_memo;
    /// The same body is looked at by every layer; its way changes only when a layer moves what carries it.
    std::unordered_map<const BodyOfShot*, std::pair<Key, const Boxes*>> m_ofBodies;
};

}  // namespace nutatio::pipeline
