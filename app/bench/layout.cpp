// The bench's menus and where everything stands.
#include "app/bench/bench.h"
#include "app/look/text.h"
#include "app/look/theme.h"
#include "layers/registry.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

namespace nutatio::app {

QMenu* Bench::menu() {
    auto* m = new QMenu(this);
    const auto group = [&](std::initializer_list<const char*> ids) {
        for (const char* id : ids) m->addAction(m_actions.value(QLatin1String(id)));
        m->addSeparator();
    };
    group({"open", "open-demo", "open-recent", "bring-in", "save", "save-as", "hand-off"});
    group({"undo", "redo", "remove", "select-chain"});
    QMenu* layer = m->addMenu(tr("Layer"));
    for (const layers::LayerKind* k : layers::kinds()) layer->addAction(m_actions.value(QStringLiteral("add-") + qs(k->id)));
    for (const char* id : {"mute", "solo", "layer-down", "layer-up"}) layer->addAction(m_actions.value(QLatin1String(id)));
    QMenu* collider = m->addMenu(tr("Collider"));
    for (const char* id : {"add-sphere", "add-capsule", "add-box", "add-plane", "fit", "collider-world"})
        collider->addAction(m_actions.value(QLatin1String(id)));
    QMenu* time = m->addMenu(tr("Keys and intervals"));
    for (const char* id : {"key", "hold-over", "curves", "interval", "interval-remove", "no-intervals", "mark", "mark-back",
                           "mark-next", "range-from", "range-to", "range-none"})
        time->addAction(m_actions.value(QLatin1String(id)));
    QMenu* gauges = m->addMenu(tr("Gauges"));
    for (const char* id : {"add-gauge", "gauge-to-selection", "peak-back", "peak-next", "gauge-csv"})
        gauges->addAction(m_actions.value(QLatin1String(id)));
    QMenu* air = m->addMenu(tr("Winds, pins and cuts"));
    for (const char* id : {"add-wind", "add-pin", "pin-end", "pin-to-selection", "item-on", "lock", "hide", "key", "cut"})
        air->addAction(m_actions.value(QLatin1String(id)));
    QMenu* trial = m->addMenu(tr("Trials and tug"));
    for (const rig::TrialMove& move : rig::trialMoves())
        trial->addAction(m_actions.value(QStringLiteral("trial-") + qs(move.id)));
    trial->addSeparator();
    for (const char* id : {"trial-keep", "tug", "record", "perform", "walk-about", "ground", "path"})
        trial->addAction(m_actions.value(QLatin1String(id)));
    QMenu* takes = m->addMenu(tr("Takes and loops"));
    for (const char* id : {"take", "compare", "take-ghost", "spread", "", "trail", "trail-spot", "trails-none", "", "loop-found",
                           "loop-closed", "loop-once"})
        *id == 0 ? static_cast<void>(takes->addSeparator()) : takes->addAction(m_actions.value(QLatin1String(id)));
    QMenu* view = m->addMenu(tr("View"));
    for (const char* id : {"frame", "follow", "view-front", "view-side", "view-back", "view-top", "view-two", "lines-only",
                           "alone", "ghost", "joints", "curve-view", "night", "fold-roster", "fold-tuner", "fold-tape"})
        view->addAction(m_actions.value(QLatin1String(id)));
    m->addSeparator();
    group({"find", "quit"});
    return m;
}

QWidget* Bench::header() {
    auto* w = new QWidget;
    w->setObjectName(QStringLiteral("paper"));
    w->setFixedHeight(40);
    auto* row = new QHBoxLayout(w);
    row->setContentsMargins(8, 0, 8, 0);
    row->setSpacing(4);
    auto* left = new QWidget;
    auto* leftRow = new QHBoxLayout(left);
    leftRow->setContentsMargins(0, 0, 0, 0);
    leftRow->setSpacing(8);
    auto* menuButton = new QToolButton;
    menuButton->setIcon(look::icon(QStringLiteral("layers")));
    menuButton->setText(QStringLiteral("Nutatio"));
    menuButton->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    menuButton->setFont(look::textFont(11, QFont::Bold));
    menuButton->setAccessibleName(tr("Menu"));
    menuButton->setPopupMode(QToolButton::InstantPopup);
    menuButton->setStyleSheet(QStringLiteral("QToolButton::menu-indicator { image: none; }"));
    menuButton->setMenu(menu());
    leftRow->addWidget(menuButton);
    m_title = new QLabel;
    m_title->setObjectName(QStringLiteral("soft"));
    leftRow->addWidget(m_title, 1);
    row->addWidget(left, 1);
    const std::pair<QString, StepId> steps[] = {{tr("Prepare"), StepId::Prepare},
                                                {tr("Attach"), StepId::Attach},
                                                {tr("Tune"), StepId::Tune},
                                                {tr("Check"), StepId::Check},
                                                {tr("Hand off"), StepId::HandOff}};
    for (const auto& [name, step] : steps) {
        auto* b = new QToolButton;
        b->setObjectName(QStringLiteral("step"));
        b->setText(name);
        b->setCheckable(true);
        b->setAccessibleName(tr("Step: %1").arg(name));
        b->setProperty("step", static_cast<int>(step));
        connect(b, &QToolButton::clicked, this, [this, step = step] {
            m_session.setStep(step);
            refresh();
        });
        row->addWidget(b);
        m_steps << b;
    }
    auto* right = new QWidget;
    auto* rightRow = new QHBoxLayout(right);
    rightRow->setContentsMargins(0, 0, 0, 0);
    rightRow->setSpacing(2);
    rightRow->addStretch(1);
    for (const char* id : {"open", "save", "undo", "redo", "tug", "record", "ghost", "joints", "curve-view", "find"}) {
        auto* b = new QToolButton;
        b->setDefaultAction(m_actions.value(QLatin1String(id)));
        b->setIconSize(QSize(18, 18));
        b->setAccessibleName(b->defaultAction()->text());
        rightRow->addWidget(b);
    }
    row->addWidget(right, 1);
    return w;
}

QWidget* Bench::statusLine() {
    auto* w = new QWidget;
    w->setObjectName(QStringLiteral("paper"));
    w->setFixedHeight(24);
    auto* row = new QHBoxLayout(w);
    row->setContentsMargins(10, 0, 10, 0);
    m_hint = new QLabel;
    m_hint->setObjectName(QStringLiteral("soft"));
    m_hint->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    m_busy = new QProgressBar;
    m_busy->setRange(0, 0);
    m_busy->setFixedWidth(120);
    m_busy->setTextVisible(false);
    m_stop = new QToolButton;
    m_stop->setText(tr("Cancel"));
    m_stop->setObjectName(QStringLiteral("stop"));
    connect(m_stop, &QToolButton::clicked, this, [this] {
        m_busy->hide();
        m_stop->hide();
        if (m_opening) {
            m_opening = false;
            m_document.stopOpening();
            m_hint->setText(tr("Stopped; what was open stays open."));
        } else if (m_setter.busy()) {
            m_setter.stop();
            m_simulates = false;
            m_hint->setText(tr("Stopped; the layers are as they were."));
        } else {
            m_document.stopSimulating();
            m_hint->setText(tr("Stopped; the motion on show is older than the settings. The next change simulates again."));
        }
    });
    m_status = new QLabel;
    m_status->setFont(look::figureFont(8.5));
    m_status->setObjectName(QStringLiteral("soft"));
    row->addWidget(m_hint, 1);
    row->addWidget(m_busy);
    row->addWidget(m_stop);
    row->addWidget(m_status);
    m_busy->hide();
    m_stop->hide();
    return w;
}

void Bench::layOut() {
    auto* all = new QWidget;
    all->setObjectName(QStringLiteral("paper"));
    auto* column = new QVBoxLayout(all);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(header());
    auto* line = new QFrame;
    line->setObjectName(QStringLiteral("line"));
    line->setFixedHeight(1);
    column->addWidget(line);
    m_across = new QSplitter(Qt::Horizontal);
    m_across->setHandleWidth(1);
    m_across->addWidget(m_roster);
    m_stages = new QSplitter(Qt::Horizontal);
    m_stages->setHandleWidth(1);
    m_stages->addWidget(m_stage);
    m_stages->setCollapsible(0, false);
    m_views = new QStackedWidget;
    m_views->addWidget(m_stages);
    m_views->addWidget(m_compare);
    m_views->addWidget(m_spread);
    // A notice that comes takes its place from the stage: no row of a panel moves away under the mouse.
    m_told = new QVBoxLayout;
    m_told->setContentsMargins(0, 0, 0, 0);
    m_told->setSpacing(0);
    for (QWidget* w : std::initializer_list<QWidget*>{m_recovery, m_notice, m_views}) m_told->addWidget(w);
    auto* centre = new QWidget;
    centre->setLayout(m_told);
    m_across->addWidget(centre);
    m_across->addWidget(m_tuner);
    m_across->setStretchFactor(1, 1);
    m_across->setSizes({220, 760, 300});
    m_across->setCollapsible(1, false);
    m_roster->setMinimumWidth(160);
    m_tuner->setMinimumWidth(270);
    m_down = new QSplitter(Qt::Vertical);
    m_down->setHandleWidth(1);
    m_middle = new QStackedWidget;
    m_middle->addWidget(m_across);
    auto* curves = new QWidget;
    m_toldAbove = new QVBoxLayout(curves);
    m_toldAbove->setContentsMargins(0, 0, 0, 0);
    m_toldAbove->setSpacing(0);
    m_toldAbove->addWidget(m_curves);
    m_middle->addWidget(curves);
    m_down->addWidget(m_middle);
    m_down->addWidget(m_tape);
    m_down->setStretchFactor(0, 1);
    m_down->setSizes({520, 200});
    m_tape->setMinimumHeight(104);
    column->addWidget(m_down, 1);
    auto* foot = new QFrame;
    foot->setObjectName(QStringLiteral("line"));
    foot->setFixedHeight(1);
    column->addWidget(foot);
    column->addWidget(statusLine());
    setCentralWidget(all);
    resize(1280, 800);
}

void Bench::eachStage(const std::function<void(Stage&)>& what) {
    what(*m_stage);
    if (m_second) what(*m_second);
}

void Bench::showSecond(bool on) {
    if (!m_second) {
        m_second = new Stage(m_document, m_session);
        m_second->setAccessibleName(tr("Second stage"));
        // What is only to be looked at needs no tools: they stay with the first.
        m_second->lookBeside(*m_stage, radians(90));
        m_stages->addWidget(m_second);
        m_second->setJointsShown(m_stage->jointsShown());
        m_second->setLinesOnly(m_actions["lines-only"]->isChecked());
        m_second->setAlone(m_actions["alone"]->isChecked());
    }
    m_second->setVisible(on);
    if (on) m_stages->setSizes({m_stages->width() / 2, m_stages->width() / 2});
    m_actions["view-two"]->setChecked(on);
}

void Bench::setTapeHeight(int height) {
    const int all = m_down->height();
    m_down->setSizes({std::max(0, all - height), height});
}

}  // namespace nutatio::app
