#include "app/tuner/gauge_panel.h"

#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QPushButton>
#include <algorithm>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "edit/gauges.h"
#include "measure/gauge.h"
#include "scene/items.h"

namespace nutatio::app {

namespace {

bool takesSurfaces(const scene::Gauge& g) {
    return g.text("measure") == "height" || g.text("measure") == "contact";
}

}  // namespace

GaugePlot::GaugePlot(Document& document, Session& session, std::string gauge, QWidget* parent)
    : QWidget(parent), m_document(document), m_session(session), m_gauge(std::move(gauge)) {
    setFixedHeight(110);
    setCursor(Qt::SizeHorCursor);
    setAccessibleName(tr("What the gauge reads over the shot"));
    connect(&session, &Session::frameChanged, this, [this] { update(); });
    connect(&document, &Document::resultsChanged, this, [this] { update(); });
}

void GaugePlot::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF box(0.5, 14.5, width() - 1, height() - 15);
    p.fillRect(box, t.paper);
    p.setPen(QPen(t.rule, 1));
    p.drawRect(box);
    const ResultsPtr& r = m_document.results();
    const scene::Gauge* g = m_document.scene().gauge(m_gauge);
    const pipeline::GaugeReading* reading = r ? r->evaluation.gauge(m_gauge) : nullptr;
    if (!g || !reading) return;
    if (!reading->problem.empty()) {
        p.setPen(t.brick);
        p.setFont(look::textFont(9));
        p.drawText(box.adjusted(8, 4, -8, -4), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("It reads nothing: %1.").arg(QString::fromStdString(reading->problem)));
        return;
    }
    const scene::Curve& v = reading->values;
    if (v.empty()) return;
    const bool share = scene::unitOf(*g) == scene::Unit::Share;
    const QString unit = share ? QStringLiteral("%") : qs(scene::unitText(scene::unitOf(*g)));
    auto [low, high] = [&] {
        const auto found = std::minmax_element(v.begin(), v.end());
        return std::pair(*found.first, *found.second);
    }();
    const double least = low, most = high, room = std::max(0.08 * (high - low), 1e-6 * std::max(1.0, std::abs(high)));
    low -= room;
    high += room;
    const auto at = [&](std::size_t f) {
        const double u = v.size() > 1 ? static_cast<double>(f) / static_cast<double>(v.size() - 1) : 0;
        return QPointF(box.left() + u * box.width(), box.bottom() - (v[f] - low) / (high - low) * box.height());
    };
    if (low < 0 && high > 0) {
        const double zero = box.bottom() + low / (high - low) * box.height();
        p.setPen(QPen(t.rule, 1, Qt::DotLine));
        p.drawLine(QPointF(box.left(), zero), QPointF(box.right(), zero));
    }
    QPainterPath path;
    path.moveTo(at(0));
    for (std::size_t f = 1; f < v.size(); ++f) path.lineTo(at(f));
    p.setPen(QPen(t.ink, 1.4));
    p.drawPath(path);
    p.setPen(QPen(t.ink, 1.2));
    p.setBrush(t.sheet);
    for (int f : measure::peaksOf(v)) p.drawEllipse(at(static_cast<std::size_t>(f)), 3, 3);
    const auto here = static_cast<std::size_t>(within(m_session.frame(), 0, static_cast<int>(v.size()) - 1));
    p.setPen(QPen(t.persimmon, 1.2));
    p.drawLine(QPointF(at(here).x(), box.top()), QPointF(at(here).x(), box.bottom()));
    p.setBrush(t.persimmon);
    p.drawEllipse(at(here), 3, 3);
    p.setFont(look::figureFont(8));
    const auto said = [&](double x) { return QString::number(share ? 100 * x : x, 'g', 3); };
    p.setPen(t.persimmon);
    p.drawText(QRectF(0, 0, width(), 13), Qt::AlignLeft,
               tr("frame %1: %2 %3").arg(static_cast<int>(here) + 1).arg(said(v[here]), unit));
    p.setPen(t.inkSoft);
    p.drawText(QRectF(0, 0, width(), 13), Qt::AlignRight, tr("%1 to %2").arg(said(least), said(most)));
}

void GaugePlot::mousePressEvent(QMouseEvent* e) {
    if (e->button() == Qt::LeftButton) mouseMoveEvent(e);
}

void GaugePlot::mouseMoveEvent(QMouseEvent* e) {
    if (!(e->buttons() & Qt::LeftButton)) return;
    const double u = std::clamp(e->position().x() / std::max(1, width() - 1), 0.0, 1.0);
    m_session.setFrame(static_cast<int>(std::lround(u * (m_document.frames() - 1))));
}

QString GaugePanel::shape(const scene::Scene& s, const scene::Gauge& g) {
    QString out = takesSurfaces(g) ? QStringLiteral("over") : QString();
    for (const scene::Layer& l : s.layers) out += QString::fromStdString(l.id + '\n' + l.name + '\n');
    if (takesSurfaces(g))
        for (const scene::Collider& c : s.colliders) out += QString::fromStdString(c.id + '\n' + c.name + '\n');
    return out;
}

GaugePanel::GaugePanel(Document& document, Session& session, std::string gauge, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_gauge(std::move(gauge)),
      m_plot(new GaugePlot(document, session, m_gauge)),
      m_reads(new QComboBox) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 2, 0, 4);
    all->setSpacing(4);
    all->addWidget(m_plot);
    auto* peaks = new QHBoxLayout;
    for (const auto& [id, text] :
         {std::pair{"peak-back", tr("Peak before")}, {"peak-next", tr("Next peak")}, {"gauge-csv", tr("Write CSV")}}) {
        auto* b = new QPushButton(text);
        b->setObjectName(QStringLiteral("do-") + QLatin1String(id));
        b->setStyleSheet(QStringLiteral("padding: 4px 6px;"));
        peaks->addWidget(b);
        connect(b, &QPushButton::clicked, this, [this, id = id] { Q_EMIT commandWanted(QLatin1String(id)); });
    }
    all->addLayout(peaks);
    auto* row = new QHBoxLayout;
    auto* label = new QLabel(tr("Reads"));
    label->setFont(look::textFont(9.5));
    label->setToolTip(tr("Whose motion it reads: the body below all layers, or what a layer makes of it."));
    row->addWidget(label);
    m_reads->setAccessibleName(tr("Whose result the gauge reads"));
    m_reads->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    m_reads->addItem(tr("the body, below all layers"), QString());
    for (const scene::Layer& l : m_document.scene().layers)
        m_reads->addItem(tr("what %1 makes of it").arg(QString::fromStdString(l.name)), QString::fromStdString(l.id));
    row->addWidget(m_reads, 1);
    all->addLayout(row);
    connect(m_reads, &QComboBox::activated, this, [this](int i) {
        scene::Scene next = m_document.scene();
        const auto done = edit::readAfter(next, m_gauge, m_reads->itemData(i).toString().toStdString());
        if (done)
            m_document.edit(tr("What the gauge reads"), [&](scene::Scene& s) { s = next; });
        else
            Q_EMIT said(QString::fromStdString(done.error().sentence));
        refresh();
    });
    const scene::Gauge* g = m_document.scene().gauge(m_gauge);
    if (g && takesSurfaces(*g) && !m_document.scene().colliders.empty()) {
        auto* over = new QLabel(tr("Over (none: the floor)"));
        over->setObjectName(QStringLiteral("soft"));
        all->addWidget(over);
        for (const scene::Collider& c : m_document.scene().colliders) {
            auto* b = new QToolButton;
            b->setObjectName(QStringLiteral("chip"));
            b->setText(QString::fromStdString(c.name));
            b->setAccessibleName(tr("Over %1").arg(b->text()));
            b->setCheckable(true);
            m_over[c.id] = b;
            all->addWidget(b, 0, Qt::AlignLeft);
            connect(b, &QToolButton::clicked, this, [this, id = c.id](bool on) {
                m_document.edit(tr("What the gauge is taken over"), [&](scene::Scene& s) {
                    if (scene::Gauge* mine = s.gauge(m_gauge)) {
                        std::erase(mine->over, id);
                        if (on) mine->over.push_back(id);
                    }
                });
            });
        }
    }
    refresh();
}

void GaugePanel::refresh() {
    const scene::Gauge* g = m_document.scene().gauge(m_gauge);
    if (!g) return;
    m_reads->setCurrentIndex(std::max(0, m_reads->findData(QString::fromStdString(g->after))));
    for (const auto& [id, b] : m_over) b->setChecked(std::find(g->over.begin(), g->over.end(), id) != g->over.end());
    m_plot->update();
}

}  // namespace nutatio::app
