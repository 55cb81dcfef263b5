// Where a thing is fixed.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "rig/actor.h"
#include "rig/spot.h"

namespace nutatio::scene {

/// A joint of an actor or set piece, a spot of its surface, or a place that the world has.
struct Mount {
    std::string actor;           // id; empty: the world
    std::string joint;           // reference; of a spot the joint that carries it most, where it is known
    std::optional<Vec3> spot{};  // of the surface, as a place of the rest pose [units, in the actor's world]: an actor that was
                                 // exported anew has other vertices at the same places
    bool turns = true;           // what is fixed there turns with it; else it goes along and keeps its turn of the rest pose

    bool world() const { return actor.empty(); }
    bool operator==(const Mount&) const = default;
};

/// A mount as a setting of one actor's layer names it: "head" is the actor's own joint, "pole@jetty" that of the actor with the
/// id "jetty"; "head@otter at 0.1 1.2 0.3" a spot; " unturned" behind any of them: it does not turn along. A name that the own
/// skeleton has is always its own. Nothing where the text is empty.
std::optional<Mount> mountIn(const rig::Skeleton& own, const std::string& ownId, const std::string& text);
std::string mountText(const Mount& mount, const std::string& ownId);

/// A mount found on its actor. As it is made: the world.
struct MountOn {
    int joint = rig::kNoJoint;  // of a spot the one that carries most of it
    std::shared_ptr<const rig::SpotRider> spot{};
    std::optional<Mat3> turn{};  // that it keeps

    /// Whose transforms place it.
    std::vector<int> joints() const;
    /// Where it stands [units, in the actor's world]: a joint's own axes; of a spot those that the actor's world has in the rest
    /// pose, turned as its triangle turns. `worldOf`: transform of a joint. What bends a surface: see SpotRider::at.
    template <class WorldOf>
    Affine at(const WorldOf& worldOf, const rig::Track* bent, int frame) const {
        Affine out;
        if (spot) {
            std::vector<Affine> carrying;
            for (int j : spot->joints()) carrying.push_back(worldOf(j));
            out = spot->at(carrying, bent, frame);
        } else if (joint != rig::kNoJoint) {
            out = worldOf(joint);
        }
        if (turn) out.m = *turn;
        return out;
    }
};
/// Nothing where there is no such joint, or no surface for a spot. Those that were found lately are remembered: a search goes
/// through all triangles.
std::optional<MountOn> found(const rig::Actor& actor, const Mount& mount);

}  // namespace nutatio::scene
