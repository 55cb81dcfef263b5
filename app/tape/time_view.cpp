#include "app/tape/time_view.h"

#include <QWheelEvent>

namespace nutatio::app {

namespace {
constexpr double kLeastFrames = 4;
}

TimeView::TimeView(Document& document, QObject* parent) : QObject(parent), m_document(document) {
    // Another shot, or a longer one: what was looked at closely is somewhere else.
    connect(&document, &Document::sceneChanged, this, [this](const scene::Change& change) {
        if (!showsAll() && (change.all || m_to > m_document.frames() - 1)) showAll();
    });
}

void TimeView::show(double from, double to) {
    const double last = m_document.frames() - 1;
    if (to - from >= last) return showAll();
    const double wide = std::max(to - from, std::min(kLeastFrames, last));
    m_from = within(from, 0.0, last - wide);
    m_to = m_from + wide;
    Q_EMIT changed();
}

void TimeView::zoom(double frame, double times) {
    const auto [a, b] = scale(100).span();
    const double share = b > a ? (frame - a) / (b - a) : 0.5, wide = (b - a) / times;
    show(frame - share * wide, frame + (1 - share) * wide);
}

void TimeView::pan(double frames) {
    if (showsAll()) return;
    show(m_from + frames, m_to + frames);
}

void TimeView::showAll() {
    m_from = m_to = 0;
    Q_EMIT changed();
}

void TimeView::setSeconds(bool on) {
    m_seconds = on;
    Q_EMIT changed();
}

bool TimeView::wheel(QWheelEvent* e, double x, double width, bool plain) {
    const QPoint d = e->angleDelta();
    const FrameScale s = scale(width);
    const auto [a, b] = s.span();
    constexpr double kNotch = 120, kStep = 1.25, kShare = 0.1;
    if (e->modifiers() & Qt::ShiftModifier || std::abs(d.x()) > std::abs(d.y())) {
        const double way = std::abs(d.x()) > std::abs(d.y()) ? d.x() : d.y();
        pan(-way / kNotch * kShare * (b - a));
    } else if (plain || e->modifiers() & Qt::ControlModifier) {
        zoom(within(s.at(x), a, b), std::pow(kStep, d.y() / kNotch));
    } else {
        return false;
    }
    e->accept();
    return true;
}

}  // namespace nutatio::app
