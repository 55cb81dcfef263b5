// One quantity over the shot, a line a take.
#pragma once

#include <QWidget>
#include <vector>

#include "app/document/session.h"

namespace nutatio::app {

/// A click or a drag sets the play-head.
class TakePlot : public QWidget {
    Q_OBJECT
  public:
    explicit TakePlot(Session& session, QWidget* parent = nullptr);
    struct Line {
        QString name;
        QColor colour;
        std::vector<float> values;  // by frame
        bool dashed = false;
    };
    void show(std::vector<Line> lines, const QString& unit);
    const std::vector<Line>& lines() const { return m_lines; }

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;

  private:
    QRectF plot() const;
    std::size_t frames() const;
    void goTo(double x);

    Session& m_session;
    std::vector<Line> m_lines;
    QString m_unit;
};

}  // namespace nutatio::app
