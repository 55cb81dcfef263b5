// Sway: cyclic or noisy motion of joints, a function of time. See README.md.
#pragma once

#include "layers/layer_kind.h"

namespace nutatio::layers::sway {

extern const LayerKind kKind;

/// Sixteen sinusoids about one rate, of root mean square 1: noise that has a rate.
struct SwayNoise {
    struct Part {
        double times;  // cycles of it against one cycle of the rate
        double size, phase;
    };
    std::vector<Part> parts;
    int left = 0;  // parts that the frame grid is too coarse for

    /// `cycles` of the rate in the shot when that loops, so that every part makes a whole number of them; 0: it does not loop.
    /// Parts of more than `most` cycles to one of the rate are left out.
    SwayNoise(std::uint64_t seed, double cycles, double most);
    /// At so many cycles of the rate since the first frame.
    double at(double cycles) const;
};

}  // namespace nutatio::layers::sway
