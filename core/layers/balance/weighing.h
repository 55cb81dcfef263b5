// How a body's weight lies in a motion: its centre of mass, what stands, what grips, and when it is in the air.
#pragma once

#include "layers/descent.h"
#include "layers/layer_kind.h"
#include "rig/figure.h"
#include "rig/flight.h"
#include "rig/mass.h"
#include "rig/roles.h"
#include "rig/sole.h"

namespace nutatio::layers::balance {

/// A stretch that is read on beyond its ends where it goes round: one lap before it and one after.
struct Laps {
    int frames = 1;  // of the stretch
    bool round = false;

    int size() const { return round ? 3 * (frames - 1) + 1 : frames; }
    int first() const { return round ? frames - 1 : 0; }  // of the stretch itself
    int source(int i) const { return round ? i % (frames - 1) : i; }
    template <class T>
    std::vector<T> laidOut(const std::vector<T>& v) const {
        std::vector<T> out;
        for (int i = 0; i < size(); ++i) out.push_back(v[static_cast<std::size_t>(source(i))]);
        return out;
    }
};

/// What a body is like, whatever it does.
struct Weights {
    rig::Roles roles;
    rig::Masses masses;
    std::vector<rig::Sole> soles;
    double leg = 1;  // [units] along its bones at rest

    explicit Weights(const LayerContext& context);
};

/// One stretch of a motion, frame by frame; places in the world [m], y up.
struct Weighing {
    std::vector<std::vector<Affine>> worlds;    // of the actor [units]
    std::vector<Vec3> centre;                   // of mass
    std::vector<std::vector<Vec3>> standing;    // corners of soles that stand
    std::vector<double> floor;                  // height
    std::vector<std::array<char, 2>> gripping;  // left and right hand
    std::vector<char> hangs;                    // by its hands alone
    Laps laps;
    std::vector<rig::Flight> flights;  // in frames of laps

    Weighing(const LayerContext& context, const Weights& weights, const rig::Track& track, const Stretch& over,
             const Cancel& cancel);
};

}  // namespace nutatio::layers::balance
