#include "pipeline/sweeps.h"

#include "layers/joint_worlds.h"
#include "pipeline/climber.h"
#include "pipeline/context.h"

namespace nutatio::pipeline {

namespace {

constexpr std::size_t kStretches = 8;

Key keyOf(const Climber& c, int joint, const Vec3& local) {
    Hasher h;
    for (int j = joint; j != rig::kNoJoint; j = c.entry->actor->skeleton.joint(j).parent)
        h.key(c.keys[static_cast<std::size_t>(j)]);
    add(h, c.placement);
    add(h, local);
    return h.done();
}

Sweeps::Boxes swept(const Climber& c, int joint, const Vec3& local) {
    Sweeps::Boxes out(kStretches);
    layers::JointWorlds worlds(c.entry->actor->skeleton, {joint});
    Vec3 last = Vec3::Zero();
    double step = 0;
    const auto frames = static_cast<std::size_t>(c.track.frames());
    for (std::size_t f = 0; f < frames; ++f) {
        worlds.update(layers::PoseView(c.track, static_cast<int>(f)));
        const Affine& w = worlds.world(joint);
        const Vec3 p = c.placement.toWorld(local == Vec3::Zero() ? w.t : Vec3(w.t + rotationOf(w.m) * local));
        if (f > 0) step = std::max(step, (p - last).norm());
        last = p;
        const std::size_t k = f * kStretches / frames;
        out[k].extend(p);
        // A stretch ends where the next begins.
        if (k + 1 < kStretches && (f + 1) * kStretches / frames != k) out[k + 1].extend(p);
    }
    for (std::size_t k = 0; k < kStretches; ++k) {
        if (out[k].isEmpty()) out[k] = out[k == 0 ? 0 : k - 1];
        out[k].extend(Vec3(out[k].min() - Vec3::Constant(step)));
        out[k].extend(Vec3(out[k].max() + Vec3::Constant(step)));
    }
    return out;
}

}  // namespace

const Sweeps::Boxes& Sweeps::of(const Climber& climber, int joint, const Vec3& local) {
    const Key key = keyOf(climber, joint, local);
    const auto at = m_memo.find(key);
    return at != m_memo.end() ? at->second : m_memo.emplace(key, swept(climber, joint, local)).first->second;
}

bool Sweeps::meet(const BodyOfShot& body, const Climber* carrier, const std::vector<const Boxes*>& bases, const Climber& layer,
                  double reach) {
    const Boxes standing(kStretches, Eigen::AlignedBox3d(body.middle));
    const Boxes* there = &standing;
    if (carrier) {
        auto& known = m_ofBodies[&body];
        if (const Key key = keyOf(*carrier, body.on.joint, body.middle); !known.second || known.first != key)
            known = {key, &of(*carrier, body.on.joint, body.middle)};
        there = known.second;
    }
    const double size = body.farthest * (carrier ? carrier->placement.metres : 1);
    const double far = 1.05 * reach * layer.placement.metres + size;
    for (const Boxes* base : bases)
        for (std::size_t k = 0; k < base->size(); ++k)
            if ((*base)[k].squaredExteriorDistance((*there)[k]) <= far * far) return true;
    return false;
}

}  // namespace nutatio::pipeline
