// One line above the stage that says something and offers what can be done about it.
#pragma once

#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <functional>
#include <vector>

namespace nutatio::app {

class Notice : public QFrame {
    Q_OBJECT
  public:
    struct Choice {
        QString name;
        std::function<void()> act;
    };
    explicit Notice(QWidget* parent = nullptr);
    /// Replaces what stood there. A choice closes the notice, then acts.
    void say(const QString& text, std::vector<Choice> choices, bool bad);
    void clear();
    QString text() const { return m_text->text(); }

  private:
    QLabel* m_text;
    QHBoxLayout* m_row;
    QList<QWidget*> m_buttons;
};

}  // namespace nutatio::app
