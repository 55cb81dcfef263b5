// The way that a body's weight ought to take: flights that fall as things fall, crouches about them, what a turn winds up and
// carries through, and where it must lie for the ground to push from where the feet are.
#pragma once

#include <vector>

#include "rig/flight.h"

namespace nutatio::layers::balance {

/// Up from 0 at `a` to 1 at `b` and down to 0 at `c`, without a jump in speed or acceleration; all in frames.
double bump(double t, double a, double b, double c);

/// What makes flights fall by `gravity` [m/s^2] between the places that they leave and reach: for each frame a way [m]. The
/// centre goes by c + v0 t - g t^2/2 there, and on a straight line level with the ground. What its speed then differs by from
/// that of the frames on the ground is worked off over `work` seconds before and after it, by dv n dt p(u), p(u) = -4 u^3 + 7 u^4
/// - 3 u^5 with u from 0 far from the flight to 1 at it: place and speed meet there.
std::vector<Vec3> fallingOffsets(const rig::PlacePath& centre, const std::vector<rig::Flight>& flights, double gravity,
                                 double fps, double work);

/// A stretch over which a body turns about the upright one way.
struct Turning {
    int from = 0, to = 0;
    double middle = 0;  // frame by which half of it is turned
    double angle = 0;   // [rad]
};

/// Where the heading [rad, unwrapped] goes one way faster than 15 degrees a second; its core, where it is faster than a fifth of
/// its peak; turns of `least` radians and more.
std::vector<Turning> turningsOf(const std::vector<double>& heading, double fps, double least);

/// How far what is carried turns against the body [rad] at a frame: back by `windUp` of the turn over `before` frames ahead of
/// it, and on by `carry` of it until `after` frames behind it.
double counterTurn(const Turning& turn, double frame, double windUp, double before, double carry, double after);

/// The offset d of a mass whose pressure point then moves by `asked`: d - (height / g) d'' = asked, by frame, between `held` ends
/// (0 there) or ends at which it is level. `height` [units of nothing else than themselves] over `gravity` [the same a second
/// squared]. Kajita et al., Biped walking pattern generation by preview control of zero-moment point, ICRA 2003, eq. 5.
std::vector<double> offsetForPressure(const std::vector<double>& asked, const std::vector<double>& height, double gravity,
                                      double fps, bool heldBefore, bool heldAfter);

/// The outline of points on a plane, against the clock as y is seen from x.
std::vector<Eigen::Vector2d> hullOf(std::vector<Eigen::Vector2d> points);

/// The nearest place of an outline widened by a share about its middle.
Eigen::Vector2d nearestIn(const std::vector<Eigen::Vector2d>& hull, const Eigen::Vector2d& p, double margin);

}  // namespace nutatio::layers::balance
