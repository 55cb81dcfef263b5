// One joint's way over a shot as a whole: read between frames, smoothed, measured. All of it looks ahead as far as back, so
// nothing comes late but what is asked to.
#pragma once

#include <vector>

#include "base/maths.h"

namespace nutatio::rig {

/// Whether a row of frames goes round (its last frame is the first again) or is held at its ends.
enum class Ends { Held, Round };

/// Turns by frame.
class TurnPath {
  public:
    /// Each turn is taken on the side of the one before it.
    TurnPath(std::vector<Quat> turns, Ends ends);

    int frames() const { return static_cast<int>(m_turns.size()); }
    Quat frame(int f) const;
    /// Between frames: the four numbers by eight taps of a Kaiser sinc (beta 6), made unit; at whole frames what stands there.
    Quat at(double frame) const;
    /// The normalised sum.
    Quat mean() const;
    /// Without what is fast: a straight line through the rotation vectors to the frames about, weighted by a Gaussian of `sigma`
    /// frames; as far as three of them. At ends that are held it takes what there is.
    Quat smooth(int f, double sigma) const;
    /// Rotation vector a second at a frame (world axes, where the turns are of the world): a parabola through the rotation
    /// vectors to the frames about, weighted by a Gaussian of `sigma` frames (Savitzky and Golay, 1964).
    Vec3 rate(int f, double sigma, double fps) const;

  private:
    std::vector<Quat> m_turns;
    Ends m_ends;
    bool m_flips = false;
};

/// Places, or any three numbers, by frame.
class PlacePath {
  public:
    PlacePath(std::vector<Vec3> places, Ends ends) : m_places(std::move(places)), m_ends(ends) {}

    int frames() const { return static_cast<int>(m_places.size()); }
    Vec3 frame(int f) const;
    Vec3 at(double frame) const;
    Vec3 smooth(int f, double sigma) const;
    /// Value, speed [1/s] and acceleration [1/s^2] of the parabola of TurnPath::rate.
    struct Fit {
        Vec3 value, speed, acceleration;
    };
    Fit fit(int f, double sigma, double fps) const;

  private:
    std::vector<Vec3> m_places;
    Ends m_ends;
};

/// How many frames `late` comes after `early`, one value (or three) a frame each: where the two are most alike, `early` read
/// between its frames as PlacePath::at does; 0 to `most` frames. 0 where either holds still.
double lagBetween(const std::vector<Vec3>& early, const std::vector<Vec3>& late, int most, Ends ends);
double lagBetween(const std::vector<double>& early, const std::vector<double>& late, int most, Ends ends);

}  // namespace nutatio::rig
