// Ctrl+K: find any command by its words.
#pragma once

#include <QAction>
#include <QFrame>
#include <QLineEdit>
#include <QListWidget>
#include <QPointer>

namespace nutatio::app {

class Palette : public QFrame {
    Q_OBJECT
  public:
    explicit Palette(QWidget* parent);
    /// Shows the palette over its parent, offering those of `actions` that can be done now.
    void open(const QList<QAction*>& actions);

  protected:
    bool eventFilter(QObject* o, QEvent* e) override;

  private:
    void filter(const QString& text);
    void run();

    QLineEdit* m_field;
    QListWidget* m_list;
    void close();

    QList<QAction*> m_actions;
    QPointer<QWidget> m_before;  // what had the focus gets it back
};

}  // namespace nutatio::app
