// The line at the frame on show, as the ruler, the lanes and the curves draw it.
#pragma once

#include <QPainter>

#include "app/look/theme.h"

namespace nutatio::app {

inline void paintPlayHead(QPainter& p, double x, int height, bool handle) {
    const look::Theme& t = look::theme();
    p.setPen(QPen(t.persimmon, 1.4));
    p.drawLine(QPointF(x, handle ? 12 : 0), QPointF(x, height));
    if (!handle) return;
    p.setBrush(t.persimmon);
    p.setPen(Qt::NoPen);
    p.drawPolygon(QPolygonF({QPointF(x - 5, 3), QPointF(x + 5, 3), QPointF(x + 5, 9), QPointF(x, 14), QPointF(x - 5, 9)}));
}

/// A key's diamond.
inline void paintKey(QPainter& p, const QPointF& at, bool selected, double size = 4) {
    const look::Theme& t = look::theme();
    p.setPen(QPen(selected ? t.lagoon : t.sheet, selected ? 1.6 : 1));
    p.setBrush(selected ? t.sheet : t.persimmon);
    p.drawPolygon(QPolygonF({at + QPointF(0, -size), at + QPointF(size, 0), at + QPointF(0, size), at + QPointF(-size, 0)}));
}

}  // namespace nutatio::app
