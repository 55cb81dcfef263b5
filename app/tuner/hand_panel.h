// Posing by hand: which joint is in the hand, along whose axes its handles lie, and what can be done with its pose.
#pragma once

#include <QComboBox>
#include <QPushButton>
#include <QToolButton>
#include <QWidget>

#include "app/document/session.h"

namespace nutatio::app {

class HandPanel : public QWidget {
    Q_OBJECT
  public:
    HandPanel(Document& document, Session& session, QWidget* parent = nullptr);
    void refresh();

  Q_SIGNALS:
    void commandWanted(const QString& id);
    void hovered(const QString& help);

  private:
    Document& m_document;
    Session& m_session;
    QComboBox *m_joint, *m_along;
    QToolButton *m_low, *m_keys;
};

}  // namespace nutatio::app
