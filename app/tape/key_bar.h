// What can be done with the keys that are selected, as fields and buttons.
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <QWidget>

#include "app/document/session.h"
#include "app/tape/key_selection.h"

namespace nutatio::app {

class KeyBar : public QWidget {
    Q_OBJECT
  public:
    KeyBar(Document& document, Session& session, KeySelection& keys, QWidget* parent = nullptr);
    QLineEdit* frame() const { return m_frame; }
    QLineEdit* value() const { return m_value; }
    QLineEdit* scaleTime() const { return m_times; }
    QLineEdit* scaleValue() const { return m_timesValue; }
    QToolButton* ease(scene::Ease ease) const { return m_eases[static_cast<int>(ease)]; }

  Q_SIGNALS:
    void said(const QString& sentence);

  private:
    void refresh();
    /// The first of the selected keys.
    const scene::KeyAt* first() const;
    void move(const QString& name, const edit::KeyMove& move);

    Document& m_document;
    Session& m_session;
    KeySelection& m_keys;
    QLabel* m_count;
    QLineEdit *m_frame, *m_value, *m_times, *m_timesValue;
    QToolButton* m_eases[4];
    QToolButton *m_paste, *m_snap;
};

}  // namespace nutatio::app
