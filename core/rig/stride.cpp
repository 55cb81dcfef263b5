#include "rig/stride.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "rig/contacts.h"
#include "rig/roles.h"
#include "rig/surface.h"

namespace nutatio::rig {

namespace {

constexpr double kLow = 0.12;        // of the way a foot lifts
constexpr double kLeastLift = 0.01;  // heights: less is a foot that never leaves the ground
constexpr double kShared = 0.15;     // [heights/s] by which feet that stand differ
constexpr int kShifts = 20;
constexpr double kLeastSpeed = 0.05;  // heights a second: less is standing still

double middle(std::vector<double> v) {
    const auto at = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
    std::nth_element(v.begin(), at, v.end());
    return *at;
}

/// What may stand: a point that a joint carries, in its axes.
struct Stander {
    int joint;
    Vec3 at = Vec3::Zero();
};

std::vector<Stander> standersOf(const Actor& actor, const Quat& level) {
    const Roles roles = rolesOf(actor);
    std::vector<Stander> out;
    const auto add = [&](const std::array<Limb, 2>& limbs) {
        for (const Limb& l : limbs)
            if (l.found()) out.push_back({l.beyond != kNoJoint ? l.beyond : l.end});
    };
    add(roles.legs);
    if (roles.fourLegged) add(roles.arms);
    if (!out.empty()) return out;
    // The lowest vertex that each joint carries most, where it is nearly as low as any.
    constexpr double kNearlyAsLow = 0.06;  // heights
    const Surface surface = Surface::of(actor);
    std::vector<Affine> worlds;
    worldTransforms(actor.skeleton, actor.restPose(), worlds);
    std::map<int, std::pair<double, Vec3>> lowest;
    double low = 1e300, high = -1e300;
    for (std::uint32_t v = 0; v < surface.places.size(); ++v) {
        const Vec3 p = surface.places[v].cast<double>();
        const double y = (level * p).y();
        low = std::min(low, y);
        high = std::max(high, y);
        const int joint = surface.mainJoint(v);
        const auto known = joint == kNoJoint ? lowest.end() : lowest.try_emplace(joint, y, p).first;
        if (known != lowest.end() && y < known->second.first) known->second = {y, p};
    }
    for (const auto& [joint, point] : lowest)
        if (point.first < low + kNearlyAsLow * (high - low))
            out.push_back({joint, worlds[static_cast<std::size_t>(joint)].inverse().apply(point.second)});
    return out;
}

}  // namespace

Stride strideOf(const Actor& actor, const Track& body, const Quat& level) {
    Stride out;
    const std::vector<Stander> soles = standersOf(actor, level);
    const int n = body.frames();
    if (soles.empty() || n < 3) return out;
    // Its height as it stands, not as it lies in the file.
    const double tall = std::max(1e-9, (level.conjugate() * Vec3(Vec3::UnitY())).cwiseAbs().dot(actor.high - actor.low));
    std::vector<std::vector<Vec3>> places(soles.size());
    std::vector<Xform> locals;
    std::vector<Affine> worlds;
    for (int f = 0; f < n; ++f) {
        body.pose(f, locals);
        worldTransforms(actor.skeleton, locals, worlds);
        for (std::size_t k = 0; k < soles.size(); ++k)
            places[k].push_back(level * worlds[static_cast<std::size_t>(soles[k].joint)].apply(soles[k].at));
    }
    std::vector<Vec3> ground;  // [units/s], of what a foot stands on
    for (std::vector<Vec3>& frames : places) {
        // Between frames too, so that it is as fast at any frame rate.
        const double fps = fineRate(body.grid().fps);
        const std::vector<Vec3> way = finely(std::move(frames), body.grid().fps);
        const auto [low, high] =
            std::minmax_element(way.begin(), way.end(), [](const Vec3& a, const Vec3& b) { return a.y() < b.y(); });
        const double lift = high->y() - low->y();
        if (lift < kLeastLift * tall) continue;
        for (std::size_t at = 1; at + 1 < way.size(); ++at) {
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
    if (sum.norm() < 1e-9 * tall) return out;
    const Vec3 back = sum.normalized();
    std::vector<double> along;
    for (const Vec3& v : ground) along.push_back(v.dot(back));
    const double fast = middle(along);
    std::erase_if(along, [&](double v) { return v < 0.5 * fast; });
    if (along.empty()) return out;
    // The speed that most of them share (mean shift: Fukunaga and Hostetler, 1975).
    double speed = middle(along);
    for (int turn = 0; turn < kShifts; ++turn) {
        double shares = 0, weight = 0;
        for (double v : along) {
            const double w = std::exp(-0.5 * std::pow((v - speed) / (kShared * tall), 2));
            shares += w * v;
            weight += w;
        }
        speed = shares / weight;
    }
    if (speed < kLeastSpeed * tall) return out;
    out.speed = speed;
    out.way = -back;
    out.frames = static_cast<int>(along.size());
    for (const Vec3& v : ground)
        if (v.dot(back) >= 0.5 * fast) out.slides += (v - speed * back).squaredNorm();
    out.slides = std::sqrt(out.slides / out.frames);
    return out;
}

Vec3 standOf(const Actor& actor, const Quat& level) {
    Vec3 at = 0.5 * (actor.low + actor.high);
    if (const int hips = rolesOf(actor).hips; hips != kNoJoint) {
        std::vector<Affine> worlds;
        worldTransforms(actor.skeleton, actor.restPose(), worlds);
        at = worlds[static_cast<std::size_t>(hips)].t;
    }
    at = level * at;
    at.y() = 0;
    return level.conjugate() * at;
}

Vec3 runningGround(const Actor& actor, const Track& body, int carrier, const Quat& level) {
    if (carrier == kNoJoint || body.frames() < 2) return Vec3::Zero();
    const Stride stride = strideOf(actor, body, level);
    if (stride.speed < 0.3 * actor.height) return Vec3::Zero();
    std::vector<Xform> pose;
    std::vector<Affine> first, last;
    body.pose(0, pose);
    worldTransforms(actor.skeleton, pose, first);
    body.pose(body.frames() - 1, pose);
    worldTransforms(actor.skeleton, pose, last);
    const auto at = static_cast<std::size_t>(carrier);
    const double net = (last[at].t - first[at].t).norm() * body.grid().fps / (body.frames() - 1);
    if (net > 0.3 * stride.speed) return Vec3::Zero();
    return level.conjugate() * (-stride.speed * stride.way);
}

}  // namespace nutatio::rig
