#include "app/compare/panes.h"

#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include "app/look/theme.h"
#include "app/stage/posing.h"
#include "app/stage/stage.h"

namespace nutatio::app {

Panes::Panes(Session& session, Stage& stage, QWidget* parent) : Canvas(parent), m_session(session), m_stage(stage) {
    setAccessibleName(tr("Side by side"));
    setMinimumSize(240, 160);
    setMouseTracking(true);
    setFocusPolicy(Qt::ClickFocus);
    connect(&session, &Session::frameChanged, this, [this] { redraw(); });
}

Panes::~Panes() {
    withContext([this] { m_renderer.reset(); });
}

void Panes::prepare() {
    m_renderer = std::make_unique<Renderer>();
    m_renderer->initialise();
}

void Panes::show(std::vector<Pane> panes, int columns, bool over) {
    m_panes = std::move(panes);
    m_columns = std::max(1, columns);
    m_over = over;
    redraw();
}

QRectF Panes::cell(std::size_t pane) const {
    if (m_over || m_panes.empty()) return rect();
    const int n = static_cast<int>(m_panes.size()), columns = std::min(n, m_columns), rows = (n + columns - 1) / columns;
    const int k = static_cast<int>(pane);
    const double w = static_cast<double>(width()) / columns, h = static_cast<double>(height()) / rows;
    return {std::floor(k % columns * w), std::floor(k / columns * h), std::floor(w) - (columns > 1 ? 1 : 0),
            std::floor(h) - (rows > 1 ? 1 : 0)};
}

int Panes::paneAt(const QPointF& at) const {
    for (std::size_t k = 0; k < m_panes.size(); ++k)
        if (cell(k).contains(at)) return static_cast<int>(k);
    return -1;
}

void Panes::poseAll() {
    m_posed.assign(m_panes.size(), {});
    for (std::size_t k = 0; k < m_panes.size(); ++k) {
        const Pane& pane = m_panes[k];
        if (!pane.scene) continue;
        for (const scene::ActorEntry& a : pane.scene->actors) {
            if (a.hidden) continue;
            const pipeline::ActorResult* r = pane.evaluation ? pane.evaluation->actor(a.id) : nullptr;
            Posed posed = posedAt(a, r ? (pane.bareBody ? r->body : r->result) : nullptr, m_session.frame());
            posed.id = std::to_string(k) + '|' + a.id;
            posed.ghost = pane.colour;
            m_posed[k].push_back(std::move(posed));
        }
    }
}

void Panes::drawModels(const QSize& size, double ratio) {
    Renderer::Frame f;
    const Camera camera = m_stage.camera();
    const Stage::Ground ground = m_stage.ground();
    f.camera = &camera;
    f.size = size;
    f.floor = ground.floor;
    f.shadowFloor = ground.shadow;
    f.sceneSize = ground.size;
    f.target = target();
    f.coarse = !m_over && m_panes.size() > 2;
    std::set<std::string> ids;
    for (const auto& posed : m_posed)
        for (const Posed& p : posed) ids.insert(p.id);
    m_renderer->keepOnly(ids);
    for (std::size_t k = 0; k < m_panes.size(); ++k) {
        f.actors.clear();
        f.ghosts.clear();
        for (const Posed& p : m_posed[k]) f.actors.push_back(&p);
        for (std::size_t other = 1; m_over && other < m_panes.size(); ++other)
            for (const Posed& p : m_posed[other]) f.ghosts.push_back(&p);
        const QRectF c = cell(k);
        f.pane = QRectF(c.topLeft() * ratio, c.size() * ratio).toAlignedRect();
        m_renderer->draw(f);
        // Who has no mesh is seen by its bones, ghosts first.
        std::vector<Mark> bones;
        for (std::size_t other = m_posed.size() - 1; m_over && other > 0; --other)
            for (const Posed& p : m_posed[other])
                if (p.actor->instances.empty()) markBones(p, camera, c, look::faded(p.ghost, 0.6), bones);
        for (const Posed& p : m_posed[k])
            if (p.actor->instances.empty()) markBones(p, camera, c, look::theme().bone, bones);
        Renderer::Frame marked = f;
        marked.only = f.pane;
        m_renderer->drawMarks(bones, marked, ratio);
        if (m_over) break;
    }
}

void Panes::write(QPainter& p) {
    const look::Theme& t = look::theme();
    if (!m_over && m_panes.size() > 1)
        for (std::size_t k = 0; k < m_panes.size(); ++k) {
            // The rules between them.
            const QRectF c = cell(k);
            p.fillRect(QRectF(c.right(), c.top(), 1, c.height() + 1), t.rule);
            p.fillRect(QRectF(c.left(), c.bottom(), c.width() + 1, 1), t.rule);
        }
    for (std::size_t k = 0; k < m_panes.size(); ++k) {
        const Pane& pane = m_panes[k];
        const QRectF c = cell(k).adjusted(1, 1, -1, -1);
        const double top = m_over ? c.top() + 34.0 * static_cast<double>(k) : c.top();
        const double wide = m_over ? std::min(c.width(), 420.0) : c.width();
        const QRectF head(c.left(), top, wide, pane.detail.isEmpty() ? 20 : 33);
        p.fillRect(head, look::faded(t.sheet, 0.88));
        p.fillRect(QRectF(head.left(), head.top(), 3, head.height()), pane.colour);
        p.setFont(look::textFont(9, QFont::Bold));
        p.setPen(t.ink);
        const QRectF title = head.adjusted(9, 2, -6, 0);
        p.drawText(title, Qt::AlignLeft | Qt::AlignTop,
                   p.fontMetrics().elidedText(pane.title, Qt::ElideRight, static_cast<int>(title.width())));
        p.setFont(look::textFont(8));
        p.setPen(t.inkSoft);
        p.drawText(title.adjusted(0, 14, 0, 0), Qt::AlignLeft | Qt::AlignTop,
                   p.fontMetrics().elidedText(pane.detail, Qt::ElideRight, static_cast<int>(title.width())));
        if (!pane.figures.isEmpty()) {
            p.setFont(look::figureFont(8));
            const QRectF foot(c.left(), c.bottom() - 17, c.width(), 17);
            p.fillRect(foot, look::faded(t.sheet, 0.82));
            p.setPen(t.ink);
            p.drawText(foot.adjusted(9, 0, -4, 0), Qt::AlignVCenter | Qt::AlignLeft,
                       p.fontMetrics().elidedText(pane.figures, Qt::ElideRight, static_cast<int>(foot.width() - 12)));
        }
        if (!pane.evaluation) {
            p.setFont(look::textFont(9));
            p.setPen(t.inkSoft);
            p.drawText(c, Qt::AlignCenter, tr("being simulated ..."));
        }
        if (!m_over && (pane.chosen || m_hovered == static_cast<int>(k))) {
            p.setBrush(Qt::NoBrush);
            p.setPen(QPen(pane.chosen ? t.persimmon : t.lagoon, 2));
            p.drawRect(c);
        }
    }
}

QRect Panes::draw() {
    ++m_drawn;
    poseAll();
    if (!m_session.follows()) m_follower.forget();
    if (m_session.follows() && !m_posed.empty() && !m_posed[0].empty()) {
        Camera camera = m_stage.camera();
        camera.target += m_follower.step(m_posed[0].front());
        m_stage.setCamera(camera);
    }
    drawModels(deviceSize(), devicePixelRatioF());
    return {};
}

void Panes::mousePressEvent(QMouseEvent* e) {
    m_pressed = m_last = e->position();
    m_moved = false;
}

void Panes::mouseMoveEvent(QMouseEvent* e) {
    if (e->buttons() == Qt::NoButton) {
        if (const int now = paneAt(e->position()); now != m_hovered) {
            m_hovered = now;
            redraw();
        }
        return;
    }
    if ((e->position() - m_pressed).manhattanLength() < 4 && !m_moved) return;
    m_moved = true;
    const QPointF by = e->position() - m_last;
    m_last = e->position();
    Camera c = m_stage.camera();
    if (e->buttons() & Qt::MiddleButton)
        c.pan(by.x(), by.y(), cell(0).height());
    else
        c.orbit(by.x(), by.y());
    m_stage.setCamera(c);
    redraw();
}

void Panes::mouseReleaseEvent(QMouseEvent* e) {
    const int pane = m_over ? -1 : paneAt(e->position());
    if (!m_moved && e->button() == Qt::LeftButton && pane >= 0) Q_EMIT picked(pane);
}

void Panes::wheelEvent(QWheelEvent* e) {
    Camera c = m_stage.camera();
    c.zoom(e->angleDelta().y() / 120.0);
    m_stage.setCamera(c);
    redraw();
}

void Panes::leaveEvent(QEvent*) {
    m_hovered = -1;
    redraw();
}

}  // namespace nutatio::app
