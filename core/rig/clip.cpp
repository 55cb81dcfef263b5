#include "rig/clip.h"

#include <algorithm>

namespace nutatio::rig {

namespace {

void blendKeys(const Channel& c, std::size_t k, double u, double span, double* out) {
    const auto w = static_cast<std::size_t>(c.width);
    if (c.interpolation == Interpolation::Cubic) {
        // glTF 2.0, appendix C.5: slopes are per second, so they are scaled by the keys' distance.
        const float* a = &c.values[k * 3 * w];
        const float* b = &c.values[(k + 1) * 3 * w];
        const Hermite h(u);
        for (std::size_t i = 0; i < w; ++i)
            out[i] = h.p0 * a[w + i] + h.m0 * span * a[2 * w + i] + h.p1 * b[w + i] + h.m1 * span * b[i];
        return;
    }
    const float* a = &c.values[k * w];
    const float* b = &c.values[(k + 1) * w];
    if (c.path == Path::Turn) {
        const Quat qa(a[3], a[0], a[1], a[2]), qb(b[3], b[0], b[1], b[2]);
        const Quat q = blend(qa.normalized(), qb.normalized(), u);
        for (std::size_t i = 0; i < 4; ++i) out[i] = q.coeffs()[static_cast<Eigen::Index>(i)];
        return;
    }
    for (std::size_t i = 0; i < w; ++i) out[i] = a[i] + (static_cast<double>(b[i]) - a[i]) * u;
}

}  // namespace

void Channel::sample(double time, double* out) const {
    const auto w = static_cast<std::size_t>(width);
    const auto after = std::upper_bound(times.begin(), times.end(), time, [](double t, float key) { return t < key; });
    const std::size_t next = static_cast<std::size_t>(after - times.begin());
    const std::size_t key = next == 0 ? 0 : next - 1;
    const double span = next > 0 && next < times.size() ? static_cast<double>(times[next]) - times[key] : 0.0;
    const double u = span > 0 ? (time - times[key]) / span : 0.0;
    if (interpolation == Interpolation::Step || u <= 0) {
        const float* v = &values[interpolation == Interpolation::Cubic ? (key * 3 + 1) * w : key * w];
        for (std::size_t i = 0; i < w; ++i) out[i] = v[i];
    } else {
        blendKeys(*this, key, u, span, out);
    }
    if (path != Path::Turn) return;
    double norm = 0;
    for (std::size_t i = 0; i < 4; ++i) norm += out[i] * out[i];
    norm = std::sqrt(norm);
    for (std::size_t i = 0; i < 4; ++i) out[i] = norm > 1e-12 ? out[i] / norm : (i == 3 ? 1.0 : 0.0);
}

void Clip::pose(double time, std::vector<Xform>& locals) const {
    double v[4];
    for (const Channel& c : channels) {
        if (c.path == Path::Weights) continue;
        c.sample(time, v);
        Xform& x = locals[static_cast<std::size_t>(c.joint)];
        if (c.path == Path::Move) x.t = Vec3(v[0], v[1], v[2]);
        if (c.path == Path::Scale) x.s = Vec3(v[0], v[1], v[2]);
        if (c.path == Path::Turn) x.r = Quat(v[3], v[0], v[1], v[2]);
    }
}

}  // namespace nutatio::rig
