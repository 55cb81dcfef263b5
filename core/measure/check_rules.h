// The rules that a check goes through, each for one actor.
#pragma once

#include <functional>

#include "measure/check.h"
#include "rig/sides.h"
#include "rig/surface.h"

namespace nutatio::measure {

/// What rules share: made once an actor.
struct Checked {
    const scene::ActorEntry& entry;
    const rig::Actor& actor;
    const rig::Skeleton& skeleton;
    std::vector<Affine> worlds;  // of the rest pose
    rig::Surface surface;
    rig::Sides sides;
    std::vector<double> carried;  // by joint: the sum of the weights of what follows it alone
    std::vector<char> keyed;      // by joint: some clip moves it
    double h;                     // height [units]
    double millimetres;           // a unit

    explicit Checked(const scene::ActorEntry& entry);
    std::string name(int joint) const;
    Finding about(std::string_view kind, Severity severity, int joint) const;
};
using Rule = void (*)(const Checked&, std::vector<Finding>&, const Cancel&);

/// Skeletons: names, unit, up-axis, zero-length, scale, moves-nothing, left-right, uneven-chain, stray-end, unreached.
void checkSkeleton(const Checked& on, std::vector<Finding>& out, const Cancel& cancel);
/// Skins: weights-sum, influences, pivot, stray-weights, carries-much.
void checkSkin(const Checked& on, std::vector<Finding>& out, const Cancel& cancel);
/// Clips: pop, flip, seam, first-frame, pivot-travel.
void checkClips(const Checked& on, std::vector<Finding>& out, const Cancel& cancel);

/// Parts and maps that are marked rigid, in every clip: deformed.
void checkRigid(const Checked& on, std::vector<Finding>& out, const Cancel& cancel);

/// "x y z" of a place, for an operation.
std::string written(const Vec3& place);

/// 0 of nothing.
double quantile(std::vector<double> values, double q);
inline double median(std::vector<double> values) {
    return quantile(std::move(values), 0.5);
}

/// "3.2", "12": a number for a sentence.
std::string shortNumber(double v);

}  // namespace nutatio::measure
