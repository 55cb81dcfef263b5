#include "app/stage/posing.h"

#include <algorithm>
#include <cmath>

#include "app/look/theme.h"
#include "rig/roles.h"

namespace nutatio::app {

void worldsInScene(const scene::ActorEntry& actor, const std::vector<Xform>& locals, std::vector<Affine>& worlds) {
    rig::worldTransforms(actor.actor->skeleton, locals, worlds);
    const scene::Placement stands = scene::placementOf(actor);
    if (stands.stands({})) return;
    const Affine lift{stands.metres * stands.turn.toRotationMatrix(), stands.place};
    for (Affine& w : worlds) w = lift * w;
}

Posed posedAt(const scene::ActorEntry& actor, const pipeline::TrackPtr& motion, int frame) {
    Posed out;
    out.id = actor.id;
    out.actor = actor.actor.get();
    std::vector<Xform> locals = actor.actor->restPose();
    if (motion && motion->joints() == actor.actor->skeleton.size()) {
        out.track = motion;
        out.frame = std::min(frame, motion->frames() - 1);
        motion->pose(out.frame, locals);
    }
    worldsInScene(actor, locals, out.worlds);
    return out;
}

void markBones(const Posed& posed, const Camera& camera, const QRectF& into, const QColor& colour, std::vector<Mark>& marks) {
    const rig::Actor& a = *posed.actor;
    const QSize view = into.size().toSize();
    const double unit = view.height() / (2 * camera.distance * std::tan(0.5 * camera.fieldOfView));
    const auto line = [&](const Vec3& from, const Vec3& to, double wide, const QColor& c) {
        const auto pa = camera.pixel(from, view), pb = camera.pixel(to, view);
        if (pa && pb) marks.push_back({*pa + into.topLeft(), *pb + into.topLeft(), wide, c});
    };
    for (int j = 0; j < a.skeleton.size(); ++j) {
        const int p = a.skeleton.joint(j).parent;
        if (p == rig::kNoJoint) continue;
        const Vec3 &from = posed.worlds[static_cast<std::size_t>(p)].t, &to = posed.worlds[static_cast<std::size_t>(j)].t;
        const double wide = std::clamp(unit * std::min(0.028 * a.height * a.metresPerUnit, 0.25 * (to - from).norm()), 2.0, 60.0);
        line(from, to, wide + 2.5, look::theme().ink);
        line(from, to, wide, colour);
    }
}

Vec3 Follower::step(const Posed& posed) {
    if (posed.actor->skeleton.size() == 0) return Vec3::Zero();  // a file of meshes alone
    if (!m_of || !(*m_of == posed.actor->content)) {
        m_of = posed.actor->content;
        const int hips = rig::rolesOf(*posed.actor).hips;
        m_joint = hips != rig::kNoJoint ? hips : posed.actor->skeleton.roots().front();
        m_place = posed.worlds[static_cast<std::size_t>(m_joint)].t;
    }
    Vec3 by = posed.worlds[static_cast<std::size_t>(m_joint)].t - m_place;
    m_place += by;
    by.y() = 0;
    return by.allFinite() ? by : Vec3(Vec3::Zero());
}

}  // namespace nutatio::app
