#include "app/bench/bench.h"

#include <QAbstractButton>
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
#include <QSettings>
#include <QVBoxLayout>

#include "app/look/theme.h"
#include "edit/edit.h"
#include "layers/registry.h"

namespace nutatio::app {

namespace {
QString qs(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}
}  // namespace

Bench::Bench(const QString& keepFolder)
    : m_session(m_document),
      m_keepFolder(keepFolder),
      m_stage(new Stage(m_document, m_session)),
      m_roster(new Roster(m_document, m_session)),
      m_handoff(new HandOff(m_document)),
      m_tuner(new Tuner(m_document, m_session, m_handoff)),
      m_tape(new Tape(m_document, m_session)),
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
    makeViewCommands();
    layOut();
    m_palette = new Palette(this);
    connect(m_tuner, &Tuner::layerWanted, this, &Bench::addLayer);
    connect(m_tuner, &Tuner::colliderWanted, this, &Bench::addCollider);
    connect(m_tuner, &Tuner::commandWanted, this, [this](const QString& id) { m_actions.value(id)->trigger(); });
    connect(m_tuner, &Tuner::said, this, &Bench::say);
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
    connect(m_roster, &Roster::menuWanted, this, [this](const QPoint& at) {
        QMenu m;
        for (const layers::LayerKind* k : layers::kinds()) m.addAction(m_actions.value(QStringLiteral("add-") + qs(k->id)));
        for (const char* id : {"add-sphere", "add-capsule", "add-box", "add-plane", "fit", "add-pin", "add-wind", "select-chain",
                               "frame", "item-on", "remove"})
            m.addAction(m_actions.value(QLatin1String(id)));
        m.exec(at);
    });
    connect(&m_document, &Document::historyChanged, this, &Bench::refresh);
    connect(&m_document, &Document::resultsChanged, this, &Bench::showEvaluation);
    connect(&m_document, &Document::simulating, this, &Bench::showProgress);
    // What was said of one action does not stay through the next.
    const auto hush = [this] {
        if (!m_opening && !m_simulates) m_hint->clear();
    };
    connect(&m_document, &Document::sceneChanged, this, hush);
    connect(&m_document, &Document::replaced, this, hush);
    connect(&m_session, &Session::selectionChanged, this, [this] {
        if (!m_opening && !m_simulates) m_hint->clear();
    });
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

void Bench::refresh() {
    const Selection& s = m_session.selection();
    const scene::Scene& scene = m_document.scene();
    m_actions["undo"]->setEnabled(m_document.canUndo());
    m_actions["redo"]->setEnabled(m_document.canRedo());
    m_actions["undo"]->setToolTip(m_document.canUndo() ? tr("Undo %1 (Ctrl+Z)").arg(m_document.undoName())
                                                       : tr("Nothing to undo"));
    m_actions["redo"]->setToolTip(m_document.canRedo() ? tr("Redo %1 (Ctrl+Shift+Z)").arg(m_document.redoName())
                                                       : tr("Nothing to redo"));
    const bool joints = !s.joints.empty(), layer = !s.layer.empty(), collider = !s.collider.empty();
    for (const char* id : {"add-sphere", "add-capsule", "add-box", "add-plane", "select-chain", "add-pin"})
        m_actions[QLatin1String(id)]->setEnabled(joints);
    for (const layers::LayerKind* k : layers::kinds()) m_actions[QStringLiteral("add-") + qs(k->id)]->setEnabled(joints);
    for (const char* id : {"mute", "solo", "layer-down", "layer-up"}) m_actions[QLatin1String(id)]->setEnabled(layer);
    const bool wind = !s.wind.empty(), pin = !s.pin.empty(), any = !scene.actors.empty();
    m_actions["item-on"]->setEnabled(collider || wind || pin);
    m_actions["collider-world"]->setEnabled(collider && !s.actor.empty());
    for (const char* id : {"pin-end", "pin-to-selection"}) m_actions[QLatin1String(id)]->setEnabled(pin);
    m_actions["open-recent"]->setEnabled(!recentFiles().isEmpty());
    m_actions["open-demo"]->setEnabled(!demoFile().isEmpty());
    m_actions["take"]->setEnabled(!scene.layers.empty());
    for (const char* id : {"fit", "add-wind", "cut", "tug", "record"}) m_actions[QLatin1String(id)]->setEnabled(any);
    for (const rig::TrialMove& move : rig::trialMoves()) m_actions[QStringLiteral("trial-") + qs(move.id)]->setEnabled(any);
    m_actions["key"]->setEnabled(layer || pin);
    m_actions["remove"]->setEnabled(layer || collider || wind || pin);
    for (const char* id : {"save", "save-as", "hand-off"}) m_actions[QLatin1String(id)]->setEnabled(!scene.actors.empty());
    for (QToolButton* b : m_steps) b->setChecked(b->property("step").toInt() == static_cast<int>(m_session.step()));
    m_title->setText(m_document.title() + (m_document.isModified() ? QStringLiteral(" *") : QString()));
    setWindowTitle(m_document.title().isEmpty()
                       ? QStringLiteral("Nutatio")
                       : m_document.title() + (m_document.isModified() ? QStringLiteral("*") : QString()) +
                             QStringLiteral(" – Nutatio"));
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

bool Bench::eventFilter(QObject* o, QEvent* e) {
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
    if (e->type() == QEvent::WindowDeactivate && o == this) m_session.setBodyHeld(false);
    return QMainWindow::eventFilter(o, e);
}

}  // namespace nutatio::app
