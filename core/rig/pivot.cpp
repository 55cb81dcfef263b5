#include "rig/pivot.h"

#include <algorithm>

#include "base/error.h"

namespace nutatio::rig {

namespace {

constexpr double kDense = 1.0 / 60;  // [s] between keys of a place that goes round with a turn, at most
constexpr double kJump = 1e-4;       // [s] before a held key ends

/// Adds `shift` to all values of a channel of places; slopes of cubic keys stay.
void shiftBy(Channel& c, const Vec3& shift) {
    const std::size_t key = c.interpolation == Interpolation::Cubic ? 9 : 3,
                      first = c.interpolation == Interpolation::Cubic ? 3 : 0;
    for (std::size_t k = 0; k + key <= c.values.size(); k += key)
        for (std::size_t n = 0; n < 3; ++n) c.values[k + first + n] += static_cast<float>(shift[static_cast<Eigen::Index>(n)]);
    c.rebased = true;
}

Channel* find(Clip& clip, int joint, Path path) {
    for (Channel& c : clip.channels)
        if (c.joint == joint && c.path == path) return &c;
    return nullptr;
}

/// Key times of whatever moves the joint, and enough between them.
std::vector<float> denseTimes(const Clip& clip, int joint) {
    std::vector<float> times;
    for (const Channel& c : clip.channels) {
        if (c.joint != joint || c.path == Path::Weights) continue;
        for (float t : c.times) {
            times.push_back(t);
            if (c.interpolation == Interpolation::Step && t > clip.start + 2 * kJump)
                times.push_back(t - static_cast<float>(kJump));
        }
    }
    std::sort(times.begin(), times.end());
    times.erase(std::unique(times.begin(), times.end()), times.end());
    std::vector<float> dense;
    for (std::size_t k = 0; k < times.size(); ++k) {
        dense.push_back(times[k]);
        if (k + 1 == times.size()) break;
        const double gap = times[k + 1] - times[k];
        const int parts = static_cast<int>(std::ceil(gap / kDense));
        for (int n = 1; n < parts; ++n) dense.push_back(static_cast<float>(times[k] + gap * n / parts));
    }
    return dense;
}

/// The joint's place in a clip, moved on by `own` in its own axes at every moment.
void carryAlong(Clip& clip, int joint, const Xform& rest, const Vec3& own) {
    Channel* move = find(clip, joint, Path::Move);
    const bool turns = find(clip, joint, Path::Turn) || find(clip, joint, Path::Scale);
    if (!turns) {
        if (move) shiftBy(*move, rest.r * rest.s.cwiseProduct(own));
        return;
    }
    Channel c;
    c.joint = joint;
    c.path = Path::Move;
    c.rebased = true;
    c.times = denseTimes(clip, joint);
    std::vector<Xform> local(static_cast<std::size_t>(joint) + 1);
    for (float t : c.times) {
        Xform x = rest;
        for (const Channel& other : clip.channels) {
            if (other.joint != joint || other.path == Path::Weights) continue;
            double v[4];
            other.sample(t, v);
            if (other.path == Path::Move) x.t = Vec3(v[0], v[1], v[2]);
            if (other.path == Path::Turn) x.r = Quat(v[3], v[0], v[1], v[2]);
            if (other.path == Path::Scale) x.s = Vec3(v[0], v[1], v[2]);
        }
        const Vec3 at = x.t + x.r * x.s.cwiseProduct(own);
        for (int k = 0; k < 3; ++k) c.values.push_back(static_cast<float>(at[k]));
    }
    if (move)
        *move = std::move(c);
    else
        clip.channels.push_back(std::move(c));
}

bool hangsUnskinned(const Actor& a, const MeshInstance& in) {
    const auto& primitives = a.meshes[static_cast<std::size_t>(in.mesh)].primitives;
    return in.skin < 0 ||
           std::any_of(primitives.begin(), primitives.end(), [](const Primitive& p) { return p.influences.empty(); });
}

}  // namespace

void movePivot(Actor& a, int joint, const Vec3& place, bool keeps) {
    const auto j = static_cast<std::size_t>(joint);
    std::vector<Affine> before, after;
    worldTransforms(a.skeleton, a.restPose(), before);
    std::vector<Joint> joints = a.skeleton.joints();
    const Xform rest = joints[j].rest;
    const Vec3 shift = place - rest.t;
    const Vec3 size = rest.s.unaryExpr([](double s) { return std::abs(s) < 1e-12 ? 1e-12 : s; });
    const Vec3 own = (rest.r.conjugate() * shift).cwiseQuotient(size);
    joints[j].rest.t = place;
    joints[j].moved = true;
    for (int c : joints[j].children) {
        joints[static_cast<std::size_t>(c)].rest.t -= own;
        joints[static_cast<std::size_t>(c)].moved = true;
    }
    for (Clip& clip : a.clips.edit()) {
        for (int c : joints[j].children)
            if (Channel* move = find(clip, c, Path::Move)) shiftBy(*move, -own);
        if (keeps)
            carryAlong(clip, joint, rest, own);
        else if (Channel* move = find(clip, joint, Path::Move))
            shiftBy(*move, shift);
    }
    int carrier = kNoJoint;
    for (std::size_t i = 0; i < a.instances.size(); ++i) {
        if (a.instances[i].joint != joint || !hangsUnskinned(a, a.instances[i])) continue;
        if (carrier == kNoJoint) {
            carrier = static_cast<int>(joints.size());
            Joint mesh;
            const std::string stem = a.skeleton.label(joint) + "_mesh";
            mesh.name = stem;
            for (int n = 2; a.skeleton.find(mesh.name) != kNoJoint; ++n) mesh.name = stem + "_" + std::to_string(n);
            mesh.parent = joint;
            mesh.rest.t = -own;
            mesh.made = true;
            joints.push_back(std::move(mesh));
            for (Clip& clip : a.clips.edit())
                for (Channel& c : clip.channels)
                    if (c.joint == joint && c.path == Path::Weights) c.joint = carrier;
        }
        a.instances.edit()[i].joint = carrier;
    }
    for (Joint& each : joints) each.children.clear();
    a.skeleton = Skeleton(std::move(joints));
    worldTransforms(a.skeleton, a.restPose(), after);
    for (std::size_t k = 0; k < a.skins.size(); ++k)
        for (std::size_t n = 0; n < a.skins[k].joints.size(); ++n) {
            if (a.skins[k].joints[n] != joint) continue;
            Skin& skin = a.skins.edit()[k];
            skin.inverseBind[n] = after[j].inverse() * (before[j] * skin.inverseBind[n]);
            skin.rebound = true;
        }
    a.finish();
}

void hangOn(Actor& a, int joint, int parent) {
    if (a.skeleton.isBelow(parent, joint) || parent == joint) throw Failure("", "a joint cannot hang on itself");
    std::vector<Affine> worlds;
    worldTransforms(a.skeleton, a.restPose(), worlds);
    std::vector<Joint> joints = a.skeleton.joints();
    for (Joint& each : joints) each.children.clear();
    Joint& mine = joints[static_cast<std::size_t>(joint)];
    const Affine& up = worlds[static_cast<std::size_t>(parent)];
    mine.parent = parent;
    mine.rest = decompose(up.inverse() * worlds[static_cast<std::size_t>(joint)]);
    a.skeleton = Skeleton(std::move(joints));
    a.finish();
}

}  // namespace nutatio::rig
