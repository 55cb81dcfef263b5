// What Balance found and shows: where the weight of a body lies.
#pragma once

#include "layers/showing.h"
#include "layers/told.h"

namespace nutatio::layers::balance {

/// How a body's weight lies in a shot: places in its actor's world [units], by frame.
struct Weighed : Notes {
    /// Frames in the air, both included, with the pull [m/s^2] that its centre of mass shows there below and above the layer.
    struct Flight {
        int from = 0, to = 0;
        double before = 0, after = 0;
    };
    /// A group of joints that the layer moves, and how far it moves any of them at most [deg; a place: cm].
    struct Turned {
        std::string name;
        double most = 0;
        bool goes = false;     // by a way, not by a turn
        double saturated = 0;  // share of the frames in which it could give no more
    };
    std::vector<Vec3> below, above;          // the centre of mass
    std::vector<Vec3> pressure;              // where the ground, or what it grips, would have to push, above the layer
    std::vector<std::vector<Vec3>> support;  // round what stands on the floor; empty in the air
    std::vector<double> beyond;              // how far below that lies beyond what holds it up about that frame [m]
    bool doubtful = false;                   // what holds it up is not known
    std::vector<double> floor;               // its height [m, in the world]
    std::vector<Flight> flights;
    std::vector<Turned> turned;
};

extern const Showing kShowing;

}  // namespace nutatio::layers::balance
