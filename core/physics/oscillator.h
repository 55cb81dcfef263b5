// The damped spring, by its exact solution.
// Source: any text on linear systems (matrix exponential of a 2x2 companion matrix).
#pragma once

namespace nutatio::physics {

/// Damping ratio for `bounces` full swings until a swing has shrunk to 5 %: zeta = ln 20 / sqrt(ln^2 20 + (2 pi N)^2). N = 0
/// gives 1.
double dampingRatio(double bounces);
/// The other way round; 0 for zeta >= 1.
double bouncesOf(double zeta);
/// Time [s] until the swing stays within 5 %, for swing rate f [1/s] and damping ratio zeta.
double restTime(double f, double zeta);

/// a = 2 - delta: by how much of the way to the middle of a step speeds are carried on in the schemes below; delta damps what no
/// spring does.
inline constexpr double kMidpointGain = 1.98;

/// Stiffness [1/s^2] and damping [1/s], by inertia, with which the implicit midpoint scheme swings and dies away as a spring of
/// `w` [rad/s] and `zeta` does, at step `h` [s]. Nothing for w = 0.
struct Poles {
    double khat = 0, dhat = 0;
};
Poles fitPoles(double w, double zeta, double h);

/// Steps x'' + 2 zeta w x' + w^2 x = a(t) exactly for a(t) linear within the step.
class Oscillator {
  public:
    /// w [rad/s] > 0, zeta >= 0, step h [s] > 0.
    Oscillator(double w, double zeta, double h);

    /// Advances (x, v) by one step under forcing `a0` at its start and `a1` at its end [units of x / s^2].
    void step(double& x, double& v, double a0, double a1) const {
        const double nx = m_xx * x + m_xv * v + m_x0 * a0 + m_x1 * a1;
        v = m_vx * x + m_vv * v + m_v0 * a0 + m_v1 * a1;
        x = nx;
    }

  private:
    double m_xx, m_xv, m_vx, m_vv;  // exp(A h)
    double m_x0, m_x1, m_v0, m_v1;  // response to the forcing's two ends
};

}  // namespace nutatio::physics
