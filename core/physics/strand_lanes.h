// What the strand kernel works on: one struct of packs a link. Offsets at W = 2 number the fields for everybody else.
#pragma once

#include "physics/contact_lanes.h"

namespace {

namespace lanes {

constexpr double kBeyond = 1.05;  // where a stretched link stops dead, against where a stiff spring begins to hold it

template <int W>
struct Link {
    // What it is.
    Pack<W> alive;  // 1, or 0 for a link that this lane does not have
    Pack<W> length, inverseLength, mass, twistInertia, lightest, radius, drag;
    V3<W> direction, axisU, axisV, attach;  // in the joint's axes; U and V cross the link
    Pack<W> stiffU, stiffV, stiffT, dampU, dampV, dampT;
    // Of bending: the cosine beyond which limits have anything to do; by side, about U and V, the cotangent of half the most; how
    // much of the way that is left an eased one gives way to [1/s], 0 for a hard one.
    Pack<W> bendFrom, bendU, bendBackU, bendV, bendBackV, bendEase;
    Pack<W> twistMost;
    Pack<W> carried, stretchStiff, stretchDamp, stretchMost;  // carried: the weight beyond it; most: a length
    Pack<W> pinStiff, pinDamp;
    V3<W> pinLever, pinPlace, pinVelocity;  // lever in the joint's axes
    V3<W> air;                              // how the air moves here
    Pack<W> catches;                        // extra drag while it does
    V3<W> pull;                             // acceleration of its own, on top of gravity
    // Where the body wants it, within one step.
    Q4<W> goal0, goal1;
    V3<W> goalSpin;
    // State.
    Q4<W> q;
    V3<W> d, x, v, w;
    Pack<W> tension, reach, reachSpeed;
    // Within a step.
    V3<W> dbar, shift;
    Pack<W> lever;
    Sym<W> J, M, D, C;
    Rows<W> H;
    V3<W> pt, pf, u, s, vMid, wMid, y, z;
    Pack<W> c, e, share, stretchSpeed;
    // Of a strand that lies on something: where its end lay when it last moved about, and its state a step ago.
    V3<W> bed;
    struct {
        Q4<W> q;
        V3<W> d, v, w;
        Pack<W> reach, reachSpeed;
    } before;
};

template <int W>
struct Base {
    Q4<W> turn0, turn1;
    V3<W> place0, place1, velocityEnd, gravity;
    Pack<W> calm;  // [s] for which the strand has lain on something with nothing about it moving
};

}  // namespace lanes
}  // namespace

namespace nutatio::physics {

enum Feature : unsigned {
    kShaped = 1,
    kStretches = 2,
    kBendLimit = 4,
    kTwistLimit = 8,
    kPinned = 16,
    kAired = 32,
    kOffLine = 64,
    kMovingGoals = 128,
    kPulled = 256
};

/// Everything one step of a batch needs, in plain arrays.
struct StepArgs {
    int links = 0;
    const int* parents = nullptr;
    double h = 0;
    unsigned features = 0;
    double* link = nullptr;  // lanes::Link<W>[links]
    double* base = nullptr;  // lanes::Base<W>
    int bodies = 0;
    const int* bodyKinds = nullptr;
    double* body = nullptr;           // lanes::Body<W>[bodies]
    const double* allowed = nullptr;  // Pack<W>[links][bodies]: how deep each link may be in each body
    int* met = nullptr;               // room for `bodies` numbers: those that some lane may meet
};
using StepFunction = void (*)(const StepArgs&);

void stepLanes2(const StepArgs&);
void stepLanes4(const StepArgs&);
void stepLanes8(const StepArgs&);

}  // namespace nutatio::physics
