// A way over the ground, drawn by hand.
#include "app/look/theme.h"
#include "app/stage/stage.h"

namespace nutatio::app {

std::optional<Vec3> Stage::onGround(const QPointF& at) const {
    const Vec3 eye = m_camera.eye(), ray = m_camera.ray(at, size());
    if (ray.y() > -1e-3) return std::nullopt;
    return Vec3(eye + ray * ((m_shadowFloor - eye.y()) / ray.y()));
}

void Stage::markPath(std::vector<Mark>& marks) const {
    if (m_tool != Tool::Path) return;
    const look::Theme& t = look::theme();
    addPolyline(marks, m_chain.drawn, 4.5, look::faded(t.sheet, 0.85));
    addPolyline(marks, m_chain.drawn, 2, t.persimmon);
}

}  // namespace nutatio::app
