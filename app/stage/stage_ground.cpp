// The stage's ways over the ground: one that is drawn, and the one that the selected layer goes.
#include <algorithm>

#include "app/look/theme.h"
#include "app/stage/stage.h"
#include "edit/ground.h"
#include "layers/layer_kind.h"
#include "rig/stride.h"

namespace nutatio::app {

std::optional<Vec3> Stage::onGround(const QPointF& at) const {
    const Vec3 eye = m_camera.eye(), ray = m_camera.ray(at, size());
    if (ray.y() > -1e-3) return std::nullopt;
    return Vec3(eye + ray * ((m_shadowFloor - eye.y()) / ray.y()));
}

void Stage::markPath(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    if (m_tool == Tool::Path) {
        addPolyline(marks, m_drawn, 4.5, look::faded(t.sheet, 0.85));
        addPolyline(marks, m_drawn, 2, t.persimmon);
    }
    const scene::Layer* layer = m_document.scene().layer(m_session.selection().layer);
    const layers::LayerKind* kind = edit::groundKind();
    const scene::ActorEntry* entry = layer ? m_document.scene().actor(layer->actor) : nullptr;
    const ResultsPtr& results = m_document.results();
    if (!entry || !kind || layer->kind != kind->id || !results) return;
    const pipeline::TrackPtr below = results->evaluation.below(layer->id), above = results->evaluation.above(layer->id);
    if (!below || !above || above->joints() == 0 || above->joints() != entry->actor->skeleton.size()) return;
    const int root = entry->actor->skeleton.roots().front();
    const scene::Placement stands = scene::placementOf(*entry);
    const Vec3 stand = rig::standOf(*entry->actor, scene::levelOf(stands));
    std::vector<Vec3> way;
    for (int f = 0; f < above->frames(); ++f) {
        const Affine by = above->at(root, f).affine() * below->at(root, f).affine().inverse();
        Vec3 p = stands.toWorld(by.apply(stand));
        p.y() = m_shadowFloor;
        way.push_back(p);
    }
    addPolyline(marks, way, 4, look::faded(t.sheet, 0.85));
    addPolyline(marks, way, 1.8, t.lagoon);
    // Eight ticks a second tell where it is fast.
    const int every = std::max(1, static_cast<int>(std::lround(above->grid().fps / 8)));
    for (int f = 0; f < above->frames(); f += every) {
        const auto at = m_camera.pixel(way[static_cast<std::size_t>(f)], size());
        if (at) marks.push_back({*at, *at, 5, t.lagoon});
    }
    const auto here = m_camera.pixel(way[static_cast<std::size_t>(within(m_session.frame(), 0, above->frames() - 1))], size());
    if (here) marks.push_back({*here, *here, 9, t.persimmon});
}

}  // namespace nutatio::app
