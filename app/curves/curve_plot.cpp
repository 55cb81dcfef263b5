#include "app/curves/curve_plot.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>

#include "app/look/theme.h"
#include "app/tape/play_head.h"
#include "measure/gauge.h"

namespace nutatio::app {

CurvePlot::CurvePlot(Document& document, Session& session, TimeView& view, KeySelection& keys, QWidget* parent)
    : QWidget(parent), m_document(document), m_session(session), m_view(view), m_hand(document, session, keys, *this, *this) {
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("Curves"));
    const auto redraw = [this] { update(); };
    connect(&session, &Session::frameChanged, this, redraw);
    connect(&view, &TimeView::changed, this, redraw);
    connect(&keys, &KeySelection::changed, this, redraw);
}

void CurvePlot::setCurves(std::vector<PlotCurve> curves) {
    m_curves = std::move(curves);
    layOut();
    update();
}

void CurvePlot::setEach(bool each) {
    m_each = each;
    layOut();
    update();
}

double CurvePlot::valueOf(const PlotCurve& c, double frame) const {
    if (c.keyed) {
        const scene::Shot& shot = m_document.scene().shot();
        const scene::Keys* keys = shot.keysOf(c.keyed->owner, c.keyed->setting);
        const double period = keys ? shot.period(m_document.frames()) : 0;
        return keys ? scene::keyedAt(period > 0 ? scene::goingRound(*keys, period) : *keys, frame / shot.fps)
                    : m_document.scene().numberAt(c.keyed->owner, c.keyed->setting, 0);
    }
    if (c.values.empty()) return 0;
    const auto last = c.values.size() - 1;
    const auto at = std::min(last, static_cast<std::size_t>(std::max(0.0, frame)));
    return c.values[at] + (frame - static_cast<double>(at)) * (c.values[std::min(at + 1, last)] - c.values[at]);
}

scene::Range CurvePlot::rangeOf(const PlotCurve& c) const {
    double low = 1e300, high = -1e300;
    for (int f = 0; f < m_document.frames(); ++f) {
        low = std::min(low, valueOf(c, f));
        high = std::max(high, valueOf(c, f));
    }
    const double room = std::max({0.06 * (high - low), 1e-4 * std::abs(high), 1e-9});
    return {low - room, high + room};
}

/// While keys are in the hand the axes stand still.
void CurvePlot::layOut() {
    if (m_hand.holds()) return;
    m_panes.clear();
    m_own.clear();
    for (const PlotCurve& c : m_curves) {
        m_own.push_back(rangeOf(c));
        const QString unit = m_each ? QString() : c.unit;
        auto at = std::find_if(m_panes.begin(), m_panes.end(), [&](const Pane& p) { return p.unit == unit; });
        if (at == m_panes.end()) {
            m_panes.push_back({unit, {}, m_each ? scene::Range{0, 1} : m_own.back()});
        } else if (!m_each) {
            at->range.low = std::min(at->range.low, m_own.back().low);
            at->range.high = std::max(at->range.high, m_own.back().high);
        }
    }
    const double tall = m_panes.empty() ? 0 : static_cast<double>(height()) / static_cast<double>(m_panes.size());
    for (std::size_t k = 0; k < m_panes.size(); ++k)
        m_panes[k].box = QRectF(left(), tall * static_cast<double>(k) + 14, width() - left(), tall - 22);
}

CurvePlot::Pane CurvePlot::paneOf(const PlotCurve& c) const {
    const auto at =
        std::find_if(m_panes.begin(), m_panes.end(), [&](const Pane& p) { return p.unit == (m_each ? QString() : c.unit); });
    if (at == m_panes.end()) return {{}, QRectF(0, 0, 1, 1), {0, 1}};
    Pane out = *at;
    if (m_each) out.range = m_own[static_cast<std::size_t>(&c - m_curves.data())];
    return out;
}

CurvePlot::Pane CurvePlot::paneOf(const Keyed& of) const {
    const auto at = std::find_if(m_curves.begin(), m_curves.end(), [&](const PlotCurve& c) { return c.keyed == of; });
    return at == m_curves.end() ? Pane{{}, QRectF(0, -1e6, 1, 1), {0, 1}} : paneOf(*at);
}

double CurvePlot::y(const Pane& pane, double value) const {
    return pane.box.bottom() - (value - pane.range.low) / (pane.range.high - pane.range.low) * pane.box.height();
}

double CurvePlot::yOf(const Keyed& of, double value) const {
    return y(paneOf(of), value);
}

double CurvePlot::valueAt(const Keyed& of, double at) const {
    const Pane pane = paneOf(of);
    return pane.range.low + (pane.box.bottom() - at) / pane.box.height() * (pane.range.high - pane.range.low);
}

double CurvePlot::pixels(const Keyed& of) const {
    const Pane pane = paneOf(of);
    return pane.box.height() / (pane.range.high - pane.range.low);
}

std::vector<Keyed> CurvePlot::editable() const {
    std::vector<Keyed> out;
    for (const PlotCurve& c : m_curves)
        if (c.keyed) out.push_back(*c.keyed);
    return out;
}

std::optional<Keyed> CurvePlot::curveUnder(const QPointF& p) const {
    const double frame = frames().at(p.x() - left());
    std::optional<Keyed> best;
    double nearest = 12;
    for (const PlotCurve& c : m_curves) {
        if (!c.keyed) continue;
        const double away = std::abs(y(paneOf(c), valueOf(c, frame)) - p.y());
        if (away >= nearest) continue;
        nearest = away;
        best = c.keyed;
    }
    return best;
}

void CurvePlot::paintPane(QPainter& p, const Pane& pane) const {
    const look::Theme& t = look::theme();
    p.setPen(QPen(t.rule, 1));
    p.setBrush(t.paper);
    p.drawRect(pane.box);
    p.setFont(look::figureFont(8));
    // Round values on the axis.
    const double wide = pane.range.high - pane.range.low, decade = std::pow(10, std::floor(std::log10(wide)));
    double step = decade;
    for (double s : {0.1, 0.2, 0.5, 1.0, 2.0})
        if (pane.box.height() * s * decade / wide >= 26) {
            step = s * decade;
            break;
        }
    const bool share = pane.unit == QLatin1String("%");
    for (double v = std::ceil(pane.range.low / step) * step; !m_each && v <= pane.range.high; v += step) {
        const double at = y(pane, v);
        p.setPen(QPen(t.rule, 1, std::abs(v) < 1e-9 * step ? Qt::SolidLine : Qt::DotLine));
        p.drawLine(QPointF(pane.box.left(), at), QPointF(pane.box.right(), at));
        p.setPen(t.inkSoft);
        const double shown = std::abs(v) < 1e-9 * step ? 0 : share ? 100 * v : v;
        p.drawText(QRectF(0, at - 7, left() - 6, 14), Qt::AlignRight | Qt::AlignVCenter, QString::number(shown, 'g', 4));
    }
    p.setPen(t.ink);
    p.drawText(QRectF(4, pane.box.top() - 13, 200, 12), Qt::AlignLeft,
               m_each                ? tr("each over its own height")
               : pane.unit.isEmpty() ? tr("no unit")
                                     : pane.unit);
}

void CurvePlot::paintCurve(QPainter& p, const PlotCurve& c) const {
    const Pane pane = paneOf(c);
    const FrameScale s = frames();
    p.save();
    p.setClipRect(pane.box.adjusted(0, -6, 0, 6));
    QPainterPath path;
    for (double x = 0; x <= s.width; x += 2) {
        const QPointF to(left() + x, y(pane, valueOf(c, within(s.at(x), 0.0, s.frames - 1.0))));
        if (x == 0)
            path.moveTo(to);
        else
            path.lineTo(to);
    }
    p.setPen(QPen(c.colour, c.keyed ? 1.8 : 1.4, c.style));
    p.setBrush(Qt::NoBrush);
    p.drawPath(path);
    if (c.peaks) {
        p.setPen(QPen(c.colour, 1.2));
        p.setBrush(look::theme().sheet);
        for (int f : measure::peaksOf(c.values)) p.drawEllipse(QPointF(left() + s.x(f), y(pane, valueOf(c, f))), 3.2, 3.2);
    }
    if (c.keyed) m_hand.paint(p, *c.keyed);
    p.restore();
}

void CurvePlot::paintEvent(QPaintEvent*) {
    layOut();
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), t.sheet);
    for (const Pane& pane : m_panes) paintPane(p, pane);
    if (m_panes.empty()) {
        p.setPen(t.inkSoft);
        p.setFont(look::textFont(11));
        p.drawText(rect(), Qt::AlignCenter, tr("Choose curves on the left."));
    }
    for (const PlotCurve& c : m_curves) paintCurve(p, c);
    // What each is here, beside the play-head.
    const FrameScale s = frames();
    const double x = left() + s.x(m_session.frame());
    p.setFont(look::figureFont(8));
    for (const PlotCurve& c : m_curves) {
        const double v = valueOf(c, m_session.frame());
        const QPointF at(x, y(paneOf(c), v));
        p.setPen(Qt::NoPen);
        p.setBrush(c.colour);
        p.drawEllipse(at, 2.6, 2.6);
        p.setPen(c.colour);
        p.drawText(QRectF(at.x() + 6, at.y() - 14, 90, 12), Qt::AlignLeft,
                   QString::number(c.unit == QLatin1String("%") ? 100 * v : v, 'g', 3));
    }
    p.save();
    p.translate(left(), 0);
    paintPlayHead(p, s.x(m_session.frame()), height(), false);
    p.restore();
    m_hand.paintBox(p);
}

void CurvePlot::mousePressEvent(QMouseEvent* e) {
    if (e->button() == Qt::LeftButton) m_hand.press(e);
}
void CurvePlot::mouseMoveEvent(QMouseEvent* e) {
    m_hand.move(e);
}
void CurvePlot::mouseReleaseEvent(QMouseEvent* e) {
    m_hand.release(e);
}
void CurvePlot::mouseDoubleClickEvent(QMouseEvent* e) {
    m_hand.doubleClick(e);
}
void CurvePlot::wheelEvent(QWheelEvent* e) {
    m_view.wheel(e, e->position().x() - left(), width() - left(), true);
}
void CurvePlot::contextMenuEvent(QContextMenuEvent* e) {
    Q_EMIT menuWanted(e->globalPos());
}

bool CurvePlot::event(QEvent* e) {
    if (e->type() == QEvent::ShortcutOverride && m_hand.wants(static_cast<QKeyEvent*>(e))) {
        e->accept();
        return true;
    }
    return QWidget::event(e);
}

void CurvePlot::keyPressEvent(QKeyEvent* e) {
    if (!m_hand.key(e)) QWidget::keyPressEvent(e);
}

}  // namespace nutatio::app
