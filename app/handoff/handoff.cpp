#include "app/handoff/handoff.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/look/theme.h"
#include "app/widgets/arithmetic.h"
#include "base/ranges.h"

namespace nutatio::app {

HandOff::HandOff(Document& document, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_actor(new QComboBox),
      m_clip(new QComboBox),
      m_first(new QLineEdit),
      m_last(new QLineEdit),
      m_fps(new QLineEdit),
      m_tolerance(new QLineEdit(QStringLiteral("0.05"))),
      m_file(new QLineEdit),
      m_beside(new QLineEdit),
      m_bake(new QPushButton(tr("Bake and write"))),
      m_cancel(new QPushButton(tr("Cancel"))),
      m_progress(new QProgressBar),
      m_outcome(new QLabel),
      m_plan(new QLabel),
      m_evaluator(document.evaluator()),
      m_planEvaluator(document.evaluator()) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 8, 6, 0);
    auto* form = new QFormLayout;
    form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    form->setVerticalSpacing(8);
    const auto named = [](QWidget* w, const QString& name) {
        w->setAccessibleName(name);
        return w;
    };
    form->addRow(tr("Actor"), named(m_actor, tr("Actor")));
    form->addRow(tr("Shot"), named(m_clip, tr("Shot to hand off")));
    m_beside->setPlaceholderText(tr("replace the clip"));
    m_beside->setToolTip(tr("With a name here a new clip is written beside the source's, which stays as it is"));
    form->addRow(tr("New name"), named(m_beside, tr("Name of the new clip")));
    auto* range = new QHBoxLayout;
    range->addWidget(named(m_first, tr("First frame")));
    range->setSpacing(6);
    range->addWidget(new QLabel(tr("to")));
    range->addWidget(named(m_last, tr("Last frame")));
    form->addRow(tr("Frames"), range);
    form->addRow(tr("Frames / s"), named(m_fps, tr("Frames a second")));
    m_tolerance->setToolTip(tr("How far a key curve may stray from the simulated frames; 0 writes a key on every frame"));
    form->addRow(tr("Tolerance °"), named(m_tolerance, tr("Tolerance in degrees")));
    auto* file = new QHBoxLayout;
    file->addWidget(named(m_file, tr("File to write")));
    auto* more = new QToolButton;
    more->setIcon(look::icon(QStringLiteral("folder-open")));
    more->setAccessibleName(tr("Choose the file"));
    file->addWidget(more);
    form->addRow(tr("File"), file);
    for (QLineEdit* e : {m_first, m_last, m_fps, m_tolerance}) e->setFont(look::figureFont());
    all->addLayout(form);
    auto* row = new QHBoxLayout;
    m_bake->setObjectName(QStringLiteral("main"));
    row->addWidget(m_bake, 1);
    row->addWidget(m_cancel);
    all->addSpacing(8);
    all->addLayout(row);
    m_progress->setRange(0, 100);
    all->addWidget(m_progress);
    // However much there is to tell, the fields keep their height: words have what is left, and go on under it.
    auto* words = new QWidget;
    auto* told = new QVBoxLayout(words);
    told->setContentsMargins(0, 4, 0, 0);
    m_plan->setWordWrap(true);
    m_plan->setObjectName(QStringLiteral("soft"));
    m_plan->setAccessibleName(tr("What will be written"));
    told->addWidget(m_plan);
    m_outcome->setWordWrap(true);
    m_outcome->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_outcome->setAccessibleName(tr("What was written"));
    told->addWidget(m_outcome);
    told->addStretch(1);
    auto* scroll = new QScrollArea;
    scroll->setObjectName(QStringLiteral("sheet"));
    words->setObjectName(QStringLiteral("sheet"));
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(words);
    all->addWidget(scroll, 1);
    connect(more, &QToolButton::clicked, this, &HandOff::browse);
    connect(m_bake, &QPushButton::clicked, this, &HandOff::bake);
    connect(m_cancel, &QPushButton::clicked, this, [this] {
        m_asked.ask();
        m_cancel->setEnabled(false);
        say(tr("Stopping…"), false);
    });
    connect(m_actor, &QComboBox::activated, this, [this] {
        m_shown.clear();
        refresh();
    });
    connect(&document, &Document::sceneChanged, this, &HandOff::refresh);
    for (QLineEdit* e : {m_first, m_last, m_fps, m_tolerance, m_beside})
        connect(e, &QLineEdit::textChanged, this, &HandOff::plan);
    connect(m_file, &QLineEdit::textChanged, this, &HandOff::plan);
    connect(m_clip, &QComboBox::currentIndexChanged, this, &HandOff::plan);
    connect(&m_planner, &NewestWins::failed, this, [this](const QString& sentence) { m_plan->setText(sentence); });
    connect(&m_runner, &NewestWins::failed, this, [this](const QString& sentence) {
        setBusy(false);
        say(sentence, true);
        Q_EMIT finished(false);
    });
    setBusy(false);
    refresh();
}

void HandOff::setBusy(bool busy) {
    m_busy = busy;
    m_bake->setEnabled(!busy && !m_document.scene().actors.empty());
    m_cancel->setVisible(busy);
    m_cancel->setEnabled(busy);
    m_progress->setVisible(busy);
    m_progress->setValue(0);
}

void HandOff::say(const QString& text, bool bad) {
    m_outcome->setStyleSheet(QStringLiteral("color: %1;").arg((bad ? look::theme().brick : look::theme().ink).name()));
    m_outcome->setText(text);
}

void HandOff::refresh() {
    // The fields are laid out anew only when what there is to hand off changed, so that typed values stay.
    const scene::Scene& s = m_document.scene();
    QString now;
    for (const scene::ActorEntry& a : s.actors)
        now += QString::fromStdString(a.id + a.file) + QStringLiteral("/%1;").arg(a.actor->clips.size());
    now += QString::number(s.shot().fps) + QString::fromStdString(s.shot().id);
    for (const scene::Shot& shot : s.shots) now += QString::fromStdString(shot.id + shot.name);
    if (now == m_shown) plan();
    if (now == m_shown) return;
    m_shown = now;
    const int chosen = std::max(0, m_actor->currentIndex());
    m_actor->clear();
    // Set pieces come last: they go out only when they are asked for.
    for (const bool pieces : {false, true})
        for (const scene::ActorEntry& a : s.actors)
            if (a.isPiece() == pieces) m_actor->addItem(QString::fromStdString(a.name), QString::fromStdString(a.id));
    m_actor->setCurrentIndex(std::min(chosen, m_actor->count() - 1));
    m_clip->clear();
    m_bake->setEnabled(!s.actors.empty() && !m_busy);
    if (s.actors.empty()) return;
    const scene::ActorEntry& a = *s.actor(m_actor->currentData().toString().toStdString());
    // What is on show first, then the other shots that the actor leads, then all of them.
    const auto addShot = [&](const scene::Shot& shot) {
        m_clip->addItem(QString::fromStdString(shot.name), QString::fromStdString(shot.id));
    };
    if (!s.shots.empty()) addShot(s.shot());
    int led = 0;
    for (const scene::Shot& shot : s.shots)
        if (shot.lead == a.id) {
            ++led;
            if (shot.id != s.shot().id) addShot(shot);
        }
    if (s.shots.empty()) m_clip->addItem(tr("Rest pose"), QString());
    if (led > 1) m_clip->addItem(tr("All %1 shots").arg(led), QString());
    m_first->setPlaceholderText(tr("first"));
    m_last->setPlaceholderText(tr("last"));
    m_fps->setText(QString::number(s.shot().fps));
    const auto withFile = std::find_if(s.actors.begin(), s.actors.end(), [](const auto& e) { return !e.isPiece(); });
    const QFileInfo source(QString::fromStdString(a.isPiece() && withFile != s.actors.end() ? withFile->file : a.file));
    m_file->setText(source.dir().filePath(
        (a.isPiece() ? QString::fromStdString(a.id) : source.completeBaseName()) + QStringLiteral("-motion.") +
        (source.suffix().toLower() == QLatin1String("gltf") ? QStringLiteral("gltf") : QStringLiteral("glb"))));
    m_outcome->clear();
    plan();
}

void HandOff::browse() {
    const QString path = QFileDialog::getSaveFileName(this, tr("Hand off to"), m_file->text(), tr("Motion (*.glb *.gltf *.bvh)"));
    if (!path.isEmpty()) m_file->setText(path);
}

std::optional<pipeline::BakeOptions> HandOff::options(bool aloud) {
    pipeline::BakeOptions o;
    o.actor = m_actor->currentData().toString().toStdString();
    if (const QString shot = m_clip->currentData().toString(); !shot.isEmpty()) o.shot = shot.toStdString();
    if (!m_beside->text().trimmed().isEmpty()) o.beside = m_beside->text().trimmed().toStdString();
    const auto fps = arithmetic(m_fps->text()), tolerance = arithmetic(m_tolerance->text());
    if (!fps || *fps < 1 || *fps > 1000) {
        if (aloud) say(tr("Frames a second must lie between 1 and 1000."), true);
        return std::nullopt;
    }
    if (!tolerance || *tolerance < 0) {
        if (aloud) say(tr("The tolerance is a number of degrees, 0 or more."), true);
        return std::nullopt;
    }
    o.fps = *fps;
    o.tolerance = {*tolerance, *tolerance / 0.05 * 0.0001};
    if (!m_first->text().isEmpty() || !m_last->text().isEmpty()) {
        const auto first = arithmetic(m_first->text().isEmpty() ? QStringLiteral("1") : m_first->text()),
                   last = arithmetic(m_last->text().isEmpty() ? QString::number(m_document.frames()) : m_last->text());
        const auto from = first ? whole(*first, 1, kLastFrame) : std::nullopt,
                   to = last ? whole(*last, 1, kLastFrame) : std::nullopt;
        if (!from || !to || *to < *from) {
            if (aloud) say(tr("The frames are two numbers, the first not after the last."), true);
            return std::nullopt;
        }
        o.firstFrame = *from;
        o.lastFrame = *to;
    }
    return o;
}

QString HandOff::wordsOf(const pipeline::BakeReport& report, const scene::ActorEntry& actor) {
    QStringList lines;
    for (const auto& c : report.clips) {
        const QString name = QString::fromStdString(c.name);
        if (c.joints == 0) {
            lines << tr("%1: no layer moves anything; its keys stay as they are.").arg(name);
            continue;
        }
        lines << tr("%1: %2 joints over %3 frames, %4 keys instead of %5, at most %6° and %7 mm off.")
                     .arg(name)
                     .arg(c.joints)
                     .arg(c.frames)
                     .arg(c.keys)
                     .arg(c.framesKeys)
                     .arg(c.errorDeg, 0, 'g', 2)
                     .arg(1000 * actor.actor->metresPerUnit * actor.actor->height * c.errorShare, 0, 'g', 2);
    }
    for (const std::string& w : report.warnings) lines << QString::fromStdString(w);
    return lines.join(u'\n');
}

void HandOff::plan() {
    if (!isVisible() || m_busy || m_document.scene().actors.empty()) return;
    // The last report was about other fields, or another scene.
    m_outcome->clear();
    const auto o = options(false);
    const scene::ActorEntry* a = o ? m_document.scene().actor(o->actor) : nullptr;
    if (!a) {
        m_plan->clear();
        return;
    }
    m_planner.ask([this, scene = m_document.scene(), o = *o, actor = *a](const Cancel& cancel) -> NewestWins::Deliver {
        auto got = std::make_shared<Result<pipeline::BakeReport>>(pipeline::planBake(scene, o, m_planEvaluator, cancel));
        return [this, got, actor] {
            if (!m_busy && m_outcome->text().isEmpty())
                m_plan->setText(got->ok() ? tr("Will be written:\n") + wordsOf(got->value(), actor)
                                          : QString::fromStdString(got->error().text()));
        };
    });
}

void HandOff::showEvent(QShowEvent* e) {
    QWidget::showEvent(e);
    m_shown.clear();
    refresh();
}

void HandOff::bake() {
    const auto o = options(true);
    if (!o) return;
    const QString file = m_file->text();
    setBusy(true);
    say(tr("Baking…"), false);
    m_plan->clear();
    m_asked = Cancel();
    m_runner.ask([this, scene = m_document.scene(), o = *o, file, asked = m_asked](const Cancel&) -> NewestWins::Deliver {
        const auto progress = [this](double p) {
            QMetaObject::invokeMethod(
                this, [this, p] { m_progress->setValue(static_cast<int>(100 * p)); }, Qt::QueuedConnection);
        };
        std::shared_ptr<Result<pipeline::BakeReport>> done;
        try {
            done = std::make_shared<Result<pipeline::BakeReport>>(
                pipeline::bake(scene, o, file.toStdString(), m_evaluator, asked, progress));
        } catch (const Cancelled&) {
            return [this] {
                setBusy(false);
                say(tr("Stopped. Nothing was written."), false);
                Q_EMIT finished(false);
            };
        }
        return [this, done, file, actor = o.actor] {
            setBusy(false);
            if (!done->ok()) {
                say(QString::fromStdString(done->error().text()), true);
                Q_EMIT finished(false);
                return;
            }
            const scene::ActorEntry* a = m_document.scene().actor(actor);
            const QString text =
                tr("Wrote %1, %2 kB.").arg(QFileInfo(file).fileName()).arg((QFileInfo(file).size() + 512) / 1024) +
                (a ? u'\n' + wordsOf(done->value(), *a) : QString());
            say(text, false);
            Q_EMIT finished(true);
        };
    });
}

}  // namespace nutatio::app
