// The response of a feed: a curve from readings to values, drawn over how often each reading comes.
#pragma once

#include <QWidget>

#include "scene/feed.h"

namespace nutatio::app {

/// Drag a point; click beside the points to add one; double-click one to take it away, while there is another.
class ResponseEdit : public QWidget {
    Q_OBJECT
  public:
    explicit ResponseEdit(QWidget* parent = nullptr);
    /// `values`: what the setting's slider spans. Shares of either axis are shown in percent.
    void setAxes(const scene::Range& values, const QString& valueUnit, const QString& readingUnit);
    void setFeed(const scene::Feed& feed);
    void setReadings(const scene::Curve& readings, int frame);
    /// Where a point of the response is drawn; for tests.
    QPointF pointAt(double reading, double value) const;

  Q_SIGNALS:
    void changed(const scene::Keys& response, const QString& gesture);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void mouseReleaseEvent(QMouseEvent* e) override;
    void mouseDoubleClickEvent(QMouseEvent* e) override;

  private:
    QRectF plot() const;
    void fitAxes();
    std::pair<double, double> at(const QPointF& p) const;
    int hit(const QPointF& p) const;

    scene::Feed m_feed;
    scene::Curve m_readings;
    scene::Range m_values, m_x, m_y;  // x: readings as they reach the response
    QString m_valueUnit, m_readingUnit;
    int m_frame = 0, m_grabbed = -1;
    QString m_gesture;
};

}  // namespace nutatio::app
