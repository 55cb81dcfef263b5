// A page of the Tuner: Prepare, one face at a time.
#pragma once

#include <QMap>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>

#include "app/document/session.h"
#include "app/prepare/check_face.h"

namespace nutatio::app {

class PreparePage : public QWidget {
    Q_OBJECT
  public:
    PreparePage(Document& document, Session& session, Checker& checker, QWidget* parent = nullptr);
    QList<FindingRow*> rows() const;

  Q_SIGNALS:
    void titleChanged(const QString& title);
    void commandWanted(const QString& id);
    void said(const QString& sentence);

  private:
    void show();

    Document& m_document;
    Session& m_session;
    Checker& m_checker;
    QVBoxLayout* m_layout;
    QMap<FaceId, QPushButton*> m_words;
    QWidget* m_face = nullptr;
};

}  // namespace nutatio::app
