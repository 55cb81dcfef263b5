// A row of a list on a page: a swatch, words, and what can be done with it.
#pragma once

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QWidget>
#include <functional>

namespace nutatio::app {

class ListRow : public QWidget {
    Q_OBJECT
  public:
    explicit ListRow(const QString& text, const QString& detail = {}, QWidget* parent = nullptr);
    void setSwatch(const QColor& colour);
    void setChosen(bool on);
    /// A small button at the row's end.
    QPushButton* addButton(const QString& name, const QString& words, const QString& help, const std::function<void()>& act);
    QString text() const { return m_text; }

  Q_SIGNALS:
    /// `more`: beside what is chosen already.
    void chosen(bool more);
    void swatchPressed();

  protected:
    void mousePressEvent(QMouseEvent* e) override;
    void keyPressEvent(QKeyEvent* e) override;
    void resizeEvent(QResizeEvent*) override;
    void paintEvent(QPaintEvent*) override;

  private:
    QString m_text;
    QHBoxLayout* m_row;
    QLabel *m_words, *m_detail;
    QColor m_swatch;
    bool m_isChosen = false;
};

}  // namespace nutatio::app
