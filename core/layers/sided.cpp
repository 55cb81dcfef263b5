#include "layers/sided.h"

namespace nutatio::layers {

Sided::Sided(const rig::Actor& actor)
    : m_sides(rig::sidesOf(actor)), m_left(rig::leftOf(actor.skeleton, m_sides.worlds, m_sides)) {}

int Sided::fellow(int joint) const {
    const int other = joint == rig::kNoJoint ? joint : m_sides.fellow[static_cast<std::size_t>(joint)];
    return other == rig::kNoJoint ? joint : other;
}

bool Sided::right(int joint) const {
    return fellow(joint) != joint && (m_sides.worlds[static_cast<std::size_t>(joint)].t - m_sides.point).dot(m_left) < 0;
}

Mat3 Sided::seen(int mine, int theirs) const {
    const auto axes = [&](int joint) {
        return joint == rig::kNoJoint ? Mat3(Mat3::Identity())
                                      : rotationOf(m_sides.worlds[static_cast<std::size_t>(joint)].m).toRotationMatrix();
    };
    const Mat3 mirror = Mat3::Identity() - 2 * m_sides.normal * m_sides.normal.transpose();
    return axes(mine).transpose() * mirror * axes(theirs);
}

}  // namespace nutatio::layers
