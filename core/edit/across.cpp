#include "edit/across.h"

#include <cmath>

#include "scene/items.h"

namespace nutatio::edit {

Across::Across(const scene::Scene& s, const scene::ActorEntry& e) : entry(e), sides(rig::sidesOf(*e.actor)) {
    rig::worldTransforms(e.actor->skeleton, scene::stand(s, s.shot(), e), standing);
}

int Across::fellow(const std::string& joint) const {
    const int j = entry.actor->skeleton.find(joint);
    return j == rig::kNoJoint ? rig::kNoJoint : sides.fellow[static_cast<std::size_t>(j)];
}

std::string Across::reference(const std::string& joint) const {
    const int o = fellow(joint);
    if (o == rig::kNoJoint) throw refused("\"" + joint + "\" has no joint of its kind on the other side");
    return entry.actor->skeleton.reference(o);
}

Vec3 Across::offset(int joint, const Vec3& v) const {
    return turnOf(sides.fellow[static_cast<std::size_t>(joint)]).conjugate() * sides.mirrored(turnOf(joint) * v);
}

/// A way in the actor's world as it stands, as its joint and its fellow stand to one another.
Vec3 Across::way(int joint, const Vec3& v) const {
    const auto there = static_cast<std::size_t>(sides.fellow[static_cast<std::size_t>(joint)]);
    return rotationOf(standing[there].m) * offset(joint, rotationOf(standing[static_cast<std::size_t>(joint)].m).conjugate() * v);
}

Vec3 Across::place(int joint, const Vec3& p) const {
    const scene::Placement at = scene::placementOf(entry);
    const auto there = static_cast<std::size_t>(sides.fellow[static_cast<std::size_t>(joint)]);
    return at.toWorld(standing[there].t + way(joint, at.toOwn(p) - standing[static_cast<std::size_t>(joint)].t));
}

Vec3 Across::turned(int joint, const Vec3& degreesIn) const {
    const Mat3 world = (turnOf(joint) * fromRotationVector(degreesIn * radians(1))).toRotationMatrix();
    Mat3 other;
    for (int k = 0; k < 3; ++k) other.col(k) = sides.mirrored(world.col(k));
    other.col(0) *= -1;
    const Quat own = turnOf(sides.fellow[static_cast<std::size_t>(joint)]).conjugate() * Quat(other);
    return rotationVector(own) / radians(1);
}

double Across::heading(double deg) const {
    // The top joint is even itself: across it the world's ways are mirrored.
    const int top = entry.actor->skeleton.roots().front();
    const Quat turn = scene::placementOf(entry).turn;
    const Vec3 to = turn.conjugate() * Vec3(std::sin(radians(deg)), 0, std::cos(radians(deg)));
    const Quat toEven = turnOf(top) * rotationOf(standing[static_cast<std::size_t>(top)].m).conjugate();
    const Vec3 other = turn * (toEven.conjugate() * sides.mirrored(toEven * to));
    return Vec3(other.x(), 0, other.z()).norm() < 1e-9 ? deg : degrees(std::atan2(other.x(), other.z()));
}

Vec3 Across::channel(int joint, const std::string& axes, bool turn, const Vec3& v) const {
    // A rotation vector's picture looks the other way.
    const double sign = turn ? -1 : 1;
    if (axes == "own") return sign * offset(joint, v);
    const Quat placed = scene::placementOf(entry).turn;
    if (axes == "world") return sign * (placed * sides.mirrored(placed.conjugate() * v));
    const int above = entry.actor->skeleton.joint(joint).parent,
              other = entry.actor->skeleton.joint(sides.fellow[static_cast<std::size_t>(joint)]).parent;
    const Quat from = above == rig::kNoJoint ? Quat::Identity() : turnOf(above),
               to = other == rig::kNoJoint ? Quat::Identity() : turnOf(other);
    return sign * (to.conjugate() * sides.mirrored(from * v));
}

}  // namespace nutatio::edit
