// Which joints are a body's limbs, spine, head and tail: as a person told, else by names and, failing that, by shape and mesh.
#pragma once

#include <array>
#include <string>
#include <string_view>
#include <vector>

#include "rig/actor.h"

namespace nutatio::rig {

/// What a person may tell that a joint is (see ToldRole): of a limb its top or its end, of the tail where it begins. What is not
/// of the body weighs nothing and is no segment, with all that hangs on it.
inline constexpr std::string_view kNotOfTheBody = "not of the body";
inline constexpr std::string_view kRolesToTell[] = {"head",     "tail",      "left leg",   "right leg",
                                                    "left arm", "right arm", kNotOfTheBody};

/// The words of a joint's name, in small letters: split at marks, digits and capitals, without those that most names share.
std::vector<std::vector<std::string>> wordsOf(const Skeleton& skeleton);

/// From where it leaves the body to where it ends.
struct Limb {
    std::vector<int> chain;                                  // parents first; empty: there is none
    int upper = kNoJoint, lower = kNoJoint, end = kNoJoint;  // thigh, shin, foot; upper arm, forearm, hand
    int beyond = kNoJoint;                                   // toes or a finger, where there is one
    bool found() const { return upper != kNoJoint && end != kNoJoint; }
};

struct Roles {
    bool byNames = false;  // else by shape alone: to be looked at
    int hips = kNoJoint;
    std::vector<int> spine;  // from the hips to what carries the arms, both included
    std::vector<int> neck;   // from there to the head, without either
    int head = kNoJoint;
    std::array<Limb, 2> legs, arms;  // left, right; of four legs the hind and the fore ones
    std::vector<int> tail;           // parents first
    std::array<std::vector<int>, 2> wings;
    bool fourLegged = false;  // the arms end near the floor

    bool hasLegs() const { return legs[0].found() && legs[1].found(); }
    bool hasArms() const { return arms[0].found() && arms[1].found(); }
};

/// Kept for the last few actors that were asked for; any thread.
Roles rolesOf(const Actor& actor);

/// The lowest joint that all of some joints are or hang on; kNoJoint where there is none, and where one of them is kNoJoint it is
/// passed over.
int carrierOf(const Skeleton& skeleton, const std::vector<int>& joints);
/// The one that carries hips, head and all limbs of a body: hips and spine may be brothers.
int carrierOf(const Skeleton& skeleton, const Roles& roles);
/// All that have to move for a body to move as a whole: the one that carries it, or, where its parts hang on no common joint
/// (legs that are roots), the root of each part, each once.
std::vector<int> carriersOf(const Skeleton& skeleton, const Roles& roles);

}  // namespace nutatio::rig
