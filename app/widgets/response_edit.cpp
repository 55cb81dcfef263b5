#include "app/widgets/response_edit.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>

#include "app/look/theme.h"
#include "app/widgets/slider.h"
#include "base/maths.h"

namespace nutatio::app {

ResponseEdit::ResponseEdit(QWidget* parent) : QWidget(parent) {
    setFixedHeight(128);
    setCursor(Qt::CrossCursor);
    setAccessibleName(tr("Response: from what the gauge reads to what the setting is"));
    setToolTip(
        tr("From what the gauge reads, left to right, to what the setting is, bottom to top. The grey hills show which "
           "readings come often. Drag a point, click to add one, double-click to take one away."));
}

QRectF ResponseEdit::plot() const {
    return {38, 6, width() - 44.0, height() - 24.0};
}

void ResponseEdit::setAxes(const scene::Range& values, const QString& valueUnit, const QString& readingUnit) {
    m_values = values;
    m_valueUnit = valueUnit;
    m_readingUnit = readingUnit;
    fitAxes();
}

void ResponseEdit::setFeed(const scene::Feed& feed) {
    if (m_grabbed >= static_cast<int>(feed.response.size())) m_grabbed = -1;
    m_feed = feed;
    fitAxes();
    update();
}

void ResponseEdit::setReadings(const scene::Curve& readings, int frame) {
    m_readings = readings;
    m_frame = frame;
    fitAxes();
    update();
}

/// Around all that is read and all points. While one is dragged the axes stand still under the hand.
void ResponseEdit::fitAxes() {
    if (m_grabbed >= 0) return;
    scene::Range x{1e300, -1e300}, y = m_values;
    const auto take = [](scene::Range& r, double v) {
        r.low = std::min(r.low, v);
        r.high = std::max(r.high, v);
    };
    for (double v : m_readings) take(x, m_feed.times * v);
    for (const scene::KeyAt& k : m_feed.response) {
        take(x, k.at);
        take(y, k.value);
    }
    if (x.low > x.high) x = {0, 1};
    const double wide = std::max(x.high - x.low, 1e-3 * std::max(1.0, std::abs(x.high)));
    m_x = {x.low - 0.05 * wide, x.high + 0.05 * wide};
    m_y = y.high > y.low ? y : scene::Range{y.low, y.low + 1};
}

QPointF ResponseEdit::pointAt(double reading, double value) const {
    const QRectF p = plot();
    return {p.left() + (reading - m_x.low) / (m_x.high - m_x.low) * p.width(),
            p.bottom() - (value - m_y.low) / (m_y.high - m_y.low) * p.height()};
}

std::pair<double, double> ResponseEdit::at(const QPointF& q) const {
    const QRectF p = plot();
    return {m_x.low + (q.x() - p.left()) / p.width() * (m_x.high - m_x.low),
            within(m_y.low + (p.bottom() - q.y()) / p.height() * (m_y.high - m_y.low), m_y.low, m_y.high)};
}

int ResponseEdit::hit(const QPointF& p) const {
    for (std::size_t i = 0; i < m_feed.response.size(); ++i)
        if (const QPointF d = pointAt(m_feed.response[i].at, m_feed.response[i].value) - p; std::hypot(d.x(), d.y()) < 9)
            return static_cast<int>(i);
    return -1;
}

void ResponseEdit::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF box = plot();
    p.fillRect(box, t.paper);
    // How often each reading comes.
    constexpr int kBins = 40;
    std::array<int, kBins> bins{};
    for (double v : m_readings)
        if (const double u = (m_feed.times * v - m_x.low) / (m_x.high - m_x.low); u >= 0 && u < 1)
            ++bins[static_cast<std::size_t>(u * kBins)];
    const int most = std::max(1, *std::max_element(bins.begin(), bins.end()));
    for (int k = 0; k < kBins; ++k) {
        const double high = 0.8 * box.height() * bins[static_cast<std::size_t>(k)] / most;
        p.fillRect(QRectF(box.left() + k * box.width() / kBins, box.bottom() - high, box.width() / kBins + 0.5, high),
                   look::faded(t.ink, 0.16));
    }
    p.setPen(QPen(t.rule, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(box);
    p.setFont(look::figureFont(7));
    p.setPen(t.inkSoft);
    const auto said = [](double v, const QString& unit) {
        const bool share = unit == QLatin1String("%");
        return QString::number(share ? 100 * v : v, 'g', 3) + (unit.isEmpty() || share ? unit : u' ' + unit);
    };
    // Shares are said in percent at both ends; another unit stands once, between them.
    const bool shares = m_valueUnit == QLatin1String("%");
    p.drawText(QRectF(0, box.top() - 4, 36, 12), Qt::AlignRight, said(m_y.high, shares ? m_valueUnit : QString()));
    p.drawText(QRectF(0, box.bottom() - 9, 36, 12), Qt::AlignRight, said(m_y.low, shares ? m_valueUnit : QString()));
    if (!shares) p.drawText(QRectF(0, box.center().y() - 6, 36, 12), Qt::AlignRight, m_valueUnit);
    p.drawText(QRectF(box.left(), box.bottom() + 3, 80, 12), Qt::AlignLeft, said(m_x.low, m_readingUnit));
    p.drawText(QRectF(box.right() - 80, box.bottom() + 3, 80, 12), Qt::AlignRight, said(m_x.high, m_readingUnit));
    p.setClipRect(box.adjusted(-5, -5, 5, 5));
    scene::Feed shown = m_feed;
    shown.times = 1;
    QPainterPath line;
    for (int k = 0; k <= 120; ++k) {
        const double x = m_x.low + (m_x.high - m_x.low) * k / 120;
        const QPointF to = pointAt(x, scene::responseTo(shown, x));
        if (k == 0)
            line.moveTo(to);
        else
            line.lineTo(to);
    }
    p.setPen(QPen(t.persimmon, 1.8));
    p.drawPath(line);
    // Here and now.
    if (m_frame >= 0 && m_frame < static_cast<int>(m_readings.size())) {
        const double x = m_feed.times * m_readings[static_cast<std::size_t>(m_frame)];
        p.setPen(QPen(t.persimmon, 1, Qt::DotLine));
        p.drawLine(QPointF(pointAt(x, 0).x(), box.top()), QPointF(pointAt(x, 0).x(), box.bottom()));
        p.setBrush(t.persimmon);
        p.drawEllipse(pointAt(x, scene::responseTo(shown, x)), 2.5, 2.5);
    }
    p.setBrush(t.sheet);
    p.setPen(QPen(t.persimmon, 1.6));
    for (const scene::KeyAt& k : m_feed.response) p.drawEllipse(pointAt(k.at, k.value), 4, 4);
}

void ResponseEdit::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    m_gesture = Slider::newGesture();
    m_grabbed = hit(e->position());
    if (m_grabbed >= 0) return;
    const auto [x, y] = at(e->position());
    if (scene::keyAt(m_feed.response, x) != m_feed.response.end()) return;
    scene::putKey(m_feed.response, x, y);
    m_grabbed = static_cast<int>(scene::keyAt(m_feed.response, x) - m_feed.response.begin());
    Q_EMIT changed(m_feed.response, m_gesture);
    update();
}

void ResponseEdit::mouseMoveEvent(QMouseEvent* e) {
    if (m_grabbed < 0) return;
    auto& r = m_feed.response;
    const auto k = static_cast<std::size_t>(m_grabbed);
    auto [x, y] = at(e->position());
    // Points stay in order, and one never lies above another.
    const double least = 1e-3 * (m_x.high - m_x.low);
    if (k > 0) x = std::max(x, r[k - 1].at + least);
    if (k + 1 < r.size()) x = std::min(x, r[k + 1].at - least);
    r[k].at = x;
    r[k].value = y;
    Q_EMIT changed(r, m_gesture);
    update();
}

void ResponseEdit::mouseReleaseEvent(QMouseEvent*) {
    m_grabbed = -1;
    fitAxes();
    update();
}

void ResponseEdit::mouseDoubleClickEvent(QMouseEvent* e) {
    const int k = hit(e->position());
    if (k < 0 || m_feed.response.size() < 2) return;
    m_grabbed = -1;
    m_feed.response.erase(m_feed.response.begin() + k);
    Q_EMIT changed(m_feed.response, {});
    update();
}

}  // namespace nutatio::app
