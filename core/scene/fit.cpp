#include "scene/fit.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <optional>

#include "rig/parts.h"
#include "scene/items.h"

namespace nutatio::scene {

namespace {

/// A capsule in the world.
struct Capsule {
    Vec3 a, b;
    double ra = 0, rb = 0;
};

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
                    // What several joints share evenly belongs to none of them.
                    if (w.weight[static_cast<std::size_t>(most)] < 0.5f) continue;
                    joint = actor.skins[static_cast<std::size_t>(in.skin)].joints[w.joint[static_cast<std::size_t>(most)]];
                }
                out[static_cast<std::size_t>(joint)].push_back(posed.positions[v].cast<double>());
            }
        }
    return out;
}

double quantile(std::vector<double> v, double q) {
    if (v.empty()) return 0;
    const auto at = static_cast<std::ptrdiff_t>(q * static_cast<double>(v.size() - 1));
    std::nth_element(v.begin(), v.begin() + at, v.end());
    return v[static_cast<std::size_t>(at)];
}

/// Along `bone` where the vertices follow it, else along the way they spread most.
Capsule fitCapsule(const std::vector<Vec3>& points, const Vec3& bone) {
    Vec3 mean = Vec3::Zero();
    for (const Vec3& p : points) mean += p / static_cast<double>(points.size());
    Mat3 spread = Mat3::Zero();
    for (const Vec3& p : points) spread += (p - mean) * (p - mean).transpose();
    const Eigen::SelfAdjointEigenSolver<Mat3> solved(spread);
    Vec3 axis = solved.eigenvectors().col(2);
    if (bone.norm() > 0) {
        const Vec3 b = bone.normalized();
        const double along = b.dot(spread * b);
        if (along > 0.6 * solved.eigenvalues()[2]) axis = axis.dot(b) < 0 ? -b : b;
        if (axis.dot(b) < 0) axis = -axis;
    }
    std::vector<double> heights;
    for (const Vec3& p : points) heights.push_back(axis.dot(p - mean));
    const double low = quantile(heights, 0.01), high = quantile(heights, 0.99), middle = 0.5 * (low + high);
    // The axis passes through the middle of the thickness at either half.
    Vec3 centre[2] = {Vec3::Zero(), Vec3::Zero()};
    double count[2] = {0, 0};
    for (std::size_t i = 0; i < points.size(); ++i) {
        const int half = heights[i] > middle;
        centre[half] += points[i] - mean - heights[i] * axis;
        ++count[half];
    }
    const Vec3 off = (centre[0] + centre[1]) / std::max(1.0, count[0] + count[1]);
    std::vector<double> around[2];
    for (std::size_t i = 0; i < points.size(); ++i)
        around[heights[i] > middle].push_back((points[i] - mean - heights[i] * axis - off).norm());
    Capsule c;
    c.ra = quantile(around[0], 0.75);
    c.rb = quantile(around[1], 0.75);
    const double longest = high - low;
    c.ra = std::min(c.ra, 0.5 * longest);
    c.rb = std::min(c.rb, 0.5 * longest);
    double from = low + c.ra, to = high - c.rb;
    if (from > to) from = to = 0.5 * (from + to);
    c.a = mean + off + from * axis;
    c.b = mean + off + to * axis;
    return c;
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
    out.actor = entry.id;
    out.joint = s.reference(joint);
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

}  // namespace

std::vector<Collider> fitColliders(const Scene& scene, const ActorEntry& entry, const std::vector<bool>& swung, double least) {
    const rig::Actor& actor = *entry.actor;
    const rig::Skeleton& s = actor.skeleton;
    std::vector<Affine> worlds;
    rig::worldTransforms(s, actor.restPose(), worlds);
    std::vector<bool> skip = swung;
    skip.resize(worlds.size(), false);
    for (const Collider& c : scene.colliders)
        if (c.actor == entry.id)
            if (const int j = s.find(c.joint); j != rig::kNoJoint && c.shape() != Shape::Plane)
                skip[static_cast<std::size_t>(j)] = true;
    const auto points = verticesByJoint(actor, worlds);
    std::vector<std::optional<Capsule>> fitted(worlds.size());
    for (int j : s.order()) {
        const auto k = static_cast<std::size_t>(j);
        if (skip[k] || points[k].size() < 12) continue;
        Vec3 bone = Vec3::Zero();
        for (int c : s.joint(j).children)
            if (const Vec3 way = worlds[static_cast<std::size_t>(c)].t - worlds[k].t; way.norm() > bone.norm()) bone = way;
        const Capsule c = fitCapsule(points[k], bone);
        if (std::max(c.ra, c.rb) >= least * actor.height) fitted[k] = c;
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
        auto& mine = fitted[static_cast<std::size_t>(j)];
        if (!mine) continue;
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
        out.push_back(colliderOf(named, entry, j, worlds[static_cast<std::size_t>(j)], *mine));
        named.colliders.push_back(out.back());
    }
    return out;
}

}  // namespace nutatio::scene
