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

  Q_SIGNALS:
    void finished(bool written);

  private:
    void refresh();
    void browse();
    void bake();
    void say(const QString& text, bool bad);
    void setBusy(bool busy);
    /// What the fields ask for; nothing and a sentence said when a field is wrong.
    std::optional<pipeline::BakeOptions> options();

    Document& m_document;
    QComboBox *m_actor, *m_clip;
    QLineEdit *m_first, *m_last, *m_fps, *m_tolerance, *m_file, *m_beside;
    QPushButton *m_bake, *m_cancel;
    QProgressBar* m_progress;
    QLabel* m_outcome;
    QString m_shown;
    bool m_busy = false;
    pipeline::Evaluator m_evaluator;
    Cancel m_asked;  // whether the bake that runs was asked to stop; what became of it is said when it has ended
    NewestWins m_runner{NewestWins::Patience::None};
};

}  // namespace nutatio::app
