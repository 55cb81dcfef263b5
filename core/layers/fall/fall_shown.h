// What Fall found and shows: the way of what is thrown.
#pragma once

#include "layers/showing.h"
#include "layers/told.h"

namespace nutatio::layers::fall {

/// The way of what falls as one rigid thing.
struct Thrown : Notes {
    int from = 0;               // frame in which it begins
    int touch = -1;             // in which it touches first; below 0: in none
    Vec3 rests = Vec3::Zero();  // where its centre is without the layer, as it begins [m, in the world]
    std::vector<Vec3> places;   // of its centre, by frame from there on
};

extern const Showing kShowing;

}  // namespace nutatio::layers::fall
