#include "app/stage/grid_hand.h"

#include <QUuid>
#include <cmath>

#include "edit/channels.h"
#include "layers/by_hand.h"
#include "layers/context_of.h"
#include "layers/registry.h"
#include "scene/items.h"

namespace nutatio::app {

void GridHand::lay(const std::vector<Affine>& worlds, const Camera& camera, const QSize& view) {
    m_points.clear();
    m_camera = camera;
    m_view = view;
    const auto hand = m_session.handJoint();
    const ResultsPtr& r = m_document.results();
    const pipeline::LayerResult* result = r && hand ? r->evaluation.layer(hand->layer->id) : nullptr;
    const layers::LayerKind* kind = hand ? layers::findKind(hand->layer->kind) : nullptr;
    if (!result || result->regions.empty() || !result->settings || !kind->byHand || !kind->byHand->points) return;
    const rig::Actor& actor = *hand->actor->actor;
    layers::LayerContext context = layers::ContextOf(m_document.scene().shot(), *hand->actor).of(*hand->layer, result->settings);
    context.regions = result->regions;
    std::vector<Affine> rest;
    rig::worldTransforms(actor.skeleton, actor.restPose(), rest);
    for (layers::HandPoint& p : kind->byHand->points(context, std::min(m_session.frame(), r->frames - 1))) {
        const auto j = static_cast<std::size_t>(p.joint);
        if (j >= worlds.size()) return hide();
        const Affine carried = worlds[j] * rest[j].inverse();
        m_points.push_back({p, carried.apply(p.rest + p.offset), carried.m});
    }
}

std::optional<QPointF> GridHand::pixel(const std::string& of) const {
    for (const Point& p : m_points)
        if (p.at.of == of) return m_camera.pixel(p.world, m_view);
    return std::nullopt;
}

bool GridHand::take(const QPointF& at) {
    constexpr double kNear = 9;
    double least = kNear;
    for (const Point& p : m_points)
        if (const auto pixel = m_camera.pixel(p.world, m_view)) {
            const double off = std::hypot(pixel->x() - at.x(), pixel->y() - at.y());
            if (off >= least) continue;
            least = off;
            m_held = p;
        }
    if (!m_held) return false;
    m_from = at;
    m_frame = m_session.frame();
    m_gesture = QUuid::createUuid().toString();
    m_session.setHandPoint(m_held->at.of);
    return true;
}

void GridHand::drag(const QPointF& to, Qt::KeyboardModifiers modifiers) {
    const auto hand = m_session.handJoint();
    const layers::LayerKind* kind = hand ? layers::findKind(hand->layer->kind) : nullptr;
    if (!m_held || !kind || !kind->byHand) return;
    const Vec3 eye = m_camera.eye(), ahead = (m_camera.target - eye).normalized();
    const auto at = [&](const QPointF& p) {
        const Vec3 ray = m_camera.ray(p, m_view);
        return Vec3(eye + ray * ((m_held->world - eye).dot(ahead) / std::max(1e-9, ray.dot(ahead))));
    };
    const double fine = modifiers & Qt::ShiftModifier ? 0.1 : 1;
    const double height = hand->actor->actor->height;
    Vec3 share =
        (m_held->at.offset + Affine{m_held->toWorld, Vec3::Zero()}.inverse().m * (fine * (at(to) - at(m_from)))) / height;
    if (modifiers & Qt::ControlModifier) share = (share * 200).array().round().matrix() / 200;
    const std::string stem = std::string(kind->byHand->carried) + '_';
    std::vector<std::pair<std::string, double>> values;
    for (int k = 0; k < 3; ++k) values.emplace_back(scene::channelId(stem + "xyz"[k], m_held -> at.of), share[k]);
    m_document.edit(
        QObject::tr("Drag a handle"),
        [&](scene::Scene& s) { edit::pose(s, hand->layer->id, values, m_frame, m_session.posing().keys); }, m_gesture);
}

}  // namespace nutatio::app
