// Takes beside one another in place of the stage: in step, through one camera, with one plot of a joint.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QPushButton>

#include "app/compare/panes.h"
#include "app/compare/take_plot.h"
#include "app/document/aside.h"

namespace nutatio::app {

class CompareView : public QWidget {
    Q_OBJECT
  public:
    CompareView(Document& document, Session& session, Stage& stage, QWidget* parent = nullptr);
    Panes* panes() const { return m_panes; }
    TakePlot* plot() const { return m_plot; }
    /// The joint that is plotted, as people read it.
    QString joint() const { return m_joint->text(); }
    QPushButton* sideBySide() const { return m_side; }
    QPushButton* overEachOther() const { return m_over; }
    QComboBox* what() const { return m_what; }
    /// Everything that is to be seen is there.
    bool ready() const;

    /// The colour of what stands at a place in the comparison.
    static QColor colourOf(std::size_t place, const std::string& id);

  Q_SIGNALS:
    void said(const QString& sentence);

  private:
    void refresh();
    void layPanes();
    void layPlot();
    std::shared_ptr<const pipeline::Evaluation> evaluationOf(const std::string& id) const;
    std::shared_ptr<const scene::Scene> sceneOf(const std::string& id) const;

    Document& m_document;
    Session& m_session;
    Aside m_aside;
    Panes* m_panes;
    TakePlot* m_plot;
    QLabel* m_joint;
    QPushButton *m_side, *m_over;
    QComboBox* m_what;
    NewestWins m_plotter{NewestWins::Patience::None};  // last: its thread ends before what it uses
};

}  // namespace nutatio::app
