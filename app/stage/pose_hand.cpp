#include "app/stage/pose_hand.h"

#include <QUuid>
#include <algorithm>
#include <cmath>

#include "edit/channels.h"
#include "edit/edit.h"
#include "layers/by_hand.h"
#include "layers/context_of.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "layers/run.h"
#include "scene/items.h"

namespace nutatio::app {

namespace {

constexpr double kRing = 62, kArrowFrom = 14, kArrowTo = 92, kNear = 7;  // [px]
constexpr int kSides = 64;

double distance(const QPointF& p, const QPointF& a, const QPointF& b) {
    const QPointF ab = b - a, ap = p - a;
    const double length = QPointF::dotProduct(ab, ab),
                 u = length > 0 ? std::clamp(QPointF::dotProduct(ap, ab) / length, 0.0, 1.0) : 0;
    const QPointF d = ap - u * ab;
    return std::hypot(d.x(), d.y());
}

}  // namespace

void PoseHand::lay(const Affine& world, const Affine& parent, const Camera& camera, const QSize& view) {
    m_laid = true;
    m_world = world;
    m_camera = camera;
    m_view = view;
    const double away = std::max(1e-6, (world.t - camera.eye()).dot((camera.target - camera.eye()).normalized()));
    m_size = kRing * 2 * away * std::tan(0.5 * camera.fieldOfView) / std::max(1, view.height());
    // While it is turned the handles stay as they were taken.
    if (m_held) {
        m_axes = m_axesThen;
        return;
    }
    switch (m_session.posing().along) {
        case HandPosing::Along::Own:
            m_axes = rotationOf(world.m);
            break;
        case HandPosing::Along::Parent:
            m_axes = rotationOf(parent.m);
            break;
        case HandPosing::Along::World:
            m_axes = Quat::Identity();
            break;
    }
}

Vec3 PoseHand::ringPoint(int axis, double angle) const {
    const Vec3 u = Vec3::Unit((axis + 1) % 3), v = Vec3::Unit((axis + 2) % 3);
    return m_world.t + m_size * (m_axes * Vec3(std::cos(angle) * u + std::sin(angle) * v));
}

std::vector<PoseHand::Stroke> PoseHand::strokes() const {
    std::vector<Stroke> out;
    if (!m_laid) return out;
    const Vec3 eye = (m_camera.eye() - m_world.t).normalized();
    for (int axis = 0; axis < 3; ++axis) {
        for (int k = 0; k < kSides; ++k) {
            const Vec3 a = ringPoint(axis, 2 * kPi * k / kSides), b = ringPoint(axis, 2 * kPi * (k + 1) / kSides);
            const bool faint = (0.5 * (a + b) - m_world.t).dot(eye) < -0.05 * m_size;
            out.push_back({{a, b}, {Grip::Turn, axis}, faint});
        }
        const Vec3 way = m_axes * Vec3(Vec3::Unit(axis));
        const bool faint = std::abs(way.dot(eye)) > 0.97;
        out.push_back({{m_world.t + kArrowFrom / kRing * m_size * way, m_world.t + kArrowTo / kRing * m_size * way},
                       {Grip::Along, axis},
                       faint});
        out.push_back({{m_world.t + kArrowTo / kRing * m_size * way}, {Grip::Along, axis}, faint});
    }
    out.push_back({{m_world.t}, {Grip::Free, 0}, false});
    return out;
}

std::optional<PoseHand::Grip> PoseHand::under(const QPointF& at) const {
    std::optional<Grip> best;
    double least = 1e9;
    for (const Stroke& s : strokes()) {
        if (s.faint) continue;
        const auto a = m_camera.pixel(s.points.front(), m_view), b = m_camera.pixel(s.points.back(), m_view);
        if (!a || !b) continue;
        // Dots are larger than lines, and what stands in the middle comes first.
        const double off = distance(at, *a, *b) - (s.points.size() == 1 ? 4 : 0);
        if (off < kNear && off < least) {
            least = off;
            best = s.grip;
        }
    }
    return best;
}

std::optional<QPointF> PoseHand::pixel(const Grip& grip) const {
    if (!m_laid) return std::nullopt;
    if (grip.kind == Grip::Free) return m_camera.pixel(m_world.t, m_view);
    // One that no other grip is nearer to.
    for (const Stroke& s : strokes()) {
        if (s.faint || !(s.grip == grip)) continue;
        const auto at = m_camera.pixel(0.5 * (s.points.front() + s.points.back()), m_view);
        if (at && under(*at) == grip) return at;
    }
    return std::nullopt;
}

std::optional<double> PoseHand::angleAt(int axis, const QPointF& at) const {
    const Vec3 eye = m_camera.eye(), way = m_camera.ray(at, m_view), normal = m_axes * Vec3(Vec3::Unit(axis));
    const double facing = way.dot(normal);
    if (std::abs(facing) < 0.2) return std::nullopt;
    const Vec3 on = m_axes.conjugate() * Vec3(eye + way * ((m_world.t - eye).dot(normal) / facing) - m_world.t);
    return std::atan2(on[(axis + 2) % 3], on[(axis + 1) % 3]);
}

bool PoseHand::take(const QPointF& at) {
    const auto grip = under(at);
    const auto hand = m_session.handJoint();
    const ResultsPtr& r = m_document.results();
    const pipeline::ActorResult* motion = r && hand ? r->evaluation.actor(hand->actor->id) : nullptr;
    // The motion on show has no columns yet for joints that were just made.
    if (!grip || !motion || motion->body->joints() != hand->actor->actor->skeleton.size()) return false;
    std::size_t place = 0;
    while (place < motion->layers.size() && motion->layers[place].id != hand->layer->id) ++place;
    if (place == motion->layers.size()) return false;
    const scene::Scene& s = m_document.scene();
    m_layerThen = s.layers.pointer(s.layers.find([&](const scene::Layer& l) { return l.id == hand->layer->id; }));
    m_settingsThen = motion->layers[place].settings;
    if (!m_settingsThen) return false;
    m_frameThen = std::min(m_session.frame(), r->frames - 1);
    m_jointThen = hand->joint;
    // The joint as this layer leaves it: layers above continue from there.
    const pipeline::TrackPtr above = motion->below(place + 1);
    m_localThen = above->at(hand->joint, m_frameThen);
    m_aboveThen = Affine();
    const rig::Skeleton& k = hand->actor->actor->skeleton;
    for (int j = k.joint(hand->joint).parent; j != rig::kNoJoint; j = k.joint(j).parent)
        m_aboveThen = above->at(j, m_frameThen).affine() * m_aboveThen;
    m_held = grip;
    m_from = at;
    m_gesture = QUuid::createUuid().toString();
    m_words.clear();
    m_worldThen = m_world;
    m_axesThen = m_axes;
    m_angle = 0;
    m_fromAngle = grip->kind == Grip::Turn ? angleAt(grip->axis, at).value_or(0) : 0;
    return true;
}

void PoseHand::drag(const QPointF& to, Qt::KeyboardModifiers modifiers) {
    if (!m_held) return;
    const double fine = modifiers & Qt::ShiftModifier ? 0.1 : 1;
    const bool steps = modifiers & Qt::ControlModifier;
    Quat turn = Quat::Identity();
    Vec3 way = Vec3::Zero();
    if (m_held->kind == Grip::Turn) {
        const Vec3 axis = m_axesThen * Vec3(Vec3::Unit(m_held->axis));
        if (const auto now = angleAt(m_held->axis, to)) {
            // On from where it was, by whole rounds if need be.
            double by = *now - m_fromAngle;
            by += 2 * kPi * std::round((m_angle - by) / (2 * kPi));
            m_angle = by;
        } else {
            // Seen edge on a ring is a line: the way of the near side is the way of the mouse.
            const Vec3 eye = (m_camera.eye() - m_world.t).normalized();
            const Vec3 tangent = axis.cross(eye).normalized();
            const auto a = m_camera.pixel(m_world.t, m_view), b = m_camera.pixel(m_world.t + m_size * tangent, m_view);
            if (a && b) {
                const QPointF d = *b - *a;
                m_angle = QPointF::dotProduct(to - m_from, d) / std::max(1.0, QPointF::dotProduct(d, d));
            }
        }
        double angle = fine * m_angle;
        if (steps) angle = radians(5) * std::round(angle / radians(5));
        turn = fromRotationVector(angle * axis);
        m_words = QObject::tr("turned by %1 deg").arg(degrees(angle), 0, 'f', 1);
    } else {
        const Vec3 ahead = (m_camera.target - m_camera.eye()).normalized();
        const auto at = [&](const QPointF& p) {
            const Vec3 eye = m_camera.eye(), ray = m_camera.ray(p, m_view);
            return Vec3(eye + ray * ((m_worldThen.t - eye).dot(ahead) / std::max(1e-9, ray.dot(ahead))));
        };
        way = fine * (at(to) - at(m_from));
        if (m_held->kind == Grip::Along) {
            const Vec3 axis = m_axesThen * Vec3(Vec3::Unit(m_held->axis));
            const auto a = m_camera.pixel(m_worldThen.t, m_view), b = m_camera.pixel(m_worldThen.t + m_size * axis, m_view);
            const QPointF d = a && b ? *b - *a : QPointF();
            const double length = QPointF::dotProduct(d, d);
            way = length > 1 ? Vec3(fine * QPointF::dotProduct(to - m_from, d) / length * m_size * axis) : Vec3(Vec3::Zero());
        }
        if (steps) {
            const double step = std::pow(10.0, std::floor(std::log10(0.3 * m_size)));
            way = (way / step).array().round().matrix() * step;
        }
        m_words = QObject::tr("moved by %1 m").arg(way.norm(), 0, 'g', 3);
    }
    put(turn, way);
}

void PoseHand::put(const Quat& turn, const Vec3& way) {
    const auto hand = m_session.handJoint();
    if (!hand || hand->joint != m_jointThen || hand->layer->id != m_layerThen->id) return;
    const layers::LayerKind* kind = layers::findKind(hand->layer->kind);
    const layers::LayerContext context =
        layers::ContextOf(m_document.scene().shot(), *hand->actor).of(*m_layerThen, m_settingsThen);
    const Quat toActor = context.placement.turn.conjugate();
    layers::Posing p{m_jointThen, m_frameThen, m_aboveThen, m_localThen, m_localThen, m_session.posing().low};
    p.wanted = layers::turnedInWorld(m_localThen, m_aboveThen, toActor * turn * toActor.conjugate());
    p.wanted.t += m_aboveThen.inverse().m * Vec3(toActor * way / context.placement.metres);
    const auto values = kind->byHand->values(context, p);
    if (std::any_of(values.begin(), values.end(), [&](const auto& v) { return hand->layer->feeds.count(v.first) > 0; }))
        m_words = QObject::tr("follows a gauge: let go of its feed first");
    m_document.edit(
        QObject::tr("Pose %1").arg(QString::fromStdString(hand->reference())),
        [&](scene::Scene& s) {
            const std::string layer = hand->layer->id, joint = hand->reference();
            if (edit::touch(s, layer, {joint})) edit::pose(s, layer, values, m_frameThen, m_session.posing().keys);
        },
        m_gesture);
}

}  // namespace nutatio::app
