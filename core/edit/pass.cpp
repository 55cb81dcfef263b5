#include "edit/pass.h"

#include <algorithm>
#include <cmath>

#include "edit/channels.h"
#include "edit/edit.h"
#include "layers/registry.h"
#include "rig/parts.h"

namespace nutatio::edit {

namespace {

constexpr double kTurned = radians(0.05), kMovedBy = 1e-5;  // and heights: less is no motion

constexpr HandTolerance kPassTolerance{0.5, 2e-3};  // a hand's tremor is larger

/// What a pose does to a joint.
struct By {
    Quat turn = Quat::Identity();
    Vec3 way = Vec3::Zero();
    static By from(const Xform& a, const Xform& b) { return {a.r.conjugate() * b.r, b.t - a.t}; }
    By share(double u) const { return {blend(Quat::Identity(), turn, u), u * way}; }
    static By between(const By& a, const By& b, double u) { return {blend(a.turn, b.turn, u), a.way + u * (b.way - a.way)}; }
    Xform on(const Xform& x) const { return {x.t + way, (x.r * turn).normalized(), x.s}; }
};

/// What is done to one joint in every frame, by what was done in some.
std::vector<By> filledIn(const std::map<int, By>& some, int frames, bool round, int ease) {
    std::vector<By> out(static_cast<std::size_t>(frames));
    const auto at = [&](int f) -> By& { return out[static_cast<std::size_t>(f)]; };
    for (auto a = some.begin(), b = std::next(a); b != some.end(); ++a, ++b)
        for (int f = a->first; f < b->first; ++f)
            at(f) = By::between(a->second, b->second, static_cast<double>(f - a->first) / (b->first - a->first));
    const auto [first, from] = *some.begin();
    const auto [last, to] = *some.rbegin();
    at(last) = to;
    const int lap = frames - 1;
    for (int k = 1; k <= ease; ++k) {
        const double u = eased(1 - static_cast<double>(k) / (ease + 1));
        // Before it and after it, on the other side of the loop's end if need be.
        for (const auto& [f, by] : {std::pair{first - k, from}, {last + k, to}}) {
            const int there = round && lap > 0 ? ((f % lap) + lap) % lap : f;
            if (there < 0 || there >= frames || (there >= first && there <= last)) continue;
            at(there) = by.share(u);
        }
    }
    if (round && lap > 0) {
        // The last frame is the first again.
        if (last == lap && first > 0) at(0) = at(lap);
        if (first == 0 && last < lap) at(lap) = at(0);
    }
    return out;
}

}  // namespace

std::size_t passesOf(const scene::Scene& s, const std::string& actor) {
    std::size_t n = 0;
    for (const scene::Layer& l : s.layers) {
        if (l.actor != actor) continue;
        if (l.group != kPasses) break;
        ++n;
    }
    return n;
}

std::size_t abovePasses(const scene::Scene& s, const std::string& actor) {
    std::size_t place = 0;
    for (std::size_t seen = 0, passes = passesOf(s, actor); seen < passes; ++place) seen += s.layers[place].actor == actor;
    return place;
}

Result<std::string> keepPass(scene::Scene& scene, const std::string& actor, const rig::Track& below, const Pass& pass) {
    const scene::ActorEntry* entry = std::as_const(scene).actor(actor);
    if (!entry) return refused("there is no actor \"" + actor + "\"");
    const rig::Actor& rigged = *entry->actor;
    const rig::Skeleton& skeleton = rigged.skeleton;
    const layers::LayerKind* kind = handKind();
    const auto n = static_cast<std::size_t>(skeleton.size());
    if (below.joints() != skeleton.size()) return refused("the motion it was performed on is of another skeleton");
    std::map<int, std::vector<Xform>> poses;
    for (const auto& [frame, pose] : pass.poses)
        if (frame >= 0 && frame < below.frames() && pose.size() == n) poses.emplace(frame, pose);
    const std::vector<double> scales = rig::scalesAbove(rigged);
    const bool round = scene.shot().loop != scene::Loop::Once && below.closes(rigged);
    std::set<int> moved;
    int most = rig::kNoJoint;
    double farthest = 0;
    rig::Track above = below;
    for (std::size_t j = 0; j < n && !poses.empty(); ++j) {
        std::map<int, By> some;
        double far = 0;
        for (const auto& [frame, pose] : poses) {
            const By by = By::from(below.at(static_cast<int>(j), frame), pose[j]);
            far = std::max({far, Quat::Identity().angularDistance(by.turn) / kTurned,
                            by.way.norm() * scales[j] / (kMovedBy * rigged.height)});
            some.emplace(frame, by);
        }
        if (far <= 1) continue;
        const auto joint = static_cast<int>(j);
        moved.insert(joint);
        if (far > farthest) {
            farthest = far;
            most = joint;
        }
        const std::vector<By> all = filledIn(some, below.frames(), round, pass.ease);
        rig::Column column;
        for (int f = 0; f < below.frames(); ++f) column.push_back(all[static_cast<std::size_t>(f)].on(below.at(joint, f)));
        above.replace(joint, std::move(column));
    }
    if (moved.empty()) return refused("nothing was moved");
    scene::Scene s = scene;
    scene::Layer made = layers::newLayer(*kind, s, *entry, {});
    const std::size_t passes = passesOf(s, actor);
    made.name = "Pass " + std::to_string(passes + 1) + ": " + rig::plainName(skeleton, most);
    made.id = s.freshId("pass");
    made.group = kPasses;
    if (!s.shots.empty()) made.shot = s.shot().id;
    std::vector<std::string> joints;
    for (int j : skeleton.order())
        if (moved.count(j) > 0) joints.push_back(skeleton.reference(j));
    made.set(kind->target(), std::move(joints));
    scene::KeysOf keys;
    putMotion(made, keys, moved, rigged, below, above, kPassTolerance, s.shot().fps, false);
    s.layers.insert(abovePasses(s, actor), made);
    const scene::Owner owner{scene::List::Layers, made.id};
    s.editShot().keys[owner] = keys;
    if (pass.halfLater) {
        std::vector<KeyOf> all;
        for (const auto& [setting, row] : keys)
            for (const scene::KeyAt& k : row) all.push_back({owner, setting, k.at});
        if (const auto done = repeatHalf(s, all); !done) return done.error();
    }
    scene = std::move(s);
    return made.id;
}

}  // namespace nutatio::edit
