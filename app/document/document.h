// The open scene, its history, and what evaluation made of it.
#pragma once

#include <QObject>
#include <QString>
#include <QTimer>
#include <deque>
#include <functional>
#include <memory>
#include <optional>

#include "app/document/keeper.h"
#include "app/document/newest_wins.h"
#include "measure/seam.h"
#include "measure/trace.h"
#include "pipeline/evaluate.h"
#include "scene/change.h"
#include "scene/scene.h"

namespace nutatio::app {

/// What an evaluation of the scene gave, with the traces of its lanes.
struct Results {
    pipeline::Evaluation evaluation;
    std::map<std::string, std::shared_ptr<const measure::Trace>> traces;  // by layer id
    std::map<std::string, Key> traceKeys;                                 // of the motion that they show
    std::map<std::string, measure::Seam> seams;                           // by actor, of a shot that may go round
    int frames = 1;
    double fps = 24;
};
using ResultsPtr = std::shared_ptr<const Results>;

/// Owns the Scene; every change goes through `edit`. Does not own selection, play-head or zoom: those are the Session's.
class Document : public QObject {
    Q_OBJECT
  public:
    explicit Document(QObject* parent = nullptr);
    ~Document() override;

    const scene::Scene& scene() const { return m_scene; }
    /// Changes the scene as one step of history. Edits with the same non-empty gesture token, one after the other, are one step.
    void edit(const QString& name, const std::function<void(scene::Scene&)>& change, const QString& gesture = {});
    bool canUndo() const { return m_at > 0; }
    bool canRedo() const { return m_at < m_history.size(); }
    QString undoName() const { return canUndo() ? m_history[m_at - 1].name : QString(); }
    QString redoName() const { return canRedo() ? m_history[m_at].name : QString(); }
    void undo();
    void redo();
    /// Puts an actor on a trial. Trying out is no work: it enters no history, marks nothing modified and stays through an undo.
    void tryOut(const std::string& actor, const rig::Trial& trial);

    /// Opens a scene or an actor off the interface's thread; `opened` or `failed` follows. What is open stays until then; of two
    /// files asked for one after the other only the later one is shown. Edits made while it loads are not lost: then `meanwhile`
    /// decides.
    void open(const QString& path);
    /// Asked when a file is ready that would replace edits made since it was asked for: (file, what replaces them).
    std::function<void(const QString& file, const std::function<void()>& replace)> meanwhile;
    /// Called just before another scene takes the place of this one.
    std::function<void()> beforeReplacing;
    /// Adds an actor to the open scene, the same way; several come one after the other.
    void bringIn(const QString& path);
    void stopOpening();
    /// False and a sentence through `failed` when it could not be written.
    bool save(const QString& path);
    /// The scene's own file is not as it was opened or saved last: somebody else has written it.
    bool changedOnDisk() const;
    const QString& path() const { return m_path; }
    QString title() const;
    bool isModified() const { return m_savedAt != m_at; }

    /// The newest finished evaluation; its motion may be a moment behind the scene.
    const ResultsPtr& results() const { return m_results; }
    bool upToDate() const { return m_upToDate; }
    /// Gives up the evaluation that runs; the motion on show stays the older one until the next edit.
    void stopSimulating() { m_runner.stop(); }
    int frames() const;
    pipeline::Evaluator& evaluator() { return m_evaluator; }

    /// Where unsaved work of this process is kept against a crash; empty switches that off.
    void keepAgainstCrash(const QString& folder);
    void recover(const QString& file);

  Q_SIGNALS:
    void sceneChanged(const scene::Change& change);
    void resultsChanged();
    /// How much of the running evaluation is done (0..1); a negative share when it has ended or was given up.
    void simulating(double share);
    void historyChanged();
    /// Another scene was opened: nothing that was known of the one before holds.
    void replaced();
    void opened(const QStringList& warnings);
    void opening(const QString& file);
    void failed(const QString& sentence);
    /// Something was to be changed that edit::whyNot forbids: nothing was.
    void refused(const QString& sentence);

  private:
    struct Step {
        QString name, gesture;
        scene::Scene before, after;
    };
    void put(scene::Scene scene, bool all = false);
    void restore(scene::Scene scene);
    void replaceAll(scene::Scene scene, const QString& path, bool modified);
    void evaluate();
    void bringNext();

    scene::Scene m_scene;
    std::vector<Step> m_history;
    std::size_t m_at = 0;
    std::optional<std::size_t> m_savedAt = 0;  // where in the history the file stands, if anywhere
    std::uint64_t m_revision = 0;              // counts changes, to tell whether there were any
    QString m_path;
    std::optional<Key> m_onDisk;  // what the scene's own file held when it was last read or written
    bool m_upToDate = true;
    std::uint64_t m_evaluation = 0;  // number of the newest one asked for
    ResultsPtr m_results;
    pipeline::Evaluator m_evaluator;
    Keeper m_keeper;
    std::deque<QString> m_toBring;
    NewestWins m_runner, m_opener{NewestWins::Patience::None}, m_bringer{NewestWins::Patience::None};  // last: their threads end
                                                                                                       // before what they use
};

}  // namespace nutatio::app
