// Settings that make the Scope's curve what somebody drags it to.
#pragma once

#include <map>
#include <string>

#include "measure/response.h"

namespace nutatio::measure {

/// What is wanted of the answer to a push. Members below 0 are left as they are.
struct Wanted {
    double overshoot = -1;  // share of the step; 0: none
    double peakTime = -1;   // [s]
    double sag = -1;        // [rad] or [units], as the response measures it
};

/// New numbers by setting, found by measuring: each try runs the solver. They stay within the table's ranges, so the nearest that
/// can be reached is given. Empty when the layer cannot be measured. Source: regula falsi on the damping ratio, and the
/// peak time of a damped oscillator, t = 1 / (2 f sqrt(1 - zeta^2)), for the swing rate.
std::map<std::string, double> settingsFor(const layers::LayerKind& kind, const layers::LayerContext& context,
                                          const std::vector<Xform>& pose, const Wanted& wanted, const Cancel& cancel = {},
                                          int joint = rig::kNoJoint);

}  // namespace nutatio::measure
