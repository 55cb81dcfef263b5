#include "measure/response.h"

#include <algorithm>
#include <complex>

#include "physics/oscillator.h"

namespace nutatio::measure {

namespace {

using layers::Part;
using layers::PoseView;

constexpr double kDt = 1.0 / 120;
constexpr int kMostSteps = 120 * 90;

/// The first part of the layer with some of its settings changed.
std::unique_ptr<Part> firstPart(const layers::LayerKind& kind, const layers::LayerContext& context, const scene::Layer& layer,
                                const PoseView& pose) {
    layers::Parts parts = kind.parts({context.actor, layer, {}}, pose);
    return parts.empty() ? nullptr : std::move(parts.front());
}

/// The pose with the whole body shifted by `by` [units].
std::vector<Xform> shifted(const rig::Skeleton& skeleton, std::vector<Xform> pose, const Vec3& by) {
    for (int r : skeleton.roots()) pose[static_cast<std::size_t>(r)].t += by;
    return pose;
}

/// Poles of e[k+1] = tr e[k] - det e[k-1] over samples `from`.. `to`, `stride` apart.
void fitPoles(const std::vector<double>& e, std::size_t from, std::size_t to, std::size_t stride, double dt, Response& out) {
    double aa = 0, ab = 0, bb = 0, ay = 0, by = 0;
    for (std::size_t k = from + stride; k + stride < to; ++k) {
        const double a = e[k], b = -e[k - stride], y = e[k + stride];
        aa += a * a;
        ab += a * b;
        bb += b * b;
        ay += a * y;
        by += b * y;
    }
    const double det2 = aa * bb - ab * ab;
    if (!(det2 > 1e-14 * aa * bb)) return;
    const double tr = (ay * bb - by * ab) / det2, det = (by * aa - ay * ab) / det2;
    const std::complex<double> root = std::sqrt(std::complex<double>(tr * tr / 4 - det)), z1 = tr / 2 + root, z2 = tr / 2 - root;
    if (std::abs(z1) < 1e-12 || std::abs(z2) < 1e-12) return;
    const double h = dt * static_cast<double>(stride);
    const std::complex<double> s1 = std::log(z1) / h, s2 = std::log(z2) / h;
    const double w2 = (s1 * s2).real();
    if (!(w2 > 0)) return;
    out.swing = std::sqrt(w2) / (2 * kPi);
    out.zeta = std::max(0.0, -(s1 + s2).real() / (2 * std::sqrt(w2)));
    out.bounces = physics::bouncesOf(out.zeta);
}

void readFigures(const std::vector<double>& e, double f, Response& r) {
    // The window for the fit: after the higher modes have died (one swing), while there is still something to see.
    const double period = f > 0 ? 1 / f : 2.0;
    std::size_t last = 0;
    for (std::size_t k = 0; k < e.size(); ++k)
        if (std::abs(e[k]) > 0.05) last = k + 1;
    r.settles = last < e.size();
    r.restTime = static_cast<double>(last) * r.dt;
    for (double v : e) r.overshoot = std::max(r.overshoot, v);
    std::size_t seen = 0;
    for (std::size_t k = 0; k < e.size(); ++k)
        if (std::abs(e[k]) > 1e-3) seen = k + 1;
    const std::size_t stride = std::max<std::size_t>(1, static_cast<std::size_t>(period / 16 / r.dt));
    std::size_t from = static_cast<std::size_t>(1.0 * period / r.dt);
    if (seen < from + 12 * stride) from = std::min(from / 4, seen / 4);
    if (f > 0 && seen > from + 4) fitPoles(e, from, seen, stride, r.dt, r);
}

}  // namespace

std::optional<Response> response(const layers::LayerKind& kind, const layers::LayerContext& context,
                                 const std::vector<Xform>& pose, const Cancel& cancel) {
    if (kind.problem(context.actor, context.layer)) return std::nullopt;
    scene::Layer bare = context.layer;
    const double gravity = bare.number("gravity") + bare.number("sag");
    for (const char* pull : {"gravity", "sag"})
        if (kind.setting(pull)) bare.values[pull] = 0.0;
    for (const char* felt : {"felt_travel", "felt_turn"})
        if (kind.setting(felt)) bare.values[felt] = 1.0;
    const std::unique_ptr<Part> part = firstPart(kind, context, bare, PoseView(pose));
    if (!part) return std::nullopt;

    part->start(kDt, PoseView(pose), PoseView(pose));
    const double size = std::max(1e-3 * (part->probeLever() > 0 ? part->probeLever() : context.actor.height), 1e-9);
    // Across the part: a push along it would only stretch what does not stretch.
    Vec3 across = Vec3::UnitX();
    {
        std::vector<Affine> worlds;
        rig::worldTransforms(context.actor.skeleton, pose, worlds);
        const Vec3 way = part->probeGoal() - worlds[static_cast<std::size_t>(part->joints().front())].t;
        if (way.norm() > 1e-12) across = anySquareTo(way.normalized());
    }
    const std::vector<Xform> pushed = shifted(context.actor.skeleton, pose, size * across);
    Response r;
    r.dt = kDt;
    std::vector<double> e;
    const double f = bare.number("swing"), zeta = physics::dampingRatio(bare.number("bounces"));
    const double seconds = f > 0 ? std::clamp(std::max(2.2 * physics::restTime(f, zeta), 3 / f), 0.5, 90.0) : 4.0;
    const int steps = std::min(kMostSteps, static_cast<int>(seconds / kDt));
    for (int k = 0; k < steps; ++k) {
        if (cancel.asked()) throw Cancelled{};
        part->step(kDt, PoseView(pushed), PoseView(pushed));
        e.push_back((part->probe() - part->probeGoal()).dot(across) / size);
        r.curve.push_back(static_cast<float>(1 + e.back()));
    }
    readFigures(e, f, r);

    r.sagIsAngle = part->probeLever() > 0;
    if (gravity != 0) {
        scene::Layer heavy = context.layer;
        if (kind.setting("bounces")) heavy.values["bounces"] = 0.5;  // the resting place is the same, and reached sooner
        const std::unique_ptr<Part> hanging = firstPart(kind, context, heavy, PoseView(pose));
        hanging->start(kDt, PoseView(pose), PoseView(pose));
        const int wait = std::min(kMostSteps, static_cast<int>((f > 0 ? std::min(6 / f, 60.0) : 10.0) / kDt));
        for (int k = 0; k < wait; ++k) {
            if (cancel.asked()) throw Cancelled{};
            hanging->step(kDt, PoseView(pose), PoseView(pose));
        }
        const double way = (hanging->probe() - hanging->probeGoal()).norm();
        r.sag = r.sagIsAngle ? 2 * std::asin(std::min(1.0, way / (2 * hanging->probeLever()))) : way;
    }
    return r;
}

}  // namespace nutatio::measure
