#include "app/handoff/handoff.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/look/theme.h"
#include "app/widgets/arithmetic.h"

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
      m_outcome(new QLabel) {
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
    form->addRow(tr("Clip"), named(m_clip, tr("Clip to bake")));
    m_beside->setPlaceholderText(tr("replace the clip"));
    m_beside->setToolTip(tr("With a name here a new clip is written beside the source's, which stays as it is"));
    form->addRow(tr("New name"), named(m_beside, tr("Name of the new clip")));
    auto* range = new QHBoxLayout;
    range->addWidget(named(m_first, tr("First frame")));
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
    m_outcome->setWordWrap(true);
    m_outcome->setTextInteractionFlags(Qt::TextSelectableByMouse);
    all->addWidget(m_outcome);
    all->addStretch(1);
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
    now += QString::number(s.shot().fps);
    if (now == m_shown) return;
    m_shown = now;
    const int chosen = std::max(0, m_actor->currentIndex());
    m_actor->clear();
    for (const scene::ActorEntry& a : s.actors) m_actor->addItem(QString::fromStdString(a.name), QString::fromStdString(a.id));
    m_actor->setCurrentIndex(std::min(chosen, m_actor->count() - 1));
    m_clip->clear();
    m_bake->setEnabled(!s.actors.empty() && !m_busy);
    if (s.actors.empty()) return;
    const scene::ActorEntry& a = s.actors[static_cast<std::size_t>(m_actor->currentIndex())];
    m_clip->addItem(a.actor->clips.empty() ? tr("Rest pose") : tr("All clips"), QString());
    for (std::size_t c = 0; c < a.actor->clips.size(); ++c) {
        const std::string& name = a.actor->clips[c].name;
        const bool named = !name.empty() && a.actor->findClip(name) == static_cast<int>(c);
        m_clip->addItem(QString::fromStdString(a.actor->clipLabel(static_cast<int>(c))),
                        named ? QString::fromStdString(name) : QStringLiteral("#%1").arg(c));
    }
    m_first->setPlaceholderText(tr("first"));
    m_last->setPlaceholderText(tr("last"));
    m_fps->setText(QString::number(s.shot().fps));
    const QFileInfo source(QString::fromStdString(a.file));
    m_file->setText(source.dir().filePath(
        source.completeBaseName() + QStringLiteral("-motion.") +
        (source.suffix().toLower() == QLatin1String("gltf") ? QStringLiteral("gltf") : QStringLiteral("glb"))));
    m_outcome->clear();
}

void HandOff::browse() {
    const QString path = QFileDialog::getSaveFileName(this, tr("Hand off to"), m_file->text(), tr("Motion (*.glb *.gltf *.bvh)"));
    if (!path.isEmpty()) m_file->setText(path);
}

std::optional<pipeline::BakeOptions> HandOff::options() {
    pipeline::BakeOptions o;
    o.actor = m_actor->currentData().toString().toStdString();
    if (const QString clip = m_clip->currentData().toString(); !clip.isEmpty()) o.clip = clip.toStdString();
    if (!m_beside->text().trimmed().isEmpty()) o.beside = m_beside->text().trimmed().toStdString();
    const auto fps = arithmetic(m_fps->text()), tolerance = arithmetic(m_tolerance->text());
    if (!fps || *fps < 1 || *fps > 1000) {
        say(tr("Frames a second must lie between 1 and 1000."), true);
        return std::nullopt;
    }
    if (!tolerance || *tolerance < 0) {
        say(tr("The tolerance is a number of degrees, 0 or more."), true);
        return std::nullopt;
    }
    o.fps = *fps;
    o.tolerance = {*tolerance, *tolerance / 0.05 * 0.0001};
    if (!m_first->text().isEmpty() || !m_last->text().isEmpty()) {
        const auto first = arithmetic(m_first->text().isEmpty() ? QStringLiteral("1") : m_first->text()),
                   last = arithmetic(m_last->text().isEmpty() ? QString::number(m_document.frames()) : m_last->text());
        if (!first || !last || *first < 1 || *last < *first) {
            say(tr("The frames are two numbers, the first not after the last."), true);
            return std::nullopt;
        }
        o.firstFrame = static_cast<int>(*first);
        o.lastFrame = static_cast<int>(*last);
    }
    return o;
}

void HandOff::bake() {
    const auto o = options();
    if (!o) return;
    const QString file = m_file->text();
    setBusy(true);
    say(tr("Baking…"), false);
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
        return [this, done, file] {
            setBusy(false);
            if (!done->ok()) {
                say(QString::fromStdString(done->error().text()), true);
                Q_EMIT finished(false);
                return;
            }
            int keys = 0, every = 0, joints = 0;
            for (const auto& c : done->value().clips) {
                keys += c.keys;
                every += c.framesKeys;
                joints = std::max(joints, c.joints);
            }
            QString text = tr("Wrote %1: %2 joints moved, %3 keys where a key on every frame would be %4.")
                               .arg(QFileInfo(file).fileName())
                               .arg(joints)
                               .arg(keys)
                               .arg(every);
            for (const std::string& w : done->value().warnings) text += u'\n' + QString::fromStdString(w);
            say(text, false);
            Q_EMIT finished(true);
        };
    });
}

}  // namespace nutatio::app
