#include "app/document/document.h"

#include <signal.h>
#include <unistd.h>

#include <QDir>
#include <QFileInfo>
#include <algorithm>

#include "files/scene_file.h"
#include "pipeline/open.h"

namespace nutatio::app {

namespace {

constexpr std::size_t kMostSteps = 500;

ResultsPtr resultsOf(const scene::Scene& scene, pipeline::Evaluator& evaluator, const Cancel& cancel, const Progress& progress) {
    auto r = std::make_shared<Results>();
    r->evaluation = evaluator.evaluate(scene, cancel, progress);
    for (const scene::ActorEntry& a : scene.actors) {
        r->grids.push_back(scene.grid(a));
        for (const pipeline::LayerResult& l : r->evaluation.actor(a.id)->layers)
            if (l.below != l.result) r->traces[l.id] = measure::trace(*a.actor, *l.below, *l.result);
    }
    return r;
}

}  // namespace

Document::Document(QObject* parent) : QObject(parent) {
    m_keepTimer.setSingleShot(true);
    m_keepTimer.setInterval(1500);
    connect(&m_keepTimer, &QTimer::timeout, this, &Document::keepNow);
    connect(&m_runner, &NewestWins::busyChanged, this, [this](bool busy) {
        if (!busy) Q_EMIT simulating(-1);
    });
}

Document::~Document() {
    if (!m_keepFile.isEmpty()) QFile::remove(m_keepFile);
}

void Document::edit(const QString& name, const std::function<void(scene::Scene&)>& change, const QString& gesture) {
    scene::Scene next = m_scene;
    change(next);
    const bool goesOn = !gesture.isEmpty() && m_at > 0 && m_at == m_history.size() && m_history.back().gesture == gesture;
    m_history.resize(m_at);
    if (goesOn) {
        m_history.back().after = next;
    } else {
        m_history.push_back({name, gesture, m_scene, next});
        if (m_history.size() > kMostSteps) m_history.erase(m_history.begin());
        m_at = m_history.size();
    }
    m_modified = true;
    put(std::move(next));
}

void Document::undo() {
    if (!canUndo()) return;
    m_modified = true;
    m_history[m_at - 1].gesture.clear();
    put(m_history[--m_at].before);
}

void Document::redo() {
    if (!canRedo()) return;
    m_modified = true;
    put(m_history[m_at++].after);
}

void Document::put(scene::Scene scene) {
    m_scene = std::move(scene);
    if (!m_keepFile.isEmpty() && m_modified) m_keepTimer.start();
    evaluate();
    Q_EMIT sceneChanged();
    Q_EMIT historyChanged();
}

void Document::replaceAll(scene::Scene scene, const QString& path, bool modified) {
    m_history.clear();
    m_at = 0;
    m_path = path;
    m_modified = modified;
    m_results.reset();
    put(std::move(scene));
}

void Document::open(const QString& path) {
    Q_EMIT opening(QFileInfo(path).fileName());
    m_opener.ask([this, path](const Cancel& cancel) -> NewestWins::Deliver {
        auto got = std::make_shared<Result<pipeline::Opened>>(pipeline::open(path.toStdString()));
        if (cancel.asked()) throw Cancelled{};
        return [this, path, got] {
            if (!got->ok()) {
                Q_EMIT failed(QString::fromStdString(got->error().text()));
                return;
            }
            QStringList warnings;
            for (const std::string& w : got->value().warnings) warnings << QString::fromStdString(w);
            replaceAll(std::move(got->value().scene), got->value().isScene ? path : QString(), false);
            Q_EMIT opened(warnings);
        };
    });
}

void Document::bringIn(const QString& path) {
    Q_EMIT opening(QFileInfo(path).fileName());
    m_opener.ask([this, path](const Cancel& cancel) -> NewestWins::Deliver {
        auto got = std::make_shared<Result<std::shared_ptr<const rig::Actor>>>(files::readActor(path.toStdString()));
        if (cancel.asked()) throw Cancelled{};
        return [this, got] {
            if (!got->ok()) {
                Q_EMIT failed(QString::fromStdString(got->error().text()));
                return;
            }
            QStringList warnings;
            for (const std::string& w : got->value()->warnings) warnings << QString::fromStdString(w);
            edit(tr("Bring in %1").arg(QString::fromStdString(got->value()->name)),
                 [&](scene::Scene& s) { files::addActor(s, got->value()); });
            Q_EMIT opened(warnings);
        };
    });
}

bool Document::save(const QString& path) {
    const auto saved = files::writeScene(m_scene, path.toStdString());
    if (!saved) {
        Q_EMIT failed(QString::fromStdString(saved.error().text()));
        return false;
    }
    m_path = path;
    m_modified = false;
    m_keepTimer.stop();
    if (!m_keepFile.isEmpty()) QFile::remove(m_keepFile);
    Q_EMIT historyChanged();
    return true;
}

QString Document::title() const {
    if (!m_path.isEmpty()) return QFileInfo(m_path).completeBaseName();
    return m_scene.actors.empty() ? QString() : QString::fromStdString(m_scene.actors.front().name);
}

int Document::frames() const {
    int n = 1;
    for (const scene::ActorEntry& a : m_scene.actors) n = std::max(n, m_scene.grid(a).frames);
    return n;
}

void Document::evaluate() {
    m_upToDate = false;
    m_runner.ask([this, scene = m_scene](const Cancel& cancel) -> NewestWins::Deliver {
        const auto tell = [this](double share) {
            QMetaObject::invokeMethod(
                this, [this, share] { Q_EMIT simulating(share); }, Qt::QueuedConnection);
        };
        ResultsPtr r = resultsOf(scene, m_evaluator, cancel, tell);
        return [this, r] {
            m_results = r;
            m_upToDate = !m_runner.busy();
            Q_EMIT resultsChanged();
        };
    });
}

void Document::keepAgainstCrash(const QString& folder) {
    QDir().mkpath(folder);
    m_keepFile = folder + QStringLiteral("/unsaved-%1.nutatio").arg(getpid());
}

void Document::keepNow() {
    // The kept file lies elsewhere than the actors: writeScene's relative references still lead to them.
    if (m_modified) (void)files::writeScene(m_scene, m_keepFile.toStdString());
}

QString Document::leftBehind(const QString& folder) {
    const QFileInfoList found = QDir(folder).entryInfoList({QStringLiteral("unsaved-*.nutatio")}, QDir::Files, QDir::Time);
    for (const QFileInfo& f : found) {
        const qint64 pid = f.completeBaseName().mid(8).toLongLong();
        if (pid > 0 && pid != getpid() && kill(static_cast<pid_t>(pid), 0) != 0) return f.filePath();
    }
    return {};
}

void Document::recover(const QString& file) {
    auto got = pipeline::open(file.toStdString());
    if (!got) {
        Q_EMIT failed(QString::fromStdString(got.error().text()));
        return;
    }
    replaceAll(std::move(got.value().scene), {}, true);
    keepNow();
    QFile::remove(file);
    Q_EMIT opened({});
}

}  // namespace nutatio::app
