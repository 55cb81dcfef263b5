#include "app/document/document.h"

#include <QFileInfo>
#include <algorithm>

#include "edit/gate.h"
#include "files/bytes.h"
#include "files/scene_file.h"
#include "pipeline/open.h"

namespace nutatio::app {

namespace {

constexpr std::size_t kMostSteps = 1000;

ResultsPtr resultsOf(const scene::Scene& scene, pipeline::Evaluator& evaluator, const ResultsPtr& before, const Cancel& cancel,
                     const Progress& progress) {
    auto r = std::make_shared<Results>();
    r->evaluation = evaluator.evaluate(scene, cancel, progress);
    r->frames = scene.frames(scene.shot());
    r->fps = scene.shot().fps;
    for (const scene::ActorEntry& a : scene.actors) {
        const pipeline::ActorResult& actor = *r->evaluation.actor(a.id);
        const scene::Loop loop = scene.shot().loop;
        const int lap = loop == scene::Loop::Once ? 0 : actor.body->lap(*a.actor);
        if (loop == scene::Loop::Closed || lap > 0)
            r->seams[a.id] = measure::seamOf(*a.actor, lap == r->frames ? actor.result->comeRound() : *actor.result);
        for (std::size_t i = 0; i < actor.layers.size(); ++i) {
            const pipeline::LayerResult& l = actor.layers[i];
            if (l.changed.joints.empty()) continue;
            // Results of an unchanged motion keep what was drawn of them.
            const auto was = before ? before->traces.find(l.id) : decltype(before->traces.begin()){};
            const auto key = before ? before->traceKeys.find(l.id) : decltype(before->traceKeys.begin()){};
            r->traceKeys[l.id] = l.key;
            if (before && was != before->traces.end() && key != before->traceKeys.end() && key->second == l.key)
                r->traces[l.id] = was->second;
            else
                r->traces[l.id] =
                    std::make_shared<const measure::Trace>(measure::trace(*a.actor, *actor.below(i), *actor.below(i + 1)));
        }
    }
    return r;
}

}  // namespace

Document::Document(QObject* parent) : QObject(parent) {
    connect(&m_runner, &NewestWins::busyChanged, this, [this](bool busy) {
        if (!busy) Q_EMIT simulating(-1);
    });
    for (NewestWins* worker : {&m_runner, &m_opener, &m_bringer}) connect(worker, &NewestWins::failed, this, &Document::failed);
    connect(&m_bringer, &NewestWins::failed, this, &Document::bringNext);
}

Document::~Document() = default;

void Document::edit(const QString& name, const std::function<void(scene::Scene&)>& change, const QString& gesture) {
    scene::Scene next = m_scene;
    change(next);
    if (const auto why = edit::whyNot(m_scene, next)) {
        // Views that show the refused change already, a slider, go back to the scene's value.
        scene::Change everything;
        everything.all = true;
        Q_EMIT sceneChanged(everything);
        Q_EMIT refused(tr("Not done: %1.").arg(QString::fromStdString(*why)));
        return;
    }
    const bool goesOn = !gesture.isEmpty() && m_at > 0 && m_at == m_history.size() && m_history.back().gesture == gesture;
    // The saved state can no longer be reached by redo.
    if (m_savedAt && *m_savedAt > m_at) m_savedAt.reset();
    m_history.resize(m_at);
    if (goesOn) {
        m_history.back().after = next;
    } else {
        m_history.push_back({name, gesture, m_scene, next});
        if (m_history.size() > kMostSteps) {
            m_history.erase(m_history.begin());
            if (m_savedAt) m_savedAt = *m_savedAt == 0 ? std::nullopt : std::optional(*m_savedAt - 1);
        }
        m_at = m_history.size();
    }
    put(std::move(next));
}

void Document::undo() {
    if (!canUndo()) return;
    m_history[m_at - 1].gesture.clear();
    restore(m_history[--m_at].before);
}

void Document::redo() {
    if (!canRedo()) return;
    restore(m_history[m_at++].after);
}

void Document::restore(scene::Scene scene) {
    // Trials are not part of the history: each actor stays on the one that it is on.
    for (std::size_t i = 0; i < scene.actors.size(); ++i) {
        const scene::ActorEntry* now = std::as_const(m_scene).actor(scene.actors[i].id);
        const rig::Trial trial = now ? now->trial : rig::Trial{};
        if (!(scene.actors[i].trial == trial)) scene.actors.edit(i).trial = trial;
    }
    put(std::move(scene));
}

void Document::tryOut(const std::string& actor, const rig::Trial& trial) {
    scene::Scene next = m_scene;
    if (scene::ActorEntry* a = next.actor(actor)) a->trial = trial;
    const scene::Change change = scene::changeBetween(m_scene, next);
    m_scene = std::move(next);
    evaluate();
    Q_EMIT sceneChanged(change);
}

void Document::put(scene::Scene scene, bool all) {
    scene::Change change = scene::changeBetween(m_scene, scene);
    change.all = all;
    m_scene = std::move(scene);
    ++m_revision;
    if (isModified())
        m_keeper.keep(m_scene);
    else
        m_keeper.forget();
    evaluate();
    Q_EMIT sceneChanged(change);
    Q_EMIT historyChanged();
}

void Document::replaceAll(scene::Scene scene, const QString& path, bool modified) {
    m_history.clear();
    m_at = 0;
    m_savedAt = modified ? std::nullopt : std::optional<std::size_t>(0);
    m_path = path;
    m_keeper.belongsTo(path);
    m_onDisk = path.isEmpty() ? std::nullopt : files::contentOf(path.toStdString());
    m_results.reset();
    m_toBring.clear();
    m_bringer.stop();
    m_scene = {};
    Q_EMIT replaced();
    put(std::move(scene), true);
}

void Document::open(const QString& path) {
    Q_EMIT opening(QFileInfo(path).fileName());
    m_opener.ask([this, path, revision = m_revision](const Cancel& cancel) -> NewestWins::Deliver {
        auto got = std::make_shared<Result<pipeline::Opened>>(pipeline::open(path.toStdString()));
        if (cancel.asked()) throw Cancelled{};
        return [this, path, revision, got] {
            if (!got->ok()) {
                Q_EMIT failed(QString::fromStdString(got->error().text()));
                return;
            }
            const auto show = [this, path, got] {
                QStringList warnings;
                for (const std::string& w : got->value().warnings) warnings << QString::fromStdString(w);
                replaceAll(std::move(got->value().scene), got->value().isScene ? path : QString(), false);
                Q_EMIT opened(warnings);
            };
            if (beforeReplacing) beforeReplacing();
            if (m_revision != revision && isModified() && meanwhile)
                meanwhile(QFileInfo(path).fileName(), show);
            else
                show();
        };
    });
}

void Document::bringIn(const QString& path) {
    Q_EMIT opening(QFileInfo(path).fileName());
    m_toBring.push_back(path);
    if (m_toBring.size() == 1) bringNext();
}

void Document::bringNext() {
    if (m_toBring.empty()) return;
    m_bringer.ask([this, path = m_toBring.front()](const Cancel& cancel) -> NewestWins::Deliver {
        auto got = std::make_shared<Result<std::shared_ptr<const rig::Actor>>>(files::readActor(path.toStdString()));
        if (cancel.asked()) throw Cancelled{};
        return [this, got] {
            m_toBring.pop_front();
            if (!got->ok()) {
                Q_EMIT failed(QString::fromStdString(got->error().text()));
            } else {
                QStringList warnings;
                for (const std::string& w : got->value()->warnings) warnings << QString::fromStdString(w);
                edit(tr("Bring in %1").arg(QString::fromStdString(got->value()->name)),
                     [&](scene::Scene& s) { files::addActor(s, got->value()); });
                Q_EMIT opened(warnings);
            }
            bringNext();
        };
    });
}

void Document::stopOpening() {
    m_opener.stop();
    m_toBring.clear();
    m_bringer.stop();
}

bool Document::save(const QString& path) {
    const auto saved = files::writeScene(m_scene, path.toStdString());
    if (!saved) {
        Q_EMIT failed(QString::fromStdString(saved.error().text()));
        return false;
    }
    m_path = path;
    m_keeper.belongsTo(path);
    m_onDisk = files::contentOf(path.toStdString());
    m_savedAt = m_at;
    // The next edit is an undo step of its own, even within one gesture: undo leads back to the saved scene.
    if (m_at > 0) m_history[m_at - 1].gesture.clear();
    m_keeper.forget();
    Q_EMIT historyChanged();
    return true;
}

bool Document::changedOnDisk() const {
    return !m_path.isEmpty() && QFileInfo::exists(m_path) && files::contentOf(m_path.toStdString()) != m_onDisk;
}

QString Document::title() const {
    if (!m_path.isEmpty()) return QFileInfo(m_path).completeBaseName();
    return m_scene.actors.empty() ? QString() : QString::fromStdString(m_scene.actors.front().name);
}

int Document::frames() const {
    return m_scene.actors.empty() ? 1 : m_scene.frames(m_scene.shot());
}

void Document::evaluate() {
    m_upToDate = false;
    m_runner.ask(
        [this, number = ++m_evaluation, scene = m_scene, before = m_results](const Cancel& cancel) -> NewestWins::Deliver {
            const auto tell = [this](double share) {
                QMetaObject::invokeMethod(
                    this, [this, share] { Q_EMIT simulating(share); }, Qt::QueuedConnection);
            };
            ResultsPtr r = resultsOf(scene, m_evaluator, before, cancel, tell);
            return [this, number, r] {
                m_results = r;
                // A newer one may be finished already and on its way: to be idle is not to be the newest.
                m_upToDate = number == m_evaluation;
                Q_EMIT resultsChanged();
            };
        });
}

void Document::keepAgainstCrash(const QString& folder) {
    m_keeper.start(folder);
}

void Document::recover(const QString& file) {
    auto got = pipeline::open(file.toStdString());
    if (!got) {
        Q_EMIT failed(QString::fromStdString(got.error().text()));
        return;
    }
    QStringList warnings;
    for (const std::string& w : got.value().warnings) warnings << QString::fromStdString(w);
    replaceAll(std::move(got.value().scene), {}, true);
    // The old file goes only when the work is safely in this process's own.
    if (m_keeper.keepNow()) Keeper::discard(file);
    Q_EMIT opened(warnings);
}

}  // namespace nutatio::app
