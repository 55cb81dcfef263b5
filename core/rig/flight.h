// When a body is in the air, told by how its centre of mass falls.
#pragma once

#include <vector>

#include "rig/path.h"

namespace nutatio::rig {

/// Frames in the air, both included: those before and after them touch the ground. `pull`: what a parabola through them falls
/// with [m/s^2].
struct Flight {
    int from = 0, to = 0;
    double pull = 0;
};

/// The stretches in which a body falls and no foot is down: frames in which its centre of mass falls with more than 0.25 g and
/// its lowest foot is higher than 1.5 cm, if in one of them it falls with more than 0.6 g and that foot is higher than 3 cm, or
/// higher than 10 whatever it falls with; and those beside them in which it is higher than 6. 0.08 s at least. `centre` [m, y
/// up]; `lowest` [m]: of its lowest foot over the floor; `gripped`: whether a hand holds it, as it then is in no flight however
/// it falls; `scale`: its leg against one of 0.9 m.
std::vector<Flight> flightsOf(const PlacePath& centre, const std::vector<double>& lowest, const std::vector<char>& gripped,
                              double fps, double scale);

/// What a parabola through a flight's frames falls with [m/s^2], through those on the ground beside it too where they are few.
double pullOf(const PlacePath& centre, const Flight& flight, double fps);

/// The pull [m/s^2] that a parabola through the heights of frames `from` to `to` shows, three at least; 0 where there are fewer.
double pullOf(const PlacePath& centre, int from, int to, double fps);

}  // namespace nutatio::rig
