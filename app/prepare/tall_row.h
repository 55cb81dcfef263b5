// How tall a character is: shown, and typed where its file has it in units of its own.
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QWidget>

#include "app/document/session.h"

namespace nutatio::app {

/// Of the actor of the selection, or the first one that is no set piece; hidden where there is none.
class TallRow : public QWidget {
    Q_OBJECT
  public:
    TallRow(Document& document, Session& session, QWidget* parent = nullptr);
    ~TallRow() override;

  Q_SIGNALS:
    void said(const QString& sentence);
    /// It is of another size in the world now.
    void grown();

  private:
    void refresh();
    void typed();

    Document& m_document;
    Session& m_session;
    QLineEdit* m_field;
    QLabel* m_note;
    std::string m_actor;
};

}  // namespace nutatio::app
