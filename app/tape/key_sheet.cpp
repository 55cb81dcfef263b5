#include "app/tape/key_sheet.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "app/tape/play_head.h"
#include "layers/registry.h"
#include "scene/items.h"

namespace nutatio::app {

namespace {

constexpr int kRow = 54, kHint = 24;  // pixels

}  // namespace

KeySheet::KeySheet(Document& document, Session& session, TimeView& view, KeySelection& keys, scene::Owner owner, int left,
                   QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_view(view),
      m_keys(keys),
      m_owner(std::move(owner)),
      m_left(left),
      m_hand(document, session, keys, *this, *this) {
    setFocusPolicy(Qt::ClickFocus);
    setMouseTracking(true);
    const auto redraw = [this] { update(); };
    connect(&session, &Session::frameChanged, this, redraw);
    connect(&view, &TimeView::changed, this, redraw);
    connect(&keys, &KeySelection::changed, this, redraw);
    connect(&document, &Document::resultsChanged, this, redraw);
    connect(&session, &Session::selectionChanged, this, [this] {
        if (m_owner.list == scene::List::Layers && m_session.selection().layer == m_owner.id && m_session.handJoint()) rebuild();
    });
    rebuild();
}

void KeySheet::rebuild() {
    const scene::Scene& s = m_document.scene();
    const scene::Tuned* t = s.tuned(m_owner);
    // While keys are in the hand the rows keep their ranges.
    const std::vector<Row> was = std::exchange(m_rows, {});
    std::vector<scene::MovingSetting> moving;
    if (t) moving = movingSettings(*t, layers::tableOf(s, m_owner), s.shot().keysOf(m_owner));
    // Of many joints' channels those of the joint in the hand are enough.
    constexpr std::size_t kMost = 12;
    if (const auto hand = m_session.handJoint(); moving.size() > kMost && hand && hand->layer->id == m_owner.id)
        std::erase_if(moving, [of = hand->reference()](const scene::MovingSetting& m) {
            return m.row->each == scene::Each::Joint && scene::channelOf(m.id) != of;
        });
    for (const scene::MovingSetting& m : moving) {
        const auto feed = t->feeds.find(m.id);
        m_rows.push_back({m.id, m.row, feed == t->feeds.end() ? std::string() : feed->second.gauge, {}});
    }
    if (m_owner.list == scene::List::Layers)
        for (const scene::Gauge& g : s.gauges)
            if (g.after == m_owner.id) m_rows.push_back({{}, nullptr, g.id, {}});
    for (Row& row : m_rows)
        if (const auto old =
                std::find_if(was.begin(), was.end(), [&](const Row& r) { return r.id == row.id && r.gauge == row.gauge; });
            old != was.end())
            row.range = old->range;
    setAccessibleName(t ? tr("Curves of %1").arg(QString::fromStdString(t->name)) : QString());
    setFixedHeight(m_rows.empty() ? kHint : kRow * rows());
    fitRanges();
    update();
}

/// From the lowest to the highest that the curve goes; while keys are dragged the rows stand still under the hand.
void KeySheet::fitRanges() {
    if (m_hand.holds()) return;
    const scene::Shot& shot = m_document.scene().shot();
    for (Row& row : m_rows) {
        double low = 1e300, high = -1e300;
        const auto take = [&](double v) {
            low = std::min(low, v);
            high = std::max(high, v);
        };
        if (!row.spec) {
            const ResultsPtr& r = m_document.results();
            if (const pipeline::GaugeReading* reading = r ? r->evaluation.gauge(row.gauge) : nullptr)
                for (double v : reading->values) take(v);
            const double room = std::max(0.1 * (high - low), 1e-6);
            row.range = low > high ? scene::Range{0, 1} : scene::Range{low - room, high + room};
            continue;
        }
        if (row.gauge.empty()) {
            if (const scene::Keys* keys = shot.keysOf(m_owner, row.id))
                for (int f = 0; f < m_document.frames(); ++f) take(scene::keyedAt(*keys, shot.timeOf(f)));
        } else {
            const ResultsPtr& r = m_document.results();
            const layers::ResolvedPtr settings = r ? r->evaluation.settingsOf(m_owner) : nullptr;
            for (int f = 0; settings && f < r->frames; ++f) take(settings->at(row.id, f));
        }
        if (low > high) low = high = m_document.scene().numberAt(m_owner, row.id, 0);
        // A curve that hardly changes is not to look like a mountain.
        const double least = 0.1 * (row.spec->soft.high - row.spec->soft.low),
                     room = std::max(0.15 * (high - low), 0.5 * (least - (high - low)));
        row.range = {low - std::max(room, 1e-9), high + std::max(room, 1e-9)};
    }
}

double KeySheet::topOf(const Row& row) const {
    return kRow * static_cast<double>(&row - m_rows.data());
}

double KeySheet::yOf(const Row& row, double value) const {
    return topOf(row) + 4 + (row.range.high - value) / (row.range.high - row.range.low) * (kRow - 9);
}

const KeySheet::Row* KeySheet::rowOf(const std::string& setting) const {
    const auto at = std::find_if(m_rows.begin(), m_rows.end(), [&](const Row& r) { return r.id == setting; });
    return at == m_rows.end() ? nullptr : &*at;
}

double KeySheet::yOf(const Keyed& of, double value) const {
    const Row* row = rowOf(of.setting);
    return row ? yOf(*row, value) : 0;
}

double KeySheet::valueAt(const Keyed& of, double y) const {
    const Row* row = rowOf(of.setting);
    return row ? row->range.high - (y - topOf(*row) - 4) / (kRow - 9) * (row->range.high - row->range.low) : 0;
}

double KeySheet::pixels(const Keyed& of) const {
    const Row* row = rowOf(of.setting);
    return row ? (kRow - 9) / (row->range.high - row->range.low) : 1;
}

std::vector<Keyed> KeySheet::editable() const {
    std::vector<Keyed> out;
    for (const Row& row : m_rows)
        if (row.gauge.empty()) out.push_back({m_owner, row.id});
    return out;
}

std::optional<Keyed> KeySheet::curveUnder(const QPointF& p) const {
    const int row = static_cast<int>(p.y() / kRow);
    if (row < 0 || row >= rows() || p.x() < m_left || !m_rows[static_cast<std::size_t>(row)].gauge.empty()) return std::nullopt;
    return Keyed{m_owner, m_rows[static_cast<std::size_t>(row)].id};
}

/// What a gauge reads of what the layer makes: to be looked at.
void KeySheet::paintGauge(QPainter& p, const Row& row) {
    const look::Theme& t = look::theme();
    const scene::Gauge* g = m_document.scene().gauge(row.gauge);
    const ResultsPtr& r = m_document.results();
    const pipeline::GaugeReading* reading = r ? r->evaluation.gauge(row.gauge) : nullptr;
    if (!g) return;
    const double top = topOf(row);
    p.setPen(t.inkSoft);
    p.setFont(look::textFont(9.5));
    p.drawText(QRectF(40, top + 6, 150, 18), Qt::AlignLeft | Qt::AlignVCenter, QString::fromStdString(g->name));
    p.setFont(look::textFont(8.5));
    p.drawText(QRectF(40, top + 26, m_left - 84, 16), Qt::AlignLeft | Qt::AlignVCenter,
               reading && !reading->problem.empty() ? QString::fromStdString(reading->problem) : tr("gauge, of this layer"));
    if (!reading || reading->values.empty()) return;
    const bool share = scene::unitOf(*g) == scene::Unit::Share;
    const auto said = [&](double v) { return QString::number(share ? 100 * v : v, 'g', 3); };
    const auto last = reading->values.size() - 1;
    p.setFont(look::figureFont(9));
    p.drawText(QRectF(m_left - 132, top + 6, 90, 18), Qt::AlignRight | Qt::AlignVCenter,
               said(reading->values[std::min(last, static_cast<std::size_t>(std::max(0, m_session.frame())))]) + u' ' +
                   (share ? QStringLiteral("%") : qs(scene::unitText(scene::unitOf(*g)))));
    p.setFont(look::figureFont(7));
    p.drawText(QRectF(m_left - 40, top + 3, 36, 10), Qt::AlignRight, said(row.range.high));
    p.drawText(QRectF(m_left - 40, top + kRow - 14, 36, 10), Qt::AlignRight, said(row.range.low));
    p.setPen(QPen(t.rule, 1));
    p.drawLine(QPointF(0, top + kRow - 0.5), QPointF(width(), top + kRow - 0.5));
    p.save();
    p.setClipRect(QRectF(m_left, top, width() - m_left, kRow));
    const FrameScale s = frames();
    QPainterPath path;
    for (std::size_t f = 0; f <= last; ++f) {
        const QPointF to(m_left + s.x(static_cast<double>(f)), yOf(row, reading->values[f]));
        if (f == 0)
            path.moveTo(to);
        else
            path.lineTo(to);
    }
    p.setPen(QPen(t.ink, 1.4));
    p.setBrush(Qt::NoBrush);
    p.drawPath(path);
    p.restore();
}

void KeySheet::paintRow(QPainter& p, const Row& row) {
    if (!row.spec) return paintGauge(p, row);
    const look::Theme& t = look::theme();
    const scene::Shot& shot = m_document.scene().shot();
    const double top = topOf(row);
    const bool share = row.spec->unit == scene::Unit::Share;
    const ResultsPtr& r = m_document.results();
    const layers::ResolvedPtr settings = r ? r->evaluation.settingsOf(m_owner) : nullptr;
    const bool fed = !row.gauge.empty();
    const double now = fed && settings ? settings->at(row.id, m_session.frame())
                                       : m_document.scene().numberAt(m_owner, row.id, m_session.frame());
    // Its name, what it is here, and how far it goes.
    p.setPen(t.ink);
    p.setFont(look::textFont(9.5));
    p.drawText(QRectF(40, top + 6, 150, 18), Qt::AlignLeft | Qt::AlignVCenter,
               QString::fromStdString(labelOf(*row.spec, row.id)));
    const auto said = [&](double v) { return QString::number(share ? 100 * v : v, 'g', 3); };
    const QString unit = share ? QStringLiteral("%") : qs(scene::unitText(row.spec->unit));
    p.setFont(look::figureFont(9));
    p.setPen(t.persimmon);
    p.drawText(QRectF(m_left - 132, top + 6, 90, 18), Qt::AlignRight | Qt::AlignVCenter, said(now) + u' ' + unit);
    p.setFont(look::figureFont(7));
    p.setPen(t.inkSoft);
    p.drawText(QRectF(m_left - 40, top + 3, 36, 10), Qt::AlignRight, said(row.range.high));
    p.drawText(QRectF(m_left - 40, top + kRow - 14, 36, 10), Qt::AlignRight, said(row.range.low));
    if (fed) {
        const scene::Gauge* g = m_document.scene().gauge(row.gauge);
        p.setFont(look::textFont(8.5));
        p.drawText(QRectF(40, top + 26, m_left - 84, 16), Qt::AlignLeft | Qt::AlignVCenter,
                   g ? tr("follows %1").arg(QString::fromStdString(g->name)) : tr("its gauge is gone"));
    }
    p.setPen(QPen(t.rule, 1));
    p.drawLine(QPointF(0, top + kRow - 0.5), QPointF(width(), top + kRow - 0.5));
    // The curve, a point every few pixels.
    p.save();
    p.setClipRect(QRectF(m_left, top, width() - m_left, kRow));
    const FrameScale s = frames();
    const auto line = [&](const std::function<double(double)>& value, const QColor& colour, double wide,
                          Qt::PenStyle style = Qt::SolidLine) {
        QPainterPath path;
        for (double x = 0; x <= s.width; x += 2) {
            const double f = within(s.at(x), 0.0, s.frames - 1.0);
            const QPointF to(m_left + x, value(f));
            if (x == 0)
                path.moveTo(to);
            else
                path.lineTo(to);
        }
        p.setPen(QPen(colour, wide, style));
        p.setBrush(Qt::NoBrush);
        p.drawPath(path);
    };
    if (fed) {
        const pipeline::GaugeReading* reading = r ? r->evaluation.gauge(row.gauge) : nullptr;
        if (reading && !reading->values.empty()) {
            const auto [low, high] = std::minmax_element(reading->values.begin(), reading->values.end());
            line(
                [&, least = *low, most = *high](double f) {
                    const auto at = static_cast<std::size_t>(f);
                    const double a = reading->values[std::min(at, reading->values.size() - 1)],
                                 b = reading->values[std::min(at + 1, reading->values.size() - 1)],
                                 v = a + (f - static_cast<double>(at)) * (b - a);
                    return top + 5 + (most > least ? (most - v) / (most - least) : 0.5) * (kRow - 11);
                },
                look::faded(t.ink, 0.55), 1, Qt::DotLine);
        }
        if (settings)
            line(
                [&](double f) {
                    const int at = static_cast<int>(f);
                    const double a = settings->at(row.id, at), b = settings->at(row.id, at + 1);
                    return yOf(row, a + (f - at) * (b - a));
                },
                t.persimmon, 1.6);
    } else if (const scene::Keys* keys = shot.keysOf(m_owner, row.id)) {
        // Of a loop that is closed the curve goes on over its ends, as the layer takes it.
        const scene::Keys round = scene::goingRound(*keys, shot.period(m_document.frames()));
        line([&](double f) { return yOf(row, scene::keyedAt(round, f / shot.fps)); }, t.persimmon, 1.6);
        m_hand.paint(p, {m_owner, row.id});
    }
    p.restore();
}

void KeySheet::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    fitRanges();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), t.paper);
    p.setPen(QPen(t.rule, 1));
    p.drawLine(m_left, 0, m_left, height());
    if (m_rows.empty()) {
        p.setPen(t.inkSoft);
        p.setFont(look::textFont(9));
        p.drawText(QRectF(40, 0, width() - 50, height() - 1), Qt::AlignLeft | Qt::AlignVCenter,
                   tr("Nothing of it is keyed or fed in this shot. The diamond of a row in the Tuner sets a key, its needle "
                      "feeds it from a gauge."));
    }
    for (const Row& row : m_rows) paintRow(p, row);
    p.setClipRect(QRectF(m_left, 0, width() - m_left, height()));
    p.translate(m_left, 0);
    paintPlayHead(p, frames().x(m_session.frame()), height(), false);
    p.translate(-m_left, 0);
    m_hand.paintBox(p);
}

void KeySheet::mousePressEvent(QMouseEvent* e) {
    if (m_owner.list == scene::List::Layers) m_session.selectLayer(m_owner.id);
    if (e->button() != Qt::LeftButton) return;
    // Its name selects all keys of its row.
    if (const int row = static_cast<int>(e->position().y() / kRow); e->position().x() < m_left) {
        if (row < rows()) m_keys.set(m_hand.in(QRectF(-1e6, kRow * row, 2e6 + width(), kRow)));
        return;
    }
    m_hand.press(e);
}

void KeySheet::mouseMoveEvent(QMouseEvent* e) {
    m_hand.move(e);
}

void KeySheet::mouseReleaseEvent(QMouseEvent* e) {
    m_hand.release(e);
}

void KeySheet::mouseDoubleClickEvent(QMouseEvent* e) {
    m_hand.doubleClick(e);
}

void KeySheet::wheelEvent(QWheelEvent* e) {
    if (!m_view.wheel(e, e->position().x() - m_left, width() - m_left, false)) e->ignore();
}

void KeySheet::contextMenuEvent(QContextMenuEvent* e) {
    if (const auto key = m_hand.under(e->pos()); key && !m_keys.has(*key)) m_keys.set({*key});
    Q_EMIT menuWanted(e->globalPos());
}

/// The window has other uses for these keys; here they are for what is selected.
bool KeySheet::event(QEvent* e) {
    if (e->type() == QEvent::ShortcutOverride && m_hand.wants(static_cast<QKeyEvent*>(e))) {
        e->accept();
        return true;
    }
    return QWidget::event(e);
}

void KeySheet::keyPressEvent(QKeyEvent* e) {
    if (!m_hand.key(e)) QWidget::keyPressEvent(e);
}

}  // namespace nutatio::app
