// What the selected layer shows of itself, drawn and dragged.
#include <algorithm>

#include "app/look/theme.h"
#include "app/stage/stage.h"
#include "edit/edit.h"
#include "layers/registry.h"
#include "layers/showing.h"
#include "scene/items.h"

namespace nutatio::app {

namespace {

QColor colourOf(layers::Mark::Tone tone) {
    const look::Theme& t = look::theme();
    switch (tone) {
        case layers::Mark::Tone::Moved:
            return t.persimmon;
        case layers::Mark::Tone::Standing:
            return t.lagoon;
        case layers::Mark::Tone::Force:
            return t.plum;
        case layers::Mark::Tone::Notable:
            return t.ochre;
        case layers::Mark::Tone::Quiet:
            break;
    }
    return t.ink;
}

}  // namespace

void Stage::withLayer(const std::function<void(const layers::Showing&, const layers::OnShow&)>& show) const {
    const scene::Layer* l = m_document.scene().layer(m_session.selection().layer);
    const layers::LayerKind* kind = l ? layers::findKind(l->kind) : nullptr;
    const scene::ActorEntry* a = kind && kind->showing ? m_document.scene().actor(l->actor) : nullptr;
    const Shown* s = a ? shown(a->id) : nullptr;
    if (!s || m_session.bodyHeld() || kind->problem(*a->actor, *l)) return;
    const scene::Resolved settings = resolvedHere(*l, {scene::List::Layers, l->id});
    const auto part = m_session.partJoint();
    const ResultsPtr& r = m_document.results();
    show(*kind->showing, {.actor = *a->actor,
                          .layer = *l,
                          .settings = settings,
                          .frame = m_session.frame(),
                          .placement = scene::placementOf(*a),
                          .worlds = s->posed.worlds,
                          .told = r ? r->evaluation.layer(l->id) : nullptr,
                          .below = [&] { return r ? r->evaluation.below(l->id) : nullptr; },
                          .above = [&] { return r ? r->evaluation.above(l->id) : nullptr; },
                          .chosen = part ? part->joint : rig::kNoJoint,
                          .eye = m_camera.eye(),
                          .size = m_size,
                          .ground = m_shadowFloor,
                          .carrier = [this](const scene::Mount& mount) { return carrier(mount); }});
}

void Stage::drawRing(std::vector<Mark>& marks, const layers::Mark& ring, const QColor& colour) const {
    const Vec3& at = ring.points.front();
    const Vec3 normal = ring.normal.isZero() ? Vec3((m_camera.eye() - at).normalized()) : ring.normal;
    const Vec3 u = anySquareTo(normal), v = normal.cross(u);
    const int parts = ring.dashed ? 24 : 32;
    const auto on = [&](int k) -> Vec3 {
        return at + ring.radius * (std::cos(2 * kPi * k / parts) * u + std::sin(2 * kPi * k / parts) * v);
    };
    for (int k = 0; k < parts; k += ring.dashed ? 2 : 1) addLine(marks, on(k), on(k + 1), ring.width, colour);
}

void Stage::drawLine(std::vector<Mark>& marks, const layers::Mark& line, const QColor& colour) const {
    const std::vector<Vec3>& p = line.points;
    if (line.haloed) addPolyline(marks, p, line.width + 2.2, look::faded(look::theme().sheet, 0.85));
    if (!line.dashed) return addPolyline(marks, p, line.width, colour);
    if (p.size() != 2) {
        for (std::size_t k = 1; k < p.size(); k += 2) addLine(marks, p[k - 1], p[k], line.width, colour);
        return;
    }
    constexpr int kDashes = 12;
    const Vec3 way = p[1] - p[0];
    for (int k = 0; k < kDashes; ++k)
        addLine(marks, p[0] + (k + 0.1) / kDashes * way, p[0] + (k + 0.6) / kDashes * way, line.width, colour);
}

void Stage::markLayer(std::vector<Mark>& marks) const {
    withLayer([&](const layers::Showing& kind, const layers::OnShow& now) {
        if (!kind.marks) return;
        for (const layers::Mark& m : kind.marks(now)) {
            if (m.points.empty() || (m.ofJoints && !m_jointsShown)) continue;
            const QColor colour = look::faded(colourOf(m.tone), m.strength);
            switch (m.form) {
                case layers::Mark::Form::Line:
                    drawLine(marks, m, colour);
                    break;
                case layers::Mark::Form::Dots:
                    for (const Vec3& p : m.points) addLine(marks, p, p, m.width, colour);
                    break;
                case layers::Mark::Form::Ring:
                    drawRing(marks, m, colour);
                    break;
                case layers::Mark::Form::Arrow: {
                    const Vec3 &root = m.points.front(), &tip = m.points.back(), along = tip - root;
                    addLine(marks, root, tip, m.width, colour);
                    const Vec3 side = along.norm() * anySquareTo(along.normalized());
                    for (const double s : {-0.12, 0.12}) addLine(marks, tip, Vec3(tip - 0.2 * along + s * side), m.width, colour);
                    break;
                }
            }
        }
    });
}

void Stage::layerHandles(std::vector<Handle>& out) const {
    withLayer([&](const layers::Showing& kind, const layers::OnShow& now) {
        if (!kind.handles) return;
        for (const layers::Handle& h : kind.handles(now))
            if (!h.ofJoints || m_jointsShown) out.push_back({Handle::OfLayer, h.place, h});
    });
}

void Stage::dragLayer(scene::Scene& scene, const scene::Layer& layer, Vec3 to) const {
    const layers::Handle& held = m_mouse.grabbed->ofLayer;
    if (held.over != rig::kNoJoint) {
        const std::optional<MeshHit> hit = hitMesh(m_mouse.last);
        const std::optional<Hit> moves = hit ? pickMesh(m_mouse.last) : std::nullopt;
        if (!moves || moves->actor != layer.actor) return;
        const rig::Skeleton& skeleton = scene.actor(layer.actor)->actor->skeleton;
        if (moves->joint != held.over && !skeleton.isBelow(moves->joint, held.over)) return;
        to = m_camera.eye() + hit->distance * m_camera.ray(m_mouse.last, size());
    }
    withLayer([&](const layers::Showing& kind, const layers::OnShow& now) {
        if (!kind.drag) return;
        const scene::Owner owner{scene::List::Layers, layer.id};
        const scene::Table table = layers::tableOf(m_document.scene(), owner);
        for (const auto& [id, value] : kind.drag(now, held, to))
            if (const scene::SettingSpec* row = findRow(table, id))
                edit::set(scene, owner, id, scene::clampTo(*row, value), m_session.frame());
    });
}

}  // namespace nutatio::app
