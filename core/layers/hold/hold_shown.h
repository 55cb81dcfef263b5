// What Hold found and shows: where joints are held.
#pragma once

#include "layers/showing.h"
#include "layers/told.h"

namespace nutatio::layers::hold {

/// A stretch of frames, both included, over which a joint is held where it stands.
struct Held {
    int joint = rig::kNoJoint;
    int from = 0, to = 0;
    Vec3 place = Vec3::Zero();     // of the joint, in the actor's world [units]
    double before = 0, after = 0;  // the farthest that it slides from its middle, below and above the layer [units]
    bool set = false;              // by hand
    Vec3 spot = Vec3::Zero();      // that is held, in the joint's axes [units]
    bool goesOn = false;           // over the seam of a loop, as its first one
    double near = 0;               // how near to where it stands it counts as standing [units]; 0: set by hand
};

struct Contacts : Notes {
    std::vector<Held> held;
};

extern const Showing kShowing;

}  // namespace nutatio::layers::hold
