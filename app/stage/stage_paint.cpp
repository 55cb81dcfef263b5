// Painting skin weights: a stroke of the brush on the surface, seen at once, kept when the button is let go.
#include <QMouseEvent>
#include <QWheelEvent>

#include "app/look/theme.h"
#include "app/stage/paint_state.h"
#include "app/stage/tint.h"
#include "edit/edit.h"

namespace nutatio::app {

namespace {

constexpr double kLeastRadius = 0.005, kMostRadius = 0.5;  // heights
constexpr double kNotch = 1.12;
constexpr double kApart = 0.25;  // radii between dabs of a stroke
constexpr int kRingSides = 40;

}  // namespace

void Stage::setPainting() {
    if (!m_session.painting().on) {
        m_paint.reset();
        m_brush.at.reset();
        m_tint.reset();
        setCursor(Qt::ArrowCursor);
        update();
        return;
    }
    setCursor(Qt::CrossCursor);
    preparePaint();
}

void Stage::preparePaint() {
    if (!m_session.painting().on) return;
    const Selection& sel = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(sel.actor);
    const std::string& map = m_session.painting().map;
    if (!a || (sel.joints.empty() && map.empty())) {
        m_paint.reset();
        m_tint.reset();
        update();
        return;
    }
    if (m_paint && m_brush.strokes) return;
    if (!map.empty()) {
        m_paint = std::make_unique<Paint>();
        m_paint->surface = std::make_unique<rig::Surface>(rig::Surface::of(*a->actor));
        auto values = edit::mapOf(m_document.scene(), a->id, map, *m_paint->surface);
        if (!values) {
            m_paint.reset();
            m_tint.reset();
            update();
            return;
        }
        m_paint->id = a->id;
        m_paint->actor = a->actor;
        m_paint->map = map;
        m_paint->mapPainter = std::make_unique<rig::MapPainter>(*m_paint->actor, *m_paint->surface, std::move(values.value()));
        tintPaint();
        return;
    }
    if (!m_paint || m_paint->id != a->id || m_paint->actor != a->actor || m_paint->mapPainter) {
        m_paint = std::make_unique<Paint>();
        m_paint->id = a->id;
        m_paint->actor = a->actor;
        m_paint->painter = std::make_unique<rig::Painter>(*a->actor);
    }
    m_paint->joint = sel.joints.front();
    tintPaint();
}

void Stage::tintPaint() {
    const std::shared_ptr<const Tint> before = std::move(m_tint);
    m_tint = tintBy(*m_paint->actor, m_paint->where(), [&](std::uint32_t point) {
        return m_paint->mapPainter ? m_paint->mapPainter->values()[point] : m_paint->painter->share(point, m_paint->joint);
    });
    // During a stroke only what it touches is drawn anew: without a graphics card the rest takes longer than the brush.
    if (m_brush.strokes && before)
        updateOnly(differs(*m_tint, *before));
    else
        update();
}

QRectF Stage::differs(const Tint& tint, const Tint& other) const {
    const auto known = m_hittable.find(m_paint->id);
    if (known == m_hittable.end() || tint.size() != other.size()) return rect();
    QPolygonF touched;
    std::size_t k = 0;
    for (std::size_t i = 0; i < m_paint->actor->instances.size(); ++i) {
        const auto& primitives = m_paint->actor->meshes[static_cast<std::size_t>(m_paint->actor->instances[i].mesh)].primitives;
        for (std::size_t n = 0; n < primitives.size(); ++n, ++k) {
            const std::vector<float>&is = tint[k], &was = other[k];
            const std::vector<std::uint32_t>& corners = primitives[n].triangles;
            for (std::size_t c = 0; c + 2 < corners.size(); c += 3) {
                const std::uint32_t* at = &corners[c];
                if (is[at[0]] == was[at[0]] && is[at[1]] == was[at[1]] && is[at[2]] == was[at[2]]) continue;
                for (std::size_t s = 0; s < 3; ++s)
                    if (const auto pixel = m_camera.pixel(known->second.vertices[i][n].positions[at[s]].cast<double>(), size()))
                        touched.push_back(*pixel);
            }
        }
    }
    return touched.boundingRect();
}

QRectF Stage::brushRect() const {
    QPolygonF ring;
    for (const Vec3& p : brushRing())
        if (const auto pixel = m_camera.pixel(p, size())) ring.push_back(*pixel);
    return ring.boundingRect();
}

bool Stage::aimBrush(const QPointF& at) {
    updateOnly(brushRect());
    m_brush.at.reset();
    const std::optional<MeshHit> hit = m_paint ? hitMesh(at) : std::nullopt;
    if (!hit || hit->actor != m_paint->id) return false;
    m_brush.spot = restPlace(*m_paint->actor, m_paint->where(), *hit);
    m_brush.at = m_camera.eye() + hit->distance * m_camera.ray(at, size());
    updateOnly(brushRect());
    return true;
}

bool Stage::beginStroke(QMouseEvent* e) {
    if (!aimBrush(e->position())) return false;
    const Painting& tool = m_session.painting();
    const scene::ActorEntry* a = m_document.scene().actor(m_paint->id);
    m_paint->stroke = {tool.brush, tool.radius, tool.strength, tool.mirrored, {}, a ? a->locked : std::vector<std::string>()};
    if (e->modifiers() & Qt::ShiftModifier) m_paint->stroke.brush = rig::Brush::Smooth;
    if (e->modifiers() & Qt::ControlModifier)
        m_paint->stroke.brush = tool.brush == rig::Brush::Take ? rig::Brush::Add : rig::Brush::Take;
    m_brush.strokes = true;
    dabBrush();
    return true;
}

void Stage::dabBrush() {
    rig::Stroke one = m_paint->stroke;
    one.dabs = {m_brush.spot};
    if (m_paint->mapPainter)
        m_paint->mapPainter->stroke(one);
    else
        m_paint->painter->stroke(m_paint->joint, one);
    m_paint->stroke.dabs.push_back(m_brush.spot);
    tintPaint();
}

void Stage::goOnWithStroke(const QPointF& at) {
    if (!aimBrush(at)) return;
    const double apart = kApart * m_paint->stroke.radius * m_paint->actor->height;
    if ((m_brush.spot - m_paint->stroke.dabs.back()).norm() >= apart) dabBrush();
}

void Stage::endStroke() {
    m_brush.strokes = false;
    const std::string actor = m_paint->id, map = m_paint->map;
    rig::Stroke stroke = m_paint->stroke;
    const auto painted = m_paint->actor;
    if (!map.empty()) {
        stroke.locked.clear();
        Q_EMIT mapStrokeMade(actor, map, stroke);
        m_paint.reset();
        preparePaint();
        return;
    }
    Q_EMIT strokeMade(actor, m_paint->actor->skeleton.reference(m_paint->joint), stroke);
    // Where the stroke could not be kept, the stage shows the weights of the scene again.
    if (m_paint && m_paint->actor == painted) m_paint.reset();
    preparePaint();
}

bool Stage::wheelBrush(QWheelEvent* e) {
    if (!m_paint || !m_brush.at) return false;
    Painting tool = m_session.painting();
    const double by = std::pow(kNotch, e->angleDelta().y() / 120.0);
    if (e->modifiers() & Qt::ControlModifier)
        tool.strength = std::clamp(tool.strength * by, 0.02, 1.0);
    else
        tool.radius = within(tool.radius * by, kLeastRadius, kMostRadius);
    m_session.setPainting(tool);
    return true;
}

std::vector<Vec3> Stage::brushRing() const {
    if (!m_paint || !m_brush.at) return {};
    // Square to the eye's way: as large as what it reaches there.
    const Vec3 way = (*m_brush.at - m_camera.eye()).normalized(), u = anySquareTo(way), v = way.cross(u);
    const double radius = m_session.painting().radius * m_paint->actor->height * unitOf(m_paint->id);
    std::vector<Vec3> ring;
    for (int k = 0; k <= kRingSides; ++k) {
        const double a = 2 * kPi * k / kRingSides;
        ring.push_back(*m_brush.at + radius * (std::cos(a) * u + std::sin(a) * v));
    }
    return ring;
}

void Stage::markBrush(std::vector<Mark>& marks) const {
    const std::vector<Vec3> ring = brushRing();
    if (ring.empty()) return;
    addPolyline(marks, ring, 3.5, look::theme().sheet);
    addPolyline(marks, ring, 1.6, look::theme().ink);
}

}  // namespace nutatio::app
