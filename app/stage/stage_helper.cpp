// Placing a helper joint: the surface under the mouse shows what would follow it, the wheel says how far, a click makes it.
#include <QMouseEvent>

#include "app/stage/stage.h"
#include "app/stage/tint.h"
#include "rig/helper.h"

namespace nutatio::app {

namespace {

constexpr double kLeastReach = 0.01, kMostReach = 0.6;  // heights
constexpr double kWheel = 1.12;                         // a notch
constexpr double kInside = 0.5;                         // of the way to the bone, and of the reach, at most

/// The point of a bone's segments that is nearest to `p`.
Vec3 onBone(const rig::Skeleton& s, const std::vector<Affine>& worlds, int joint, const Vec3& p) {
    const Vec3 from = worlds[static_cast<std::size_t>(joint)].t;
    Vec3 best = from;
    for (int c : s.joint(joint).children) {
        const Vec3 way = worlds[static_cast<std::size_t>(c)].t - from;
        if (!(way.squaredNorm() > 0)) continue;
        const Vec3 q = from + std::clamp((p - from).dot(way) / way.squaredNorm(), 0.0, 1.0) * way;
        if ((q - p).norm() < (best - p).norm()) best = q;
    }
    return best;
}

}  // namespace

void Stage::setTool(Tool tool) {
    m_tool = tool;
    m_helper.proposed.reset();
    m_chain.proposed.reset();
    m_chain.drawn.clear();
    m_surface.surface.reset();
    m_tint.reset();
    setCursor(tool == Tool::None || tool == Tool::Pivot ? Qt::ArrowCursor : Qt::CrossCursor);
    update();
}

void Stage::proposeHelper(const QPointF& at) {
    m_helper.proposed.reset();
    m_tint.reset();
    update();
    const std::optional<MeshHit> hit = hitMesh(at);
    const scene::ActorEntry* a = hit ? m_document.scene().actor(hit->actor) : nullptr;
    if (!a || a->isPiece()) return;
    const rig::Actor& actor = *a->actor;
    const rig::Surface& surface = surfaceOf(actor);
    const Vec3 spot = restPlace(actor, surface, *hit);
    std::vector<Affine> worlds;
    rig::worldTransforms(actor.skeleton, actor.restPose(), worlds);
    const int parent = rig::carrierAt(surface, spot);
    const double reach = m_helper.reach * actor.height;
    const Vec3 inward = onBone(actor.skeleton, worlds, parent, spot) - spot;
    const double depth = std::min(kInside * inward.norm(), kInside * reach);
    const Vec3 place = inward.norm() > 1e-9 ? Vec3(spot + depth * inward.normalized()) : spot;
    const std::vector<float> share = rig::shareOf(actor, surface, parent, place, reach);
    m_tint = tintBy(actor, surface, [&](std::uint32_t point) { return share[point]; });
    m_helper.proposed = Helper{hit->actor, actor.skeleton.reference(parent), place, m_helper.reach};
    // Of several meshes under the pointer the front one is taken.
    const int carrier = actor.instances[hit->instance].joint;
    m_helper.mesh = actor.instances.size() > 1 && carrier != rig::kNoJoint ? QString::fromStdString(actor.skeleton.label(carrier))
                                                                           : QString();
}

void Stage::widenHelper(double notches) {
    m_helper.reach = within(m_helper.reach * std::pow(kWheel, notches), kLeastReach, kMostReach);
    proposeHelper(m_mouse.last);
}

}  // namespace nutatio::app
