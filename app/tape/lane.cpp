#include "app/tape/lane.h"

#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>

#include "app/look/parts.h"
#include "app/look/text.h"
#include "app/look/theme.h"
#include "app/tape/play_head.h"
#include "edit/keys.h"
#include "layers/registry.h"

#include "scene/seal.h"

namespace nutatio::app {

namespace {

/// Id of the layer's setting that mixes it; empty where its kind is not known.
std::string_view mixOf(const scene::Layer* layer) {
    const layers::LayerKind* kind = layer ? layers::findKind(layer->kind) : nullptr;
    const scene::SettingSpec* mix = kind ? kind->setting(scene::Role::Mix) : nullptr;
    return mix ? mix->id : std::string_view();
}

constexpr double kHandleGrab = 6, kBand = 9;  // pixels to a handle; height of the band of intervals

double mostOf(const std::vector<float>& v) {
    float m = 1e-9f;
    for (float y : v) m = std::max(m, std::abs(y));
    return static_cast<double>(m);
}

}  // namespace

Lane::Lane(Document& document, Session& session, TimeView& view, std::string layer, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_view(view),
      m_layer(std::move(layer)),
      m_left(new QWidget(this)),
      m_open(new QToolButton),
      m_mute(new QToolButton),
      m_solo(new QToolButton),
      m_glyph(new QLabel),
      m_name(new QLabel),
      m_mix(new Slider),
      m_mixText(new QLabel) {
    setFixedHeight(kHeight);
    setMouseTracking(true);
    m_left->setGeometry(0, 0, kStackWidth, kHeight - 2);
    m_left->setAttribute(Qt::WA_TransparentForMouseEvents, false);
    auto* row = new QHBoxLayout(m_left);
    row->setContentsMargins(4, 0, 8, 0);
    row->setSpacing(4);
    m_open->setObjectName(QStringLiteral("rowToggle"));
    m_open->setIcon(look::icon(QStringLiteral("chevron-right")));
    m_open->setIconSize(QSize(13, 13));
    m_open->setFixedSize(16, 20);
    m_open->setCheckable(true);
    row->addWidget(m_open);
    connect(m_open, &QToolButton::toggled, this, [this](bool on) {
        m_open->setIcon(look::icon(on ? QStringLiteral("chevron-down") : QStringLiteral("chevron-right")));
        Q_EMIT opened(on);
    });
    for (auto [b, text, name] : {std::tuple{m_mute, tr("M"), tr("Mute")}, {m_solo, tr("S"), tr("Solo")}}) {
        b->setObjectName(QStringLiteral("laneToggle"));
        b->setText(text);
        b->setCheckable(true);
        b->setFixedSize(20, 20);
        b->setToolTip(tr("%1 (%2)").arg(name, text));
        row->addWidget(b);
    }
    row->addWidget(m_glyph);
    row->addWidget(m_name, 1);
    m_mix->setFixedWidth(72);
    m_mix->setRange({0, 100}, false);
    row->addWidget(m_mix);
    m_mixText->setFont(look::figureFont(8));
    m_mixText->setFixedWidth(34);
    m_mixText->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    row->addWidget(m_mixText);
    const auto change = [this](const QString& name, const std::function<void(scene::Layer&)>& how, const QString& gesture = {}) {
        m_document.edit(
            name,
            [&](scene::Scene& s) {
                if (scene::Layer* l = s.layer(m_layer)) how(*l);
            },
            gesture);
    };
    connect(m_mute, &QToolButton::clicked, this,
            [=](bool on) { change(on ? tr("Mute") : tr("Unmute"), [on](scene::Layer& l) { l.muted = on; }); });
    connect(m_solo, &QToolButton::clicked, this,
            [=](bool on) { change(on ? tr("Solo") : tr("Unsolo"), [on](scene::Layer& l) { l.solo = on; }); });
    connect(m_mix, &Slider::grabbed, this, [this](const QString& gesture) { m_held.frame(gesture, m_session.frame()); });
    connect(m_mix, &Slider::dragged, this, [this](double v, const QString& gesture) {
        m_document.edit(
            tr("Mix"),
            [&](scene::Scene& s) {
                if (const auto id = mixOf(m_document.scene().layer(m_layer)); !id.empty())
                    s.setNumber({scene::List::Layers, m_layer}, id, m_held.frame(gesture, m_session.frame()), v / 100);
            },
            gesture);
    });
    connect(&view, &TimeView::changed, this, [this] { update(); });
    refresh();
}

QString sortOf(const scene::Layer& layer) {
    const layers::LayerKind* kind = layers::findKind(layer.kind);
    return kind && kind->act ? QString::fromStdString(layer.text(kind->act->sort)) : QString();
}

QString calledOf(const scene::Layer& layer) {
    const QString sort = sortOf(layer), name = QString::fromStdString(layer.name);
    return sort.isEmpty() ? name : sort + QStringLiteral(", ") + name;
}

void Lane::resizeEvent(QResizeEvent*) {
    m_left->setGeometry(0, 0, kStackWidth, std::min(height() - 2, kHeight - 2));
}

void Lane::refresh() {
    const scene::Layer* l = m_document.scene().layer(m_layer);
    if (!l) return;
    const layers::LayerKind* kind = layers::findKind(l->kind);
    const QString name = calledOf(*l);
    m_mute->setChecked(l->muted);
    m_solo->setChecked(l->solo);
    m_mute->setAccessibleName(tr("Mute %1").arg(name));
    m_solo->setAccessibleName(tr("Solo %1").arg(name));
    m_mix->setAccessibleName(tr("Mix of %1").arg(name));
    m_open->setAccessibleName(tr("Curves of %1").arg(name));
    m_open->setToolTip(tr("Its keyed and fed settings as curves"));
    const double mix = 100 * m_document.scene().numberAt({scene::List::Layers, m_layer}, mixOf(l), m_session.frame());
    m_mix->setValue(mix);
    m_mixText->setText(QStringLiteral("%1 %").arg(mix, 0, 'f', 0));
    const bool acts = m_document.scene().acts(*l), chosen = m_session.selection().layer == m_layer;
    const QColor c = !acts ? look::theme().inkSoft : l->colour >= 0 ? look::partColour(l->colour) : look::theme().ink;
    const QString glyph =
        kind ? QString::fromUtf8(kind->id.data(), static_cast<qsizetype>(kind->id.size())) + c.name() : QString();
    if (glyph != m_glyphShown) {
        m_glyphShown = glyph;
        m_glyph->setPixmap(kind ? look::glyph(kind->glyph, c).pixmap(18, 18) : QPixmap());
    }
    QFont f = look::textFont(10, chosen ? QFont::Bold : QFont::Normal);
    f.setStrikeOut(!acts);
    f.setItalic(l->lock);
    m_name->setFont(f);
    m_name->setText(QFontMetrics(f).elidedText(name, Qt::ElideMiddle, 82));
    m_name->setToolTip(l->lock ? tr("%1, locked").arg(name) : name);
    update();
}

const std::vector<scene::Interval>& Lane::intervals() const {
    static const std::vector<scene::Interval> kNone;
    const auto& all = m_document.scene().shot().intervals;
    const auto at = all.find(m_layer);
    return at == all.end() ? kNone : at->second;
}

QPointF Lane::intervalPoint(std::size_t which, int handle) const {
    const scene::Interval& i = intervals()[which];
    const double fps = m_document.scene().shot().fps, at[] = {i.from, i.from + i.easeIn, i.to - i.easeOut, i.to};
    // Ends sit at the band's foot, eases at its top, so that they can be told apart where they meet.
    return {kStackWidth + scale().x(at[handle] * fps), handle == 0 || handle == 3 ? kBand - 1.5 : 1.5};
}

Lane::Grip Lane::gripUnder(const QPointF& p) const {
    if (p.y() > kBand + 3 || p.x() < kStackWidth) return {};
    Grip best;
    double nearest = kHandleGrab;
    for (std::size_t k = 0; k < intervals().size(); ++k)
        for (int h : {1, 2, 0, 3}) {
            const QPointF d = intervalPoint(k, h) - p;
            // Where an ease is 0 its handle lies on the end: the upper half of the band takes it.
            const double away = std::abs(d.x()) + 0.5 * std::abs(d.y());
            if (away < nearest) {
                nearest = away;
                best = {static_cast<int>(k), h};
            }
        }
    if (best.interval >= 0) return best;
    for (std::size_t k = 0; k < intervals().size(); ++k)
        if (p.x() > intervalPoint(k, 0).x() && p.x() < intervalPoint(k, 3).x()) return {static_cast<int>(k), 4};
    return {};
}

void Lane::paintIntervals(QPainter& p, const FrameScale& s) {
    if (intervals().empty()) return;
    const look::Theme& t = look::theme();
    const double fps = m_document.scene().shot().fps;
    const scene::Layer* layer = m_document.scene().layer(m_layer);
    const QString sort = layer ? sortOf(*layer) : QString();
    // Outside it rests.
    const scene::Curve window = m_document.scene().shot().windowOf(m_layer, s.frames);
    p.setPen(Qt::NoPen);
    p.setBrush(QBrush(look::faded(t.inkSoft, 0.35), Qt::BDiagPattern));
    for (int f = 0; f + 1 < s.frames; ++f)
        if (window[static_cast<std::size_t>(f)] <= 0 && window[static_cast<std::size_t>(f) + 1] <= 0)
            p.drawRect(QRectF(s.x(f), kBand, s.x(f + 1) - s.x(f), height() - kBand - 1));
    for (const scene::Interval& i : intervals()) {
        const double a = s.x(i.from * fps), b = s.x((i.from + i.easeIn) * fps), c = s.x((i.to - i.easeOut) * fps),
                     d = s.x(i.to * fps);
        p.setPen(QPen(t.persimmon, 1));
        p.setBrush(t.persimmonPale);
        p.drawPolygon(QPolygonF({QPointF(a, kBand), QPointF(b, 0.5), QPointF(std::max(b, c), 0.5), QPointF(d, kBand)}));
        p.setBrush(t.persimmon);
        p.setPen(Qt::NoPen);
        for (double x : {a, d}) p.drawRect(QRectF(x - 1.5, 0, 3, kBand + 2));
        p.setBrush(t.sheet);
        p.setPen(QPen(t.persimmon, 1.2));
        for (double x : {b, c}) p.drawEllipse(QPointF(x, 2.5), 2.5, 2.5);
        if (!sort.isEmpty()) paintSort(p, QRectF(a + 6, kBand, std::max(0.0, d - a - 12), height() - kBand), sort, i.from, i.to);
    }
}

/// What an act is, and what came of it between two times [s].
void Lane::paintSort(QPainter& p, const QRectF& room, const QString& sort, double from, double to) {
    const look::Theme& t = look::theme();
    const QFont font = look::textFont(9);
    const QFontMetrics metrics(font);
    p.setFont(font);
    p.setPen(t.ink);
    p.drawText(room, Qt::AlignVCenter | Qt::AlignLeft, metrics.elidedText(sort, Qt::ElideRight, static_cast<int>(room.width())));
    const ResultsPtr& r = m_document.results();
    if (!r) return;
    const double fps = m_document.scene().shot().fps;
    for (const layers::Came& c : r->evaluation.cameOf(m_layer)) {
        if (c.frame < std::lround(from * fps) || c.frame > std::lround(to * fps)) continue;
        const QRectF rest = room.adjusted(metrics.horizontalAdvance(sort) + 8, 0, 0, 0);
        p.setPen(c.less ? t.ochreText : t.inkSoft);
        p.drawText(rest, Qt::AlignVCenter | Qt::AlignLeft,
                   metrics.elidedText(QString::fromStdString(c.text), Qt::ElideRight, static_cast<int>(rest.width())));
        return;
    }
}

void Lane::paintTraces(QPainter& p, const FrameScale& s) {
    const look::Theme& t = look::theme();
    const ResultsPtr& r = m_document.results();
    const double top = intervals().empty() ? 0 : kBand, middle = 0.5 * (height() + top);
    p.setPen(QPen(t.rule, 1, Qt::DotLine));
    if (!m_session.splitsTraces()) p.drawLine(QPointF(0, middle), QPointF(s.width, middle));
    const pipeline::LayerResult* result = r ? r->evaluation.layer(m_layer) : nullptr;
    if (result && !result->problem.empty()) {
        p.setPen(t.brick);
        p.setFont(look::textFont(9));
        p.drawText(QRectF(12, top, s.width - 24, height() - top), Qt::AlignVCenter | Qt::AlignLeft,
                   tr("Does nothing: %1").arg(QString::fromStdString(result->problem)));
        return;
    }
    const scene::Layer* layer = m_document.scene().layer(m_layer);
    if (const QString sort = layer ? sortOf(*layer) : QString(); intervals().empty() && !sort.isEmpty())
        paintSort(p, QRectF(s.x(0) + 6, 0, s.width - s.x(0) - 12, height()), sort, 0, 1e6);
    if (result) paintSpans(p, s, result->lane);
    if (!r || r->traces.count(m_layer) == 0) return;
    const measure::Trace& trace = *r->traces.at(m_layer);
    if (!m_session.splitsTraces()) {
        paintTrace(p, s, trace.body, trace.added, 0, top, height());
        return;
    }
    // Three on one scale, so that it is seen which way it goes most.
    double larger = 0;
    for (const auto& axis : trace.axes) larger = std::max({larger, mostOf(axis.body), mostOf(axis.added)});
    const double tall = (height() - top) / 3;
    for (int k = 0; k < 3; ++k) {
        const auto& axis = trace.axes[static_cast<std::size_t>(k)];
        const double from = top + k * tall;
        if (k > 0) {
            p.setPen(QPen(t.rule, 1));
            p.drawLine(QPointF(0, from), QPointF(s.width, from));
        }
        paintTrace(p, s, axis.body, axis.added, larger, from, from + tall);
        p.setFont(look::textFont(8, QFont::Bold));
        p.setPen(look::axisColour(k));
        p.drawText(QRectF(4, from + 1, 20, 12), Qt::AlignLeft, QStringLiteral("xyz").mid(k, 1));
    }
}

/// Bars lie in rows at the foot of the lane, solid where they were found, open where they were set by hand; an arch goes from the
/// frame before its stretch to the one after it.
void Lane::paintSpans(QPainter& p, const FrameScale& s, const std::vector<layers::LaneSpan>& spans) {
    const look::Theme& t = look::theme();
    int rows = 0;
    for (const layers::LaneSpan& x : spans) rows = std::max(rows, x.row + 1);
    constexpr double kRow = 4;
    for (const layers::LaneSpan& x : spans) {
        if (x.form == layers::LaneSpan::Form::Arch) {
            const double a = s.x(x.from - 1), b = s.x(x.to + 1), low = height() - 2, high = low - std::min(14.0, 0.4 * (b - a));
            QPainterPath arch(QPointF(a, low));
            arch.quadTo(QPointF(0.5 * (a + b), 2 * high - low), QPointF(b, low));
            p.setPen(QPen(t.ochre, 2));
            p.setBrush(look::faded(t.ochre, 0.2));
            p.drawPath(arch);
            continue;
        }
        p.setPen(QPen(t.lagoon, 1));
        p.setBrush(x.byHand ? Qt::NoBrush : QBrush(t.lagoon));
        p.drawRect(QRectF(s.x(x.from), height() - 2 - kRow * (rows - x.row), std::max(2.0, s.x(x.to) - s.x(x.from)), kRow - 1));
    }
}

/// One scale for both where that lets both be read, so that lag is a distance; else what is smaller is drawn larger, and says so.
/// `larger`: the scale that they share with others; 0: their own.
void Lane::paintTrace(QPainter& p, const FrameScale& s, const std::vector<float>& bodyWay, const std::vector<float>& addedWay,
                      double larger, double top, double bottom) {
    const look::Theme& t = look::theme();
    const double middle = 0.5 * (bottom + top), reach = middle - top - 4;
    const bool shared = larger > 0;
    const double body = mostOf(bodyWay), added = mostOf(addedWay);
    if (!shared) larger = std::max(body, added);
    constexpr double kReadable = 0.3;
    const auto times = [&](double own) {
        constexpr double kNothing = 1e-5;
        double k = 1;
        while (!shared && own > kNothing * larger && own * k < kReadable * larger && k < 1000) k *= 2;
        return k;
    };
    const double bodyTimes = times(body), addedTimes = times(added);
    const auto [from, to] = s.span();
    const auto draw = [&](const std::vector<float>& v, double by, const QColor& c, double width) {
        QPainterPath path;
        const int first = std::max(0, static_cast<int>(std::floor(from)) - 1),
                  last = std::min(static_cast<int>(v.size()) - 1, static_cast<int>(std::ceil(to)) + 1);
        for (int f = first; f <= last; ++f) {
            const QPointF at(s.x(f), middle - by * v[static_cast<std::size_t>(f)] / larger * reach);
            if (f == first)
                path.moveTo(at);
            else
                path.lineTo(at);
        }
        p.setPen(QPen(c, width));
        p.setBrush(Qt::NoBrush);
        p.drawPath(path);
    };
    draw(bodyWay, bodyTimes, t.ink, 1.2);
    draw(addedWay, addedTimes, t.persimmon, 1.8);
    p.setFont(look::figureFont(7));
    const auto note = [&](double by, const QColor& c, int row) {
        if (by <= 1) return;
        p.setPen(c);
        p.drawText(QRectF(s.width - 44, bottom - 12 - 9 * row, 40, 10), Qt::AlignRight, QStringLiteral("x%1").arg(by));
    };
    note(addedTimes, t.persimmon, 0);
    note(bodyTimes, t.ink, addedTimes > 1 ? 1 : 0);
}

void Lane::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const bool chosen = m_session.selection().layer == m_layer;
    p.fillRect(rect(), chosen ? t.lagoonPale : t.sheet);
    if (chosen) p.fillRect(QRectF(0, 0, 3, height()), t.lagoon);
    const scene::Layer* l = m_document.scene().layer(m_layer);
    if (l && l->colour >= 0) p.fillRect(QRectF(chosen ? 3 : 0, 0, 3, height() - 1), look::partColour(l->colour));
    p.setPen(QPen(t.rule, 1));
    p.drawLine(0, height() - 1, width(), height() - 1);
    p.drawLine(kStackWidth, 0, kStackWidth, height());
    const FrameScale s = scale();
    p.setClipRect(QRectF(kStackWidth, 0, width() - kStackWidth, height()));
    p.translate(kStackWidth, 0);
    if (const auto seal = m_document.scene().shot().seals.find(m_layer); seal != m_document.scene().shot().seals.end()) {
        const double a = s.x(seal->second->from), b = s.x(seal->second->to);
        p.fillRect(QRectF(a, 0, b - a, height() - 1), look::faded(t.ochre, 0.14));
        p.fillRect(QRectF(b - 1, 0, 2, height() - 1), t.ochre);
    }
    paintTraces(p, s);
    paintIntervals(p, s);
    // Keys of any of its settings, along the lane's foot.
    const scene::Shot& shot = m_document.scene().shot();
    if (const scene::KeysOf* all = shot.keysOf({scene::List::Layers, m_layer}))
        for (const auto& [id, keys] : *all)
            for (const scene::KeyAt& k : keys) paintKey(p, QPointF(s.x(k.at * shot.fps), height() - 6), false);
    paintPlayHead(p, s.x(m_session.frame()), height(), false);
}

void Lane::mousePressEvent(QMouseEvent* e) {
    m_session.selectLayer(m_layer);
    m_drag = Drag::None;
    if (e->button() != Qt::LeftButton) return;
    m_pressed = e->position();
    m_gesture = Slider::newGesture();
    m_tall = height();
    if (e->position().y() > height() - 4) {
        m_drag = Drag::Height;
        return;
    }
    if (e->position().x() <= kStackWidth) {
        m_drag = Drag::Head;
        return;
    }
    m_pressedFrame = scale().at(e->position().x() - kStackWidth);
    m_grip = gripUnder(e->position());
    if (m_grip.interval >= 0) {
        m_was = intervals()[static_cast<std::size_t>(m_grip.interval)];
        m_drag = Drag::Edge;
        return;
    }
    m_drag = Drag::Frame;
    m_session.setFrame(scale().frame(e->position().x() - kStackWidth));
}

void Lane::dragInterval(double frame) {
    const scene::Shot& shot = m_document.scene().shot();
    const double by = std::round(frame - m_pressedFrame) / shot.fps;
    scene::Interval i = m_was;
    switch (m_grip.handle) {
        case 0:
            i.from = std::min(m_was.from + by, m_was.to);
            break;
        case 1:
            i.easeIn = std::max(0.0, m_was.easeIn + by);
            break;
        case 2:
            i.easeOut = std::max(0.0, m_was.easeOut - by);
            break;
        case 3:
            i.to = std::max(m_was.to + by, m_was.from);
            break;
        default: {
            // Its length stays: it stops at the shot's ends.
            const double end = shot.timeOf(m_document.frames() - 1), on = within(by, -m_was.from, std::max(0.0, end - m_was.to));
            i.from += on;
            i.to += on;
        }
    }
    m_document.edit(
        tr("Interval of %1").arg(m_name->toolTip()), [&](scene::Scene& s) { edit::setInterval(s, m_layer, m_grip.interval, i); },
        m_gesture);
}

void Lane::mouseMoveEvent(QMouseEvent* e) {
    constexpr double kWay = 6;
    switch (m_drag) {
        case Drag::None: {
            const Grip grip = gripUnder(e->position());
            setCursor(e->position().y() > height() - 4  ? Qt::SizeVerCursor
                      : grip.handle == 4                ? Qt::OpenHandCursor
                      : grip.handle >= 0                ? Qt::SplitHCursor
                      : e->position().x() < kStackWidth ? Qt::ArrowCursor
                                                        : Qt::SizeHorCursor);
            return;
        }
        case Drag::Head:
            if (std::abs(e->position().y() - m_pressed.y()) > kWay)
                Q_EMIT carried(mapToParent(e->position().toPoint()).y(), false);
            return;
        case Drag::Frame:
            m_session.setFrame(scale().frame(e->position().x() - kStackWidth));
            return;
        case Drag::Height:
            setTall(m_tall + static_cast<int>(e->position().y() - m_pressed.y()));
            return;
        case Drag::Edge:
            dragInterval(scale().at(e->position().x() - kStackWidth));
            return;
    }
}

void Lane::mouseReleaseEvent(QMouseEvent* e) {
    const bool carries = m_drag == Drag::Head;
    m_drag = Drag::None;
    if (carries) Q_EMIT carried(mapToParent(e->position().toPoint()).y(), true);
}

void Lane::wheelEvent(QWheelEvent* e) {
    if (!m_view.wheel(e, e->position().x() - kStackWidth, width() - kStackWidth, false)) e->ignore();
}

void Lane::contextMenuEvent(QContextMenuEvent* e) {
    m_session.selectLayer(m_layer);
    Q_EMIT menuWanted(e->globalPos());
}

}  // namespace nutatio::app
