// What the session points out on the stage: a finding's place, or the joints of a bend test.
#include "app/stage/stage.h"
#include "app/stage/tint.h"
#include "edit/edit.h"
#include "measure/trace.h"
#include "rig/surface.h"

namespace nutatio::app {

namespace {

constexpr double kSwing = 30;    // [deg] to either side
constexpr double kPeriod = 1.4;  // [s] of one swing; the next one is about the other axis
constexpr double kFindingSwings = 4;
constexpr int kTick = 33;  // [ms]

}  // namespace

void Stage::showSpot() {
    if (m_tool == Tool::Helper || m_tool == Tool::Chain || m_session.painting().on) return;
    m_tint.reset();
    m_swing.timer.stop();
    const std::optional<Spot>& spot = m_session.spot();
    const scene::ActorEntry* a = spot ? m_document.scene().actor(spot->actor) : nullptr;
    if (!a) {
        update();
        return;
    }
    const rig::Actor& actor = *a->actor;
    const rig::Surface& surface = surfaceOf(actor);
    std::vector<float> share(surface.places.size(), 0.0f);
    if (!spot->map.empty()) {
        if (auto values = edit::mapOf(m_document.scene(), a->id, spot->map, surface)) share = std::move(values.value());
    } else if (spot->points.empty()) {
        std::vector<char> follows(static_cast<std::size_t>(actor.skeleton.size()), false);
        for (int joint : spot->joints)
            for (int j : actor.skeleton.subtree(joint)) follows[static_cast<std::size_t>(j)] = true;
        for (std::uint32_t v = 0; v < share.size(); ++v)
            for (const rig::Surface::Pull& p : surface.pulls(v))
                if (follows[static_cast<std::size_t>(p.joint)]) share[v] += p.weight;
    } else {
        for (std::uint32_t v : spot->points)
            if (v < share.size()) share[v] = 1;
    }
    m_tint = tintBy(actor, surface, [&](std::uint32_t point) { return share[point]; });

    if (!spot->follows) {
        pose();
        if (const Shown* s = shown(spot->actor)) {
            // Posed by the joints that carry the spot.
            Eigen::AlignedBox3d box;
            for (int j : spot->joints) box.extend(s->posed.worlds[static_cast<std::size_t>(j)].t);
            for (std::uint32_t v : spot->points)
                if (v < surface.places.size()) box.extend(s->posed.worlds[static_cast<std::size_t>(surface.mainJoint(v))].t);
            if (!box.isEmpty()) {
                const Vec3 least = Vec3::Constant(0.22 * m_size);
                m_camera.frame(box.min() - least, box.max() + least);
            }
        }
    }
    if (spot->swings) {
        m_swing.clock.start();
        m_swing.timer.start(kTick);
    }
    update();
}

void Stage::swingOn() {
    const std::optional<Spot>& spot = m_session.spot();
    if (!spot || (!spot->follows && m_swing.clock.elapsed() > 1000 * kFindingSwings * kPeriod)) m_swing.timer.stop();
    update();
}

void Stage::swingSpot(const std::string& actor, std::vector<Xform>& locals) const {
    const std::optional<Spot>& spot = m_session.spot();
    if (!spot || spot->actor != actor || !m_swing.timer.isActive()) return;
    const double t = static_cast<double>(m_swing.clock.elapsed()) / 1000 / kPeriod;
    const scene::ActorEntry* a = m_document.scene().actor(actor);
    for (int j : spot->joints) {
        if (!a || j >= a->actor->skeleton.size() || static_cast<std::size_t>(j) >= locals.size()) continue;
        // About the two axes across it, in turns.
        const Vec3 end = rig::endOf(a->actor->skeleton, j);
        const Vec3 along = end.norm() > 1e-9 ? Vec3(end.normalized()) : Vec3(Vec3::UnitY());
        const Vec3 u = anySquareTo(along), axis = static_cast<int>(t) % 2 == 0 ? u : Vec3(along.cross(u));
        Xform& x = locals[static_cast<std::size_t>(j)];
        x.r = (x.r * fromRotationVector(radians(kSwing) * std::sin(2 * kPi * t) * axis)).normalized();
    }
}

}  // namespace nutatio::app
