#include "rig/stride.h"

#include <algorithm>

#include "rig/roles.h"

namespace nutatio::rig {

namespace {

constexpr double kLow = 0.12;         // of the way a foot lifts
constexpr double kLeastLift = 0.01;   // heights: less is a foot that never leaves the ground
constexpr double kLeastSpeed = 0.05;  // heights a second: less is standing still

double middle(std::vector<double> v) {
    const auto at = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
    std::nth_element(v.begin(), at, v.end());
    return *at;
}

}  // namespace

Stride strideOf(const Actor& actor, const Track& body) {
    const Roles roles = rolesOf(actor);
    std::vector<int> feet;
    for (const Limb& l : roles.legs)
        if (l.found()) feet.push_back(l.beyond != kNoJoint ? l.beyond : l.end);
    if (roles.fourLegged)
        for (const Limb& l : roles.arms)
            if (l.found()) feet.push_back(l.beyond != kNoJoint ? l.beyond : l.end);
    Stride out;
    const int n = body.frames();
    if (feet.empty() || n < 3) return out;
    std::vector<std::vector<Vec3>> places(feet.size());
    std::vector<Xform> locals;
    std::vector<Affine> worlds;
    for (int f = 0; f < n; ++f) {
        body.pose(f, locals);
        worldTransforms(actor.skeleton, locals, worlds);
        for (std::size_t k = 0; k < feet.size(); ++k) places[k].push_back(worlds[static_cast<std::size_t>(feet[k])].t);
    }
    const double fps = body.grid().fps;
    std::vector<Vec3> ground;  // [units/s], of what a foot stands on
    for (const std::vector<Vec3>& way : places) {
        const auto [low, high] =
            std::minmax_element(way.begin(), way.end(), [](const Vec3& a, const Vec3& b) { return a.y() < b.y(); });
        const double lift = high->y() - low->y();
        if (lift < kLeastLift * actor.height) continue;
        for (int f = 1; f + 1 < n; ++f) {
            const auto at = static_cast<std::size_t>(f);
            if (way[at].y() - low->y() > kLow * lift) continue;
            Vec3 v = 0.5 * fps * (way[at + 1] - way[at - 1]);
            v.y() = 0;
            ground.push_back(v);
        }
    }
    if (ground.empty()) return out;
    // What most low frames agree on; a foot that is just landing or leaving is slower, or goes ahead still.
    Vec3 sum = Vec3::Zero();
    for (const Vec3& v : ground) sum += v;
    if (sum.norm() < 1e-9 * actor.height) return out;
    const Vec3 back = sum.normalized();
    std::vector<double> along;
    for (const Vec3& v : ground) along.push_back(v.dot(back));
    const double fast = middle(along);
    std::erase_if(along, [&](double v) { return v < 0.5 * fast; });
    if (along.empty()) return out;
    const double speed = middle(along);
    if (speed < kLeastSpeed * actor.height) return out;
    out.speed = speed;
    out.way = -back;
    out.frames = static_cast<int>(along.size());
    for (const Vec3& v : ground)
        if (v.dot(back) >= 0.5 * fast) out.slides += (v - speed * back).squaredNorm();
    out.slides = std::sqrt(out.slides / out.frames);
    return out;
}

Vec3 standOf(const Actor& actor) {
    Vec3 at = 0.5 * (actor.low + actor.high);
    if (const int hips = rolesOf(actor).hips; hips != kNoJoint) {
        std::vector<Affine> worlds;
        worldTransforms(actor.skeleton, actor.restPose(), worlds);
        at = worlds[static_cast<std::size_t>(hips)].t;
    }
    return {at.x(), 0, at.z()};
}

}  // namespace nutatio::rig
