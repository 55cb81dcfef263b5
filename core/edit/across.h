// From one side of a body to the other.
#pragma once

#include <array>
#include <functional>
#include <string>
#include <vector>

#include "rig/sides.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// Across one actor's plane, as it stands where the shot on show begins.
struct Across {
    Across(const scene::Scene& scene, const scene::ActorEntry& entry);

    /// kNoJoint where there is none.
    int fellow(const std::string& joint) const;
    /// Of the fellow. Throws Error where there is none.
    std::string reference(const std::string& joint) const;
    Quat turnOf(int joint) const { return rotationOf(sides.worlds[static_cast<std::size_t>(joint)].m); }
    /// A mount on this actor, on its other side; one elsewhere stays. Throws Error where there is none.
    scene::Mount mount(const scene::Mount& mount) const;
    /// An offset in the axes of `joint`, in those of its fellow.
    Vec3 offset(int joint, const Vec3& v) const;
    /// A place in the world [m].
    Vec3 place(int joint, const Vec3& p) const;
    /// A body's turn [deg, rotation vector]. It keeps its y where that is mirrored to; its x, about which all shapes are even, is
    /// turned back, so that it stays a turn.
    Vec3 turned(int joint, const Vec3& degreesIn) const;
    /// The same in the axes of a mount: those of a spot are the actor's in the rest pose.
    Vec3 offset(const scene::Mount& mount, const Vec3& v) const;
    Vec3 turned(const scene::Mount& mount, const Vec3& degreesIn) const;
    double heading(double deg) const;
    /// A way, or with `turn` a rotation vector, that a channel of `joint` holds in axes of its own, of what it hangs on, or of
    /// the world ("own", "parent", "world"), as its fellow's channel holds its picture.
    Vec3 channel(int joint, const std::string& axes, bool turn, const Vec3& v) const;

    const scene::ActorEntry& entry;
    rig::Sides sides;
    std::vector<Affine> standing;

  private:
    Vec3 turned(const Quat& from, const Quat& to, const Vec3& degreesIn) const;
    Vec3 way(int joint, const Vec3& v) const;
};

/// Keys of three settings that make a vector, in every shot: see mapKeys.
void mapVectorKeys(scene::Scene& scene, const scene::Owner& owner, const std::array<std::string, 3>& settings, const Vec3& plain,
                   const std::function<Vec3(const Vec3&)>& map);
/// Keys of three numbers that make a vector, mapped at each time that any of them has a key. `plain`: what numbers
/// without keys are. Keys keep how they ease; where those of one time ease otherwise, x counts before y before z, and slopes set
/// by hand before all.
std::array<scene::Keys, 3> mapKeys(const std::array<const scene::Keys*, 3>& keys, const Vec3& plain,
                                   const std::function<Vec3(const Vec3&)>& map);

}  // namespace nutatio::edit
