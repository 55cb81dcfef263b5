#include "app/bench/bench.h"

#include <QAbstractButton>
#include <QAbstractSpinBox>
#include <QApplication>
#include <QCloseEvent>
#include <QCursor>
#include <QDir>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QMimeData>
#include <QPointer>
#include <QSettings>
#include <QVBoxLayout>

#include "app/bench/allowed.h"
#include "app/look/text.h"
#include "app/look/theme.h"
#include "edit/edit.h"
#include "layers/registry.h"

namespace nutatio::app {

Bench::Bench(const QString& keepFolder)
    : m_session(m_document),
      m_checker(m_document),
      m_keepFolder(keepFolder),
      m_stage(new Stage(m_document, m_session)),
      m_roster(new Roster(m_document, m_session)),
      m_handoff(new HandOff(m_document)),
      m_tuner(new Tuner(m_document, m_session, m_checker, m_handoff)),
      m_tape(new Tape(m_document, m_session)),
      m_curves(new CurveView(m_document, m_session, m_tape->view(), m_tape->keys())),
      m_compare(new CompareView(m_document, m_session, *m_stage)),
      m_spread(new SpreadView(m_document, m_session, *m_stage)),
      m_notice(new Notice),
      m_recovery(new Notice),
      m_palette(nullptr) {
    setWindowTitle(QStringLiteral("Nutatio"));
    setAcceptDrops(true);
    makeFileCommands();
    makeEditCommands();
    makeLayerCommands();
    makeRosterCommands();
    makePlayCommands();
    makeTrialCommands();
    makeTimeCommands();
    makeHandCommands();
    makeTakeCommands();
    makePerformCommands();
    makeViewCommands();
    makePrepareCommands();
    layOut();
    m_palette = new Palette(this);
    connect(m_tuner, &Tuner::layerWanted, this, &Bench::addLayer);
    connect(m_tuner, &Tuner::colliderWanted, this, &Bench::addCollider);
    connect(m_tuner, &Tuner::layerOnPartsWanted, this, &Bench::addLayerToParts);
    connect(m_tuner, &Tuner::commandWanted, this, [this](const QString& id) { m_actions.value(id)->trigger(); });
    connect(m_tuner, &Tuner::said, this, &Bench::say);
    if (!m_keepFolder.isEmpty()) m_tape->trials()->setFolder(QDir(m_keepFolder).filePath(QStringLiteral("trials")));
    connect(m_tape->trials(), &TrialStrip::said, this, &Bench::say);
    connect(&m_checker, &Checker::failed, this, &Bench::say);
    connect(m_stage, &Stage::said, this, &Bench::say);
    connect(&m_stage->tug(), &Tug::failed, this, &Bench::say);
    connect(&m_stage->tug(), &Tug::recorded, this, [this](const QString& clip, double seconds) {
        m_actions["record"]->setChecked(m_stage->tug().isRecording());
        say(clip.isEmpty()
                ? tr("Nothing was pulled, so nothing was recorded.")
                : tr("Recorded %1, %2 s: it is the actor's clip now; Space plays it.").arg(clip).arg(seconds, 0, 'f', 1));
    });
    m_document.beforeReplacing = [this] { m_stage->tug().setRecording(false); };
    m_document.meanwhile = [this](const QString& file, const std::function<void()>& replace) {
        m_opening = false;
        m_busy->hide();
        m_stop->hide();
        m_hint->clear();
        guarded(tr("%1 is ready, but the scene was changed while it was read").arg(file), replace);
    };
    connect(m_roster, &Roster::menuWanted, this, &Bench::showMenu);
    connect(m_tape, &Tape::menuWanted, this, &Bench::showMenu);
    connect(m_tape, &Tape::keyMenuWanted, this, &Bench::showKeyMenu);
    connect(m_curves, &CurveView::menuWanted, this, &Bench::showKeyMenu);
    connect(m_tape, &Tape::rulerMenuWanted, this, &Bench::showRulerMenu);
    connect(m_tape, &Tape::said, this, &Bench::say);
    connect(&m_tape->keys(), &KeySelection::changed, this, &Bench::refresh);
    connect(&m_document, &Document::historyChanged, this, &Bench::refresh);
    connect(&m_document, &Document::resultsChanged, this, &Bench::showEvaluation);
    connect(&m_document, &Document::simulating, this, &Bench::showProgress);
    // The notice of one action is taken away when the next action begins.
    const auto hush = [this] {
        if (!m_opening && !m_simulates) m_hint->clear();
    };
    connect(&m_document, &Document::sceneChanged, this, hush);
    connect(&m_document, &Document::replaced, this, hush);
    connect(&m_session, &Session::selectionChanged, this, [this] {
        if (!m_opening && !m_simulates) m_hint->clear();
    });
    connect(&m_document, &Document::refused, this, &Bench::say);
    connect(&m_document, &Document::failed, this, [this](const QString& sentence) {
        m_opening = false;
        m_busy->hide();
        m_stop->hide();
        m_hint->clear();
        m_notice->say(sentence, {}, true);
    });
    connect(&m_document, &Document::opening, this, [this](const QString& file) {
        m_hint->setText(tr("Opening %1").arg(file));
        m_opening = true;
        m_busy->setRange(0, 0);
        m_busy->show();
        m_stop->show();
    });
    connect(&m_document, &Document::opened, this, [this](const QStringList& warnings) {
        m_opening = false;
        m_busy->hide();
        m_stop->hide();
        m_hint->clear();
        m_notice->clear();
        if (!warnings.isEmpty())
            m_notice->say(
                warnings.mid(0, 4).join(u'\n') + (warnings.size() > 4 ? tr("\nand %1 more").arg(warnings.size() - 4) : QString()),
                {}, false);
        m_session.setPlaying(false);
        m_session.setFrame(0);
        m_session.setStep(m_document.scene().layers.empty() ? StepId::Attach : StepId::Tune);
    });
    connect(&m_session, &Session::selectionChanged, this, &Bench::refresh);
    connect(&m_session, &Session::stepChanged, this, &Bench::refresh);
    connect(&m_session, &Session::viewChanged, this, &Bench::refresh);
    connect(&m_session, &Session::comparingChanged, this, &Bench::showView);
    connect(&m_session, &Session::spreadingChanged, this, &Bench::showView);
    connect(m_spread, &SpreadView::said, this, &Bench::say);
    connect(m_compare, &CompareView::said, this, &Bench::say);
    qApp->installEventFilter(this);
    if (!keepFolder.isEmpty()) {
        m_document.keepAgainstCrash(keepFolder);
        m_left = Keeper::leftBehind(keepFolder);
        offerRecovery();
    }
    if (QSettings* s = preferences(); s && s->value(QStringLiteral("night"), false).toBool()) m_actions["night"]->trigger();
    m_stage->setFocus();
    refresh();
}

Bench::~Bench() {
    // What has the focus ends its editing while there is something to edit.
    hide();
}

void Bench::refresh() {
    const Selection& s = m_session.selection();
    m_actions["undo"]->setEnabled(m_document.canUndo());
    m_actions["redo"]->setEnabled(m_document.canRedo());
    m_actions["undo"]->setToolTip(m_document.canUndo() ? tr("Undo %1 (Ctrl+Z)").arg(m_document.undoName())
                                                       : tr("Nothing to undo"));
    m_actions["redo"]->setToolTip(m_document.canRedo() ? tr("Redo %1 (Ctrl+Shift+Z)").arg(m_document.redoName())
                                                       : tr("Nothing to redo"));
    const QString removal = removalOf(s);
    Now now(m_document, m_session);
    now.chosenActor = chosenActor() != nullptr;
    now.keys = !m_tape->keys().keys().empty();
    now.keysCopied = m_tape->keys().canPaste();
    now.mayGo = !removal.isEmpty();
    now.recent = !recentFiles().isEmpty();
    now.demo = !demoFile().isEmpty();
    now.keepsTrials = !m_keepFolder.isEmpty();
    eachAllowed(now, [this](const QString& id, bool can, const QString& lacks) { allow(id, can, lacks); });
    m_actions["lock"]->setText(now.thing && now.thing->lock ? tr("Unlock %1").arg(QString::fromStdString(now.thing->name))
                                                            : tr("Lock against accidents"));
    m_actions["hide"]->setText(now.thing && now.thing->hidden ? tr("Show it again") : tr("Put out of sight"));
    m_actions["act-here"]->setText(now.layer && !now.layer->shot.empty() ? tr("Let the layer act in every shot")
                                                                         : tr("Let the layer act in this shot alone"));
    m_actions["remove"]->setText(removal.isEmpty() ? tr("Remove what is selected") : removal);
    for (QToolButton* b : m_steps) b->setChecked(b->property("step").toInt() == static_cast<int>(m_session.step()));
    m_title->setText(m_document.title() + (m_document.isModified() ? QStringLiteral(" *") : QString()));
    setWindowTitle(m_document.title().isEmpty()
                       ? QStringLiteral("Nutatio")
                       : m_document.title() + (m_document.isModified() ? QStringLiteral("*") : QString()) +
                             QStringLiteral(" – Nutatio"));
}

void Bench::showMenu(const QPoint& at) {
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const auto group = [&](const QStringList& ids) {
        bool any = false;
        for (const QString& id : ids)
            if (QAction* a = m_actions.value(id); a && a->isEnabled()) {
                menu->addAction(a);
                any = true;
            }
        if (any) menu->addSeparator();
    };
    QStringList kinds;
    for (const layers::LayerKind* k : layers::kinds()) kinds << QStringLiteral("add-") + qs(k->id);
    group(kinds);
    group({QStringLiteral("add-sphere"), QStringLiteral("add-capsule"), QStringLiteral("add-box"), QStringLiteral("add-plane"),
           QStringLiteral("add-pin"), QStringLiteral("add-gauge"), QStringLiteral("add-end"), QStringLiteral("select-chain")});
    group({QStringLiteral("mirror-joint"), QStringLiteral("hang-on"), QStringLiteral("remove-joint"),
           QStringLiteral("lock-weights")});
    group({QStringLiteral("pin-end"), QStringLiteral("pin-to-selection"), QStringLiteral("collider-world")});
    group({QStringLiteral("mute"), QStringLiteral("solo"), QStringLiteral("layer-down"), QStringLiteral("layer-up"),
           QStringLiteral("split-layer"), QStringLiteral("merge-layer"), QStringLiteral("set-down")});
    group({QStringLiteral("pose-key"), QStringLiteral("untouch"), QStringLiteral("weight-part")});
    group({QStringLiteral("curves"), QStringLiteral("interval"), QStringLiteral("interval-remove"),
           QStringLiteral("no-intervals")});
    if (!m_session.selection().layer.empty()) {
        menu->addAction(m_actions.value(QStringLiteral("group")));
        if (m_actions.value(QStringLiteral("ungroup"))->isEnabled()) menu->addAction(m_actions.value(QStringLiteral("ungroup")));
        QMenu* colours = menu->addMenu(tr("Colour"));
        for (int k = 0; k <= 8; ++k) colours->addAction(m_actions.value(QStringLiteral("colour-%1").arg(k)));
        menu->addSeparator();
    }
    group({QStringLiteral("copy-settings"), QStringLiteral("paste-settings")});
    group({QStringLiteral("gauge-to-selection"), QStringLiteral("peak-back"), QStringLiteral("peak-next"),
           QStringLiteral("gauge-csv")});
    group({QStringLiteral("rename"), QStringLiteral("duplicate"), QStringLiteral("mirror"), QStringLiteral("item-on"),
           QStringLiteral("lock"), QStringLiteral("hide"), QStringLiteral("act-here"), QStringLiteral("frame"),
           QStringLiteral("remove")});
    group({QStringLiteral("fit"), QStringLiteral("add-wind")});
    menu->popup(at);
}

void Bench::allow(const QString& id, bool can, const QString& why) {
    QAction* a = m_actions[id];
    a->setEnabled(can);
    a->setProperty("why", can ? QString() : why);
}

QList<Palette::Entry> Bench::whatCanBeFound() {
    QList<Palette::Entry> out;
    for (QAction* a : m_order)
        out << Palette::Entry{a->text().remove(u'&'),
                              a->shortcut().toString(QKeySequence::NativeText),
                              a->icon(),
                              a->isEnabled()                            ? QString()
                              : a->property("why").toString().isEmpty() ? tr("not now")
                                                                        : a->property("why").toString(),
                              [a] { a->trigger(); },
                              true,
                              a->property("words").toString()};
    const auto add = [&](const QString& text, const QString& about, const QIcon& icon, std::function<void()> run) {
        out << Palette::Entry{text, about, icon, {}, std::move(run)};
    };
    // Buttons and headings of the open page, by the words they show.
    for (QAbstractButton* b : m_tuner->findChildren<QAbstractButton*>())
        if (b->isVisible() && b->isEnabled() && b->text().size() > 2 && !b->isCheckable())
            add(b->text(), tr("on this page"), b->icon(), [b = QPointer<QAbstractButton>(b)] {
                if (b) b->click();
            });
    for (const auto& [face, words] :
         {std::pair{FaceId::Check, tr("Rig: what is wrong with it")},
          {FaceId::Joints, tr("Joints: helpers, pivots, weights")},
          {FaceId::Parts, tr("Parts")},
          {FaceId::Maps, tr("Maps")},
          {FaceId::Motion, tr("Motion: bring one in, hold a pose, cut, play again, begin in the rest pose")},
          {FaceId::Perform, tr("Perform: by hand, over the ground")},
          {FaceId::Kits, tr("Kits")}})
        add(words, tr("page of Prepare"), {}, [this, face = face] {
            m_session.setStep(StepId::Prepare);
            m_session.setFace(face);
        });
    for (const auto& [face, words] : {std::pair{CheckFaceId::Takes, tr("Takes")},
                                      {CheckFaceId::Spread, tr("Spread: several settings at once")},
                                      {CheckFaceId::Loop, tr("Loop: does the shot close?")},
                                      {CheckFaceId::Trails, tr("Trails")}})
        add(words, tr("page of Check"), {}, [this, face = face] {
            m_session.setStep(StepId::Check);
            m_session.setCheckFace(face);
        });
    // Kinds of which there are several sorts, by what each does.
    for (const layers::LayerKind* k : layers::kinds()) {
        const scene::SettingSpec* row = k->act ? k->setting(k->act->sort) : nullptr;
        QAction* adds = m_actions.value(QStringLiteral("add-") + qs(k->id));
        if (!row || !adds) continue;
        for (std::string_view choice : choicesOf(*row))
            out << Palette::Entry{qs(choice), tr("%1, added").arg(qs(k->label)), look::glyph(k->glyph),
                                  adds->isEnabled() ? QString() : adds->property("why").toString(),
                                  [this, adds, setting = std::string(row->id), choice = std::string(choice)] {
                                      adds->trigger();
                                      const auto owner = m_session.selection().owner();
                                      if (owner && owner->list == scene::List::Layers)
                                          m_document.edit(tr("What it does"), [&](scene::Scene& each) {
                                              edit::set(each, *owner, setting, choice, m_session.frame());
                                          });
                                  }};
    }
    const scene::Scene& s = m_document.scene();
    for (const scene::Layer& l : s.layers) {
        const layers::LayerKind* k = layers::findKind(l.kind);
        out << Palette::Entry{calledOf(l), tr("layer"), k ? look::glyph(k->glyph) : QIcon(), {}, [this, id = l.id] {
                                  m_session.selectLayer(id);
                                  m_session.setStep(StepId::Tune);
                              }};
        if (!k || l.id != m_session.selection().layer) continue;
        for (const scene::SettingSpec& spec : k->settings)
            out << Palette::Entry{qs(spec.label),
                                  tr("setting of %1").arg(QString::fromStdString(l.name)),
                                  {},
                                  {},
                                  [this, id = l.id, setting = std::string(spec.id)] {
                                      m_session.selectLayer(id);
                                      m_session.setStep(StepId::Tune);
                                      m_tuner->reveal(setting);
                                  }};
    }
    for (const scene::Shot& shot : s.shots)
        out << Palette::Entry{
            QString::fromStdString(shot.name), tr("shot"), look::icon(QStringLiteral("film")), {}, [this, id = shot.id] {
                m_document.edit(tr("Show a shot"), [&](scene::Scene& each) { edit::showShot(each, id); });
                m_session.setFrame(0);
            }};
    for (const scene::ActorEntry& a : s.actors)
        for (int j = 0; j < a.actor->skeleton.size(); ++j)
            out << Palette::Entry{QString::fromStdString(a.actor->skeleton.label(j)),
                                  tr("joint of %1").arg(QString::fromStdString(a.name)),
                                  look::icon(QStringLiteral("bone")),
                                  {},
                                  [this, id = a.id, j] { m_session.selectJoint(id, j); }};
    return out;
}

void Bench::showProgress(double share) {
    if (share < 0) {
        m_simulates = false;
        if (m_opening) return;
        m_busy->hide();
        m_stop->hide();
        if (m_hint->text().startsWith(tr("Simulating"))) m_hint->clear();
        return;
    }
    if (!m_simulates) m_simulatingSince.start();
    m_simulates = true;
    // What is done within half a second needs no bar.
    if (m_opening || m_simulatingSince.elapsed() < 500) return;
    m_busy->setRange(0, 100);
    m_busy->setValue(static_cast<int>(100 * share));
    m_busy->show();
    m_stop->show();
    m_hint->setText(tr("Simulating, %1 % done").arg(100 * share, 0, 'f', 0));
}

void Bench::showEvaluation() {
    const ResultsPtr& r = m_document.results();
    if (!r) return;
    std::size_t layers = 0;
    for (const pipeline::ActorResult& a : r->evaluation.actors) layers += a.layers.size();
    m_status->setText(tr("%1 frames · %2 of %3 layers simulated in %4 ms")
                          .arg(m_document.frames())
                          .arg(r->evaluation.simulated)
                          .arg(layers)
                          .arg(r->evaluation.milliseconds, 0, 'f', 1));
}

void Bench::say(const QString& sentence) {
    m_hint->setText(sentence);
}

void Bench::closeEvent(QCloseEvent* e) {
    if (m_closing || !m_document.isModified()) {
        e->accept();
        return;
    }
    e->ignore();
    guarded(tr("Quit"), [this] {
        m_closing = true;
        close();
    });
}

void Bench::dragEnterEvent(QDragEnterEvent* e) {
    if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void Bench::dropEvent(QDropEvent* e) {
    const QList<QUrl> urls = e->mimeData()->urls();
    if (urls.isEmpty()) return;
    e->acceptProposedAction();
    open(urls.front().toLocalFile());
}

void Bench::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_B && !e->isAutoRepeat()) m_session.setBodyHeld(true);
}

void Bench::keyReleaseEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_B && !e->isAutoRepeat()) m_session.setBodyHeld(false);
}

namespace {

bool isTypedInto(const QObject* o) {
    return qobject_cast<const QLineEdit*>(o) || qobject_cast<const QAbstractSpinBox*>(o);
}

}  // namespace

/// Keys that end the typing in a field give the keyboard back to the stage, and the bench's own keys with Ctrl work in it too,
/// but for those that text is edited with. True: the event is dealt with.
bool Bench::leavesField(QEvent* e) {
    if (e->type() != QEvent::KeyPress && e->type() != QEvent::ShortcutOverride) return false;
    auto* key = static_cast<QKeyEvent*>(e);
    const bool ends = key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter || key->key() == Qt::Key_Escape;
    if (e->type() == QEvent::KeyPress && ends) {
        // Once the field itself has taken the key.
        QMetaObject::invokeMethod(
            this,
            [this, field = QPointer<QWidget>(QApplication::focusWidget())] {
                if (field && field->hasFocus() && field->window() == this && isTypedInto(field)) m_stage->setFocus();
            },
            Qt::QueuedConnection);
        return false;
    }
    if (e->type() != QEvent::ShortcutOverride || !(key->modifiers() & Qt::ControlModifier)) return false;
    for (const QKeySequence::StandardKey text : {QKeySequence::Copy, QKeySequence::Paste, QKeySequence::Cut, QKeySequence::Undo,
                                                 QKeySequence::Redo, QKeySequence::SelectAll})
        if (key->matches(text)) return false;
    const QKeySequence pressed(key->keyCombination());
    if (std::none_of(m_order.begin(), m_order.end(), [&](const QAction* a) { return a->shortcuts().contains(pressed); }))
        return false;
    e->ignore();
    return true;
}

bool Bench::eventFilter(QObject* o, QEvent* e) {
    if (m_stage->tug().isWalking() && isActiveWindow() && steer(e)) return true;
    // Space always plays, except in text (whose fields take it themselves). A button that the keyboard has reached is pressed
    // with Enter instead.
    if (e->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(e);
        auto* button = qobject_cast<QAbstractButton*>(o);
        if (button && button->window() == this && (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter)) {
            if (!key->isAutoRepeat()) button->click();
            return true;
        }
    }
    if (const auto* widget = qobject_cast<QWidget*>(o); widget && widget->window() == this && isTypedInto(o))
        if (leavesField(e)) return true;
    if (e->type() == QEvent::WindowDeactivate && o == this) m_session.setBodyHeld(false);
    return QMainWindow::eventFilter(o, e);
}

}  // namespace nutatio::app
