#include "app/tape/ruler.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include "app/look/theme.h"
#include "app/tape/play_head.h"
#include "edit/keys.h"
#include "scene/seal.h"

namespace nutatio::app {

namespace {

/// A round number of frames or of seconds between numbers that do not touch.
double rulerStep(const FrameScale& s, double unit) {
    const auto [a, b] = s.span();
    const double pixels = b > a ? (s.width - 20) / (b - a) : s.width;
    for (double step : {0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0})
        if ((unit > 1 || step >= 1) && pixels * step * unit >= 44) return step;
    return 10000;
}

constexpr double kEdgeGrab = 6;  // pixels to either side of an edge

}  // namespace

Ruler::Ruler(Document& document, Session& session, TimeView& view, QWidget* parent)
    : QWidget(parent), m_document(document), m_session(session), m_view(view), m_name(new QLineEdit(this)) {
    setFixedHeight(40);
    setAccessibleName(tr("Ruler"));
    setCursor(Qt::SizeHorCursor);
    setMouseTracking(true);
    m_name->hide();
    m_name->setAccessibleName(tr("Name of the mark"));
    m_name->setPlaceholderText(tr("name"));
    m_name->setFixedSize(110, 20);
    connect(m_name, &QLineEdit::editingFinished, this, &Ruler::finishMark);
    const auto refresh = [this] { update(); };
    connect(&session, &Session::frameChanged, this, refresh);
    connect(&session, &Session::viewChanged, this, refresh);
    connect(&view, &TimeView::changed, this, refresh);
    connect(&document, &Document::sceneChanged, this, refresh);
    connect(&document, &Document::resultsChanged, this, refresh);
}

void Ruler::askForMark(int frame) {
    m_marked = frame;
    QString now;
    for (const scene::Mark& m : m_document.scene().shot().marks)
        if (m_document.scene().shot().frameOf(m.at) == frame) now = QString::fromStdString(m.name);
    m_name->setText(now);
    m_name->move(static_cast<int>(within(scale().x(frame), 0.0, width() - 112.0)), 12);
    m_name->show();
    m_name->setFocus();
    m_name->selectAll();
}

void Ruler::finishMark() {
    if (!m_name->isVisible()) return;
    m_name->hide();
    if (!m_name->isModified()) return;
    m_name->setModified(false);
    const std::string name = m_name->text().trimmed().toStdString();
    m_document.edit(name.empty() ? tr("Take a mark away") : tr("Mark %1").arg(QString::fromStdString(name)),
                    [&](scene::Scene& s) { edit::mark(s, m_marked, name); });
}

void Ruler::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), t.sheet);
    const FrameScale s = scale();
    const scene::Shot& shot = m_document.scene().shot();
    const auto [first, last] = s.span();
    // The range that plays.
    if (const auto& range = m_session.range()) {
        const double a = s.x(range->first), b = s.x(range->second);
        p.fillRect(QRectF(a, 0, b - a, height()), t.lagoonPale);
        p.setPen(QPen(t.lagoon, 2));
        p.drawLine(QPointF(a, 1), QPointF(a, height()));
        p.drawLine(QPointF(b, 1), QPointF(b, height()));
    }
    const double unit = m_view.seconds() ? shot.fps : 1, step = rulerStep(s, unit), fine = step / (step >= 10 ? 10 : 5);
    const double offset = m_view.seconds() ? 0 : 1;  // people count frames from 1, and seconds from 0
    const auto xOf = [&](double shown) { return s.x((shown - offset) * unit); };
    const double least = m_view.seconds() ? fine : std::max(1.0, fine);
    for (double v = std::floor((first / unit + offset) / least) * least; v <= last / unit + offset + 1e-9; v += least) {
        if (v < offset - 1e-9 || xOf(v) < 0) continue;
        p.setPen(QPen(t.rule, 1));
        p.drawLine(QPointF(xOf(v), 30), QPointF(xOf(v), 34));
    }
    p.setFont(look::figureFont(8));
    for (double v = std::floor((first / unit + offset) / step) * step; v <= last / unit + offset + 1e-9; v += step) {
        const double shown = std::max(offset, v);
        if (shown > v && v + step <= offset) continue;
        if (v > offset && !m_view.seconds() && step > 1 && xOf(v) - s.x(0) < 30 && first <= 0) continue;  // too close to the 1
        if (xOf(shown) < -20) continue;
        p.setPen(QPen(t.inkSoft, 1));
        p.drawLine(QPointF(xOf(shown), 27), QPointF(xOf(shown), 34));
        p.drawText(QRectF(xOf(shown) - 24, 13, 48, 14), Qt::AlignCenter, QString::number(shown, 'g', 6));
    }
    // Simulated and ready: a solid rule; a pale one while the newest edit is still being worked out.
    p.setPen(QPen(m_document.upToDate() ? t.lagoon : look::faded(t.lagoon, 0.3), 2));
    if (m_document.results()) p.drawLine(QPointF(s.x(0), 37.5), QPointF(s.x(s.frames - 1), 37.5));
    paintSeals(p, s);
    paintSeam(p, s);
    // Where one stretch of what the leading actor plays ends and the next begins.
    if (const rig::Line* line = shot.lineOf(shot.lead))
        for (std::size_t k = 1; k < line->stretches.size(); ++k) {
            const double x = s.x(line->startOf(k) * shot.fps);
            p.setPen(QPen(t.inkSoft, 1, Qt::DotLine));
            p.drawLine(QPointF(x, 13), QPointF(x, 36));
        }
    // Cuts: a notch across the ruler.
    p.setPen(QPen(t.brick, 1.6, Qt::DashLine));
    for (double time : shot.cuts)
        if (const int c = shot.frameOf(time); c < s.frames) p.drawLine(QPointF(s.x(c - 0.5), 2), QPointF(s.x(c - 0.5), 36));
    // Marks: a flag with its name.
    p.setFont(look::textFont(8));
    for (const scene::Mark& m : shot.marks) {
        const double x = s.x(shot.frameOf(m.at));
        const QString name = QString::fromStdString(m.name);
        const double wide = QFontMetricsF(p.font()).horizontalAdvance(name) + 8;
        p.setPen(QPen(t.plum, 1.4));
        p.drawLine(QPointF(x, 0), QPointF(x, height()));
        p.setPen(Qt::NoPen);
        p.setBrush(t.plum);
        p.drawRoundedRect(QRectF(x, 0, wide, 12), 2, 2);
        p.setPen(t.sheet);
        p.drawText(QRectF(x + 4, 0, wide, 12), Qt::AlignVCenter | Qt::AlignLeft, name);
    }
    paintPlayHead(p, s.x(m_session.frame()), height(), true);
}

/// Sealed frames: a band of wax at the foot, whole for the layer that is chosen, else thin.
void Ruler::paintSeals(QPainter& p, const FrameScale& s) const {
    const look::Theme& t = look::theme();
    for (const auto& [layer, seal] : m_document.scene().shot().seals) {
        const bool chosen = layer == m_session.selection().layer;
        const double a = s.x(seal->from), b = s.x(seal->to);
        p.fillRect(QRectF(a, chosen ? 30 : 33, b - a, chosen ? 6 : 3), look::faded(t.ochre, chosen ? 0.9 : 0.5));
        if (!chosen) continue;
        // The frame from whose state the motion goes on behind the seal.
        p.setPen(Qt::NoPen);
        p.setBrush(t.ochre);
        p.drawEllipse(QPointF(b, 33), 5, 5);
    }
}

/// Of a shot that goes round: how far its end is from its beginning.
void Ruler::paintSeam(QPainter& p, const FrameScale& s) const {
    const ResultsPtr& r = m_document.results();
    if (!r || r->seams.empty()) return;
    const auto worse = [](const auto& a, const auto& b) { return a.second.turn < b.second.turn; };
    const measure::Seam& seam = std::max_element(r->seams.begin(), r->seams.end(), worse)->second;
    const bool closes = std::all_of(r->seams.begin(), r->seams.end(), [](const auto& each) { return each.second.closes(); });
    const look::Theme& t = look::theme();
    const double end = s.x(s.frames - 1);
    const QString words = tr("seam %1\u00b0").arg(degrees(seam.turn), 0, 'f', seam.turn < radians(0.1) ? 2 : 1);
    p.setFont(look::textFont(8));
    const double wide = QFontMetricsF(p.font()).horizontalAdvance(words) + 10;
    const QRectF box(std::min(end, width() - 1.0) - wide, 0, wide, 13);
    const QColor colour = closes ? t.lagoon : t.ochreText;
    p.fillRect(box, t.sheet);
    if (!closes) p.fillRect(QRectF(end - 6, 13, 6, 22), QBrush(t.ochre, Qt::BDiagPattern));
    p.setPen(QPen(colour, 2));
    p.drawLine(QPointF(end, 1), QPointF(end, 36));
    p.drawText(box.adjusted(0, 0, -5, 0), Qt::AlignRight | Qt::AlignVCenter, words);
}

Ruler::Drag Ruler::under(const QPointF& p) const {
    if (const auto& range = m_session.range()) {
        // The play-head goes first: it may stand on an edge.
        if (std::abs(scale().x(m_session.frame()) - p.x()) < kEdgeGrab) return Drag::Head;
        if (std::abs(scale().x(range->first) - p.x()) < kEdgeGrab) return Drag::From;
        if (std::abs(scale().x(range->second) - p.x()) < kEdgeGrab) return Drag::To;
    }
    return Drag::Head;
}

void Ruler::mousePressEvent(QMouseEvent* e) {
    m_pressed = m_last = scale().at(e->position().x());
    if (e->button() == Qt::MiddleButton) {
        m_drag = Drag::Pan;
        m_last = e->position().x();
        return;
    }
    if (e->button() != Qt::LeftButton) return;
    m_drag = e->modifiers() & Qt::ShiftModifier ? Drag::Range : under(e->position());
    if (m_drag == Drag::Head) m_session.setFrame(scale().frame(e->position().x()));
}

void Ruler::mouseMoveEvent(QMouseEvent* e) {
    const int frame = scale().frame(e->position().x());
    switch (m_drag) {
        case Drag::None:
            setCursor(under(e->position()) == Drag::Head ? Qt::SizeHorCursor : Qt::SplitHCursor);
            break;
        case Drag::Head:
            m_session.setFrame(frame);
            break;
        case Drag::Range:
            m_session.setRange(std::pair(static_cast<int>(std::lround(m_pressed)), frame));
            break;
        case Drag::From:
            if (m_session.range())
                m_session.setRange(std::pair(std::min(frame, m_session.range()->second - 1), m_session.range()->second));
            break;
        case Drag::To:
            if (m_session.range())
                m_session.setRange(std::pair(m_session.range()->first, std::max(frame, m_session.range()->first + 1)));
            break;
        case Drag::Pan: {
            const auto [a, b] = scale().span();
            m_view.pan(-(e->position().x() - m_last) / std::max(1, width() - 20) * (b - a));
            m_last = e->position().x();
            break;
        }
    }
}

void Ruler::mouseReleaseEvent(QMouseEvent*) {
    m_drag = Drag::None;
}

void Ruler::mouseDoubleClickEvent(QMouseEvent* e) {
    const FrameScale s = scale();
    for (const scene::Mark& m : m_document.scene().shot().marks) {
        const double x = s.x(m_document.scene().shot().frameOf(m.at));
        if (e->position().y() < 13 && e->position().x() >= x - 2 && e->position().x() < x + 60)
            return askForMark(m_document.scene().shot().frameOf(m.at));
    }
    m_view.showAll();
}

void Ruler::wheelEvent(QWheelEvent* e) {
    m_view.wheel(e, e->position().x(), width(), true);
}

void Ruler::contextMenuEvent(QContextMenuEvent* e) {
    if (e->reason() == QContextMenuEvent::Mouse) m_session.setFrame(scale().frame(e->x()));
    Q_EMIT menuWanted(e->globalPos());
}

bool Ruler::event(QEvent* e) {
    if (e->type() == QEvent::ToolTip) {
        QToolTip::showText(static_cast<QHelpEvent*>(e)->globalPos(),
                           tr("Drag: the play-head. Shift and drag: the range that plays. Wheel: closer. Right click: more."),
                           this);
        return true;
    }
    return QWidget::event(e);
}

}  // namespace nutatio::app
