#include "scene/fit.h"

#include <algorithm>
#include <optional>

#include "rig/capsule.h"
#include "rig/parts.h"
#include "rig/roles.h"
#include "scene/items.h"

namespace nutatio::scene {

namespace {

using rig::Capsule;
using rig::fitCapsule;
using rig::quantile;

/// Rest-pose vertices by the joint that holds most of them.
std::vector<std::vector<Vec3>> verticesByJoint(const rig::Actor& actor, const std::vector<Affine>& worlds) {
    std::vector<std::vector<Vec3>> out(worlds.size());
    rig::PosedVertices posed;
    for (const rig::MeshInstance& in : actor.instances)
        for (const rig::Primitive& p : actor.meshes[static_cast<std::size_t>(in.mesh)].primitives) {
            rig::poseVertices(actor, in, p, worlds, {}, posed);
            for (std::size_t v = 0; v < posed.positions.size(); ++v) {
                int joint = in.joint;
                if (in.skin >= 0 && v < p.influences.size()) {
                    const rig::Influence& w = p.influences[v];
                    const auto most = std::max_element(w.weight.begin(), w.weight.end()) - w.weight.begin();
                    // A vertex that several joints share evenly belongs to no joint's collider.
                    if (w.weight[static_cast<std::size_t>(most)] < 0.5f) continue;
                    joint = actor.skins[static_cast<std::size_t>(in.skin)].joints[w.joint[static_cast<std::size_t>(most)]];
                }
                out[static_cast<std::size_t>(joint)].push_back(posed.positions[v].cast<double>());
            }
        }
    return out;
}

double volumeOf(const Capsule& c) {
    const double length = (c.b - c.a).norm(), r = 0.5 * (c.ra + c.rb);
    return kPi * r * r * (length + 4.0 / 3 * r);
}

constexpr double kTighter = 0.55;    // of the volume, that two capsules must come to where one is too wide
constexpr std::size_t kFewest = 24;  // vertices that are worth splitting
constexpr double kLong = 4;          // times the variance across, of what is long
constexpr int kSplits = 2;           // times: four capsules at most

/// One capsule, or several where a bend makes one wide: what is long is halved across, as long as the halves' capsules hold far
/// less than the whole's. What is not long stays whole: halves of a hull would hug its sides and leave the middle open.
std::vector<Capsule> fitCapsules(const std::vector<Vec3>& points, const Vec3& bone, int splits = kSplits) {
    const Capsule whole = fitCapsule(points, bone);
    std::vector<Capsule> best{whole};
    if (splits == 0 || points.size() < kFewest) return best;
    const rig::Spread spread = rig::spreadOf(points);
    if (spread.variance[2] < kLong * spread.variance[1]) return best;
    std::vector<Vec3> halves[2];
    for (const Vec3& p : points) halves[spread.axes.col(2).dot(p - spread.mean) > 0].push_back(p);
    if (halves[0].size() < kFewest / 2 || halves[1].size() < kFewest / 2) return best;
    std::vector<Capsule> both;
    double volume = 0;
    for (const auto& half : halves)
        for (const Capsule& c : fitCapsules(half, Vec3::Zero(), splits - 1)) {
            both.push_back(c);
            volume += volumeOf(c);
        }
    return volume < kTighter * volumeOf(whole) ? both : best;
}

/// A box in a joint's own axes.
struct OwnBox {
    Vec3 middle, size;
};

/// The box of points that fill its corners, as a round thing's never do. `points` in the joint's axes.
std::optional<OwnBox> fitBox(const std::vector<Vec3>& points) {
    constexpr double kNear = 0.9, kCornered = 0.75;  // of half a side
    constexpr double kFilled = 0.12;                 // of the points
    Eigen::AlignedBox3d box;
    for (const Vec3& p : points) box.extend(p);
    const Vec3 half = 0.5 * box.sizes();
    if (!(half.minCoeff() > 1e-9 * half.maxCoeff()) || half.minCoeff() < 0.05 * half.maxCoeff()) return std::nullopt;
    std::size_t faces = 0, cornered[3] = {0, 0, 0};
    for (const Vec3& p : points) {
        const Vec3 u = (p - box.center()).cwiseAbs().cwiseQuotient(half);
        faces += u.maxCoeff() > kNear;
        for (Eigen::Index k = 0; k < 3; ++k) cornered[k] += u[(k + 1) % 3] > kCornered && u[(k + 2) % 3] > kCornered;
    }
    const double all = static_cast<double>(points.size());
    if (faces < 0.95 * all ||
        std::any_of(std::begin(cornered), std::end(cornered), [&](std::size_t n) { return n < kFilled * all; }))
        return std::nullopt;
    return OwnBox{box.center(), box.sizes()};
}

/// The name of the joint on the other side, when the name says which side it is on.
std::string otherSide(const std::string& name) {
    static const std::pair<const char*, const char*> kSides[] = {{"_L", "_R"}, {"_l", "_r"},      {".L", ".R"},
                                                                 {".l", ".r"}, {"Left", "Right"}, {"left", "right"}};
    for (const auto& [l, r] : kSides)
        for (const auto& [mine, other] : {std::pair{l, r}, std::pair{r, l}})
            if (const auto at = name.rfind(mine); at != std::string::npos) {
                const auto end = at + std::string_view(mine).size();
                // "_L" must end the name or a part of it: "_Lamp" is no side.
                if (std::string_view(mine).size() == 2 && end < name.size() &&
                    std::isalpha(static_cast<unsigned char>(name[end])))
                    continue;
                return name.substr(0, at) + other + name.substr(end);
            }
    return {};
}

Capsule mirrored(const Capsule& c, double middle) {
    const auto flip = [&](const Vec3& p) { return Vec3(2 * middle - p.x(), p.y(), p.z()); };
    return {flip(c.a), flip(c.b), c.ra, c.rb};
}

Collider colliderOf(const Scene& scene, const ActorEntry& entry, int joint, const Affine& world, const Capsule& c) {
    const rig::Skeleton& s = entry.actor->skeleton;
    Collider out;
    out.name = rig::plainName(s, joint);
    out.id = scene.freshId("fit-" + entry.id + "-" + out.name);
    out.mount = {entry.id, s.reference(joint)};
    const Quat back = rotationOf(world.m).conjugate();
    const Vec3 way = c.b - c.a;
    out.fitted = true;
    out.values = startValues(colliderTable());
    const double length = way.norm();
    const bool round = length <= 0.25 * std::max(c.ra, c.rb);
    const double radius = round ? std::max(c.ra, c.rb) : c.ra;
    out.set("shape", std::string(shapeName(round ? Shape::Sphere : Shape::Capsule)));
    out.set("radius", radius);
    out.set("radius_end", round ? radius : c.rb);
    out.set("length", length);
    out.setVector("offset", back * (0.5 * (c.a + c.b) - world.t));
    if (length > 1e-12) out.setVector("turn", rotationVector(arc(Vec3::UnitY(), back * way / length)) * degrees(1));
    out.setVector("size", Vec3(2 * radius, length + 2 * radius, 2 * radius));
    return out;
}

Collider boxOf(const Scene& scene, const ActorEntry& entry, int joint, const OwnBox& box) {
    Collider out =
        colliderOf(scene, entry, joint, {}, {box.middle, box.middle, 0.5 * box.size.minCoeff(), 0.5 * box.size.minCoeff()});
    out.set("shape", std::string(shapeName(Shape::Box)));
    out.setVector("offset", box.middle);
    out.setVector("size", box.size);
    return out;
}

/// Joints of the body itself: a limb or a trunk is one capsule, whatever hangs on it.
std::vector<bool> bodyOf(const rig::Actor& actor) {
    std::vector<bool> out(static_cast<std::size_t>(actor.skeleton.size()), false);
    const rig::Roles r = rig::rolesOf(actor);
    const auto mark = [&](const std::vector<int>& joints) {
        for (int j : joints) out[static_cast<std::size_t>(j)] = true;
    };
    mark(r.spine);
    mark(r.neck);
    if (r.head != rig::kNoJoint) mark({r.head});
    for (const auto* limbs : {&r.legs, &r.arms})
        for (const rig::Limb& l : *limbs) mark(l.chain);
    return out;
}

}  // namespace

std::vector<Collider> fitColliders(const Scene& scene, const ActorEntry& entry, const std::vector<bool>& swung, double least) {
    const rig::Actor& actor = *entry.actor;
    const rig::Skeleton& s = actor.skeleton;
    std::vector<Affine> worlds;
    rig::worldTransforms(s, actor.restPose(), worlds);
    std::vector<bool> skip = swung;
    skip.resize(worlds.size(), false);
    for (const Collider& c : scene.colliders)
        if (c.mount.actor == entry.id)
            if (const int j = s.find(c.mount.joint); j != rig::kNoJoint && c.shape() != Shape::Plane)
                skip[static_cast<std::size_t>(j)] = true;
    const auto points = verticesByJoint(actor, worlds);
    const std::vector<bool> body = bodyOf(actor);
    std::vector<std::optional<Capsule>> fitted(worlds.size());
    std::vector<std::vector<Capsule>> several(worlds.size());
    std::vector<std::optional<OwnBox>> boxes(worlds.size());
    for (int j : s.order()) {
        const auto k = static_cast<std::size_t>(j);
        if (skip[k] || points[k].size() < 8) continue;
        if (!body[k]) {
            std::vector<Vec3> own;
            const Quat back = rotationOf(worlds[k].m).conjugate();
            for (const Vec3& p : points[k]) own.push_back(back * (p - worlds[k].t));
            boxes[k] = fitBox(own);
            if (boxes[k] && 0.5 * boxes[k]->size.maxCoeff() >= least * actor.height) continue;
            boxes[k].reset();
        }
        if (points[k].size() < 12) continue;
        Vec3 bone = Vec3::Zero();
        for (int c : s.joint(j).children)
            if (const Vec3 way = worlds[static_cast<std::size_t>(c)].t - worlds[k].t; way.norm() > bone.norm()) bone = way;
        const Capsule c = fitCapsule(points[k], bone);
        if (std::max(c.ra, c.rb) >= least * actor.height) fitted[k] = c;
        if (!fitted[k] || body[k]) continue;
        several[k] = fitCapsules(points[k], bone);
        if (several[k].size() == 1) several[k].clear();
    }
    // The plane of symmetry stands half way between the joints that name one another, whatever the actor holds in one hand.
    std::vector<double> middles;
    for (int j = 0; j < s.size(); ++j)
        if (const std::string name = otherSide(s.joint(j).name); !name.empty())
            if (const int other = s.find(name); other != rig::kNoJoint)
                middles.push_back(0.5 *
                                  (worlds[static_cast<std::size_t>(j)].t.x() + worlds[static_cast<std::size_t>(other)].t.x()));
    const double middle = middles.empty() ? 0.5 * (actor.low.x() + actor.high.x()) : quantile(middles, 0.5);
    std::vector<Collider> out;
    Scene named = scene;  // so that the new ids differ from one another
    for (int j : s.order()) {
        const auto add = [&](Collider c, std::size_t number) {
            if (number > 0) c.name += " " + std::to_string(number + 1);
            out.push_back(c);
            named.colliders.push_back(std::move(c));
        };
        if (const auto& box = boxes[static_cast<std::size_t>(j)]) {
            add(boxOf(named, entry, j, *box), 0);
            continue;
        }
        auto& mine = fitted[static_cast<std::size_t>(j)];
        if (!mine) continue;
        if (const auto& parts = several[static_cast<std::size_t>(j)]; !parts.empty()) {
            for (std::size_t n = 0; n < parts.size(); ++n)
                add(colliderOf(named, entry, j, worlds[static_cast<std::size_t>(j)], parts[n]), n);
            continue;
        }
        const std::string name = otherSide(s.joint(j).name);
        const int other = name.empty() ? rig::kNoJoint : s.find(name);
        if (other != rig::kNoJoint && other > j && fitted[static_cast<std::size_t>(other)]) {
            // Where the rig stands mirrored, both sides share the mean of the two.
            const Capsule far = mirrored(*fitted[static_cast<std::size_t>(other)], middle);
            if ((far.a - mine->a).norm() + (far.b - mine->b).norm() < 0.1 * actor.height) {
                *mine = {0.5 * (mine->a + far.a), 0.5 * (mine->b + far.b), 0.5 * (mine->ra + far.ra), 0.5 * (mine->rb + far.rb)};
                fitted[static_cast<std::size_t>(other)] = mirrored(*mine, middle);
            }
        }
        add(colliderOf(named, entry, j, worlds[static_cast<std::size_t>(j)], *mine), 0);
    }
    return out;
}

}  // namespace nutatio::scene
