#include "app/tape/tape.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QPainter>
#include <QScrollBar>
#include <algorithm>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "app/tuner/thing_words.h"
#include "app/widgets/arithmetic.h"
#include "base/ranges.h"
#include "edit/edit.h"
#include "layers/registry.h"

namespace nutatio::app {

namespace {

/// Colliders, winds, pins and actors that are keyed or fed in the shot on show.
std::vector<scene::Owner> movingItems(const scene::Scene& s) {
    std::vector<scene::Owner> out;
    const auto add = [&](scene::List list, const auto& all) {
        for (const auto& each : all)
            if (const scene::Owner o{list, each.id}; !movingSettings(each, layers::tableOf(s, o), s.shot().keysOf(o)).empty())
                out.push_back(o);
    };
    add(scene::List::Winds, s.winds);
    add(scene::List::Colliders, s.colliders);
    add(scene::List::Pins, s.pins);
    add(scene::List::Actors, s.actors);
    return out;
}

std::string shape(const scene::Scene& s) {
    std::string t;
    for (const scene::Layer& l : s.layers) t += l.id + '\n' + l.group + '\n';
    for (const scene::Owner& o : movingItems(s)) t += std::string(scene::listName(o.list)) + ':' + s.tuned(o)->name + '\n';
    return t;
}

}  // namespace

Tape::Tape(Document& document, Session& session, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_view(document),
      m_keys(document),
      m_ruler(new Ruler(document, session, m_view)),
      m_trials(new TrialStrip(document, session)),
      m_scroll(new QScrollArea),
      m_insertion(new QWidget),
      m_keyBar(new KeyBar(document, session, m_keys)) {
    setObjectName(QStringLiteral("sheet"));
    setAttribute(Qt::WA_StyledBackground);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    all->addWidget(top());
    m_scroll->setObjectName(QStringLiteral("sheet"));
    m_scroll->setFrameShape(QFrame::NoFrame);
    m_scroll->setWidgetResizable(true);
    m_scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_scroll->verticalScrollBar()->setSingleStep(38);
    all->addWidget(m_scroll, 1);
    all->addWidget(m_keyBar);
    all->addWidget(transport());
    m_insertion->setObjectName(QStringLiteral("insertion"));
    m_insertion->setFixedHeight(3);
    m_insertion->hide();
    connect(m_ruler, &Ruler::menuWanted, this, &Tape::rulerMenuWanted);
    connect(m_keyBar, &KeyBar::said, this, &Tape::said);
    connect(&document, &Document::sceneChanged, this, [this](const scene::Change& change) { refresh(change); });
    // What was made anew is drawn by the lane itself; its words stay.
    connect(&document, &Document::resultsChanged, this, [this] {
        for (Lane* l : m_lanes) l->update();
    });
    connect(&document, &Document::replaced, this, [this] {
        m_open.clear();
        m_folded.clear();
        m_heights.clear();
        m_built.clear();
    });
    connect(&session, &Session::selectionChanged, this, [this] {
        refresh();
        // A layer that was just added, or selected elsewhere, is scrolled into view.
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
    connect(&session, &Session::viewChanged, this, [this] {
        // Three traces want room; a lane that a person made taller stays so.
        const bool splits = m_session.splitsTraces();
        for (Lane* l : m_lanes) {
            if (splits && l->height() < Lane::kSplit) l->setTall(Lane::kSplit);
            if (!splits && l->height() == Lane::kSplit) l->setTall(Lane::kHeight);
            l->update();
        }
        m_loop->setChecked(m_session.loops());
        m_speed->setText(QStringLiteral("1/%1").arg(std::lround(1 / m_session.speed())));
    });
    connect(&m_view, &TimeView::changed, this, [this] {
        m_whole->setEnabled(!m_view.showsAll());
        m_unit->setText(m_view.seconds() ? tr("seconds") : tr("frames"));
    });
    rebuild();
}

QWidget* Tape::top() {
    auto* w = new QWidget;
    auto* row = new QHBoxLayout(w);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    auto* left = new QWidget;
    left->setFixedWidth(kStackWidth);
    auto* leftRow = new QHBoxLayout(left);
    leftRow->setContentsMargins(8, 0, 6, 0);
    leftRow->setSpacing(2);
    auto* heading = new QLabel(tr("STACK"));
    heading->setObjectName(QStringLiteral("heading"));
    leftRow->addWidget(heading);
    leftRow->addStretch(1);
    const auto button = [&](const QString& text, const QString& help, auto act) {
        auto* b = new QToolButton;
        b->setText(text);
        b->setToolTip(help);
        b->setAccessibleName(help);
        leftRow->addWidget(b);
        connect(b, &QToolButton::clicked, this, act);
        return b;
    };
    m_unit =
        button(tr("frames"), tr("Count the ruler in frames or in seconds"), [this] { m_view.setSeconds(!m_view.seconds()); });
    m_unit->setObjectName(QStringLiteral("face"));
    m_whole = button(tr("Whole shot"), tr("Show the whole shot (double click on the ruler)"), [this] { m_view.showAll(); });
    m_whole->setObjectName(QStringLiteral("face"));
    m_whole->setEnabled(false);
    row->addWidget(left);
    row->addWidget(m_ruler, 1);
    // The ruler keeps clear of the lanes' scroll bar, so that frames stand under one another.
    auto* besideBar = new QSpacerItem(0, 0, QSizePolicy::Fixed);
    row->addSpacerItem(besideBar);
    connect(m_scroll->verticalScrollBar(), &QScrollBar::rangeChanged, this, [=, this](int, int most) {
        besideBar->changeSize(most > 0 ? m_scroll->verticalScrollBar()->sizeHint().width() : 0, 0, QSizePolicy::Fixed);
        row->invalidate();
    });
    return w;
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
    m_speed = new QToolButton;
    m_speed->setAccessibleName(tr("Speed of playing"));
    m_speed->setToolTip(tr("Play slower, to look closely"));
    m_speed->setPopupMode(QToolButton::InstantPopup);
    m_speed->setFont(look::figureFont(9));
    m_speed->setStyleSheet(QStringLiteral("QToolButton::menu-indicator { image: none; }"));
    auto* speeds = new QMenu(m_speed);
    for (const auto& [text, speed] : {std::pair{"1/1", 1.0}, {"1/2", 0.5}, {"1/4", 0.25}, {"1/8", 0.125}})
        connect(speeds->addAction(QLatin1String(text)), &QAction::triggered, this,
                [this, speed = speed] { m_session.setSpeed(speed); });
    m_speed->setMenu(speeds);
    m_speed->setText(QStringLiteral("1/1"));
    row->addWidget(m_speed);
    row->addSpacing(6);
    m_frame = new QLineEdit(QStringLiteral("1"));
    m_frame->setFont(look::figureFont());
    m_frame->setFixedWidth(44);
    m_frame->setAlignment(Qt::AlignRight);
    m_frame->setAccessibleName(tr("Frame"));
    row->addWidget(m_frame);
    m_of = new QLabel;
    m_of->setObjectName(QStringLiteral("soft"));
    row->addWidget(m_of);
    connect(m_frame, &QLineEdit::editingFinished, this, [this] {
        if (const auto v = arithmetic(m_frame->text()))
            m_session.setFrame(static_cast<int>(within(*v, 1.0, double{kLastFrame})) - 1);
        m_frame->setText(QString::number(m_session.frame() + 1));
    });
    row->addStretch(1);
    row->addWidget(m_trials);
    row->addSpacing(6);
    auto* clip = new QLabel(tr("Shot"));
    clip->setObjectName(QStringLiteral("soft"));
    row->addWidget(clip);
    m_clip = new QComboBox;
    m_clip->setAccessibleName(tr("Shot"));
    // As wide as its names, where there is room beside a trial's sliders.
    m_clip->setSizeAdjustPolicy(QComboBox::AdjustToContents);
    m_clip->setMinimumWidth(112);
    m_clip->setMaximumWidth(170);
    row->addSpacing(4);
    row->addWidget(m_clip);
    connect(m_clip, &QComboBox::activated, this, [this](int i) {
        const std::string id = m_clip->itemData(i).toString().toStdString();
        m_document.edit(tr("Show shot %1").arg(m_clip->itemText(i)), [&](scene::Scene& s) { edit::showShot(s, id); });
        m_session.setFrame(0);
    });
    row->addSpacing(6);
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

KeySheet* Tape::sheet(const std::string& layer) const {
    const auto at = m_sheets.find(layer);
    return at == m_sheets.end() || at->second->isHidden() ? nullptr : at->second;
}

void Tape::open(const std::string& layer, bool on) {
    if (Lane* l = lane(layer)) l->opener()->setChecked(on);
}

QToolButton* Tape::groupHead(const std::string& name) const {
    const auto at = m_groupHeads.find(name);
    return at == m_groupHeads.end() ? nullptr : at->second;
}

void Tape::addLane(QVBoxLayout* column, const scene::Layer& layer) {
    auto* l = new Lane(m_document, m_session, m_view, layer.id);
    m_lanes.push_back(l);
    if (const auto tall = m_heights.find(layer.id); tall != m_heights.end()) l->setTall(tall->second);
    if (m_session.splitsTraces() && l->height() < Lane::kSplit) l->setTall(Lane::kSplit);
    auto* s = new KeySheet(m_document, m_session, m_view, m_keys, {scene::List::Layers, layer.id}, kStackWidth);
    m_sheets[layer.id] = s;
    l->opener()->setChecked(m_open.count(layer.id) > 0);
    s->setVisible(m_open.count(layer.id) > 0);
    connect(l, &Lane::menuWanted, this, &Tape::menuWanted);
    connect(s, &KeySheet::menuWanted, this, &Tape::keyMenuWanted);
    connect(l, &Lane::opened, this, [this, s, id = layer.id](bool on) {
        if (on)
            m_open.insert(id);
        else
            m_open.erase(id);
        s->rebuild();
        s->setVisible(on && lane(id)->isVisibleTo(m_scroll->widget()));
        if (!on) return;
        // What was opened comes into view, as far as there is room.
        m_scroll->widget()->layout()->activate();
        m_scroll->ensureWidgetVisible(s, 0, 4);
    });
    connect(l, &Lane::carried, this, [this, l](int y, bool done) { carry(l, y, done); });
    column->addWidget(l);
    column->addWidget(s);
}

KeySheet* Tape::itemSheet(const scene::Owner& item) const {
    const auto at = m_items.find(item);
    return at == m_items.end() || at->second.second->isHidden() ? nullptr : at->second.second;
}

QToolButton* Tape::itemHead(const scene::Owner& item) const {
    const auto at = m_items.find(item);
    return at == m_items.end() ? nullptr : at->second.first;
}

/// What is keyed or fed of a wind, collider, pin or actor stands below the layers.
void Tape::addItem(QVBoxLayout* column, const scene::Owner& item) {
    auto* head = new QToolButton;
    head->setObjectName(QStringLiteral("group"));
    head->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    const QString kind = nounOf(m_document.scene(), item);
    const QString name = QString::fromStdString(m_document.scene().tuned(item)->name);
    head->setText(name == kind ? name : name + QStringLiteral(" · ") + kind);
    head->setAccessibleName(tr("Curves of %1").arg(head->text()));
    head->setCheckable(true);
    head->setChecked(m_foldedItems.count(item) == 0);
    auto* s = new KeySheet(m_document, m_session, m_view, m_keys, item, kStackWidth);
    const auto show = [this, head, s, item](bool on) {
        head->setIcon(look::icon(on ? QStringLiteral("chevron-down") : QStringLiteral("chevron-right")));
        if (on)
            m_foldedItems.erase(item);
        else
            m_foldedItems.insert(item);
        s->setVisible(on);
    };
    connect(head, &QToolButton::toggled, this, show);
    connect(head, &QToolButton::clicked, this, [this, item] { m_session.select(Selection::of(m_document.scene(), item)); });
    connect(s, &KeySheet::menuWanted, this, &Tape::keyMenuWanted);
    column->addWidget(head, 0, Qt::AlignLeft);
    column->addWidget(s);
    show(head->isChecked());
    m_items[item] = {head, s};
}

void Tape::addGroupHead(QVBoxLayout* column, const std::string& name, const std::vector<std::string>& layers) {
    auto* head = new QWidget;
    head->setObjectName(QStringLiteral("paper"));
    head->setAttribute(Qt::WA_StyledBackground);
    head->setFixedHeight(22);
    auto* row = new QHBoxLayout(head);
    row->setContentsMargins(4, 0, 8, 0);
    row->setSpacing(4);
    auto* fold = new QToolButton;
    fold->setObjectName(QStringLiteral("group"));
    fold->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    fold->setText(layers.size() == 1 ? tr("%1 · 1 layer").arg(QString::fromStdString(name))
                                     : tr("%1 · %2 layers").arg(QString::fromStdString(name)).arg(layers.size()));
    fold->setCheckable(true);
    fold->setChecked(m_folded.count(name) == 0);
    fold->setIcon(look::icon(fold->isChecked() ? QStringLiteral("chevron-down") : QStringLiteral("chevron-right")));
    fold->setAccessibleName(tr("Group %1").arg(QString::fromStdString(name)));
    row->addWidget(fold);
    auto* mute = new QToolButton;
    mute->setObjectName(QStringLiteral("laneToggle"));
    mute->setText(tr("M"));
    mute->setFixedSize(20, 18);
    mute->setToolTip(tr("Mute all of the group, or none"));
    mute->setAccessibleName(tr("Mute group %1").arg(QString::fromStdString(name)));
    row->addWidget(mute);
    row->addStretch(1);
    m_groupHeads[name] = fold;
    column->addWidget(head);
    connect(fold, &QToolButton::toggled, this, [this, fold, name](bool on) {
        fold->setIcon(look::icon(on ? QStringLiteral("chevron-down") : QStringLiteral("chevron-right")));
        if (on)
            m_folded.erase(name);
        else
            m_folded.insert(name);
        showFolds();
    });
    connect(mute, &QToolButton::clicked, this, [this, layers] {
        const scene::Scene& now = m_document.scene();
        const bool mutes =
            std::any_of(layers.begin(), layers.end(), [&](const auto& id) { return now.layer(id) && !now.layer(id)->muted; });
        m_document.edit(mutes ? tr("Mute a group") : tr("Unmute a group"), [&](scene::Scene& s) {
            for (const std::string& id : layers)
                if (scene::Layer* l = s.layer(id)) l->muted = mutes;
        });
    });
}

void Tape::showFolds() {
    for (Lane* l : m_lanes) {
        const scene::Layer* layer = m_document.scene().layer(l->layer());
        const bool shown = !layer || layer->group.empty() || m_folded.count(layer->group) == 0;
        l->setVisible(shown);
        m_sheets[l->layer()]->setVisible(shown && m_open.count(l->layer()) > 0);
    }
}

void Tape::rebuild() {
    const std::string now = shape(m_document.scene());
    if (now != m_built || m_lanes.empty()) {
        m_built = now;
        for (Lane* l : m_lanes) m_heights[l->layer()] = l->height();
        m_lanes.clear();
        m_sheets.clear();
        m_groupHeads.clear();
        m_items.clear();
        m_insertion->setParent(nullptr);
        auto* body = new QWidget;
        auto* column = new QVBoxLayout(body);
        column->setContentsMargins(0, 0, 0, 0);
        column->setSpacing(0);
        const auto& layers = m_document.scene().layers;
        std::set<std::string> headed;
        for (std::size_t i = 0; i < layers.size(); ++i) {
            const std::string& group = layers[i].group;
            if (!group.empty() && (i == 0 || layers[i - 1].group != group) && headed.insert(group).second) {
                std::vector<std::string> in;
                for (const scene::Layer& l : layers)
                    if (l.group == group) in.push_back(l.id);
                addGroupHead(column, group, in);
            }
            addLane(column, layers[i]);
        }
        if (m_lanes.empty()) {
            auto* none = new QLabel(m_document.scene().actors.empty()
                                        ? tr("Layers will stand here.")
                                        : tr("No layer yet: select a joint, press C for the chain below it, and add a Strand."));
            none->setObjectName(QStringLiteral("soft"));
            none->setContentsMargins(12, 10, 0, 0);
            column->addWidget(none);
        }
        for (const scene::Owner& item : movingItems(m_document.scene())) addItem(column, item);
        column->addStretch(1);
        m_insertion->setParent(body);
        m_insertion->hide();
        const int scrolled = m_scroll->verticalScrollBar()->value();
        // Deleted later: the lane may be the widget whose key or mouse event is being handled.
        if (QWidget* old = m_scroll->takeWidget()) {
            old->hide();
            old->deleteLater();
        }
        m_scroll->setWidget(body);
        showFolds();
        m_scroll->verticalScrollBar()->setValue(scrolled);
    }
    showShots();
    refresh();
}

/// A lane's head is carried up or down: a line shows where it would stand.
void Tape::carry(Lane* from, int y, bool done) {
    const auto at = std::find(m_lanes.begin(), m_lanes.end(), from) - m_lanes.begin();
    std::ptrdiff_t to = 0;
    int line = 0;
    for (Lane* l : m_lanes) {
        if (!l->isVisible()) {
            ++to;
            continue;
        }
        if (y < l->y() + l->height() / 2) {
            line = l->y();
            break;
        }
        ++to;
        KeySheet* s = sheet(l->layer());
        line = s ? s->y() + s->height() : l->y() + l->height();
    }
    if (to > at) --to;
    if (!done) {
        m_insertion->setStyleSheet(QStringLiteral("background: %1;").arg(look::theme().persimmon.name()));
        m_insertion->setGeometry(0, std::max(0, line - 2), m_scroll->widget()->width(), 3);
        m_insertion->raise();
        m_insertion->show();
        m_scroll->ensureVisible(0, y, 0, 20);
        return;
    }
    if (!m_insertion->isVisible()) return;
    m_insertion->hide();
    if (to == at) return;
    scene::Scene next = m_document.scene();
    const auto moved = edit::moveLayer(next, from->layer(), static_cast<int>(to - at));
    if (!moved) {
        Q_EMIT said(QString::fromStdString(moved.error().sentence));
        return;
    }
    m_document.edit(tr("Move layer"), [&](scene::Scene& s) { s = next; });
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
    if (change.reorders(scene::List::Layers) || change.touches(scene::List::Actors) || shape(m_document.scene()) != m_built) {
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
    for (const auto& [id, s] : m_sheets)
        if (m_open.count(id) > 0 &&
            (change.shot || change.touches(scene::List::Gauges) || change.touches({scene::List::Layers, id})))
            s->rebuild();
    for (const auto& [item, curves] : m_items)
        if (change.shot || change.touches(item)) curves.second->rebuild();
}

void Tape::refresh() {
    for (Lane* l : m_lanes) l->refresh();
}

}  // namespace nutatio::app
