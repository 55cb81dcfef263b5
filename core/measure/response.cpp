#include "measure/response.h"

#include <algorithm>
#include <complex>

#include "layers/mover.h"
#include "layers/registry.h"
#include "physics/oscillator.h"
#include "physics/strand.h"

namespace nutatio::measure {

namespace {

using layers::Mover;
using layers::PoseView;

constexpr int kMostSteps = 120 * 90;

/// The mover that moves `joint`, or the first one, with some of the layer's settings changed and nothing round it. `joint`
/// becomes kNoJoint when none moves it.
std::unique_ptr<Mover> watchedMover(const layers::LayerKind& kind, const layers::LayerContext& context, scene::Resolved settings,
                                    const PoseView& pose, int& joint) {
    layers::LayerContext alone{context.actor, context.layer, std::make_shared<const scene::Resolved>(std::move(settings)),
                               context.placement};
    layers::Movers movers = kind.simulated->movers(alone, pose);
    if (joint != rig::kNoJoint)
        for (auto& m : movers)
            if (m->watch(joint)) return std::move(m);
    joint = rig::kNoJoint;
    if (!movers.empty()) movers.front()->watch(rig::kNoJoint);
    return movers.empty() ? nullptr : std::move(movers.front());
}

/// The pose with the whole body shifted by `by` [units].
std::vector<Xform> shifted(const rig::Skeleton& skeleton, std::vector<Xform> pose, const Vec3& by) {
    for (int r : skeleton.roots()) pose[static_cast<std::size_t>(r)].t += by;
    return pose;
}

/// What the runs of one measurement share.
struct Push {
    const rig::Skeleton& skeleton;
    const std::vector<Xform>& pose;
    Vec3 across;
    double size;
    const Cancel& cancel;
};

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

/// Where the part is against where the body has it, across the part, in shares of `size`.
double lagOf(const Mover& part, const Vec3& across, double size) {
    return (part.probe() - part.probeGoal()).dot(across) / size;
}

/// Swing rate and damping from a part that is leaned over gently and let go: a moving body slows over two swings, ever harder, to
/// a stand. Leaning excites the first mode almost alone; a step would stir the higher ones too.
void readSwing(Mover& part, const Push& view, double f, double seconds, Response& r) {
    if (f <= 0) return;
    const double ramp = 2 / f, most = view.size * std::pow(2 * kPi * f, 2);
    // Slowing from v0 as a(t) = -most (1 - cos(pi t / ramp)) / 2, to a stand at the end of the ramp.
    const auto way = [&](double t) {
        const double u = std::min(t, ramp);
        return 0.5 * most * (ramp * u - u * u / 2 - ramp * ramp / (kPi * kPi) * (std::cos(kPi * u / ramp) - 1));
    };
    std::vector<double> e;
    std::vector<Xform> now = view.pose, next = view.pose;
    next = shifted(view.skeleton, view.pose, way(r.dt) * view.across);
    part.start(r.dt, PoseView(now), PoseView(next));
    const int hold = static_cast<int>(std::ceil(ramp / r.dt)), steps = hold + static_cast<int>(seconds / r.dt);
    for (int k = 1; k <= steps; ++k) {
        if (view.cancel.asked()) throw Cancelled{};
        now = shifted(view.skeleton, view.pose, way(k * r.dt) * view.across);
        next = shifted(view.skeleton, view.pose, way((k + 1) * r.dt) * view.across);
        part.step(r.dt, PoseView(now), PoseView(next));
        if (k > hold) e.push_back(lagOf(part, view.across, view.size));
    }
    // From half a swing on, or later for what rings long, when the higher modes have died, while there is still something to see.
    std::size_t seen = 0;
    for (std::size_t k = 0; k < e.size(); ++k)
        if (std::abs(e[k]) > 1e-3) seen = k + 1;
    const auto stride = std::max<std::size_t>(1, static_cast<std::size_t>(1 / f / 16 / r.dt));
    std::size_t from = static_cast<std::size_t>(std::max(0.5 / f, 0.08 * seconds) / r.dt);
    if (seen < from + 12 * stride) from = seen / 6;
    fitPoles(e, from, seen, stride, r.dt, r);
}

}  // namespace

std::optional<Response> response(const layers::LayerKind& kind, const layers::LayerContext& context,
                                 const std::vector<Xform>& pose, const Cancel& cancel, int joint) {
    if (!kind.simulated || kind.problem(context.actor, context.layer)) return std::nullopt;
    const scene::Resolved& own = *context.settingsAt(joint);
    const auto of = [&](scene::Role role) {
        const scene::SettingSpec* row = kind.setting(role);
        return row ? own.at(row->id) : 0.0;
    };
    const double gravity = of(scene::Role::Pull);
    scene::Resolved bare = own;
    for (const scene::SettingSpec& row : kind.settings) {
        if (row.role == scene::Role::Pull) bare = bare.with(row.id, 0);
        if (row.role == scene::Role::Felt) bare = bare.evenly(row.id, 1);
    }
    const std::unique_ptr<Mover> part = watchedMover(kind, context, bare, PoseView(pose), joint);
    if (!part) return std::nullopt;

    const double f = of(scene::Role::Rate), zeta = physics::dampingRatio(of(scene::Role::Damping));
    Response r;
    r.joint = joint;
    // The grid of the shot's own substeps: what is measured is what is baked.
    r.dt = 1.0 / 24 / physics::substepsFor(1.0 / 24, f);
    part->start(r.dt, PoseView(pose), PoseView(pose));
    const double size = std::max(1e-3 * (part->probeLever() > 0 ? part->probeLever() : context.actor.height), 1e-9);
    // Across the part: a push along it would only stretch what does not stretch.
    Vec3 across = Vec3::UnitX();
    std::vector<Affine> worlds;
    rig::worldTransforms(context.actor.skeleton, pose, worlds);
    const Vec3 way = part->joints().empty()
                         ? Vec3(Vec3::Zero())
                         : Vec3(part->probeGoal() - worlds[static_cast<std::size_t>(part->joints().front())].t);
    if (way.norm() > 1e-12) across = anySquareTo(way.normalized());

    const std::vector<Xform> pushed = shifted(context.actor.skeleton, pose, size * across);
    const double seconds = f > 0 ? std::clamp(std::max(2.2 * physics::restTime(f, zeta), 3 / f), 0.5, 90.0) : 4.0;
    const int steps = std::min(kMostSteps, static_cast<int>(seconds / r.dt));
    std::size_t last = 0;
    for (int k = 0; k < steps; ++k) {
        if (cancel.asked()) throw Cancelled{};
        part->step(r.dt, PoseView(pushed), PoseView(pushed));
        const double e = lagOf(*part, across, size);
        r.curve.push_back(static_cast<float>(1 + e));
        if (e > r.overshoot) {
            r.overshoot = e;
            r.peakTime = (k + 1) * r.dt;
        }
        if (std::abs(e) > 0.05) last = r.curve.size();
    }
    r.settles = last < r.curve.size();
    r.restTime = static_cast<double>(last) * r.dt;
    readSwing(*part, {context.actor.skeleton, pose, across, size, cancel}, f, std::min(seconds, kMostSteps * r.dt), r);

    r.sagIsAngle = part->probeLever() > 0;
    if (gravity != 0) {
        scene::Resolved heavy = own;
        // The resting place is the same, and reached sooner.
        if (const scene::SettingSpec* damping = kind.setting(scene::Role::Damping)) heavy = heavy.with(damping->id, 0.5);
        const std::unique_ptr<Mover> hanging = watchedMover(kind, context, std::move(heavy), PoseView(pose), joint);
        hanging->start(r.dt, PoseView(pose), PoseView(pose));
        const int wait = std::min(kMostSteps, static_cast<int>((f > 0 ? std::min(6 / f, 60.0) : 10.0) / r.dt));
        for (int k = 0; k < wait; ++k) {
            if (cancel.asked()) throw Cancelled{};
            hanging->step(r.dt, PoseView(pose), PoseView(pose));
        }
        const double fell = (hanging->probe() - hanging->probeGoal()).norm();
        r.sag = r.sagIsAngle ? 2 * std::asin(std::min(1.0, fell / (2 * hanging->probeLever()))) : fell;
    }
    return r;
}

layers::LayerContext HeldLayer::context() const {
    layers::LayerContext c = layers::LayerContext::bare(*actor.actor, layer);
    c.placement = scene::placementOf(actor);
    return c;
}

std::optional<HeldLayer> heldLayer(const scene::Scene& scene, const std::string& layer, int frame) {
    const scene::Layer* l = scene.layer(layer);
    const scene::ActorEntry* entry = l ? scene.actor(l->actor) : nullptr;
    if (!entry || !layers::findKind(l->kind)) return std::nullopt;
    HeldLayer out{*entry, *l, scene::stand(scene, scene.shot(), *entry)};
    const scene::Owner owner{scene::List::Layers, l->id};
    if (const scene::KeysOf* keys = scene.shot().keysOf(owner))
        for (const auto& [id, k] : *keys)
            if (!k.empty()) out.layer.set(id, scene.numberAt(owner, id, frame));
    return out;
}

std::optional<Response> responseIn(const scene::Scene& scene, const std::string& layer, int frame, const Cancel& cancel,
                                   int joint) {
    const auto held = heldLayer(scene, layer, frame);
    return held ? response(*layers::findKind(held->layer.kind), held->context(), held->stand, cancel, joint) : std::nullopt;
}

}  // namespace nutatio::measure
