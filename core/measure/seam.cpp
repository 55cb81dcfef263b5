#include "measure/seam.h"

#include <algorithm>

#include "measure/check_rules.h"
#include "rig/surface.h"

namespace nutatio::measure {

namespace {

constexpr double kBreakSeen = 0.25;      // [deg] of turn that is seen
constexpr double kJumpSeen = 0.003;      // [heights] of way
constexpr double kGoes = 0.15;           // heights: a body that has gone as far may face elsewhere
constexpr double kBreakStandsOut = 1.5;  // times what turning changes by within the shot

Vec3 turnOver(const rig::Track& t, int joint, int from, int to) {
    return rotationVector(t.at(joint, from).r.conjugate() * t.at(joint, to).r);
}

/// Turns of all joints from one frame to another, each as far as it takes what hangs on it [heights].
std::vector<Vec3> jointSteps(const rig::Actor& actor, const rig::Track& t, const std::vector<double>& reach, int from, int to) {
    std::vector<Vec3> out;
    for (int j = 0; j < t.joints(); ++j)
        if (!t.holdsStill(j)) out.push_back(turnOver(t, j, from, to) * (reach[static_cast<std::size_t>(j)] / actor.height));
    return out;
}

double lengthOf(const std::vector<Vec3>& v) {
    double sum = 0;
    for (const Vec3& x : v) sum += x.squaredNorm();
    return std::sqrt(sum);
}

}  // namespace

bool Seam::closes() const {
    return turn < radians(kBreakSeen) && move < kJumpSeen && speed < std::max(kBreakStandsOut * usual, radians(20));
}

Seam seamOf(const rig::Actor& actor, const rig::Track& track) {
    Seam out;
    const int n = track.frames();
    if (n < 3) return out;
    const double dt = track.grid().dt();
    const std::vector<double> scale = rig::scalesAbove(actor);
    for (int j = 0; j < track.joints(); ++j) {
        if (track.holdsStill(j)) continue;
        const bool goes = actor.skeleton.joint(j).parent == rig::kNoJoint &&
                          (track.at(j, n - 1).t - track.at(j, 0).t).norm() > kGoes * actor.height;
        if (const double turn = turnOver(track, j, n - 1, 0).norm(); turn > out.turn && !goes) {
            out.turn = turn;
            out.joint = j;
        }
        if (actor.skeleton.joint(j).parent != rig::kNoJoint)
            out.move = std::max(
                out.move, (track.at(j, n - 1).t - track.at(j, 0).t).norm() * scale[static_cast<std::size_t>(j)] / actor.height);
        const Vec3 in = turnOver(track, j, n - 2, n - 1), over = turnOver(track, j, 0, 1);
        if (const double speed = (over - in).norm() / dt; speed > out.speed) {
            out.speed = speed;
            out.quick = j;
        }
    }
    if (out.quick != rig::kNoJoint)
        for (int f = 2; f < n; ++f)
            out.usual = std::max(out.usual,
                                 (turnOver(track, out.quick, f - 1, f) - turnOver(track, out.quick, f - 2, f - 1)).norm() / dt);
    return out;
}

std::string_view className(ClipEnds::Class is) {
    switch (is) {
        case ClipEnds::Class::Closes:
            return "closes";
        case ClipEnds::Class::OneMore:
            return "one more";
        case ClipEnds::Class::Short:
            return "short";
        case ClipEnds::Class::Nearly:
            return "nearly";
        case ClipEnds::Class::Open:
            return "open";
    }
    return "";
}

namespace {

/// How far the joint that is farthest from where it began is from there, as seen from its root [heights].
double apartAtEnds(const rig::Actor& actor, const rig::Track& t) {
    std::vector<Affine> first, last;
    std::vector<Xform> pose;
    t.pose(0, pose);
    rig::worldTransforms(actor.skeleton, pose, first);
    t.pose(t.frames() - 1, pose);
    rig::worldTransforms(actor.skeleton, pose, last);
    double most = 0;
    for (int root : actor.skeleton.roots()) {
        const Affine back = first[static_cast<std::size_t>(root)] * last[static_cast<std::size_t>(root)].inverse();
        for (int j : actor.skeleton.subtree(root))
            most = std::max(most, (back.apply(last[static_cast<std::size_t>(j)].t) - first[static_cast<std::size_t>(j)].t).norm());
    }
    return most / actor.height;
}

}  // namespace

double stepBetween(const rig::Actor& actor, const rig::Track& t, const std::vector<double>& reach, int from, int to) {
    return lengthOf(jointSteps(actor, t, reach, from, to));
}

std::vector<double> reachesOf(const rig::Actor& actor, const rig::Surface& surface) {
    const rig::Skeleton& s = actor.skeleton;
    std::vector<Affine> worlds;
    rig::worldTransforms(s, actor.restPose(), worlds);
    std::vector<double> out(static_cast<std::size_t>(s.size()), 0.0);
    for (int j = 0; j < s.size(); ++j)
        for (int k : s.subtree(j))
            out[static_cast<std::size_t>(j)] =
                std::max(out[static_cast<std::size_t>(j)],
                         (worlds[static_cast<std::size_t>(k)].t - worlds[static_cast<std::size_t>(j)].t).norm());
    // A leaf reaches as far as its skin does.
    for (std::uint32_t v = 0; v < surface.places.size(); ++v) {
        const auto main = static_cast<std::size_t>(surface.mainJoint(v));
        if (s.joint(static_cast<int>(main)).children.empty())
            out[main] = std::max(out[main], (surface.places[v].cast<double>() - worlds[main].t).norm());
    }
    return out;
}

ClipEnds endsOf(const rig::Actor& actor, const rig::Track& t, const std::vector<double>& reach) {
    ClipEnds out;
    const int n = t.frames();
    out.frames = n;
    if (n < 3) return out;
    std::vector<double> steps;
    for (int f = 0; f + 1 < n; ++f) steps.push_back(stepBetween(actor, t, reach, f, f + 1));
    out.usual = median(steps);
    const std::vector<Vec3> e = jointSteps(actor, t, reach, n - 1, 0), s0 = jointSteps(actor, t, reach, 0, 1),
                            s1 = jointSteps(actor, t, reach, n - 2, n - 1);
    out.gap = lengthOf(e);
    out.apart = apartAtEnds(actor, t);
    constexpr double kSeen = 0.01;  // heights: of a long tail that goes fast a tenth of a step is seen
    if (out.gap < 0.004 + 0.1 * out.usual && out.apart < kSeen) {
        out.is = ClipEnds::Class::Closes;
        return out;
    }
    double residual = out.gap;
    for (int m = 1; m <= 3; ++m) {
        std::vector<Vec3> left = e;
        for (std::size_t k = 0; k < left.size(); ++k) left[k] -= 0.5 * m * (s0[k] + s1[k]);
        if (const double r = lengthOf(left); r < residual) {
            residual = r;
            out.missing = m;
        }
    }
    if (out.missing > 0 && residual < 0.6 * out.gap && out.gap < 4 * out.usual)
        out.is = ClipEnds::Class::Short;
    else if (out.gap < 0.06 && out.gap < 6 * out.usual)
        out.is = ClipEnds::Class::Nearly;
    if (out.is != ClipEnds::Class::Short) out.missing = 0;
    if (out.missing < 2 && t.lap(actor) == n) out.is = ClipEnds::Class::OneMore;
    return out;
}

}  // namespace nutatio::measure
