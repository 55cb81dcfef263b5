#include "layers/joint_worlds.h"

namespace nutatio::layers {

JointWorlds::JointWorlds(const rig::Skeleton& skeleton, const std::vector<int>& wanted)
    : m_skeleton(skeleton), m_slot(static_cast<std::size_t>(skeleton.size()), -1) {
    std::vector<int> way;
    for (int j : wanted) {
        way.clear();
        for (; j != rig::kNoJoint && m_slot[static_cast<std::size_t>(j)] < 0; j = skeleton.joint(j).parent) {
            way.push_back(j);
            m_slot[static_cast<std::size_t>(j)] = 0;
        }
        for (auto w = way.rbegin(); w != way.rend(); ++w) {
            m_slot[static_cast<std::size_t>(*w)] = static_cast<int>(m_order.size());
            m_order.push_back(*w);
        }
    }
    m_worlds.resize(m_order.size());
}

void JointWorlds::update(const PoseView& pose) {
    for (std::size_t i = 0; i < m_order.size(); ++i) {
        const int j = m_order[i], p = m_skeleton.joint(j).parent;
        m_worlds[i] = p == rig::kNoJoint ? pose.local(j).affine() : m_worlds[slot(p)] * pose.local(j).affine();
    }
}

const Affine& JointWorlds::above(int joint) const {
    const int p = m_skeleton.joint(joint).parent;
    return p == rig::kNoJoint ? m_identity : m_worlds[slot(p)];
}

Xform turnedInWorld(const Xform& local, const Affine& above, const Quat& turnBy) {
    // Under A = O S (O orthogonal, mirrored when det < 0): A^-1 exp(v) A = exp(det(O) O^T v). rotationOf flips x of a mirrored
    // frame.
    Vec3 v = rotationOf(above.m).conjugate() * rotationVector(turnBy);
    if (above.m.determinant() < 0) v = Vec3(v.x(), -v.y(), -v.z());
    Xform x = local;
    x.r = (fromRotationVector(v) * local.r).normalized();
    return x;
}

ColliderPlace placeCollider(const scene::ColliderNumbers& c, const Affine& world) {
    const Quat joint = rotationOf(world.m);
    return {world.t + joint * c.offset, joint * fromRotationVector(c.turnDeg * radians(1))};
}

physics::Body bodyOf(const scene::ColliderNumbers& c, const ColliderPlace& at) {
    physics::Body b;
    b.kind = c.shape == scene::Shape::Plane ? physics::Body::Kind::Plane
             : c.shape == scene::Shape::Box ? physics::Body::Kind::Box
                                            : physics::Body::Kind::Round;
    const bool capsule = c.shape == scene::Shape::Capsule;
    const Vec3 half = capsule ? Vec3(0.5 * c.length * (at.turn * Vec3::UnitY())) : Vec3(Vec3::Zero());
    b.a = at.centre - half;
    b.b = at.centre + half;
    b.turn = at.turn;
    b.radiusA = c.radius;
    b.radiusB = capsule ? c.radiusEnd : c.radius;
    b.half = 0.5 * c.size;
    b.friction = c.friction;
    return b;
}

}  // namespace nutatio::layers
