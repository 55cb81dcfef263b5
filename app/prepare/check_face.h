// A face of Prepare: what is wrong with the rig, worst first, and what mends it; and what is still stiff.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QSet>
#include <QVBoxLayout>
#include <QWidget>

#include "app/document/session.h"
#include "app/prepare/checker.h"

namespace nutatio::app {

/// One finding: a click shows it on the stage.
class FindingRow : public QWidget {
    Q_OBJECT
  public:
    FindingRow(measure::Finding finding, bool seen, QWidget* parent = nullptr);
    const measure::Finding& finding() const { return m_finding; }
    void setChosen(bool on);

  Q_SIGNALS:
    void chosen();
    void repairWanted();
    void leaveWanted(bool leave);

  protected:
    void mousePressEvent(QMouseEvent* e) override;
    void keyPressEvent(QKeyEvent* e) override;
    void paintEvent(QPaintEvent*) override;

  private:
    measure::Finding m_finding;
    bool m_seen, m_isChosen = false;
};

class CheckFace : public QWidget {
    Q_OBJECT
  public:
    CheckFace(Document& document, Session& session, Checker& checker, QWidget* parent = nullptr);
    QList<FindingRow*> rows() const { return m_rows; }
    void refresh() { rebuild(); }

  Q_SIGNALS:
    void titleChanged(const QString& title);
    void said(const QString& sentence);
    void commandWanted(const QString& id);

  private:
    void rebuild();
    void addStiff(QVBoxLayout* rows);
    void addRow(const measure::Finding& f, bool seen);
    void show(const measure::Finding& f);
    void repair(const measure::Finding& f);
    void leave(const measure::Finding& f, bool on);

    Document& m_document;
    Session& m_session;
    Checker& m_checker;
    QVBoxLayout* m_layout;
    QWidget* m_list = nullptr;
    QList<FindingRow*> m_rows;
    QSet<QString> m_open;  // kinds of which all are shown
    bool m_showSeen = false, m_allStiff = false;
    QString m_chosen;
};

}  // namespace nutatio::app
