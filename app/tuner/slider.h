// A slider with a soft range: what most people want lies on it, more can be typed.
#pragma once

#include <QWidget>

#include "scene/setting.h"

namespace nutatio::app {

class Slider : public QWidget {
    Q_OBJECT
  public:
    explicit Slider(QWidget* parent = nullptr);
    void setRange(const scene::Range& soft, bool curved);
    void setValue(double v);
    double value() const { return m_value; }
    /// Pixel of the knob for a value; for tests.
    QPoint knob(double v) const;

  Q_SIGNALS:
    /// `gesture` is the same for all values of one drag.
    void dragged(double value, const QString& gesture);

  protected:
    QSize sizeHint() const override { return {120, 18}; }
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void mouseReleaseEvent(QMouseEvent* e) override;
    bool event(QEvent* e) override;
    void keyPressEvent(QKeyEvent* e) override;

  private:
    double shareOf(double v) const;
    double valueAt(double share) const;
    void follow(double x);

    scene::Range m_soft;
    bool m_curved = false, m_grabbed = false;
    double m_value = 0;
    QString m_gesture;
};

}  // namespace nutatio::app
