#include "app/widgets/profile_edit.h"

#include <QMouseEvent>
#include <QPainter>
#include <QUuid>
#include <algorithm>

#include "app/look/theme.h"
#include "base/maths.h"

namespace nutatio::app {

namespace {
constexpr double kMost = 2.5;  // times, at the top
}

ProfileEdit::ProfileEdit(QWidget* parent) : QWidget(parent) {
    setFixedHeight(64);
    setCursor(Qt::CrossCursor);
    setToolTip(
        tr("Times its value, root at the left, tip at the right. Drag a point, click to add one, double-click to take it away."));
}

void ProfileEdit::setProfile(const scene::Profile& profile) {
    if (m_grabbed >= 0 && profile.size() != m_profile.size()) m_grabbed = -1;
    m_profile = profile;
    update();
}

QPointF ProfileEdit::pointAt(const scene::ProfilePoint& p) const {
    return {28 + p.at * (width() - 40), height() - 8 - std::min(p.times, kMost) / kMost * (height() - 16)};
}

scene::ProfilePoint ProfileEdit::valueAt(const QPointF& p) const {
    return {std::clamp((p.x() - 28) / (width() - 40), 0.0, 1.0),
            within((height() - 8 - p.y()) / (height() - 16) * kMost, 0.0, kMost)};
}

int ProfileEdit::hit(const QPointF& p) const {
    for (std::size_t i = 0; i < m_profile.size(); ++i)
        if (const QPointF d = pointAt(m_profile[i]) - p; std::hypot(d.x(), d.y()) < 9) return static_cast<int>(i);
    return -1;
}

void ProfileEdit::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF plot(28, 8, width() - 40, height() - 16);
    p.fillRect(plot, t.paper);
    p.setFont(look::figureFont(7));
    for (double v : {0.0, 1.0, 2.0}) {
        const double y = pointAt({0, v}).y();
        p.setPen(QPen(t.rule, 1, v == 1 ? Qt::SolidLine : Qt::DotLine));
        p.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y));
        p.setPen(t.inkSoft);
        p.drawText(QRectF(0, y - 6, 24, 12), Qt::AlignRight | Qt::AlignVCenter, QStringLiteral("%1x").arg(v));
    }
    p.setPen(QPen(t.rule, 1));
    p.drawRect(plot);
    QPolygonF line;
    line << pointAt({0, scene::profileAt(m_profile, 0)});
    for (const scene::ProfilePoint& point : m_profile) line << pointAt(point);
    line << pointAt({1, scene::profileAt(m_profile, 1)});
    p.setPen(QPen(m_profile.empty() ? t.inkSoft : t.persimmon, 1.6));
    p.drawPolyline(line);
    p.setBrush(t.sheet);
    for (const scene::ProfilePoint& point : m_profile) p.drawEllipse(pointAt(point), 4, 4);
}

void ProfileEdit::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    m_gesture = QUuid::createUuid().toString();
    m_grabbed = hit(e->position());
    if (m_grabbed >= 0) return;
    // A first point brings both ends with it, so that there is a line to bend.
    if (m_profile.empty()) m_profile = {{0, 1}, {1, 1}};
    const scene::ProfilePoint added = valueAt(e->position());
    const auto at = std::find_if(m_profile.begin(), m_profile.end(), [&](const auto& k) { return k.at > added.at; });
    const auto inserted = m_profile.insert(at, added);
    m_grabbed = static_cast<int>(inserted - m_profile.begin());
    Q_EMIT changed(m_profile, m_gesture);
    update();
}

void ProfileEdit::mouseMoveEvent(QMouseEvent* e) {
    if (m_grabbed < 0) return;
    const auto k = static_cast<std::size_t>(m_grabbed);
    scene::ProfilePoint to = valueAt(e->position());
    // The ends stay at the ends; the others stay in order.
    if (k == 0 && m_profile[k].at == 0)
        to.at = 0;
    else if (k + 1 == m_profile.size() && m_profile[k].at == 1)
        to.at = 1;
    else
        to.at = within(to.at, k > 0 ? m_profile[k - 1].at : 0.0, k + 1 < m_profile.size() ? m_profile[k + 1].at : 1.0);
    m_profile[k] = to;
    Q_EMIT changed(m_profile, m_gesture);
    update();
}

void ProfileEdit::mouseReleaseEvent(QMouseEvent*) {
    m_grabbed = -1;
}

void ProfileEdit::mouseDoubleClickEvent(QMouseEvent* e) {
    const int k = hit(e->position());
    if (k < 0) return;
    m_grabbed = -1;
    if (m_profile.size() <= 2)
        m_profile.clear();
    else
        m_profile.erase(m_profile.begin() + k);
    Q_EMIT changed(m_profile, {});
    update();
}

}  // namespace nutatio::app
