#include "measure/in_shot.h"

#include <algorithm>

#include "layers/context_of.h"
#include "measure/trace.h"

namespace nutatio::measure {

namespace {

/// Takes out the mean, and the way the whole travels where it does: what is left is swinging. A swing of a few rounds has a slope
/// of its own, so the slope goes only where the ends lie far apart.
void settle(std::vector<float>& v) {
    const auto n = static_cast<double>(v.size());
    double mean = 0, slope = 0, spread = 0;
    for (float y : v) mean += y / n;
    for (std::size_t k = 0; k < v.size(); ++k) {
        const double x = static_cast<double>(k) - 0.5 * (n - 1);
        slope += x * v[k];
        spread += x * x;
    }
    const auto [low, high] = std::minmax_element(v.begin(), v.end());
    const bool travels = std::abs(v.back() - v.front()) > 0.6f * (*high - *low);
    slope = travels && spread > 0 ? slope / spread : 0;
    for (std::size_t k = 0; k < v.size(); ++k)
        v[k] = static_cast<float>(v[k] - mean - slope * (static_cast<double>(k) - 0.5 * (n - 1)));
}

double size(const std::vector<float>& v) {
    double sum = 0;
    for (float y : v) sum += static_cast<double>(y) * y;
    return std::sqrt(sum / static_cast<double>(std::max<std::size_t>(1, v.size())));
}

}  // namespace

double lagOf(const std::vector<float>& leader, const std::vector<float>& follower, bool loops, double* likeness) {
    // A loop's last frame is its first one again.
    const int n = static_cast<int>(leader.size()) - (loops ? 1 : 0), most = n / 3;
    const auto alike = [&](int lag) {
        double sum = 0, a = 0, b = 0;
        for (int k = 0; k < n; ++k) {
            int at = k - lag;
            if (loops)
                at = (at % n + n) % n;
            else if (at < 0 || at >= n)
                continue;
            const double x = leader[static_cast<std::size_t>(at)], y = follower[static_cast<std::size_t>(k)];
            sum += x * y;
            a += x * x;
            b += y * y;
        }
        return a > 0 && b > 0 ? sum / std::sqrt(a * b) : 0.0;
    };
    int best = 0;
    double top = -2;
    for (int lag = -most; lag <= most; ++lag)
        if (const double c = alike(lag); c > top + 1e-12) {
            top = c;
            best = lag;
        }
    if (likeness) *likeness = top;
    if (best <= -most || best >= most) return best;
    const double l = alike(best - 1), r = alike(best + 1), bend = l - 2 * top + r;
    return bend < 0 ? best + 0.5 * (l - r) / bend : best;
}

InShot inShot(const rig::Actor& actor, const rig::Track& below, const rig::Track& above) {
    InShot out;
    const int joint = watchedJoint(actor, below, above);
    if (joint == rig::kNoJoint) return out;
    const Vec3 end = rig::endOf(actor.skeleton, joint);
    const std::vector<Vec3> a = placesOf(actor.skeleton, below, joint, end), b = placesOf(actor.skeleton, above, joint, end);
    const Vec3 axis = mainAxis(a);
    for (std::size_t f = 0; f < a.size(); ++f) {
        out.body.push_back(static_cast<float>(a[f].dot(axis)));
        out.part.push_back(static_cast<float>(b[f].dot(axis)));
    }
    const bool loops = below.closes(actor);
    settle(out.body);
    settle(out.part);
    const double body = size(out.body);
    out.moves = body > 1e-5 * actor.height;
    if (!out.moves) return out;
    out.ratio = size(out.part) / body;
    out.lagFrames = lagOf(out.body, out.part, loops, &out.likeness);
    return out;
}

std::string askedAndGot(const layers::LayerKind& kind, const scene::Scene& scene, const scene::ActorEntry& actor,
                        const scene::Layer& layer, layers::ResolvedPtr settings, const rig::Track& below,
                        const rig::Track& above) {
    if (!kind.measured) return {};
    const layers::ContextOf contexts(scene.shot(), actor);
    layers::LayerContext context = contexts.of(layer, std::move(settings));
    context.period = contexts.periodOf(below);
    return kind.measured(context, below, above);
}

}  // namespace nutatio::measure
