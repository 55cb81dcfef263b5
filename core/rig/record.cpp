#include "rig/record.h"

#include <algorithm>

namespace nutatio::rig {

namespace {

/// Weighted mean of one joint's samples around `time` [s]. The weights are a Gaussian's times (3 - d^2) / 2, which leaves
/// parabolas as they are (a kernel of fourth order: Gasser and Mueller, 1979): peaks are not flattened.
Xform smoothed(const std::vector<std::vector<Xform>>& samples, std::size_t joint, double time, double rate, double width) {
    const double at = time * rate, reach = 4 * width * rate;
    const auto last = static_cast<double>(samples.size() - 1);
    Xform out{Vec3::Zero(), Quat(0, 0, 0, 0), Vec3::Zero()};
    double total = 0;
    const Quat near = samples[static_cast<std::size_t>(within(std::round(at), 0.0, last))][joint].r;
    for (double k = std::floor(at - reach); k <= std::ceil(at + reach); ++k) {
        const double d = (k - at) / (width * rate), w = (1.5 - 0.5 * d * d) * std::exp(-0.5 * d * d);
        const Xform& x = samples[static_cast<std::size_t>(within(k, 0.0, last))][joint];
        out.t += w * x.t;
        out.s += w * x.s;
        out.r.coeffs() += w * sameSide(x.r, near).coeffs();
        total += w;
    }
    return {out.t / total, out.r.normalized(), out.s / total};
}

}  // namespace

Clip clipOfSamples(const Actor& actor, const std::vector<std::vector<Xform>>& samples, double rate, double fps,
                   std::string name) {
    Clip clip;
    clip.name = std::move(name);
    clip.recorded = true;
    const int frames = std::max(2, static_cast<int>(std::floor(static_cast<double>(samples.size() - 1) / rate * fps)) + 1);
    clip.end = (frames - 1) / fps;
    const std::vector<Xform> rest = actor.restPose();
    for (std::size_t j = 0; j < rest.size(); ++j) {
        bool moves = false, turns = false;
        for (const auto& s : samples) {
            moves |= (s[j].t - rest[j].t).norm() > 1e-7 * actor.height;
            turns |= s[j].r.angularDistance(rest[j].r) > 1e-6;
        }
        for (const auto& [wanted, path] : {std::pair{moves, Path::Move}, {turns, Path::Turn}}) {
            if (!wanted) continue;
            Channel c;
            c.joint = static_cast<int>(j);
            c.path = path;
            c.width = path == Path::Turn ? 4 : 3;
            Quat before = rest[j].r;
            for (int f = 0; f < frames; ++f) {
                const Xform x = smoothed(samples, j, f / fps, rate, 0.9 / fps);
                c.times.push_back(static_cast<float>(f / fps));
                before = sameSide(x.r, before);
                for (int k = 0; k < c.width; ++k)
                    c.values.push_back(static_cast<float>(path == Path::Turn ? before.coeffs()[k] : x.t[k]));
            }
            clip.channels.push_back(std::move(c));
        }
    }
    return clip;
}

std::shared_ptr<const Actor> withClip(const Actor& actor, Clip clip) {
    auto out = std::make_shared<Actor>(actor);
    out->clips.edit().push_back(std::move(clip));
    out->keyMotion();
    return out;
}

std::shared_ptr<const Actor> withoutClip(const Actor& actor, int clip) {
    auto out = std::make_shared<Actor>(actor);
    std::vector<Clip>& clips = out->clips.edit();
    clips.erase(clips.begin() + clip);
    out->keyMotion();
    return out;
}

}  // namespace nutatio::rig
