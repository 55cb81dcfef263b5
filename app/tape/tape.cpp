#include "app/tape/tape.h"

#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QScrollBar>
#include <algorithm>

#include "app/look/theme.h"
#include "app/widgets/arithmetic.h"
#include "edit/edit.h"
#include "layers/registry.h"

namespace nutatio::app {

namespace {

void paintPlayHead(QPainter& p, double x, int height, bool handle) {
    const look::Theme& t = look::theme();
    p.setPen(QPen(t.persimmon, 1.4));
    p.drawLine(QPointF(x, handle ? 8 : 0), QPointF(x, height));
    if (!handle) return;
    p.setBrush(t.persimmon);
    p.setPen(Qt::NoPen);
    p.drawPolygon(QPolygonF({QPointF(x - 5, 1), QPointF(x + 5, 1), QPointF(x + 5, 7), QPointF(x, 12), QPointF(x - 5, 7)}));
}

double rulerStep(int frames, double width) {
    for (double s : {1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0})
        if (width / std::max(1, frames - 1) * s >= 44) return s;
    return 10000;
}

/// Id of the layer's setting that mixes it; empty where its kind is not known.
std::string_view mixOf(const scene::Layer* layer) {
    const layers::LayerKind* kind = layer ? layers::findKind(layer->kind) : nullptr;
    const scene::SettingSpec* mix = kind ? kind->setting(scene::Role::Mix) : nullptr;
    return mix ? mix->id : std::string_view();
}

std::string shape(const scene::Scene& s) {
    std::string t;
    for (const scene::Layer& l : s.layers) t += l.id + '\n';
    return t;
}

}  // namespace

Ruler::Ruler(Document& document, Session& session, QWidget* parent) : QWidget(parent), m_document(document), m_session(session) {
    setFixedHeight(30);
    setAccessibleName(tr("Ruler"));
    setCursor(Qt::SizeHorCursor);
    const auto refresh = [this] { update(); };
    connect(&session, &Session::frameChanged, this, refresh);
    connect(&document, &Document::sceneChanged, this, refresh);
    connect(&document, &Document::resultsChanged, this, refresh);
}

void Ruler::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), t.sheet);
    const FrameScale s = scale();
    const double step = rulerStep(s.frames, s.width), fine = std::max(1.0, step / 10);
    for (double f = 1; f <= s.frames; f += fine) {
        p.setPen(QPen(t.rule, 1));
        const bool five = std::fmod(f, fine * 5) < 1e-6;
        p.drawLine(QPointF(s.x(f - 1), five ? 19 : 21), QPointF(s.x(f - 1), 25));
    }
    p.setFont(look::figureFont(8));
    for (double f = step == 1 ? 1 : 0; f <= s.frames; f += step) {
        const double frame = std::max(1.0, f);
        if (f > 0 && step > 1 && s.x(frame - 1) - s.x(0) < 30) continue;  // too close to the 1
        p.setPen(QPen(t.inkSoft, 1));
        p.drawLine(QPointF(s.x(frame - 1), 16), QPointF(s.x(frame - 1), 25));
        p.drawText(QRectF(s.x(frame - 1) - 20, 1, 40, 14), Qt::AlignCenter, QString::number(frame));
    }
    // Simulated and ready: a solid rule; a pale one while the newest edit is still being worked out.
    p.setPen(QPen(m_document.upToDate() ? t.lagoon : look::faded(t.lagoon, 0.3), 2));
    if (m_document.results()) p.drawLine(QPointF(s.x(0), 27.5), QPointF(s.x(s.frames - 1), 27.5));
    // Cuts: a notch across the ruler.
    p.setPen(QPen(t.brick, 1.6, Qt::DashLine));
    const scene::Shot& shot = m_document.scene().shot();
    for (double time : shot.cuts)
        if (const int c = shot.frameOf(time); c < s.frames) p.drawLine(QPointF(s.x(c - 0.5), 2), QPointF(s.x(c - 0.5), 26));
    paintPlayHead(p, s.x(m_session.frame()), height(), true);
}

void Ruler::mousePressEvent(QMouseEvent* e) {
    if (e->button() == Qt::LeftButton) m_session.setFrame(scale().frame(e->position().x()));
}

void Ruler::mouseMoveEvent(QMouseEvent* e) {
    if (e->buttons() & Qt::LeftButton) m_session.setFrame(scale().frame(e->position().x()));
}

Lane::Lane(Document& document, Session& session, std::string layer, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_layer(std::move(layer)),
      m_mute(new QToolButton),
      m_solo(new QToolButton),
      m_glyph(new QLabel),
      m_name(new QLabel),
      m_mix(new Slider),
      m_mixText(new QLabel) {
    setFixedHeight(38);
    auto* left = new QWidget(this);
    left->setGeometry(0, 0, kStackWidth, 37);
    auto* row = new QHBoxLayout(left);
    row->setContentsMargins(8, 0, 8, 0);
    row->setSpacing(5);
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
    refresh();
}

void Lane::refresh() {
    const scene::Layer* l = m_document.scene().layer(m_layer);
    if (!l) return;
    const QString name = QString::fromStdString(l->name);
    m_mute->setChecked(l->muted);
    m_solo->setChecked(l->solo);
    m_mute->setAccessibleName(tr("Mute %1").arg(name));
    m_solo->setAccessibleName(tr("Solo %1").arg(name));
    m_mix->setAccessibleName(tr("Mix of %1").arg(name));
    const double mix = 100 * m_document.scene().numberAt({scene::List::Layers, m_layer}, mixOf(l), m_session.frame());
    m_mix->setValue(mix);
    m_mixText->setText(QStringLiteral("%1 %").arg(mix, 0, 'f', 0));
    const bool acts = m_document.scene().acts(*l), chosen = m_session.selection().layer == m_layer;
    const QColor c = acts ? look::theme().ink : look::theme().inkSoft;
    const layers::LayerKind* kind = layers::findKind(l->kind);
    const QString glyph =
        kind ? QString::fromUtf8(kind->id.data(), static_cast<qsizetype>(kind->id.size())) + c.name() : QString();
    if (glyph != m_glyphShown) {
        m_glyphShown = glyph;
        m_glyph->setPixmap(kind ? look::glyph(kind->glyph, c).pixmap(18, 18) : QPixmap());
    }
    QFont f = look::textFont(10, chosen ? QFont::Bold : QFont::Normal);
    f.setStrikeOut(!acts);
    m_name->setFont(f);
    m_name->setText(QFontMetrics(f).elidedText(name, Qt::ElideMiddle, 112));
    m_name->setToolTip(name);
    update();
}

void Lane::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const bool chosen = m_session.selection().layer == m_layer;
    p.fillRect(rect(), chosen ? t.lagoonPale : t.sheet);
    if (chosen) p.fillRect(QRectF(0, 0, 3, height()), t.lagoon);
    p.setPen(QPen(t.rule, 1));
    p.drawLine(0, height() - 1, width(), height() - 1);
    p.drawLine(kStackWidth, 0, kStackWidth, height());
    const FrameScale s{m_document.frames(), static_cast<double>(width() - kStackWidth)};
    p.translate(kStackWidth, 0);
    const ResultsPtr& r = m_document.results();
    const double middle = 0.5 * height();
    p.setPen(QPen(t.rule, 1, Qt::DotLine));
    p.drawLine(QPointF(0, middle), QPointF(s.width, middle));
    const pipeline::LayerResult* result = r ? r->evaluation.layer(m_layer) : nullptr;
    if (result && !result->problem.empty()) {
        p.setPen(t.brick);
        p.setFont(look::textFont(9));
        p.drawText(QRectF(12, 0, s.width - 24, height()), Qt::AlignVCenter | Qt::AlignLeft,
                   tr("Does nothing: %1").arg(QString::fromStdString(result->problem)));
    } else if (r && r->traces.count(m_layer)) {
        const measure::Trace& trace = *r->traces.at(m_layer);
        float most = 1e-9f;
        for (const auto* v : {&trace.body, &trace.added})
            for (float y : *v) most = std::max(most, std::abs(y));
        const auto draw = [&](const std::vector<float>& v, const QColor& c, double width) {
            QPainterPath path;
            for (std::size_t f = 0; f < v.size(); ++f) {
                const QPointF at(s.x(static_cast<double>(f)), middle - v[f] / most * (middle - 4));
                if (f == 0)
                    path.moveTo(at);
                else
                    path.lineTo(at);
            }
            p.setPen(QPen(c, width));
            p.drawPath(path);
        };
        draw(trace.body, t.ink, 1.2);
        draw(trace.added, t.persimmon, 1.8);
    }
    // Keys of any of its settings, along the lane's foot.
    const scene::Shot& shot = m_document.scene().shot();
    if (const scene::KeysOf* all = shot.keysOf({scene::List::Layers, m_layer}))
        for (const auto& [id, keys] : *all)
            for (const scene::KeyAt& k : keys) {
                const double at = s.x(k.at * shot.fps), y = height() - 6;
                p.setPen(QPen(t.sheet, 1));
                p.setBrush(t.persimmon);
                p.drawPolygon(QPolygonF({QPointF(at, y - 4), QPointF(at + 4, y), QPointF(at, y + 4), QPointF(at - 4, y)}));
            }
    paintPlayHead(p, s.x(m_session.frame()), height(), false);
}

void Lane::scrub(double x) {
    m_session.setFrame(FrameScale{m_document.frames(), static_cast<double>(width() - kStackWidth)}.frame(x - kStackWidth));
}

void Lane::mousePressEvent(QMouseEvent* e) {
    m_session.selectLayer(m_layer);
    if (e->button() == Qt::LeftButton && e->position().x() > kStackWidth) scrub(e->position().x());
}

void Lane::contextMenuEvent(QContextMenuEvent* e) {
    m_session.selectLayer(m_layer);
    Q_EMIT menuWanted(e->globalPos());
}

void Lane::mouseMoveEvent(QMouseEvent* e) {
    if (e->buttons() & Qt::LeftButton && e->position().x() > kStackWidth) scrub(e->position().x());
}

Tape::Tape(Document& document, Session& session, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_ruler(new Ruler(document, session)),
      m_trials(new TrialStrip(document, session)),
      m_scroll(new QScrollArea) {
    setObjectName(QStringLiteral("sheet"));
    setAttribute(Qt::WA_StyledBackground);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    auto* top = new QHBoxLayout;
    top->setSpacing(0);
    auto* heading = new QLabel(tr("STACK"));
    heading->setObjectName(QStringLiteral("heading"));
    heading->setFixedWidth(kStackWidth);
    heading->setContentsMargins(8, 0, 0, 0);
    top->addWidget(heading);
    top->addWidget(m_ruler, 1);
    // The ruler keeps clear of the lanes' scroll bar, so that frames stand under one another.
    auto* besideBar = new QSpacerItem(0, 0, QSizePolicy::Fixed);
    top->addSpacerItem(besideBar);
    connect(m_scroll->verticalScrollBar(), &QScrollBar::rangeChanged, this, [=, this](int, int most) {
        besideBar->changeSize(most > 0 ? m_scroll->verticalScrollBar()->sizeHint().width() : 0, 0, QSizePolicy::Fixed);
        top->invalidate();
    });
    all->addLayout(top);
    m_scroll->setObjectName(QStringLiteral("sheet"));
    m_scroll->setFrameShape(QFrame::NoFrame);
    m_scroll->setWidgetResizable(true);
    m_scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_scroll->verticalScrollBar()->setSingleStep(38);
    all->addWidget(m_scroll, 1);
    all->addWidget(transport());
    connect(&document, &Document::sceneChanged, this, [this](const scene::Change& change) { refresh(change); });
    // What was made anew is drawn by the lane itself; its words stay.
    connect(&document, &Document::resultsChanged, this, [this] {
        for (Lane* l : m_lanes) l->update();
    });
    connect(&session, &Session::selectionChanged, this, [this] {
        refresh();
        // What was just put on the stack, or chosen elsewhere, comes into view.
        if (Lane* l = lane(m_session.selection().layer)) m_scroll->ensureWidgetVisible(l, 0, 4);
    });
    connect(&session, &Session::frameChanged, this, [this](int f) {
        for (Lane* l : m_lanes) {
            const scene::Layer* layer = m_document.scene().layer(l->layer());
            if (layer && m_document.scene().shot().keysOf({scene::List::Layers, layer->id}))
                l->refresh();
            else
                l->update();
        }
        if (!m_frame->hasFocus()) m_frame->setText(QString::number(f + 1));
    });
    connect(&session, &Session::playingChanged, this, [this](bool on) {
        m_play->setIcon(look::icon(on ? QStringLiteral("pause") : QStringLiteral("play")));
        m_play->setAccessibleName(on ? tr("Pause") : tr("Play"));
    });
    connect(&session, &Session::viewChanged, this, [this] { m_loop->setChecked(m_session.loops()); });
    rebuild();
}

QWidget* Tape::transport() {
    auto* w = new QWidget;
    w->setFixedHeight(34);
    auto* row = new QHBoxLayout(w);
    row->setContentsMargins(8, 0, 10, 2);
    row->setSpacing(2);
    const auto button = [&](const char* icon, const QString& name, auto act) {
        auto* b = new QToolButton;
        b->setIcon(look::icon(QLatin1String(icon)));
        b->setIconSize(QSize(16, 16));
        b->setToolTip(name);
        b->setAccessibleName(name);
        connect(b, &QToolButton::clicked, this, act);
        row->addWidget(b);
        return b;
    };
    button("skip-back", tr("To the first frame (Home)"), [this] { m_session.setFrame(0); });
    button("step-back", tr("One frame back (Left)"), [this] { m_session.setFrame(m_session.frame() - 1); });
    m_play = button("play", tr("Play or pause (Space)"), [this] { m_session.setPlaying(!m_session.isPlaying()); });
    m_play->setObjectName(QStringLiteral("play"));
    button("step-forward", tr("One frame on (Right)"), [this] { m_session.setFrame(m_session.frame() + 1); });
    button("skip-forward", tr("To the last frame (End)"), [this] { m_session.setFrame(m_document.frames() - 1); });
    m_loop = button("repeat", tr("Play round and round"), [this](bool on) { m_session.setLoops(on); });
    m_loop->setCheckable(true);
    m_loop->setChecked(true);
    row->addSpacing(14);
    m_frame = new QLineEdit(QStringLiteral("1"));
    m_frame->setFont(look::figureFont());
    m_frame->setFixedWidth(48);
    m_frame->setAlignment(Qt::AlignRight);
    m_frame->setAccessibleName(tr("Frame"));
    row->addWidget(m_frame);
    m_of = new QLabel;
    m_of->setObjectName(QStringLiteral("soft"));
    row->addWidget(m_of);
    connect(m_frame, &QLineEdit::editingFinished, this, [this] {
        if (const auto v = arithmetic(m_frame->text())) m_session.setFrame(static_cast<int>(*v) - 1);
        m_frame->setText(QString::number(m_session.frame() + 1));
    });
    row->addStretch(1);
    row->addWidget(m_trials);
    row->addSpacing(10);
    auto* clip = new QLabel(tr("Shot"));
    clip->setObjectName(QStringLiteral("soft"));
    row->addWidget(clip);
    m_clip = new QComboBox;
    m_clip->setAccessibleName(tr("Shot"));
    m_clip->setMinimumWidth(140);
    row->addSpacing(4);
    row->addWidget(m_clip);
    connect(m_clip, &QComboBox::activated, this, [this](int i) {
        const std::string id = m_clip->itemData(i).toString().toStdString();
        m_document.edit(tr("Show shot %1").arg(m_clip->itemText(i)), [&](scene::Scene& s) { edit::showShot(s, id); });
        m_session.setFrame(0);
    });
    row->addSpacing(14);
    m_fps = new QLineEdit;
    m_fps->setFont(look::figureFont());
    m_fps->setFixedWidth(44);
    m_fps->setAlignment(Qt::AlignRight);
    m_fps->setAccessibleName(tr("Frames a second"));
    row->addWidget(m_fps);
    auto* unit = new QLabel(tr(" fps"));
    unit->setObjectName(QStringLiteral("soft"));
    row->addWidget(unit);
    connect(m_fps, &QLineEdit::editingFinished, this, [this] {
        const auto v = arithmetic(m_fps->text());
        if (v && *v >= 1 && *v <= 1000 && *v != m_document.scene().shot().fps)
            m_document.edit(tr("Frames a second"), [&](scene::Scene& s) { edit::setRate(s, *v); });
        m_fps->setText(QString::number(m_document.scene().shot().fps));
    });
    return w;
}

Lane* Tape::lane(const std::string& layer) const {
    const auto at = std::find_if(m_lanes.begin(), m_lanes.end(), [&](Lane* l) { return l->layer() == layer; });
    return at == m_lanes.end() ? nullptr : *at;
}

void Tape::rebuild() {
    const std::string now = shape(m_document.scene());
    if (now != m_built || m_lanes.empty()) {
        m_built = now;
        m_lanes.clear();
        auto* body = new QWidget;
        auto* column = new QVBoxLayout(body);
        column->setContentsMargins(0, 0, 0, 0);
        column->setSpacing(0);
        for (const scene::Layer& l : m_document.scene().layers) {
            m_lanes.push_back(new Lane(m_document, m_session, l.id));
            connect(m_lanes.back(), &Lane::menuWanted, this, &Tape::menuWanted);
            column->addWidget(m_lanes.back());
        }
        if (m_lanes.empty()) {
            auto* none = new QLabel(m_document.scene().actors.empty()
                                        ? tr("Layers will stand here.")
                                        : tr("No layer yet: select a joint, press C for the chain below it, and add a Strand."));
            none->setObjectName(QStringLiteral("soft"));
            none->setContentsMargins(12, 10, 0, 0);
            column->addWidget(none);
        }
        column->addStretch(1);
        m_scroll->setWidget(body);
    }
    showShots();
    refresh();
}

void Tape::showShots() {
    m_clip->clear();
    for (const scene::Shot& shot : m_document.scene().shots) {
        m_clip->addItem(QString::fromStdString(shot.name), QString::fromStdString(shot.id));
        if (shot.id == m_document.scene().shot().id) m_clip->setCurrentIndex(m_clip->count() - 1);
    }
    m_clip->setEnabled(m_clip->count() > 0);
    m_fps->setText(QString::number(m_document.scene().shot().fps));
    m_of->setText(tr(" of %1").arg(m_document.frames()));
}

void Tape::refresh(const scene::Change& change) {
    if (change.reorders(scene::List::Layers) || change.touches(scene::List::Actors)) {
        rebuild();
        return;
    }
    if (change.shot || change.shots) {
        showShots();
        m_ruler->update();
    }
    // A solo anywhere silences the rest.
    const bool anySolo = std::any_of(m_document.scene().layers.begin(), m_document.scene().layers.end(),
                                     [](const scene::Layer& l) { return l.solo; });
    const bool everyone = change.shot || anySolo != m_anySolo;
    m_anySolo = anySolo;
    for (Lane* l : m_lanes)
        if (everyone || change.touches(scene::Owner{scene::List::Layers, l->layer()})) l->refresh();
}

void Tape::refresh() {
    for (Lane* l : m_lanes) l->refresh();
}

}  // namespace nutatio::app
