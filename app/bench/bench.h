// The Bench: the one window, its commands and its layout.
#pragma once

#include <QElapsedTimer>
#include <QLabel>
#include <QMainWindow>
#include <QMenu>
#include <QProgressBar>
#include <QSplitter>
#include <QStackedWidget>
#include <QToolButton>
#include <functional>

#include "app/bench/notice.h"
#include "app/bench/palette.h"
#include "app/compare/compare_view.h"
#include "app/compare/spread_view.h"
#include "app/curves/curve_view.h"
#include "app/document/document.h"
#include "app/document/newest_wins.h"
#include "app/document/session.h"
#include "app/handoff/handoff.h"
#include "app/roster/roster.h"
#include "app/stage/stage.h"
#include "app/tape/tape.h"
#include "app/tuner/tuner.h"

class QSettings;

namespace nutatio::app {

class Bench : public QMainWindow {
    Q_OBJECT
  public:
    /// `keepFolder`: where unsaved work is kept against a crash; empty keeps none.
    explicit Bench(const QString& keepFolder = {});
    ~Bench() override;

    Document& document() { return m_document; }
    Session& session() { return m_session; }
    Checker& checker() { return m_checker; }
    Stage* stage() const { return m_stage; }
    /// The one beside it, from another side; null before it was asked for.
    Stage* second() const { return m_second; }
    CompareView* compareView() const { return m_compare; }
    SpreadView* spreadView() const { return m_spread; }
    Roster* roster() const { return m_roster; }
    Tape* tape() const { return m_tape; }
    CurveView* curves() const { return m_curves; }
    Tuner* tuner() const { return m_tuner; }
    HandOff* handoff() const { return m_handoff; }
    Notice* notice() const { return m_notice; }
    /// The offer to bring back what a crash left, on a line of its own: nothing else takes its place.
    Notice* recovery() const { return m_recovery; }
    QString hint() const { return m_hint->text(); }
    /// How a file's name is asked for; a test may answer instead of the dialog.
    std::function<QString(const QString& title, const QString& suggested)> askForFile;
    QString statusText() const { return m_status->text(); }
    QAction* action(const QString& id) const { return m_actions.value(id); }

    void open(const QString& path);
    /// How much of the window the tape has [px].
    void setTapeHeight(int height);
    QStringList recentFiles();

  protected:
    void closeEvent(QCloseEvent* e) override;
    void dragEnterEvent(QDragEnterEvent* e) override;
    void dropEvent(QDropEvent* e) override;
    void keyPressEvent(QKeyEvent* e) override;
    void keyReleaseEvent(QKeyEvent* e) override;
    bool eventFilter(QObject* o, QEvent* e) override;
    bool leavesField(QEvent* e);

  private:
    QAction* add(const QString& id, const QString& text, const QKeySequence& key, const QString& icon,
                 const std::function<void()>& act);
    void makeFileCommands();
    void makeEditCommands();
    void makeLayerCommands();
    void makePlayCommands();
    void makeViewCommands();
    QWidget* header();
    QWidget* statusLine();
    QMenu* menu();
    void layOut();
    void refresh();
    void showEvaluation();
    void showProgress(double share);
    void addLayer(const std::string& kind);
    void addLayerToParts(const std::string& kind, const std::vector<edit::Suited>& parts);
    void addCollider(scene::Shape shape);
    void makeRosterCommands();
    void makeTrialCommands();
    void makeTimeCommands();
    void makeHandCommands();
    void makeTakeCommands();
    void makePerformCommands();
    /// What a key does while an actor is walked about; false: nothing.
    bool steer(QEvent* e);
    void goOverGround();
    void keepTake();
    void compare(bool on);
    void spread(bool on);
    void trailJoints();
    void showView();
    void markLoop(scene::Loop loop);
    void touchClip();
    void setDown(std::vector<std::string> layers);
    void addGauge();
    void toPeak(int way);
    void showCurves(bool on);
    void addInterval();
    void removeInterval();
    void toMark(int way);
    void holdOver();
    void groupLayer();
    void showKeyMenu(const QPoint& at);
    void showRulerMenu(const QPoint& at);
    /// The row of the Tuner under the mouse or with the focus; the first that can be keyed when there is none.
    SettingRow* rowInHand() const;
    void writeGauges();
    QList<Palette::Entry> whatCanBeFound();
    /// Greys a command, and says why.
    void allow(const QString& id, bool can, const QString& why);
    void fitColliders();
    void addPiece(const std::string& form);
    void addWind();
    void addPin();
    std::string nameOf(const std::string& actor) const;
    std::string jointName(const Selection& s) const;
    void standInWorld();
    void switchSelected();
    void keyHere();
    void markCut();
    void removeSelected();
    /// What removing a selection takes away, in words; empty where it takes nothing.
    QString removalOf(const Selection& selection) const;
    void duplicateSelected();
    void mirrorSelected();
    void bendTest(bool on);
    void makePrepareCommands();
    void useTool(Stage::Tool tool);
    void showSecond(bool on);
    /// The stage that was clicked last.
    Stage* stageInHand() const { return m_second && m_second->hasFocus() ? m_second : m_stage; }
    void eachStage(const std::function<void(Stage&)>& what);
    const scene::ActorEntry* chosenActor() const;
    /// One step of history, or the sentence that says why not.
    bool attempt(const QString& name, const std::function<Result<Done>(scene::Scene&)>& what, const QString& gesture = {});
    void selectNamed(const std::string& actor, const std::vector<std::string>& joints);
    static std::string freshJoint(const rig::Skeleton& skeleton, const std::string& stem, const char* also);
    void addChain(const Stage::Chain& chain);
    void movePivot(const std::string& actor, int joint, const Vec3& place, const QString& gesture);
    void mirrorJoint();
    void hangOn();
    void removeJoint();
    void lockWeights();
    void paintWeights(bool on);
    void keepStroke(const std::string& actor, const std::string& joint, const rig::Stroke& stroke);
    void addHelper(const Stage::Helper& helper, bool both);
    /// What can be done with the selection.
    void showMenu(const QPoint& at);
    void renameSelected();
    void prepare(const QString& name, const std::string& actor, const rig::Preparation& edit);
    void addEndJoint();
    void moveLayer(int by);
    void toggleLayer(bool solo);
    void openDialog(bool bringIn);
    void save(bool as, const std::function<void()>& then = {});
    void saveTo(const QString& path, const std::function<void()>& then);
    void write(const QString& path, const std::function<void()>& then);
    void say(const QString& sentence);
    /// Runs `then`, after asking when there is unsaved work.
    void guarded(const QString& what, const std::function<void()>& then);
    void offerRecovery();
    /// Kept beside unsaved work; null where nothing is kept.
    QSettings* preferences();
    void remember(const QString& file);
    /// The demo scene that ships with the application; empty when it is not there.
    static QString demoFile();
    static bool isDemo(const QString& path);
    void openDemo();
    void openRecent();

    Document m_document;
    Session m_session;
    Checker m_checker;
    QString m_keepFolder;
    QSettings* m_preferences = nullptr;
    QMap<QString, QAction*> m_actions;
    std::weak_ptr<const scene::Seal> m_toBreak;  // of which it was said what breaking it changes
    QList<QAction*> m_order;
    Stage* m_stage;
    Stage* m_second = nullptr;
    QSplitter* m_stages = nullptr;
    Roster* m_roster;
    HandOff* m_handoff;
    Tuner* m_tuner;
    Tape* m_tape;
    CurveView* m_curves;
    CompareView* m_compare;
    SpreadView* m_spread;
    Notice *m_notice, *m_recovery;
    Palette* m_palette;
    QLabel *m_title = nullptr, *m_status = nullptr, *m_hint = nullptr;
    QProgressBar* m_busy = nullptr;
    QToolButton* m_stop = nullptr;
    QList<QToolButton*> m_steps;
    QSplitter *m_across = nullptr, *m_down = nullptr;
    QStackedWidget* m_middle = nullptr;                     // the bench's panels, or the curves
    bool m_recordingTugs = false;                           // recording switched Tug on
    QVBoxLayout *m_told = nullptr, *m_toldAbove = nullptr;  // where notices stand: above the stage, above the curves
    QStackedWidget* m_views = nullptr;                      // the stages, or what is compared
    QElapsedTimer m_simulatingSince;
    bool m_simulates = false, m_opening = false;
    bool m_closing = false;
    QString m_pivotGesture;
    std::optional<scene::Owner> m_copied;             // whose settings
    QStringList m_left;                               // files that crashed processes left behind
    NewestWins m_setter{NewestWins::Patience::None};  // last: its thread ends before what it uses
};

}  // namespace nutatio::app
