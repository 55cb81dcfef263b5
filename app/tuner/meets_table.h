// Which layers keep clear of which bodies: a column a layer, a row a body, under the actor that it rides on.
#pragma once

#include <QWidget>
#include <set>

#include "app/document/document.h"

namespace nutatio::app {

class MeetsTable : public QWidget {
    Q_OBJECT
  public:
    /// `shown`: the layer whose column, or the collider or set piece whose row, is what the page is about.
    MeetsTable(Document& document, scene::Owner shown, QWidget* parent = nullptr);
    /// As the scene has it now.
    void refresh();
    /// Whether there is anything to show for a thing.
    static bool suits(const scene::Scene& scene, const scene::Owner& owner);
    /// Where a layer's column crosses the row of a body, or of all bodies of an actor (its id); empty when that is not on show.
    QRect cell(const std::string& layer, const std::string& row) const;

  Q_SIGNALS:
    void hovered(const QString& help);

  protected:
    bool event(QEvent* e) override;
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void leaveEvent(QEvent*) override;
    void keyPressEvent(QKeyEvent* e) override;

  private:
    struct Row {
        std::string id;  // of the body, or of the actor whose bodies it heads; "": of the world
        QString text;
        std::vector<std::string> bodies;
        bool heads = false;
    };
    struct Column {
        std::string id;
        QString text;
        std::vector<std::string> met;  // that it can reach in the shot on show
    };
    enum class State { All, Some, None };
    State state(const Column& column, const Row& row) const;
    void put(int row, int column, bool minds);
    QRect cellAt(int row, int column) const;
    int rowAt(int y) const;
    int columnAt(int x) const;
    void tell(int row, int column);

    Document& m_document;
    scene::Owner m_shown;
    std::vector<Row> m_rows;
    std::vector<Column> m_columns;
    std::set<std::string> m_open;   // actors whose bodies are listed
    int m_head = 0;                 // height of the columns' names
    int m_row = -1, m_column = -1;  // where the keyboard is
    bool m_minds = true;            // what a drag gives
    QString m_gesture;
};

}  // namespace nutatio::app
