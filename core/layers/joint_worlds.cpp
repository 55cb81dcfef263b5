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
    m_locals.resize(m_order.size());
    m_turns.resize(m_order.size());
    m_turned.resize(m_order.size());
    m_moved.resize(m_order.size());
}

void JointWorlds::update(const PoseView& pose) {
    // Run for each joint and frame: all arrays are as long as m_order, and slots of parents lie within.
    const int* order = m_order.data();
    auto* moved = m_moved.data();
    auto* turned = m_turned.data();
    Xform* locals = m_locals.data();
    Affine* worlds = m_worlds.data();
    for (std::size_t i = 0, n = m_order.size(); i < n; ++i) {
        const int j = order[i], p = m_skeleton.joint(j).parent;
        const Xform& local = pose.local(j);
        moved[i] = m_fresh || (p != rig::kNoJoint && moved[slot(p)]) || !(local == locals[i]);
        if (!moved[i]) continue;
        locals[i] = local;
        turned[i] = false;
        worlds[i] = p == rig::kNoJoint ? local.affine() : worlds[slot(p)] * local.affine();
    }
    m_fresh = false;
}

void JointWorlds::swapPoses(JointWorlds& other) {
    m_worlds.swap(other.m_worlds);
    m_locals.swap(other.m_locals);
    m_turns.swap(other.m_turns);
    m_turned.swap(other.m_turned);
    std::swap(m_fresh, other.m_fresh);
}

const Quat& JointWorlds::turn(int joint) const {
    const std::size_t at = slot(joint);
    Quat& turn = m_turns.data()[at];
    if (char& known = m_turned.data()[at]; !known) {
        turn = rotationOf(m_worlds[at].m);
        known = true;
    }
    return turn;
}

const Quat& JointWorlds::turnAbove(int joint) const {
    const int p = m_skeleton.joint(joint).parent;
    return p == rig::kNoJoint ? m_noTurn : turn(p);
}

const Affine& JointWorlds::above(int joint) const {
    const int p = m_skeleton.joint(joint).parent;
    return p == rig::kNoJoint ? m_identity : m_worlds.data()[slot(p)];
}

Xform turnedInWorld(const Xform& local, const Affine& above, const Quat& turnBy) {
    return turnedInWorld(local, above, rotationOf(above.m), turnBy);
}

Xform turnedInWorld(const Xform& local, const Affine& above, const Quat& turnAbove, const Quat& turnBy) {
    // Under A = O S (O orthogonal, mirrored when det < 0): A^-1 exp(v) A = exp(det(O) O^T v). rotationOf flips x of a mirrored
    // frame.
    Vec3 v = turnAbove.conjugate() * rotationVector(turnBy);
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
