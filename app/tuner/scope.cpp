#include "app/tuner/scope.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>

#include "app/look/theme.h"
#include "layers/registry.h"

namespace nutatio::app {

Scope::Scope(Document& document, Session& session, QWidget* parent) : QWidget(parent), m_document(document), m_session(session) {
    setAccessibleName(tr("Scope"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setFixedHeight(172);
    connect(&document, &Document::sceneChanged, this, &Scope::measure);
    connect(&session, &Session::selectionChanged, this, &Scope::measure);
}

void Scope::measure() {
    const scene::Layer* layer = m_document.scene().layer(m_session.selection().layer);
    const scene::ActorEntry* entry = layer ? m_document.scene().actor(layer->actor) : nullptr;
    if (!entry) {
        m_response.reset();
        m_layer.clear();
        update();
        return;
    }
    if (m_layer != layer->id) m_response.reset();
    m_layer = layer->id;
    m_fps = m_document.scene().fps;
    m_mmPerUnit = 1000 * entry->actor->metresPerUnit;
    m_runner.ask([this, scene = m_document.scene(), id = layer->id](const Cancel& cancel) -> NewestWins::Deliver {
        const scene::Layer& l = *scene.layer(id);
        const scene::ActorEntry& a = *scene.actor(l.actor);
        const layers::LayerKind* kind = layers::findKind(l.kind);
        std::vector<Xform> pose = a.actor->restPose();
        if (const int clip = a.clipIndex(); clip >= 0)
            a.actor->clips[static_cast<std::size_t>(clip)].pose(a.actor->clips[static_cast<std::size_t>(clip)].start, pose);
        auto r = kind ? measure::response(*kind, {*a.actor, l, {}}, pose, cancel) : std::nullopt;
        return [this, id, r = std::move(r)] {
            if (id != m_layer) return;
            m_response = r;
            update();
            Q_EMIT measured();
        };
    });
}

QString Scope::words() const {
    if (!m_response) return {};
    const measure::Response& r = *m_response;
    QStringList parts;
    if (r.swing > 0) parts << tr("%1 swings/s").arg(r.swing, 0, 'f', r.swing < 10 ? 2 : 1);
    parts << (r.bounces < 0.05 ? tr("no bounce") : tr("%1 bounces").arg(r.bounces, 0, 'f', 1));
    parts << (r.settles ? tr("rests in %1 frames").arg(r.restTime * m_fps, 0, 'f', 0) : tr("does not rest"));
    if (r.overshoot > 0.005) parts << tr("overshoots %1 %").arg(100 * r.overshoot, 0, 'f', 0);
    if (r.sag > 1e-6)
        parts << (r.sagIsAngle ? tr("sags %1°").arg(degrees(r.sag), 0, 'f', 1)
                               : tr("sags %1 mm").arg(m_mmPerUnit * r.sag, 0, 'f', 1));
    return parts.join(QStringLiteral("  ·  "));
}

void Scope::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF plot(30, 8, width() - 38, height() - 62);
    p.fillRect(plot, t.paper);
    const double most = 1.15 + (m_response ? std::clamp(m_response->overshoot, 0.25, 1.1) : 0.25);
    const auto y = [&](double v) { return plot.bottom() - (v + 0.12) / (most + 0.12) * plot.height(); };
    // Frames on show: past the rest, so that the calm after it is seen too.
    const double seconds = m_response ? std::clamp(1.35 * m_response->restTime, 8 / m_fps,
                                                   m_response->dt * static_cast<double>(m_response->curve.size()))
                                      : 1.0;
    const double frames = seconds * m_fps;
    const auto x = [&](double frame) { return plot.left() + frame / frames * plot.width(); };

    p.setFont(look::figureFont(7.5));
    double step = 1;
    for (double s : {1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0, 1000.0}) {
        step = s;
        if (frames / s <= 8) break;
    }
    for (double f = 0; f <= frames; f += step) {
        p.setPen(QPen(t.rule, 1));
        p.drawLine(QPointF(x(f), plot.top()), QPointF(x(f), plot.bottom() + 3));
        p.setPen(t.inkSoft);
        p.drawText(QRectF(x(f) - 20, plot.bottom() + 3, 40, 13), Qt::AlignCenter, QString::number(f));
    }
    p.setPen(QPen(t.rule, 1));
    for (double v : {0.0, 0.5, 1.5, 2.0})
        if (v < most) p.drawLine(QPointF(plot.left(), y(v)), QPointF(plot.right(), y(v)));
    p.setPen(t.inkSoft);
    p.drawText(QRectF(0, y(0) - 7, 26, 14), Qt::AlignRight | Qt::AlignVCenter, tr("was"));
    p.drawText(QRectF(0, y(1) - 7, 26, 14), Qt::AlignRight | Qt::AlignVCenter, tr("body"));
    // The body's step, in ink.
    p.setPen(QPen(t.ink, 1.3));
    p.drawPolyline(QPolygonF({QPointF(plot.left(), y(0)), QPointF(plot.left() + 1.5, y(0)), QPointF(plot.left() + 1.5, y(1)),
                              QPointF(plot.right(), y(1))}));
    if (m_response && !m_response->curve.empty()) {
        const measure::Response& r = *m_response;
        p.save();
        p.setClipRect(plot);
        if (r.settles) {
            p.setPen(QPen(t.lagoon, 1, Qt::DashLine));
            p.drawLine(QPointF(x(r.restTime * m_fps), plot.top()), QPointF(x(r.restTime * m_fps), plot.bottom()));
        }
        // A tick at each full swing, on the body's line.
        if (r.swing > 0 && r.zeta < 0.95) {
            const double period = m_fps / (r.swing * std::sqrt(1 - r.zeta * r.zeta));
            p.setPen(QPen(t.persimmon, 1.4));
            for (double f = period; f < r.restTime * m_fps * 1.02 && x(f) < plot.right(); f += period)
                p.drawLine(QPointF(x(f), y(1) - 4), QPointF(x(f), y(1) + 4));
        }
        QPainterPath path;
        path.moveTo(x(0), y(0));
        for (std::size_t k = 0; k < r.curve.size(); ++k) {
            const double f = static_cast<double>(k + 1) * r.dt * m_fps;
            path.lineTo(x(f), y(static_cast<double>(r.curve[k])));
            if (f > frames) break;
        }
        p.setPen(QPen(t.persimmon, 2));
        p.drawPath(path);
        p.restore();
    }
    p.setPen(QPen(t.rule, 1));
    p.drawRect(plot);
    p.setPen(t.ink);
    p.setFont(look::textFont(9.5));
    p.drawText(QRectF(2, plot.bottom() + 17, width() - 4, 36), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap,
               m_response ? words() : tr("frames after a push to the side"));
}

}  // namespace nutatio::app
