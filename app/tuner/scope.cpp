#include "app/tuner/scope.h"

#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QUuid>
#include <algorithm>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "layers/registry.h"

namespace nutatio::app {

namespace {

constexpr double kPushDeg = 10;  // the push that the plot shows: the answer is straight in it

double roundStep(double span, int most) {
    for (double s = 1e-3; s < 1e7; s *= 10)
        for (double k : {1.0, 2.0, 5.0})
            if (span / (s * k) <= most) return s * k;
    return span;
}

}  // namespace

Scope::Scope(Document& document, Session& session, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_pushFace(new QToolButton(this)),
      m_shotFace(new QToolButton(this)) {
    setAccessibleName(tr("Scope"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setFixedHeight(168);
    setMouseTracking(true);
    auto* row = new QHBoxLayout;
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    for (auto [b, text, face, hint] :
         {std::tuple{m_pushFace, tr("After a push"), Face::Push, tr("How it answers when the body is pushed")},
          {m_shotFace, tr("In the shot"), Face::Shot, tr("How it moves against the body in this shot")}}) {
        b->setText(text);
        b->setCheckable(true);
        b->setObjectName(QStringLiteral("face"));
        b->setToolTip(hint);
        row->addWidget(b);
        connect(b, &QToolButton::clicked, this, [this, face = face] { setFace(face); });
    }
    row->addStretch(1);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->addLayout(row);
    all->addStretch(1);
    m_pushFace->setChecked(true);
    connect(&document, &Document::sceneChanged, this, [this] {
        // What a drag has changed is no longer true once something else has changed it.
        if (!m_ownEdit) m_changed.clear();
        measure();
    });
    connect(&document, &Document::resultsChanged, this, &Scope::lookAtShot);
    connect(&session, &Session::selectionChanged, this, &Scope::measure);
    connect(&session, &Session::selectionChanged, this, &Scope::lookAtShot);
    connect(&session, &Session::selectionChanged, this, &Scope::measureTake);
    connect(&session, &Session::takeChanged, this, &Scope::measureTake);
    connect(&session, &Session::frameChanged, this, [this] {
        if (m_face == Face::Shot) update();
        // A keyed layer answers otherwise at another frame.
        const scene::Layer* l = m_document.scene().layer(m_layer);
        if (l && m_document.scene().shot().keysOf({scene::List::Layers, l->id}) && !m_session.isPlaying()) measure();
    });
}

int Scope::watched(const scene::ActorEntry& entry) const {
    return m_session.lastActor() == entry.id && m_session.lastJoint() < entry.actor->skeleton.size() ? m_session.lastJoint()
                                                                                                     : rig::kNoJoint;
}

void Scope::setFace(Face face) {
    m_chosen = face;
    show(face);
}

void Scope::show(Face face) {
    m_face = face;
    m_pushFace->setChecked(face == Face::Push);
    m_shotFace->setChecked(face == Face::Shot);
    update();
}

void Scope::measure() {
    const scene::Layer* layer = m_document.scene().layer(m_session.selection().layer);
    const scene::ActorEntry* entry = layer ? m_document.scene().actor(layer->actor) : nullptr;
    if (!entry) {
        m_response.reset();
        m_layer.clear();
        update();
        return;
    }
    if (m_layer != layer->id) {
        m_response.reset();
        m_changed.clear();
    }
    m_layer = layer->id;
    m_fps = m_document.scene().shot().fps;
    m_mmPerUnit = 1000 * entry->actor->metresPerUnit;
    m_height = entry->actor->height;
    m_runner.ask([this, scene = m_document.scene(), id = layer->id, frame = m_session.frame(),
                  joint = watched(*entry)](const Cancel& cancel) -> NewestWins::Deliver {
        auto r = measure::responseIn(scene, id, frame, cancel, joint);
        return [this, id, r = std::move(r)] {
            if (id != m_layer) return;
            m_response = r;
            const scene::ActorEntry* a =
                r && r->joint != rig::kNoJoint ? m_document.scene().actor(m_session.lastActor()) : nullptr;
            // A root stands for its strand.
            if (const scene::Layer* l = m_document.scene().layer(id); a && l)
                for (const std::string& root : l->list(layers::findKind(l->kind)->target()))
                    if (a && a->actor->skeleton.find(root) == r->joint) a = nullptr;
            m_watched = a ? QString::fromStdString(a->actor->skeleton.label(r->joint)) : QString();
            update();
            Q_EMIT measured();
        };
    });
}

void Scope::measureTake() {
    m_take.reset();
    const scene::Take* other = m_session.other();
    const scene::Scene* take = other ? other->scene.get() : nullptr;
    const scene::Layer* layer = take ? take->layer(m_session.selection().layer) : nullptr;
    const scene::ActorEntry* entry = layer ? take->actor(layer->actor) : nullptr;
    update();
    if (!entry) return;
    m_takeRunner.ask([this, scene = *take, id = layer->id, frame = m_session.frame(),
                      joint = watched(*entry)](const Cancel& cancel) -> NewestWins::Deliver {
        auto r = measure::responseIn(scene, id, frame, cancel, joint);
        return [this, id, r = std::move(r)] {
            if (id != m_session.selection().layer) return;
            m_take = r;
            update();
            Q_EMIT measured();
        };
    });
}

void Scope::lookAtShot() {
    m_inShot = {};
    m_asked.clear();
    const ResultsPtr& results = m_document.results();
    const scene::Layer* layer = m_document.scene().layer(m_session.selection().layer);
    const scene::ActorEntry* entry = layer ? m_document.scene().actor(layer->actor) : nullptr;
    // Motion of another skeleton than the actor has now says nothing of it: joints were made or taken away since.
    const pipeline::ActorResult* motion = results && entry ? results->evaluation.actor(entry->id) : nullptr;
    const bool fits = motion && motion->body->joints() == entry->actor->skeleton.size();
    const pipeline::LayerResult* r = fits ? results->evaluation.layer(layer->id) : nullptr;
    m_figures = r ? r->figures : std::vector<layers::Figure>();
    m_figuresTell = r ? qs(r->figuresTell) : QString();
    if (entry && r && !r->changed.joints.empty())
        m_inShot = measure::inShot(*entry->actor, *results->evaluation.below(layer->id), *results->evaluation.above(layer->id));
    const layers::LayerKind* kind = layer ? layers::findKind(layer->kind) : nullptr;
    if (kind && r && !r->said.empty())
        m_asked = QString::fromStdString(r->said);
    else if (kind && kind->measured && entry && r && r->settings && !r->changed.joints.empty())
        m_asked = QString::fromStdString(measure::askedAndGot(*kind, m_document.scene(), *entry, *layer, r->settings,
                                                              *results->evaluation.below(layer->id),
                                                              *results->evaluation.above(layer->id)));
    // What no push measures is seen in the shot alone.
    show(kind && !kind->simulated ? Face::Shot : m_chosen);
    m_pushFace->setVisible(!kind || kind->simulated);
    update();
}

double Scope::push() const {
    if (!m_response || m_response->sagIsAngle) return kPushDeg;
    // Parts that answer by moving are pushed by a round length, about a twentieth of the actor.
    return roundStep(0.05 * m_height * m_mmPerUnit, 1);
}

double Scope::sagShown(const measure::Response& r) const {
    return r.sagIsAngle ? degrees(r.sag) : m_mmPerUnit * r.sag;
}

QRectF Scope::plotRect() const {
    return {34, 25, width() - 42.0, height() - 60.0};
}

Scope::Axes Scope::pushAxes() const {
    if (m_drag != Drag::None) return m_held;
    Axes a;
    a.plot = plotRect();
    const double p = push();
    double over = 0.25, sag = 0, seconds = 1;
    for (const auto* r : {&m_response, &m_take})
        if (*r) {
            over = std::max(over, std::min((*r)->overshoot, 1.6));
            sag = std::max(sag, sagShown(**r));
        }
    // Frames on show: past the rest, so that the calm after it is seen too.
    if (m_response)
        seconds = within(1.35 * m_response->restTime,
                         std::max(8 / m_fps, m_response->overshoot > 0.02 ? 3.2 * m_response->peakTime : 0.0),
                         std::max(12 / m_fps, m_response->dt * static_cast<double>(m_response->curve.size())));
    a.frames = seconds * m_fps;
    a.high = p * (over + 0.2);
    a.low = -p * 1.12 - sag;
    return a;
}

std::optional<QPointF> Scope::peakHandle() const {
    if (!m_response || m_response->curve.empty() || m_response->swing <= 0) return std::nullopt;
    const Axes a = pushAxes();
    const double sag = sagShown(*m_response), p = push();
    if (m_response->overshoot > 0.003)
        return QPointF(std::min(a.x(m_response->peakTime * m_fps), a.plot.right() - 4), a.y(p * m_response->overshoot - sag));
    // Without an overshoot the handle sits where the first one would be.
    const double t = 0.5 / std::max(0.05, m_response->swing) * m_fps;
    return QPointF(a.x(std::min(t, 0.55 * a.frames)), a.y(-sag));
}

std::optional<QPointF> Scope::restHandle() const {
    if (!m_response || m_response->curve.empty()) return std::nullopt;
    const Axes a = pushAxes();
    return QPointF(a.plot.right() - 6, a.y(-sagShown(*m_response)));
}

QString Scope::pushWords() const {
    if (!m_response) return tr("Measuring ...");
    const measure::Response& r = *m_response;
    QStringList parts;
    if (r.swing > 0) parts << tr("%1 swings/s").arg(r.swing, 0, 'f', r.swing < 10 ? 2 : 1);
    parts << (r.bounces < 0.05 ? tr("no bounce") : tr("%1 bounces").arg(r.bounces, 0, 'f', 1));
    parts << (r.settles ? tr("rests in %1 f").arg(r.restTime * m_fps, 0, 'f', 0) : tr("does not rest"));
    if (r.overshoot > 0.005) parts << tr("+%1 %").arg(100 * r.overshoot, 0, 'f', 0);
    if (r.sag > 1e-6)
        parts << (r.sagIsAngle ? tr("sags %1°").arg(degrees(r.sag), 0, 'f', 1)
                               : tr("sags %1 mm").arg(m_mmPerUnit * r.sag, 0, 'f', 1));
    return parts.join(QStringLiteral(" · "));
}

QString Scope::shotWords() const {
    if (m_inShot.part.empty()) return tr("The layer moves nothing in this shot.");
    if (!m_asked.isEmpty()) return m_asked;
    if (!m_inShot.moves) return tr("The body holds still here; a clip or a trial shows how the part follows it.");
    const QString lag = std::abs(m_inShot.lagFrames) < 0.05 ? tr("moves with the body")
                        : m_inShot.lagFrames > 0            ? tr("lags %1 frames").arg(m_inShot.lagFrames, 0, 'f', 1)
                                                            : tr("leads by %1 frames").arg(-m_inShot.lagFrames, 0, 'f', 1);
    return lag + tr("  ·  %1 x the body's size").arg(m_inShot.ratio, 0, 'f', 2) +
           (m_inShot.likeness < 0.5 ? tr("  ·  hardly alike") : QString());
}

QString Scope::words() const {
    return m_face == Face::Push ? (m_response ? pushWords() : QString()) : shotWords();
}

void Scope::paintGrid(QPainter& p, const Axes& a) const {
    const look::Theme& t = look::theme();
    p.fillRect(a.plot, t.paper);
    p.setFont(look::figureFont(7.5));
    const double across = std::max(1.0, roundStep(a.frames, 8)), up = roundStep(a.high - a.low, 5);
    for (double f = 0; f <= a.frames; f += across) {
        p.setPen(QPen(t.rule, 1));
        p.drawLine(QPointF(a.x(f), a.plot.top()), QPointF(a.x(f), a.plot.bottom() + 3));
        p.setPen(t.inkSoft);
        p.drawText(QRectF(a.x(f) - 20, a.plot.bottom() + 3, 40, 13), Qt::AlignCenter, QString::number(f));
    }
    for (double v = std::ceil(a.low / up) * up; v <= a.high + 1e-9; v += up) {
        p.setPen(QPen(t.rule, 1));
        p.drawLine(QPointF(a.plot.left() - 3, a.y(v)), QPointF(a.plot.right(), a.y(v)));
        p.setPen(t.inkSoft);
        p.drawText(QRectF(0, a.y(v) - 7, a.plot.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter,
                   QString::number(std::abs(v) < 1e-9 ? 0.0 : v, 'g', 4));
    }
}

void Scope::paintAnswer(QPainter& p, const Axes& a, const measure::Response& r, const QColor& c, double width) const {
    const double size = push(), sag = sagShown(r);
    QPainterPath path;
    path.moveTo(a.x(0), a.y(-size - sag));
    for (std::size_t k = 0; k < r.curve.size(); ++k) {
        const double f = static_cast<double>(k + 1) * r.dt * m_fps;
        path.lineTo(a.x(f), a.y(size * (static_cast<double>(r.curve[k]) - 1) - sag));
        if (f > a.frames) break;
    }
    p.setPen(QPen(c, width));
    p.drawPath(path);
}

void Scope::paintPush(QPainter& p) const {
    const look::Theme& t = look::theme();
    const Axes a = pushAxes();
    paintGrid(p, a);
    p.save();
    p.setClipRect(a.plot);
    // The body's step, in ink.
    p.setPen(QPen(t.ink, 1.3));
    p.drawPolyline(QPolygonF({QPointF(a.x(0), a.y(-push())), QPointF(a.x(0) + 1.5, a.y(-push())), QPointF(a.x(0) + 1.5, a.y(0)),
                              QPointF(a.plot.right(), a.y(0))}));
    if (m_take && !m_take->curve.empty()) paintAnswer(p, a, *m_take, t.plum, 1.6);
    if (m_response && !m_response->curve.empty()) {
        const measure::Response& r = *m_response;
        const double sag = sagShown(r);
        if (r.settles) {
            p.setPen(QPen(t.lagoon, 1, Qt::DashLine));
            p.drawLine(QPointF(a.x(r.restTime * m_fps), a.plot.top()), QPointF(a.x(r.restTime * m_fps), a.plot.bottom()));
        }
        p.setPen(QPen(look::faded(t.persimmon, 0.5), 1, Qt::DotLine));
        p.drawLine(QPointF(a.plot.left(), a.y(-sag)), QPointF(a.plot.right(), a.y(-sag)));
        // A tick at each full swing, on the level it comes to rest at.
        if (r.swing > 0 && r.zeta < 0.95) {
            const double period = m_fps / (r.swing * std::sqrt(1 - r.zeta * r.zeta));
            p.setPen(QPen(t.persimmon, 1.4));
            for (double f = period; f < r.restTime * m_fps * 1.02 && a.x(f) < a.plot.right(); f += period)
                p.drawLine(QPointF(a.x(f), a.y(-sag) - 4), QPointF(a.x(f), a.y(-sag) + 4));
        }
        paintAnswer(p, a, r, t.persimmon, 2);
    }
    p.restore();
    for (const auto& [at, which] : {std::pair{restHandle(), Drag::Rest}, {peakHandle(), Drag::Peak}})
        if (at) {
            const bool lit = m_drag == which || (m_drag == Drag::None && m_near == which);
            p.setPen(QPen(t.persimmon, 1.6));
            p.setBrush(lit ? t.persimmon : t.sheet);
            p.drawEllipse(*at, lit ? 5.5 : 4.5, lit ? 5.5 : 4.5);
        }
    paintNote(p, (m_response && !m_response->sagIsAngle ? tr("mm / frames") : tr("° / frames")) +
                     (m_watched.isEmpty() ? QString() : tr(", at %1").arg(m_watched)));
}

/// What the axes are, in the head line: nothing is written over a curve.
void Scope::paintNote(QPainter& p, const QString& text) const {
    p.setPen(look::theme().inkSoft);
    p.setFont(look::textFont(8.5));
    const double from = m_shotFace->geometry().right() + 6.0;
    const QRectF room(from, 0, width() - from - 8, 22);
    p.drawText(room, Qt::AlignRight | Qt::AlignVCenter, QFontMetricsF(p.font()).elidedText(text, Qt::ElideMiddle, room.width()));
}

/// In two columns, each with a bar; what could give no more is in brick.
void Scope::paintFigures(QPainter& p) const {
    const look::Theme& t = look::theme();
    const QRectF plot = plotRect();
    p.fillRect(plot, t.paper);
    double most = 1e-9;
    for (const layers::Figure& f : m_figures) most = std::max(most, f.value);
    const int rows = (static_cast<int>(m_figures.size()) + 1) / 2;
    const double tall = std::min(20.0, plot.height() / std::max(1, rows)), wide = 0.5 * plot.width();
    for (int k = 0; k < static_cast<int>(m_figures.size()); ++k) {
        const layers::Figure& f = m_figures[static_cast<std::size_t>(k)];
        const QRectF cell(plot.left() + (k / rows) * wide + 4, plot.top() + (k % rows) * tall, wide - 10, tall);
        p.fillRect(QRectF(cell.left(), cell.bottom() - 4, cell.width() * f.value / most, 2.5), f.tight ? t.brick : t.persimmon);
        p.setPen(t.ink);
        p.setFont(look::textFont(8));
        p.drawText(cell.adjusted(0, 0, -42, -4), Qt::AlignLeft | Qt::AlignVCenter, qs(f.name));
        p.setFont(look::figureFont(7.5));
        p.drawText(cell.adjusted(0, 0, 0, -4), Qt::AlignRight | Qt::AlignVCenter, QString::number(f.value, 'f', 1) + qs(f.unit));
    }
    paintNote(p, m_figuresTell);
}

void Scope::paintShot(QPainter& p) const {
    if (!m_figures.empty()) return paintFigures(p);
    const look::Theme& t = look::theme();
    Axes a;
    a.plot = plotRect();
    a.frames = std::max<double>(1, static_cast<double>(m_inShot.body.size()) - 1);
    double most = 1e-9;
    for (const auto* v : {&m_inShot.body, &m_inShot.part})
        for (float y : *v) most = std::max(most, m_mmPerUnit * std::abs(static_cast<double>(y)));
    a.high = 1.12 * most;
    a.low = -a.high;
    paintGrid(p, a);
    p.save();
    p.setClipRect(a.plot);
    for (const auto& [values, c, width] : {std::tuple{&m_inShot.body, t.ink, 1.3}, {&m_inShot.part, t.persimmon, 2.0}}) {
        QPolygonF line;
        for (std::size_t f = 0; f < values->size(); ++f)
            line << QPointF(a.x(static_cast<double>(f)), a.y(m_mmPerUnit * static_cast<double>((*values)[f])));
        p.setPen(QPen(c, width));
        p.drawPolyline(line);
    }
    // The lag, from the body's greatest way to where the part is as many frames later.
    if (m_inShot.moves && std::abs(m_inShot.lagFrames) >= 0.05) {
        const auto top = std::max_element(m_inShot.body.begin(), m_inShot.body.end()) - m_inShot.body.begin();
        const double y = a.y(m_mmPerUnit * static_cast<double>(m_inShot.body[static_cast<std::size_t>(top)]));
        p.setPen(QPen(t.lagoon, 1.6));
        const double from = a.x(static_cast<double>(top)), to = a.x(static_cast<double>(top) + m_inShot.lagFrames);
        p.drawLine(QPointF(from, y), QPointF(to, y));
        for (double x : {from, to}) p.drawLine(QPointF(x, y - 4), QPointF(x, y + 4));
    }
    p.setPen(QPen(t.persimmon, 1.2));
    p.drawLine(QPointF(a.x(m_session.frame()), a.plot.top()), QPointF(a.x(m_session.frame()), a.plot.bottom()));
    p.restore();
    paintNote(p, tr("mm / frames"));
}

void Scope::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    if (m_face == Face::Push)
        paintPush(p);
    else
        paintShot(p);
    const QRectF plot = plotRect();
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.rule, 1));
    p.drawRect(plot);
    p.setPen(t.ink);
    // One line of words: the answer, or what a drag has just set.
    const QRectF room(2, plot.bottom() + 17, width() - 10, 16);
    const bool said = m_face == Face::Push && !m_changed.isEmpty();
    if (said) p.setPen(t.lagoon);
    const QString text = said ? m_changed : m_face == Face::Push ? pushWords() : shotWords();
    double points = 9.5;
    for (p.setFont(look::textFont(points)); points > 7.5 && QFontMetricsF(p.font()).horizontalAdvance(text) > room.width();)
        p.setFont(look::textFont(points -= 0.5));
    p.drawText(room, Qt::AlignLeft | Qt::AlignVCenter, QFontMetricsF(p.font()).elidedText(text, Qt::ElideRight, room.width()));
}

Scope::Drag Scope::handleAt(const QPointF& at) const {
    const auto near = [&](const std::optional<QPointF>& h) { return h && std::hypot(h->x() - at.x(), h->y() - at.y()) < 12; };
    return near(peakHandle()) ? Drag::Peak : near(restHandle()) ? Drag::Rest : Drag::None;
}

void Scope::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton || m_face != Face::Push || !m_response) return;
    const Drag hit = handleAt(e->position());
    if (hit == Drag::None) return;
    m_held = pushAxes();
    m_pressed = e->position();
    m_upDown = m_sideways = false;
    m_drag = hit;
    m_gesture = QUuid::createUuid().toString();
    update();
}

void Scope::mouseMoveEvent(QMouseEvent* e) {
    if (m_drag != Drag::None) {
        follow(e->position());
        return;
    }
    const Drag now = m_face == Face::Push ? handleAt(e->position()) : Drag::None;
    if (now == m_near) return;
    m_near = now;
    setCursor(now == Drag::Peak ? Qt::SizeAllCursor : now == Drag::Rest ? Qt::SizeVerCursor : Qt::ArrowCursor);
    setToolTip(now == Drag::Peak   ? tr("Pull up or down for more or fewer bounces, sideways for the swing rate")
               : now == Drag::Rest ? tr("Pull down to let it sag")
                                   : QString());
    update();
}

void Scope::mouseReleaseEvent(QMouseEvent*) {
    if (m_drag == Drag::None) return;
    m_drag = Drag::None;
    update();
}

void Scope::leaveEvent(QEvent*) {
    m_near = Drag::None;
    update();
}

void Scope::follow(const QPointF& at) {
    const scene::Layer* layer = m_document.scene().layer(m_layer);
    const scene::ActorEntry* entry = layer ? m_document.scene().actor(layer->actor) : nullptr;
    if (!entry || !m_response) return;
    measure::Wanted w;
    if (m_drag == Drag::Peak) {
        // Sideways is the swing rate alone, up and down the bounces alone, until the hand goes the other way too.
        constexpr double kWay = 3;
        m_upDown |= std::abs(at.y() - m_pressed.y()) > kWay;
        m_sideways |= std::abs(at.x() - m_pressed.x()) > kWay;
        if (!m_upDown && !m_sideways) return;
        if (m_upDown) w.overshoot = std::clamp((m_held.valueAt(at.y()) + sagShown(*m_response)) / push(), 0.0, 2.0);
        if (m_sideways) w.peakTime = std::max(1.0, m_held.frameAt(at.x())) / m_fps;
    } else {
        const double shown = std::max(0.0, -m_held.valueAt(at.y()));
        w.sag = m_response->sagIsAngle ? radians(std::min(shown, 170.0)) : shown / m_mmPerUnit;
        if (shown < 0.02 * push()) w.sag = 0;
    }
    m_tuning.ask([this, w, held = measure::heldLayer(m_document.scene(), layer->id, m_session.frame()), gesture = m_gesture,
                  frame = m_session.frame(), joint = watched(*entry)](const Cancel& cancel) -> NewestWins::Deliver {
        const layers::LayerKind* kind = held ? layers::findKind(held->layer.kind) : nullptr;
        const auto found =
            kind ? measure::settingsFor(*kind, held->context(), held->stand, w, cancel, joint) : std::map<std::string, double>{};
        return [this, found, kind, id = held ? held->layer.id : std::string(), gesture, frame] {
            if (found.empty() || !m_document.scene().layer(id)) return;
            QStringList said;
            for (const auto& [setting, value] : found) {
                const auto label = kind->setting(setting)->label;
                said << QStringLiteral("%1 %2")
                            .arg(QString::fromUtf8(label.data(), static_cast<qsizetype>(label.size())).toLower())
                            .arg(value, 0, 'f', 2);
            }
            m_changed = said.join(QStringLiteral(", "));
            m_ownEdit = true;
            m_document.edit(
                tr("Drag the answer"),
                [&](scene::Scene& s) {
                    for (const auto& [setting, value] : found) s.setNumber({scene::List::Layers, id}, setting, frame, value);
                },
                gesture);
            m_ownEdit = false;
        };
    });
}

}  // namespace nutatio::app
