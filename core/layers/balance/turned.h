// The joints that a layer of Balance turns, and how they share what there is to do.
#pragma once

#include <string_view>
#include <vector>

#include "rig/actor.h"
#include "rig/roles.h"

namespace nutatio::layers::balance {

/// Joints that make good a share of what the body is out of balance.
struct Group {
    std::string_view row, label;
    std::vector<std::size_t> turned;  // places among the turned joints
    double most;                      // [rad] of each
    double spread;                    // how little joints of small levers are used
    int hand = -1;                    // of an arm
};

/// The joints of a layer that may turn by themselves: spine, arms, head, tail.
struct Turned {
    std::vector<int> joints;
    std::vector<Group> groups;
    std::vector<std::size_t> spine, head;
};

Turned turnedOf(const rig::Actor& actor, const rig::Roles& roles);

}  // namespace nutatio::layers::balance
