// How a body's weight lies in a motion: its centre of mass, what stands, what grips, and when it is in the air.
#pragma once

#include "layers/descent.h"
#include "layers/layer_kind.h"
#include "rig/figure.h"
#include "rig/flight.h"
#include "rig/mass.h"
#include "rig/outer.h"
#include "rig/roles.h"
#include "rig/sole.h"

namespace nutatio::layers::balance {

/// A stretch that is read on beyond its ends where it goes round: one lap before it and one after.
struct Laps {
    int frames = 1;  // of the stretch
    bool round = false;
    Affine onward{};  // by which its last frame stands off its first: of a body that goes [m, in the world]

    int size() const { return round ? 3 * (frames - 1) + 1 : frames; }
    int first() const { return round ? frames - 1 : 0; }  // of the stretch itself
    int source(int i) const { return round ? i % (frames - 1) : i; }
    int lapOf(int i) const { return round ? i / (frames - 1) - 1 : 0; }  // -1: the one before
    /// A place or outline of the stretch where it is in a lap.
    Vec3 moved(const Vec3& p, int lap) const {
        return lap == 0 ? p : lap > 0 ? moved(onward.apply(p), lap - 1) : onward.inverse().apply(p);
    }
    /// Places, the last of them where the first one comes round to.
    std::vector<Vec3> laidOut(std::vector<Vec3> v) const {
        if (round) v.back() = onward.apply(v.front());
        std::vector<Vec3> out;
        for (int i = 0; i < size(); ++i) out.push_back(moved(v[static_cast<std::size_t>(source(i))], lapOf(i)));
        return out;
    }
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
    std::vector<rig::OuterPoint> outer;  // of its flesh
    double leg = 1;                      // [units] along its bones at rest
    double tall = 1;                     // [m] as it stands
    double pull = 1;                     // of the earth, in times of it: more where the file's unit makes a giant of a figure

    explicit Weights(const LayerContext& context);
};

/// One stretch of a motion, frame by frame; places in the world [m], y up.
struct Weighing {
    std::vector<std::vector<Affine>> worlds;    // of the actor [units]
    std::vector<Vec3> centre;                   // of mass
    std::vector<std::vector<Vec3>> standing;    // corners of soles that stand
    std::vector<std::vector<Vec3>> byFloor;     // points of its skin by the floor, however quick: in a clip in place feet slide
    std::vector<double> floor;                  // height
    std::vector<std::array<char, 2>> gripping;  // left and right hand
    std::vector<char> hangs;                    // by its hands alone
    Laps laps;
    std::vector<rig::Flight>
        flights;  // in frames of laps; no steps of a gait: of kShortest seconds and more; in a loop of kShortestHop, in one that steps
                                       // of kShortestStep
    static constexpr double kShortest = 0.2, kShortestHop = 0.25, kShortestStep = 0.35;
    bool doubtful = false;  // next to nothing of it is ever by the floor

    Weighing(const LayerContext& context, const Weights& weights, const rig::Track& track, const Stretch& over,
             const Cancel& cancel);
};

}  // namespace nutatio::layers::balance
