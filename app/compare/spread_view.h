// A spread in place of the stage: its cells play at once, and a click adopts one.
#pragma once

#include <QLabel>
#include <QTimer>

#include "app/compare/panes.h"
#include "app/document/aside.h"

namespace nutatio::app {

class SpreadView : public QWidget {
    Q_OBJECT
  public:
    SpreadView(Document& document, Session& session, Stage& stage, QWidget* parent = nullptr);
    Panes* panes() const { return m_panes; }
    /// All cells move as they are set.
    bool moving() const;
    /// And are measured.
    bool ready() const;
    std::size_t bytes() const { return m_aside.bytes(); }

  Q_SIGNALS:
    void said(const QString& sentence);

  private:
    void makeCells();
    void layPanes();
    void measureNext();
    void adopt(int cell);
    /// The layer whose answer to a push stands at the foot of the cells.
    std::string measuredLayer() const;

    struct Cell {
        std::shared_ptr<const scene::Scene> scene;
        QString words, figures;
        bool measured = false;
    };

    Document& m_document;
    Session& m_session;
    Aside m_aside;
    Panes* m_panes;
    QLabel* m_title;
    QTimer m_settle;  // until the scene has stopped changing
    std::vector<Cell> m_cells;
    scene::Scene m_of;  // that they were made of
    edit::Spread m_laid;
    NewestWins m_measurer{NewestWins::Patience::None};  // last: its thread ends before what it uses
};

}  // namespace nutatio::app
