// Ctrl+K: find a command, joint, shot, layer or setting by its words.
#pragma once

#include <QAction>
#include <QFrame>
#include <QIcon>
#include <QLineEdit>
#include <QListWidget>
#include <QPointer>
#include <functional>

namespace nutatio::app {

class Palette : public QFrame {
    Q_OBJECT
  public:
    /// One thing that can be found.
    struct Entry {
        QString text;
        QString about;  // on the right: a shortcut, or what kind of thing it is
        QIcon icon;
        QString why;  // why it cannot be done now; empty: it can
        std::function<void()> run;
        bool command = false;
        QString words{};  // what a page calls the same, where that is otherwise
    };

    explicit Palette(QWidget* parent);
    /// Shows the palette over its parent.
    void open(QList<Entry> entries);
    QListWidget* list() const { return m_list; }
    /// How well the words fit a name: the higher the better, below 0 not at all. A name that begins with them comes first, then
    /// one of whose words does.
    static int fit(const QString& words, const QString& name);

  protected:
    bool eventFilter(QObject* o, QEvent* e) override;

  private:
    void filter(const QString& text);
    void run();
    void close();

    QLineEdit* m_field;
    QListWidget* m_list;
    QList<Entry> m_entries;
    QPointer<QWidget> m_before;  // what had the focus gets it back
};

}  // namespace nutatio::app
