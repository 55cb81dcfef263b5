#include "app/compare/take_plot.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/look/theme.h"

namespace nutatio::app {

TakePlot::TakePlot(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    setMinimumHeight(90);
    setAccessibleName(tr("What the joint does in each take"));
    setCursor(Qt::SizeHorCursor);
    connect(&session, &Session::frameChanged, this, qOverload<>(&QWidget::update));
}

void TakePlot::show(std::vector<Line> lines, const QString& unit) {
    m_lines = std::move(lines);
    m_unit = unit;
    update();
}

QRectF TakePlot::plot() const {
    return QRectF(rect()).adjusted(52, 8, -10, -16);
}

std::size_t TakePlot::frames() const {
    std::size_t n = 1;
    for (const Line& l : m_lines) n = std::max(n, l.values.size());
    return n;
}

void TakePlot::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), t.sheet);
    const QRectF r = plot();
    float low = 1e30f, high = -1e30f;
    for (const Line& l : m_lines)
        for (float v : l.values) {
            low = std::min(low, v);
            high = std::max(high, v);
        }
    p.setFont(look::figureFont(8));
    if (low > high) {
        p.setPen(t.inkSoft);
        p.setFont(look::textFont(9));
        p.drawText(rect(), Qt::AlignCenter,
                   tr("Select a joint, on the stage or in the roster: its motion in each take is drawn here."));
        return;
    }
    if (high - low < 1e-6f) high = low + 1;
    const auto n = static_cast<double>(frames());
    const auto x = [&](double frame) { return r.left() + r.width() * frame / std::max(1.0, n - 1); };
    const auto y = [&](double v) { return r.bottom() - r.height() * (v - low) / (high - low); };
    const double span = high - low, decade = std::pow(10.0, std::floor(std::log10(span / 3)));
    double step = decade;
    for (double m : {1.0, 2.0, 5.0, 10.0})
        if (span / (m * decade) <= 4.5) {
            step = m * decade;
            break;
        }
    for (double v = std::ceil(low / step) * step; v <= high + 1e-9; v += step) {
        p.setPen(QPen(t.rule, 1));
        p.drawLine(QPointF(r.left(), y(v)), QPointF(r.right(), y(v)));
        p.setPen(t.inkSoft);
        p.drawText(QRectF(0, y(v) - 8, 46, 16), Qt::AlignRight | Qt::AlignVCenter,
                   QString::number(std::abs(v) < 1e-9 ? 0 : v, 'g', 3) + (m_unit.isEmpty() ? QString() : u' ' + m_unit));
    }
    const double every = n > 400 ? 100 : n > 160 ? 50 : n > 60 ? 20 : 10;
    for (double f = every; f <= n; f += every)
        p.drawText(QRectF(x(f - 1) - 20, r.bottom() + 1, 40, 14), Qt::AlignCenter, QString::number(f));
    // The first curve in the list is drawn last, on top of the others.
    for (auto l = m_lines.rbegin(); l != m_lines.rend(); ++l) {
        QPainterPath path;
        for (std::size_t f = 0; f < l->values.size(); ++f) {
            const QPointF at(x(static_cast<double>(f)), y(l->values[f]));
            f == 0 ? path.moveTo(at) : path.lineTo(at);
        }
        p.setPen(QPen(l->colour, 1.8, l->dashed ? Qt::DashLine : Qt::SolidLine));
        p.drawPath(path);
    }
    const double now = x(std::min<double>(m_session.frame(), n - 1));
    p.setPen(QPen(t.persimmon, 1));
    p.drawLine(QPointF(now, r.top() - 4), QPointF(now, r.bottom()));
}

void TakePlot::goTo(double at) {
    const QRectF r = plot();
    m_session.setFrame(static_cast<int>(std::lround((at - r.left()) / r.width() * (static_cast<double>(frames()) - 1))));
}

void TakePlot::mousePressEvent(QMouseEvent* e) {
    if (e->button() == Qt::LeftButton) goTo(e->position().x());
}

void TakePlot::mouseMoveEvent(QMouseEvent* e) {
    if (e->buttons() & Qt::LeftButton) goTo(e->position().x());
}

}  // namespace nutatio::app
