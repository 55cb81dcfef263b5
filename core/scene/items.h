// The tables of what stands in the roster, tuned like a layer's settings: actors' places, colliders, winds, pins and gauges.
#pragma once

#include <functional>

#include "scene/scene.h"

namespace nutatio::scene {

Table actorTable();
/// Of a set piece that one's; else where an actor stands.
Table actorTable(const ActorEntry& actor);
Table colliderTable();
Table windTable();
Table pinTable();
Table gaugeTable();
/// The unit of what a gauge reads.
Unit unitOf(const Gauge& gauge);

/// Whether the row counts for this thing: see SettingSpec::only.
bool counts(const SettingSpec& row, const Tuned& tuned);

/// A collider's numbers, read for one frame. Lengths in the units of the actor it rides on, in metres in the world.
struct ColliderNumbers {
    Shape shape = Shape::Sphere;
    double radius = 0.1;
    double radiusEnd = 0.1;       // of a capsule, at its end along its own +y
    double length = 0.2;          // capsule: between its two centres, along its own y
    Vec3 size = Vec3::Zero();     // of a box, from side to side
    Vec3 offset = Vec3::Zero();   // centre, in the joint's axes
    Vec3 turnDeg = Vec3::Zero();  // rotation vector of its own axes in the joint's [deg]; a plane faces its own +y
    double friction = 0.2;        // Coulomb's coefficient: 0 ice, 1 rubber

    /// Of a ball round it, about its middle; a plane has none.
    double reach() const;
};
ColliderNumbers numbersOf(const Resolved& settings, int frame = 0);
ColliderNumbers numbersOf(const Collider& collider);

/// Unit vector that a wind blows along, from its heading and rise [deg].
Vec3 windDirection(double headingDeg, double riseDeg);
/// Sets heading and rise of a wind from a direction of any length but 0.
void setWindDirection(Wind& wind, const Vec3& direction);

}  // namespace nutatio::scene
