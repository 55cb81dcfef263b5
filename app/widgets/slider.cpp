#include "app/widgets/slider.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "app/look/theme.h"
#include "base/maths.h"

namespace nutatio::app {

namespace {
constexpr int kEdge = 7;
constexpr double kFine = 0.1;  // of the way, while Shift is held
}  // namespace

QString Slider::newGesture() {
    static int count = 0;
    return QStringLiteral("drag-%1").arg(++count);
}

void Slider::setSlim(bool slim) {
    m_slim = slim;
    updateGeometry();
}

Slider::Slider(QWidget* parent) : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setCursor(Qt::SizeHorCursor);
}

void Slider::setRange(const scene::Range& soft, bool curved) {
    m_soft = soft;
    m_curved = curved;
    update();
}

void Slider::setValue(double v) {
    m_value = v;
    update();
}

double Slider::shareOf(double v) const {
    const double u = std::clamp((v - m_soft.low) / (m_soft.high - m_soft.low), 0.0, 1.0);
    return m_curved ? std::sqrt(u) : u;
}

double Slider::valueAt(double share) const {
    share = std::clamp(share, 0.0, 1.0);
    return m_soft.low + (m_soft.high - m_soft.low) * (m_curved ? share * share : share);
}

QPoint Slider::knob(double v) const {
    return {kEdge + static_cast<int>(std::lround(shareOf(v) * (width() - 2 * kEdge))), height() / 2};
}

void Slider::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const double y = 0.5 * height();
    const QPointF left(kEdge, y), right(width() - kEdge, y), at(kEdge + shareOf(m_value) * (width() - 2 * kEdge), y),
        zero(kEdge + shareOf(0) * (width() - 2 * kEdge), y);
    p.setPen(QPen(t.rule, 2, Qt::SolidLine, Qt::RoundCap));
    p.drawLine(left, right);
    p.setPen(QPen(t.rule, 1));
    for (int k = 0; k <= 10; ++k) {
        const double x = kEdge + k * 0.1 * (width() - 2 * kEdge);
        p.drawLine(QPointF(x, y + (m_slim ? 3 : 4)), QPointF(x, y + (m_slim ? (k % 5 == 0 ? 6 : 5) : k % 5 == 0 ? 8 : 6)));
    }
    p.setPen(QPen(m_grabbed ? t.persimmon : t.ink, 2.4, Qt::SolidLine, Qt::RoundCap));
    p.drawLine(m_soft.low < 0 ? zero : left, at);
    p.setBrush(m_grabbed ? t.persimmon : t.sheet);
    p.setPen(QPen(m_grabbed ? t.persimmon : hasFocus() ? t.lagoon : t.ink, hasFocus() ? 2 : 1.4));
    const double tall = m_slim ? 11 : 14;
    p.drawRoundedRect(QRectF(at.x() - 4, y - tall / 2, 8, tall), 3, 3);
    if (m_value > m_soft.high || m_value < m_soft.low) {
        // Beyond what the slider spans: said by an arrow rather than by a knob that lies.
        p.setPen(QPen(t.persimmon, 1.6));
        const double s = m_value > m_soft.high ? 1 : -1, x = m_value > m_soft.high ? width() - 2.0 : 2.0;
        p.drawPolyline(QPolygonF({QPointF(x - 3 * s, y - 3), QPointF(x, y), QPointF(x - 3 * s, y + 3)}));
    }
}

void Slider::follow(double x, bool fine) {
    const double raw = valueAt((x - kEdge) / std::max(1, width() - 2 * kEdge));
    // A pixel's worth of digits: what is shown is what is set.
    double grain = std::pow(10.0, std::floor(std::log10((m_soft.high - m_soft.low) / 200)));
    if (fine) grain *= kFine;
    m_value = std::round(raw / grain) * grain;
    update();
    Q_EMIT dragged(m_value, m_gesture);
}

void Slider::nudge(double pixels, const QString& gesture) {
    if (gesture != m_gesture) {
        m_gesture = gesture;
        m_at = kEdge + shareOf(m_value) * (width() - 2 * kEdge);
    }
    m_at = within(m_at + pixels, static_cast<double>(kEdge), static_cast<double>(width() - kEdge));
    follow(m_at, std::abs(pixels) < 1);
}

void Slider::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    m_grabbed = true;
    m_gesture = newGesture();
    Q_EMIT grabbed(m_gesture);
    m_last = e->position().x();
    const double knobAt = kEdge + shareOf(m_value) * (width() - 2 * kEdge);
    // Taken by its knob it stays where it is; elsewhere it comes to the pointer.
    const bool held = std::abs(m_last - knobAt) <= 5 && m_value >= m_soft.low && m_value <= m_soft.high;
    m_at = held ? knobAt : m_last;
    if (held)
        update();
    else
        follow(m_at, false);
}

void Slider::mouseMoveEvent(QMouseEvent* e) {
    if (!m_grabbed) return;
    const bool fine = e->modifiers() & Qt::ShiftModifier;
    m_at = within(m_at + (e->position().x() - m_last) * (fine ? kFine : 1.0), 0.0, static_cast<double>(width()));
    m_last = e->position().x();
    follow(m_at, fine);
}

void Slider::mouseReleaseEvent(QMouseEvent*) {
    m_grabbed = false;
    update();
}

bool Slider::event(QEvent* e) {
    // Arrows move the knob while the slider has the focus; without this the bench would step frames instead.
    if (e->type() == QEvent::ShortcutOverride) {
        const int key = static_cast<QKeyEvent*>(e)->key();
        if (key == Qt::Key_Left || key == Qt::Key_Right) {
            e->accept();
            return true;
        }
    }
    return QWidget::event(e);
}

void Slider::keyPressEvent(QKeyEvent* e) {
    const double step = (m_soft.high - m_soft.low) / (e->modifiers() & Qt::ShiftModifier ? 20 : 100);
    double by = 0;
    if (e->key() == Qt::Key_Right || e->key() == Qt::Key_Up) by = step;
    if (e->key() == Qt::Key_Left || e->key() == Qt::Key_Down) by = -step;
    if (by == 0) {
        QWidget::keyPressEvent(e);
        return;
    }
    // A key that is held is one gesture, as a drag is.
    if (!e->isAutoRepeat() || m_gesture.isEmpty()) m_gesture = newGesture();
    m_value = within(m_value + by, m_soft.low, m_soft.high);
    update();
    Q_EMIT dragged(m_value, m_gesture);
}

}  // namespace nutatio::app
