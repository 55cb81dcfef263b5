// What is done to an actor before anything moves it: edits of a list, made on top of what its file says. The file is never
// altered; hand-off writes into the document what the edits did.
#pragma once

#include <memory>
#include <string>

#include "base/error.h"
#include "rig/actor.h"
#include "rig/map.h"

namespace nutatio::rig {

/// One edit. Joints that were added stand behind those of the source, so that numbers of joints never change.
struct Preparation {
    /// AddChain: joints along a row of places and an end beyond the last one. MovePivot: the mesh stays where it is in the rest
    /// pose. HangOn: of a joint that was made here. Release: the skin in a region lets go of the joint. Height: of the whole
    /// actor.
    /// Role: what a joint is, where names, shape and mesh tell wrong; `name` is one of kRolesToTell.
    enum class What { Rename, AddEnd, AddHelper, AddChain, MovePivot, HangOn, Release, Paint, Height, Role };
    What what = What::Rename;
    std::string joint;              // reference, as it was when the edit was made
    std::string name;               // the new name, or that of the new joint; of a chain what its joints' names begin with
    Vec3 place = Vec3::Zero();      // of a joint, in the axes of the one it hangs on [units]
    double reach = 0.12;            // of a helper or chain, along the surface [heights]: see rig::shareOf, chainShares
    Stroke stroke{};                // of Paint: for the joint's weights
    std::vector<Vec3> row{};        // of a chain: its joints and its end, in the axes of the joint it hangs on [units]
    std::string onto{};             // of HangOn: the joint to hang on
    bool keeps = true;              // of MovePivot: clips move the mesh as before; else it turns about the new place
    std::vector<MapStep> region{};  // of Release
    double metres = 0;              // of Height: what is as tall as the rest pose [m]; lengths of the file stay as they are
    bool operator==(const Preparation&) const = default;
};

inline constexpr double kLeastHeight = 0.001, kMostHeight = 1000;  // [m]

std::string_view preparationName(Preparation::What what);
/// False when it is no edit's name.
bool preparationFromName(std::string_view name, Preparation::What& what);

/// What the joint of a chain at a place is called: "strap_01" ..., "strap_end".
std::string chainJoint(const std::string& name, std::size_t at, std::size_t joints);

/// The actor with one more edit. Errors: no such joint, an empty name, a name that another joint has, a helper that
/// reaches no skin, a joint that is to hang on itself, a region that cannot be made, a height outside kLeastHeight to
/// kMostHeight.
Result<std::shared_ptr<const Actor>> prepared(const Actor& actor, const Preparation& edit);
/// What became of a row of edits.
struct Prepared {
    std::shared_ptr<const Actor> actor;  // with those that could be made
    std::vector<std::string> problems;   // by edit: why it was not made; empty where it was
};
/// As many of a row of edits as can be made: a file that was exported anew may lack what one of them needs. A stroke that meets
/// nothing is one that was not made. Strokes that follow one another are painted in one go.
Prepared prepared(std::shared_ptr<const Actor> actor, const std::vector<Preparation>& edits);

}  // namespace nutatio::rig
