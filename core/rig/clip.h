// Animation as the source holds it: curves on joints.
#pragma once

#include <string>
#include <vector>

#include "base/maths.h"

namespace nutatio::rig {

enum class Path { Move, Turn, Scale, Weights };
enum class Interpolation { Step, Linear, Cubic };

/// One curve: keys at `times` [s, not decreasing], `width` numbers a value; a Cubic key holds in-slope, value, out-slope.
struct Channel {
    int joint = 0;
    Path path = Path::Move;
    Interpolation interpolation = Interpolation::Linear;
    int width = 3;
    std::vector<float> times;
    std::vector<float> values;
    bool rebased = false;  // other than the file's, since a pivot was moved: hand-off writes it

    /// The curve's value at `time` [s], held before the first key and after the last. `out` has room for `width`. Turns come out
    /// unit.
    void sample(double time, double* out) const;
};

struct Clip {
    std::string name;
    double start = 0;  // [s] first key
    double end = 0;    // [s] last key
    std::vector<Channel> channels;
    bool recorded = false;  // made here: the source file does not have it, the scene file does

    double seconds() const { return end - start; }
    /// Overwrites in `locals` what the clip moves, at `time` [s].
    void pose(double time, std::vector<Xform>& locals) const;
};

}  // namespace nutatio::rig
