// The facet of acts: what a layer asks of a body, for whoever carries it out.
#pragma once

#include <array>
#include <string>
#include <vector>

#include "scene/tuned.h"

namespace nutatio::layers {

/// What one act asks, its settings read once; those that change are asked of `settings`, which must outlive it, frame by frame.
struct Doing {
    enum class What { Reach, Look, Hold, Leap, Push, Limp, Recover };
    enum class Starts { OnTime, AfterTheOneBelow, OnTouch, WhenNear };
    enum class Turning { On, Stops, AsAsked };
    What what = What::Reach;
    Starts starts = Starts::OnTime;
    Turning turning = Turning::On;  // in flight
    bool toPlace = false;           // it leaps so that it is at the place when its interval ends
    bool byLegs = false;            // it extends them to leap
    std::vector<std::string> joints;
    std::string to;                             // mount that it aims at, as text; empty: the place
    std::string onto;                           // id of the body whose nearest point it reaches for; may be empty
    double near = 0;                            // [m] from what it aims at, where it starts
    double height = 0;                          // [m] of a leap
    double crouch = 0, crouchFrames = 0;        // in lengths of its legs; how long that takes
    double effort = 0;                          // the most its legs push with, in weights of the body
    double spin = 0;                            // [rad/s] in flight, forwards
    Vec3 push = Vec3::Zero();                   // [m/s] that a push gives the body
    scene::Resolved::Number force, strength;    // in weights of the body; share of the layer, by frame
    std::array<scene::Resolved::Number, 3> at;  // the place [m]

    Vec3 place(int frame) const { return {at[0].at(frame), at[1].at(frame), at[2].at(frame)}; }
};

struct Deed {
    /// The choice that tells what a layer does, shown beside its name: there are several alike.
    std::string_view sort;
    Doing (*doing)(const scene::Resolved&) = nullptr;
};

}  // namespace nutatio::layers
