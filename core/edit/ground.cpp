#include "edit/ground.h"

#include <algorithm>
#include <cmath>

#include "base/thin.h"
#include "edit/edit.h"
#include "edit/pass.h"
#include "layers/travel/travel.h"
#include "pipeline/evaluate.h"
#include "rig/stride.h"

namespace nutatio::edit {

namespace {

using scene::List;
using scene::Owner;

const std::string kSpeed(layers::travel::kSpeedRow), kHeading(layers::travel::kHeadingRow), kForward(layers::travel::kForwardRow);

double headingOf(const Vec3& way) {
    return degrees(std::atan2(way.x(), way.z()));
}

/// A new one at the bottom of the actor's stack, but for what is performed on the body in place, in one shot alone.
std::string addGroundLayer(scene::Scene& s, const scene::ActorEntry& entry, const std::string& shot) {
    std::vector<std::string> roots;
    for (int root : entry.actor->skeleton.roots()) roots.push_back(entry.actor->skeleton.reference(root));
    const std::string actor = entry.id, label(groundKind().label);
    const std::string id = addLayer(s, groundKind().id, actor, std::move(roots));
    scene::Layer& layer = *s.layer(id);
    layer.name = label;
    layer.shot = shot;
    s.layers.move(s.layers.find([&](const scene::Layer& l) { return l.id == id; }), abovePasses(s, actor));
    return id;
}

/// Keys of a row of values, as few as lead to within `tolerance` of it by straight lines.
scene::Keys keysOf(const std::vector<double>& times, const std::vector<double>& values, double tolerance) {
    const auto at = [](const std::vector<double>& row, int k) { return row[static_cast<std::size_t>(k)]; };
    const auto stray = [&](int a, int b, int k) {
        const double u = (at(times, k) - at(times, a)) / (at(times, b) - at(times, a));
        return std::abs(at(values, k) - (at(values, a) + u * (at(values, b) - at(values, a))));
    };
    scene::Keys out;
    for (int k : thinned(static_cast<int>(times.size()), tolerance, stray)) {
        scene::putKey(out, at(times, k), at(values, k));
        scene::keyAt(out, at(times, k))->ease = scene::Ease::Linear;
    }
    return out;
}

/// A line of places at equal steps of its length, its corners rounded.
std::vector<Vec3> evened(const std::vector<Vec3>& points, double& length) {
    std::vector<double> at{0};
    for (std::size_t k = 1; k < points.size(); ++k) at.push_back(at.back() + (points[k] - points[k - 1]).norm());
    length = at.back();
    constexpr int kSteps = 400, kRound = 12;  // a hand's tremor is shorter than a thirtieth of what it draws
    std::vector<Vec3> even;
    std::size_t k = 1;
    for (int i = 0; i <= kSteps; ++i) {
        const double s = length * i / kSteps;
        while (k + 1 < points.size() && at[k] < s) ++k;
        const double u = at[k] > at[k - 1] ? std::clamp((s - at[k - 1]) / (at[k] - at[k - 1]), 0.0, 1.0) : 0;
        even.push_back(points[k - 1] + u * (points[k] - points[k - 1]));
    }
    std::vector<Vec3> out = even;
    for (int i = 1; i < kSteps; ++i) {
        const int reach = std::min({kRound, i, kSteps - i});
        Vec3 sum = Vec3::Zero();
        for (int n = -reach; n <= reach; ++n) sum += even[static_cast<std::size_t>(i + n)];
        out[static_cast<std::size_t>(i)] = sum / (2 * reach + 1);
    }
    return out;
}

}  // namespace

const layers::LayerKind& groundKind() {
    return layers::travel::kKind;
}

std::string groundSpeedRow() {
    return kSpeed;
}

std::string groundLayerOf(const scene::Scene& s, const std::string& actor) {
    for (const scene::Layer& l : s.layers)
        if (l.kind == groundKind().id && l.actor == actor && (l.shot.empty() || l.shot == s.shot().id)) return l.id;
    return {};
}

Result<std::string> goOverGround(scene::Scene& s, const std::string& actor, std::optional<double> speed) {
    const scene::ActorEntry* entry = std::as_const(s).actor(actor);
    if (!entry || entry->isPiece()) return refused("there is no character \"" + actor + "\"");
    const double metres = scene::placementOf(*entry).metres;
    const auto body = pipeline::Evaluator().bodyOf(scene::withoutTrials(s), s.shot(), *entry);
    const rig::Stride stride = rig::strideOf(*entry->actor, *body, scene::levelOf(scene::placementOf(*entry)));
    if (!speed && !(stride.speed > 0))
        return refused("no foot of \"" + entry->name + "\" goes back over the ground in this shot: type a speed");
    std::string id = groundLayerOf(s, actor);
    if (id.empty()) {
        id = addGroundLayer(s, *entry, s.shots.empty() ? std::string() : s.shot().id);
        // A cat's nose and a crab's side: as its feet tell.
        if (stride.speed > 0) s.layer(id)->set(kForward, headingOf(stride.way));
    }
    const Owner owner{List::Layers, id};
    if (s.shot().keysOf(owner, kSpeed)) s.editShot().keys[owner].erase(kSpeed);
    s.layer(id)->set(kSpeed, scene::clampTo(*groundKind().setting(kSpeed), speed.value_or(stride.speed * metres)));
    return id;
}

Result<Path> followPath(scene::Scene& s, const std::string& actor, const std::vector<Vec3>& points) {
    const scene::ActorEntry* entry = std::as_const(s).actor(actor);
    const std::string id = entry ? groundLayerOf(s, actor) : std::string();
    if (id.empty()) return refused("nothing carries it over the ground in this shot yet");
    const scene::Placement at = scene::placementOf(*entry);
    std::vector<Vec3> own;
    for (const Vec3& p : points) {
        Vec3 mine = scene::levelOf(at) * Vec3(at.metres * at.toOwn(p));
        mine.y() = 0;
        if (own.empty() || (mine - own.back()).norm() > 1e-6) own.push_back(mine);
    }
    Path out;
    if (own.size() < 2) return refused("the path has no length");
    const std::vector<Vec3> line = evened(own, out.length);
    const Owner owner{List::Layers, id};
    const int frames = s.frames(s.shot());
    const double fps = s.shot().fps, facing = s.layer(id)->number(kForward);
    std::vector<double> times, headings;
    double way = 0, speed = s.numberAt(owner, kSpeed, 0);
    for (int f = 0; f < frames; ++f) {
        const double now = s.numberAt(owner, kSpeed, f);
        if (f > 0) way += 0.5 * std::abs(speed + now) / fps;
        speed = now;
        const auto last = static_cast<double>(line.size() - 1);
        const double place = std::min(last, way / out.length * last);
        const auto k = std::min(static_cast<std::size_t>(place), line.size() - 2);
        const std::size_t from = k > 0 ? k - 1 : k, to = std::min(k + 2, line.size() - 1);
        double heading = headingOf(line[to] - line[from]) - facing;
        // By as many rounds as lead on from the frame before.
        if (!headings.empty()) heading += 360 * std::round((headings.back() - heading) / 360);
        if (headings.empty()) heading -= 360 * std::round(heading / 360);
        times.push_back(f / fps);
        headings.push_back(heading);
    }
    out.travels = way;
    constexpr double kHeadingTolerance = 0.5;  // [deg]
    s.editShot().keys[owner][kHeading] = keysOf(times, headings, kHeadingTolerance);
    return out;
}

Result<std::string> keepWalk(scene::Scene& s, const std::string& actor, const rig::Walk& walk) {
    const scene::ActorEntry* entry = std::as_const(s).actor(actor);
    if (!entry) return refused("there is no actor \"" + actor + "\"");
    if (walk.time() < 0.25) return refused("the walk is over before it began");
    scene::Shot shot = s.shot();
    shot.id = s.freshId("walk-about");
    for (int n = 1; shot.name.empty() || n == 1 || s.findShot(shot.name); ++n) shot.name = "Walk-about " + std::to_string(n);
    shot.lead = actor;
    shot.loop = scene::Loop::Once;
    shot.cuts.clear();
    shot.marks.clear();
    shot.keys.clear();
    shot.intervals.clear();
    shot.lines.clear();
    shot.unknown = nullptr;
    rig::Line line = walk.line();
    shot.clips[actor] = line.stretches.front().clip;
    shot.lines[actor] = std::move(line);
    s.shots.push_back(shot);
    s.shown = shot.id;
    const scene::ActorEntry held = *entry;
    const std::string id = addGroundLayer(s, held, shot.id);
    scene::Layer& layer = *s.layer(id);
    const double metres = scene::placementOf(held).metres;
    layer.set(kForward, headingOf(walk.forward()));
    layer.set(kSpeed, 0.0);
    std::vector<double> times, speeds, headings;
    for (const rig::Walk::Sample& each : walk.samples()) {
        times.push_back(each.time);
        speeds.push_back(each.speed * metres);
        headings.push_back(degrees(each.heading));
    }
    constexpr double kSpeedTolerance = 0.01, kHeadingTolerance = 0.5;  // [m/s], [deg]
    scene::KeysOf& keys = s.editShot().keys[{List::Layers, id}];
    keys[kSpeed] = keysOf(times, speeds, kSpeedTolerance);
    keys[kHeading] = keysOf(times, headings, kHeadingTolerance);
    return shot.name;
}

}  // namespace nutatio::edit
