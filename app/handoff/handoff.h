// Hand-off: which clip, which frames, how finely, into which file; with progress and cancel.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QWidget>

#include "app/document/document.h"
#include "pipeline/bake.h"

namespace nutatio::app {

class HandOff : public QWidget {
    Q_OBJECT
  public:
    explicit HandOff(Document& document, QWidget* parent = nullptr);
    ~HandOff() override { m_asked.ask(); }
    QLineEdit* file() const { return m_file; }
    QPushButton* bakeButton() const { return m_bake; }
    QPushButton* cancelButton() const { return m_cancel; }
    QLabel* outcome() const { return m_outcome; }
    bool busy() const { return m_busy; }
    /// What is said before anything is written.
    QString planned() const { return m_plan->text(); }

  Q_SIGNALS:
    void finished(bool written);

  protected:
    void showEvent(QShowEvent* e) override;

  private:
    void refresh();
    /// Says what would be written now.
    void plan();
    static QString wordsOf(const pipeline::BakeReport& report, const scene::ActorEntry& actor);
    void browse();
    void bake();
    void say(const QString& text, bool bad);
    void setBusy(bool busy);
    /// What the fields ask for; nothing when one is wrong, and a sentence said of it `aloud`.
    std::optional<pipeline::BakeOptions> options(bool aloud);

    Document& m_document;
    QComboBox *m_actor, *m_clip;
    QLineEdit *m_first, *m_last, *m_fps, *m_tolerance, *m_file, *m_beside;
    QPushButton *m_bake, *m_cancel;
    QProgressBar* m_progress;
    QLabel *m_outcome, *m_plan;
    QString m_shown;
    bool m_busy = false;
    pipeline::Evaluator m_evaluator, m_planEvaluator;
    Cancel m_asked;  // whether the bake that runs was asked to stop; what became of it is said when it has ended
    NewestWins m_runner{NewestWins::Patience::None}, m_planner{NewestWins::Patience::None};
};

}  // namespace nutatio::app
