#include "physics/oscillator.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

using namespace nutatio::physics;

namespace {
constexpr double kTwoPi = 2 * std::numbers::pi;

/// The same equation by very small classical Runge-Kutta steps: an answer that knows nothing of closed forms.
void reference(double w, double zeta, double h, double& x, double& v, double a0, double a1) {
    constexpr int kSteps = 4000;
    const double dt = h / kSteps;
    const auto slope = [&](double t, double px, double pv) { return a0 + (a1 - a0) * t / h - 2 * zeta * w * pv - w * w * px; };
    for (int k = 0; k < kSteps; ++k) {
        const double t = k * dt;
        const double k1x = v, k1v = slope(t, x, v);
        const double k2x = v + 0.5 * dt * k1v, k2v = slope(t + 0.5 * dt, x + 0.5 * dt * k1x, k2x);
        const double k3x = v + 0.5 * dt * k2v, k3v = slope(t + 0.5 * dt, x + 0.5 * dt * k2x, k3x);
        const double k4x = v + dt * k3v, k4v = slope(t + dt, x + dt * k3x, k4x);
        x += dt / 6 * (k1x + 2 * k2x + 2 * k3x + k4x);
        v += dt / 6 * (k1v + 2 * k2v + 2 * k3v + k4v);
    }
}
}  // namespace

TEST_CASE("bounces and damping ratio are two names of one thing") {
    CHECK(dampingRatio(0) == Approx(1.0));
    // After N full swings the envelope exp(-zeta w t) has fallen to 5 %.
    for (double n : {0.5, 1.0, 2.0, 3.0, 8.0, 40.0}) {
        const double zeta = dampingRatio(n), w = kTwoPi, wd = w * std::sqrt(1 - zeta * zeta);
        CHECK(std::exp(-zeta * w * n * kTwoPi / wd) == Approx(0.05).epsilon(1e-9));
        CHECK(bouncesOf(zeta) == Approx(n).epsilon(1e-9));
    }
    CHECK(bouncesOf(1.0) == 0);
    CHECK(bouncesOf(3.0) == 0);
}

TEST_CASE("rest time is when the envelope reaches 5 %") {
    // With N full swings it is N / (damped frequency).
    const double zeta = dampingRatio(3), f = 2;
    CHECK(restTime(f, zeta) == Approx(3 / (f * std::sqrt(1 - zeta * zeta))).epsilon(1e-9));
    // Critically damped: (1 + w t) exp(-w t) = 0.05.
    const double t = restTime(1, 1);
    CHECK((1 + kTwoPi * t) * std::exp(-kTwoPi * t) == Approx(0.05).epsilon(1e-3));
    CHECK(restTime(1, 4) > restTime(1, 1));
}

TEST_CASE("one step of a frame solves the damped spring exactly, in all three branches") {
    const double h = 1.0 / 24;
    for (double f : {0.05, 0.5, 2.0, 12.0, 40.0})
        for (double zeta : {0.0, 0.02, 0.3, 0.999999, 1.0, 1.000001, 1.7, 5.0}) {
            double x = 0.7, v = -1.3, rx = x, rv = v;
            const double a0 = 3.1, a1 = -2.4;
            Oscillator(kTwoPi * f, zeta, h).step(x, v, a0, a1);
            reference(kTwoPi * f, zeta, h, rx, rv, a0, a1);
            INFO("f " << f << " zeta " << zeta);
            CHECK(x == Approx(rx).margin(1e-7));
            CHECK(v == Approx(rv).margin(1e-5));
        }
}

TEST_CASE("slow springs take the series branch without a seam") {
    // Either side of w h = 1e-3 the forcing's weights must agree with the quadratic h^2/3, h^2/6 to the next order.
    const double h = 0.01;
    for (double wh : {0.9e-3, 1.1e-3}) {
        double x = 0, v = 0;
        Oscillator(wh / h, 0.4, h).step(x, v, 1, 1);
        CHECK(x == Approx(h * h / 2).epsilon(2e-3));
        CHECK(v == Approx(h).epsilon(2e-3));
    }
}

TEST_CASE("ringing keeps the asked frequency and damping for a minute at 12 frames a second") {
    const double f = 3.7, zeta = 0.01, h = 1.0 / 12;
    const Oscillator o(kTwoPi * f, zeta, h);
    double x = 1, v = 0;
    for (int k = 0; k < 12 * 60; ++k) o.step(x, v, 0, 0);
    const double w = kTwoPi * f, wd = w * std::sqrt(1 - zeta * zeta), t = 60;
    CHECK(x == Approx(std::exp(-zeta * w * t) * (std::cos(wd * t) + zeta * w / wd * std::sin(wd * t))).margin(1e-12));
}

TEST_CASE("a constant pull ends at the static sag, however stiff") {
    for (double f : {0.2, 4.0, 55.0}) {
        const double w = kTwoPi * f;
        const Oscillator o(w, 0.5, 1.0 / 24);
        double x = 0, v = 0;
        for (int k = 0; k < 24 * 60; ++k) o.step(x, v, -9.81, -9.81);
        CHECK(x == Approx(-9.81 / (w * w)).epsilon(1e-9));
        CHECK(v == Approx(0).margin(1e-9));
    }
}
